"""What a print writes down as it goes: the newest is told, however it ended."""

from __future__ import annotations

import json
from pathlib import Path

from drumbo.links.journal import NAME, Journal, entries, last_entry
from drumbo.links.runs import OFF, RunOrder


def test_a_journal_tells_the_newest_however_little_room_there_is(tmp_path: Path, monkeypatch) -> None:  # type: ignore[no-untyped-def]
    monkeypatch.setattr("drumbo.links.journal.AHEAD", 4000)
    journal = Journal(tmp_path)

    def full(*_args: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("os.posix_fallocate", full)
    for sent in range(60):
        journal.note(sent=sent, message="x" * (60 - sent), now=True)
        assert last_entry(tmp_path).sent == sent
    journal.note(state="done", heaters="off", now=True)
    journal.close()
    assert last_entry(tmp_path).state == "done"


def test_a_journal_that_a_crash_cut_off_is_read_up_to_there(tmp_path: Path) -> None:
    journal = Journal(tmp_path)
    for sent in range(5):
        journal.note(sent=sent, now=True)
    journal.close()
    raw = (tmp_path / NAME).read_bytes()
    (tmp_path / NAME).write_bytes(raw[:-20])
    assert [entry.sent for entry in entries(tmp_path)] == [0, 1, 2, 3]
    (tmp_path / NAME).write_bytes(raw + b'{"state": "sen' + b"\0" * 500)
    assert last_entry(tmp_path).sent == 4
    assert last_entry(tmp_path / "nowhere") is None


def test_a_job_survives_its_file_and_newer_ones_are_read(tmp_path: Path) -> None:
    job = RunOrder(OFF, "socket://127.0.0.1:1", "Petrel One", park=("G91",), timing={"silence_s": 2.0})
    job.write(tmp_path)
    assert RunOrder.read(tmp_path) == job
    data = json.loads((tmp_path / "job.json").read_text())
    (tmp_path / "job.json").write_text(json.dumps({**data, "of_tomorrow": 1}))
    assert RunOrder.read(tmp_path) == job
