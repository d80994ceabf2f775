"""The archive of a whole workshop: what goes in comes out, and nothing hostile is half taken."""

from __future__ import annotations

import io
import json
import zipfile
from pathlib import Path

import pytest
from flask.testing import FlaskClient

from drumbo.core.errors import InvalidInput
from drumbo.services import by_hand, profiles, shelf
from drumbo.store.archive import DATABASE, MANIFEST, pack, unpack
from drumbo.store.database import Workshop
from tests.conftest import Begun

DIGEST = "ab" * 32


def _archive(**members: bytes) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as bundle:
        for name, data in members.items():
            bundle.writestr(name, data)
    return out.getvalue()


GOOD = {MANIFEST: json.dumps({"format": "drumbo-workshop", "version": 1}).encode()}
HOSTILE = {
    "no zip": (b"hello", "no zip that can be unpacked"),
    "a foreign zip": (_archive(**{"a.txt": b"x"}), "is no archive of a workshop"),
    "another version": (_archive(**{MANIFEST: GOOD[MANIFEST].replace(b"1", b"9"), DATABASE: b""}), "version"),
    "a manifest that is none": (_archive(**{MANIFEST: b"[[[", DATABASE: b""}), "version"),
    "a way out": (_archive(**GOOD, **{DATABASE: b"", "../../evil": b"x"}), "leads out of its folder"),
    "a way out in files": (_archive(**GOOD, **{DATABASE: b"", f"files/../{DIGEST}": b"x"}), "leads out of its folder"),
    "a database that is none": (_archive(**GOOD, **{DATABASE: b"x" * 5000}), "cannot be read"),
    "an empty database": (_archive(**GOOD, **{DATABASE: b""}), "cannot be read"),
    "a bomb": (_archive(**GOOD, **{DATABASE: b"", f"files/ab/{DIGEST}": b"\0" * 30_000_000}), "unpacks to far more"),
}  # fmt: skip


def test_a_workshop_comes_back_whole(client: FlaskClient, house: Workshop, begun: Begun, tmp_path: Path) -> None:
    by_hand.set_value(house, begun.profile, "flow_ratio", "0.97")
    digest = house.files.put(b"a picture")
    answer = client.get("/settings/backup.zip")
    assert answer.mimetype == "application/zip"
    file = tmp_path / "all.zip"
    file.write_bytes(answer.data)
    answer.close()
    assert unpack(file, tmp_path / "again") == 1
    again = Workshop(tmp_path / "again")
    assert shelf.names(again) == shelf.names(house)
    assert profiles.sheet(again, begun.profile).profile == profiles.sheet(house, begun.profile).profile
    assert again.files.get(digest) == b"a picture"
    again.close()
    with pytest.raises(InvalidInput, match="holds a workshop already"):
        unpack(file, tmp_path / "again")


@pytest.mark.parametrize("name", HOSTILE)
def test_what_cannot_be_taken_leaves_nothing_behind(name: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("drumbo.store.archive.LARGEST_FILE", 20 << 20)
    data, why = HOSTILE[name]
    file, folder = tmp_path / "all.zip", tmp_path / "new" / "workshop"
    file.write_bytes(data)
    with pytest.raises(InvalidInput, match=why):
        unpack(file, folder)
    assert not folder.exists()
    assert not list(folder.parent.glob("*")), "nor anything half unpacked"


def test_packing_counts_files(house: Workshop) -> None:
    house.files.put(b"one")
    house.files.put(b"two")
    assert pack(house.folder, io.BytesIO()) == 2
