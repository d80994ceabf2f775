"""Files put into a folder: whole, read back, under a name that tells what they are; and what goes wrong is said."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from drumbo.core.errors import LinkError
from drumbo.links.folder import file_name, put


def test_a_file_arrives_byte_for_byte_and_nothing_else_is_left(tmp_path: Path) -> None:
    card, own = tmp_path / "card", tmp_path / "own"
    card.mkdir()
    own.mkdir()
    data = os.urandom(300_000)
    there = put(str(card), "trial-1.gcode", data, never=own)
    assert there.read_bytes() == data
    assert put(str(card), "trial-1.gcode", data[:10], never=own).read_bytes() == data[:10], "the newer one counts"
    assert [path.name for path in card.iterdir()] == ["trial-1.gcode"]


def test_what_is_wrong_with_a_folder_is_said(tmp_path: Path) -> None:
    own = tmp_path / "own"
    (own / "files").mkdir(parents=True)
    (tmp_path / "a-file").write_text("-")
    link = tmp_path / "link"
    link.symlink_to(own)
    for folder, why in (
        ("media/card", "no whole path"), (str(tmp_path / "gone"), "is the card in"),
        (str(tmp_path / "a-file"), "is no folder"), ("/proc", "/proc"), (str(link), "its own things"),
        (str(own / "files"), "its own things"),
    ):  # fmt: skip
        with pytest.raises(LinkError, match=why):
            put(folder, "trial-1.gcode", b"-", never=own)


@pytest.mark.skipif(not Path("/dev/full").exists(), reason="only where there is a full device")
def test_a_card_without_room_is_told_and_left_as_it_was(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    card = tmp_path / "card"
    card.mkdir()
    monkeypatch.setattr(os, "fsync", lambda _handle: os.write(os.open("/dev/full", os.O_WRONLY), b"-"))
    with pytest.raises(LinkError, match="no room left"):
        put(str(card), "trial-1.gcode", b"-", never=tmp_path / "own")
    assert list(card.iterdir()) == []


def test_names_are_plain_and_short() -> None:
    assert (
        file_name("trial 3", "Flow, surface", "Köhler's PLA/2", ending="gcode")
        == "trial-3-flow-surface-k-hler-s-pla-2.gcode"
    )
    long = file_name("x" * 200, ending="zip")
    assert len(long) == 64
    assert "/" not in file_name("../../etc/passwd", ending="gcode")
