"""What a print writes down as it goes: the newest is told, however it ended."""

from __future__ import annotations

import json
import tempfile
from pathlib import Path
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from drumbo.core.run import Heaters, RunState
from drumbo.links.journal import LONGEST, LONGEST_MESSAGE, NAME, Journal, entries, last_entry
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


words = st.text(max_size=40) | st.sampled_from(
    ["x" * 5000, "喷嘴" * 900, "\U0001f525" * 700, "\0" * 600, "\n\n{", '"' * 800]
)
paces = st.tuples(st.integers(0, 10**6), st.floats(10, 300), st.floats(10, 300))
changes = st.fixed_dictionaries(
    {"state": st.sampled_from(RunState), "heaters": st.sampled_from(Heaters), "sent": st.integers(0, 10**9)},
    optional={
        "message": words, "refused": words, "doing": words, "line": st.integers(0, 10**9),
        "found": st.lists(st.tuples(words, st.just(115200), words), max_size=60).map(tuple),
        "factors": st.lists(paces, max_size=90).map(tuple),
        "heat": st.none() | st.dictionaries(st.text(max_size=8), st.none() | st.floats(0, 300), max_size=60),
    },
)  # fmt: skip


@given(st.lists(changes, min_size=1, max_size=6))
def test_whatever_a_printer_says_its_newest_state_can_be_read(noted: list[dict[str, Any]]) -> None:
    with tempfile.TemporaryDirectory() as folder:
        journal = Journal(Path(folder))
        for facts in noted:
            journal.note(**facts, now=True)
            entry = last_entry(Path(folder))
            assert entry is not None
            assert (entry.state, entry.heaters, entry.sent) == (facts["state"], facts["heaters"], facts["sent"])
            assert len(entry.message) <= LONGEST_MESSAGE
        journal.close()
        raw = (Path(folder) / NAME).read_bytes()
    assert max(len(line) for line in raw.split(b"\n")) < LONGEST


def test_words_are_shortened_only_as_far_as_they_must_be(tmp_path: Path) -> None:
    journal = Journal(tmp_path)
    journal.note(message="Heißes Ende: 215 °C. " * 9, now=True)
    assert last_entry(tmp_path).message == "Heißes Ende: 215 °C. " * 9
    journal.note(message="喷" * 590, state=RunState.DONE, now=True)
    told = last_entry(tmp_path)
    assert told.state is RunState.DONE
    assert 60 <= len(told.message) < 590
