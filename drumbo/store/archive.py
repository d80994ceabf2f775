"""A whole workshop in one file, and back: the database as of one moment, and every file it knows."""

from __future__ import annotations

import json
import shutil
import sqlite3
import tempfile
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import IO

from drumbo.core.errors import InvalidInput
from drumbo.core.safe_zip import SafeZip, opened

FORMAT, VERSION = "drumbo-workshop", 1
DATABASE, FILES, MANIFEST = "drumbo.sqlite", "files", "manifest.json"
LARGEST_FILE, LARGEST_ALL = 1 << 30, 20 << 30


def pack(folder: Path, out: IO[bytes]) -> int:
    """Write the archive of a data folder; returns how many files are in it. The workshop may go on meanwhile."""
    with tempfile.TemporaryDirectory() as scratch:
        copy = Path(scratch) / DATABASE
        source, target = sqlite3.connect(folder / DATABASE), sqlite3.connect(copy)
        try:
            source.backup(target)
        finally:
            source.close()
            target.close()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, allowZip64=True) as bundle:
            bundle.writestr(MANIFEST, json.dumps({"format": FORMAT, "version": VERSION}))
            bundle.write(copy, DATABASE)
            count = 0
            for path in sorted(_files(folder / FILES)):
                bundle.write(path, f"{FILES}/{path.parent.name}/{path.name}")
                count += 1
    return count


def _files(folder: Path) -> Iterator[Path]:
    return (path for path in folder.glob("??/*") if path.is_file() and len(path.name) == 64)


def unpack(archive: Path, folder: Path) -> int:
    """Make a data folder of an archive; returns how many files came. InvalidInput leaves nothing behind.

    A folder that holds a workshop already is left alone.
    """
    if (folder / DATABASE).exists() or (folder / FILES).exists():
        raise InvalidInput("data", f"{folder} holds a workshop already; name another folder, or move that one away")
    folder.parent.mkdir(parents=True, exist_ok=True)
    scratch = Path(tempfile.mkdtemp(dir=folder.parent, prefix=".unpacking-"))
    try:
        with opened(archive, most=LARGEST_FILE, most_together=LARGEST_ALL, wrong=_wrong) as bundle:
            members = _members(bundle)
            for name in members:
                target = scratch / name
                target.parent.mkdir(parents=True, exist_ok=True)
                with target.open("wb") as out:
                    bundle.take(name, out)
        _check(scratch / DATABASE)
        folder.mkdir(exist_ok=True)
        # The database comes last: without it nothing counts as a workshop.
        for path in sorted(scratch.iterdir(), key=lambda path: path.name == DATABASE):
            if path.name != MANIFEST:
                shutil.move(path, folder / path.name)
        return len(members) - 2
    finally:
        shutil.rmtree(scratch, ignore_errors=True)


def _wrong(message: str) -> InvalidInput:
    return InvalidInput("archive", message)


def _members(bundle: SafeZip) -> list[str]:
    """The names in the archive, each of a form that we write."""
    names = bundle.names
    if MANIFEST not in names or DATABASE not in names:
        raise InvalidInput("archive", "is no archive of a workshop: it lacks what each of them has")
    text = bundle.head(MANIFEST, 1000)
    try:
        manifest = json.loads(text)
    except (RecursionError, ValueError):
        manifest = None
    if not isinstance(manifest, dict) or manifest.get("format") != FORMAT or manifest.get("version") != VERSION:
        raise InvalidInput("archive", "is of another version, or none of Drumbo's")
    for name in names:
        folder, _, rest = name.partition("/")
        digest = rest.partition("/")[2]
        plain = len(digest) == 64 and set(digest) <= set("0123456789abcdef") and rest == f"{digest[:2]}/{digest}"
        if name not in {MANIFEST, DATABASE} and not (folder == FILES and plain):
            raise InvalidInput("archive", f"has {name[:60]!r} in it, as no archive of ours has; nothing was taken")
    return names


def _check(database: Path) -> None:
    try:
        with sqlite3.connect(database) as held:
            sound = held.execute("PRAGMA integrity_check").fetchone()[0] == "ok"
            held.execute("SELECT count(*) FROM profiles").fetchone()
        held.close()
    except (sqlite3.DatabaseError, UnicodeDecodeError) as error:
        raise InvalidInput("archive", "has a database in it that cannot be read; nothing was taken") from error
    if not sound:
        raise InvalidInput("archive", "has a database in it that is broken; nothing was taken")
