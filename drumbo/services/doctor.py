"""A data folder looked over: its database, its files, what is left of others, and the room there is.

Nothing is changed unless asked, and then only what loses nothing: what nobody refers to is set aside, not thrown away.
"""

from __future__ import annotations

import contextlib
import hashlib
import shutil
import sqlite3
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from drumbo.core.counted import counted
from drumbo.core.errors import NotFound, NotNow
from drumbo.store.database import PART
from drumbo.store.soundness import DATABASE, FILES, check_openable, reading, served_once

LEAST_FREE = 500_000_000
SET_ASIDE = "set-aside"
KEEPERS = (("trials", "file_digest"), ("pictures", "digest"), ("parts", "digest"))
"""Tables whose rows stand for files."""


@dataclass(frozen=True, slots=True)
class Ailment:
    """One thing that is wrong: what, and what can be done. `mended` once it was."""

    says: str
    remedy: str
    mended: bool = False


@dataclass(frozen=True, slots=True)
class Report:
    """What was found. `files` are those that rows stand for; `free` are bytes left on the disk."""

    files: int
    free: int
    ailments: tuple[Ailment, ...]


def look_over(folder: Path, *, mend: bool = False) -> Report:
    """Look a folder over; with `mend`, do what loses nothing. NotFound where there is no workshop, NotNow where it is
    served while it is to be mended.
    """
    if not (folder / DATABASE).exists() and not (folder / FILES).exists():
        raise NotFound(f"there is no workshop in {folder}")
    if not mend:
        return _looked(folder, mend=False)
    with served_once(folder):
        return _looked(folder, mend=True)


def _looked(folder: Path, *, mend: bool) -> Report:
    found: list[Ailment] = []
    wanted: dict[str, str] = {}
    try:
        check_openable(folder)
        with contextlib.closing(reading(folder / DATABASE)) as held:
            found += _database(held)
            wanted = _digests(held)
    except NotNow as error:
        found.append(Ailment(str(error), "put back what an archive or a backup has"))
        return Report(0, shutil.disk_usage(folder).free, (*found, *_left_over(folder, mend=mend)))
    found += _files(folder, wanted)
    found += _orphans(folder, wanted, mend=mend)
    found += _left_over(folder, mend=mend)
    free = shutil.disk_usage(folder).free
    if free < LEAST_FREE:
        found.append(Ailment(f"only {free / 1e6:.0f} MB are left on the disk", "make room before the next print"))
    return Report(len(wanted), free, tuple(found))


def _database(held: sqlite3.Connection) -> Iterator[Ailment]:
    for (told,) in held.execute("PRAGMA integrity_check(5)"):
        if told != "ok":
            yield Ailment(f"the database says: {told}", "put back what an archive or a backup has")
    for table, row, parent, _ in held.execute("PRAGMA foreign_key_check"):
        yield Ailment(f"a line of {table} ({row}) belongs to one of {parent} that is not there", "take an archive back")


def _digests(held: sqlite3.Connection) -> dict[str, str]:
    """What rows stand for: digest and whose it is."""
    found: dict[str, str] = {}
    for table, column in KEEPERS:
        for number, digest in held.execute(f"SELECT id, {column} FROM {table} WHERE {column} != ''"):
            found.setdefault(digest, f"{table.removesuffix('s')} {number}")
    return found


def _files(folder: Path, wanted: dict[str, str]) -> Iterator[Ailment]:
    for digest, whose in sorted(wanted.items()):
        path = folder / FILES / digest[:2] / digest
        if not path.is_file():
            yield Ailment(f"the file of {whose} is missing ({digest[:12]})", "copy it back from an archive")
        elif _digest(path) != digest:
            yield Ailment(f"the file of {whose} is not what was kept ({digest[:12]})", "copy it back from an archive")


def _digest(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _orphans(folder: Path, wanted: dict[str, str], *, mend: bool) -> Iterator[Ailment]:
    """Files that no row stands for, as of imports that were looked at and not taken."""
    alone = [p for p in sorted((folder / FILES).glob("??/*")) if p.name not in wanted and not p.name.startswith(PART)]
    if not alone:
        return
    size = sum(path.stat().st_size for path in alone)
    for path in alone if mend else ():
        (folder / SET_ASIDE).mkdir(exist_ok=True)
        path.replace(folder / SET_ASIDE / path.name)
    yield Ailment(
        f"{counted(len(alone), 'file belongs', 'files belong')} to nothing ({size / 1e6:.1f} MB)",
        f"moved to {SET_ASIDE}; throw that away when nothing is missing"
        if mend
        else f"--mend moves them to {SET_ASIDE}",
        mend,
    )


def _left_over(folder: Path, *, mend: bool) -> Iterator[Ailment]:
    """What writers left that were cut off; what a print is sending now has no such name."""
    left = [*(folder / FILES).glob(f"??/{PART}*"), *(folder / "checks").glob(f"{PART}*"), *folder.glob(f"{PART}*")]
    if not left:
        return
    for path in left if mend else ():
        path.unlink(missing_ok=True)
    yield Ailment(
        f"{counted(len(left), 'half-written file')} of a program that was cut off",
        "removed" if mend else "--mend removes them",
        mend,
    )
