"""Whether what lies in a data folder is a workshop that can be opened: looked at before anything there is touched."""

from __future__ import annotations

import contextlib
import fcntl
import os
import sqlite3
from collections.abc import Iterator
from pathlib import Path
from urllib.parse import quote

from drumbo.core.errors import NotNow

MIGRATIONS = Path(__file__).parent / "migrations"
DATABASE, FILES, LOCK = "drumbo.sqlite", "files", "serving"
HEAD = b"SQLite format 3\x00"
HELP = "“drumbo doctor” looks it over; “drumbo unpack” makes a workshop of an archive, in another folder"


def check_openable(folder: Path) -> None:
    """NotNow, with what to do, where the workshop in a folder cannot be opened. Nothing is written or created."""
    path = folder / DATABASE
    if not path.exists():
        if any((folder / FILES).glob("??/*")):
            raise NotNow(f"{folder} has the files of a workshop, but its {DATABASE} is missing; put it back. {HELP}")
        return
    if not path.is_file():
        raise NotNow(f"{path} is no file; name another folder with --data")
    try:
        with path.open("rb") as file:
            size, head = path.stat().st_size, file.read(len(HEAD))
    except OSError as error:
        raise NotNow(f"{path} cannot be read ({error.strerror}); whose is it?") from error
    if size == 0:
        raise NotNow(f"{path} is empty: the workshop in it is lost. {HELP}")
    if head != HEAD:
        raise NotNow(f"{path} is damaged, or no database at all. {HELP}")
    version = _version(path)
    if version not in known_versions():
        raise NotNow(f"{path} was made by a newer Drumbo (its tables are “{version[:40]}”); bring this one up to date")


def _version(path: Path) -> str:
    try:
        with contextlib.closing(reading(path)) as held:
            told = held.execute("PRAGMA quick_check(1)").fetchone()
            if told is None or told[0] != "ok":
                raise NotNow(f"{path} is damaged ({_one_line(told and told[0])}). {HELP}")
            found = held.execute("SELECT version_num FROM alembic_version").fetchone()
    except (sqlite3.DatabaseError, UnicodeDecodeError) as error:
        if "no such table" in str(error):
            raise NotNow(f"{path} is a database of another program; name another folder with --data") from error
        raise NotNow(f"{path} is damaged ({_one_line(error)}). {HELP}") from error
    return str(found[0]) if found else ""


def _one_line(said: object) -> str:
    return " ".join(str(said).split())[:80]


def reading(path: Path) -> sqlite3.Connection:
    """A database to be looked at and nothing else: where nobody has it open, not a file is made beside it."""
    open_elsewhere = path.with_name(path.name + "-wal").exists()
    how = "mode=ro" if open_elsewhere else "mode=ro&immutable=1"
    return sqlite3.connect(f"file:{quote(str(path))}?{how}", uri=True)


def known_versions() -> tuple[str, ...]:
    """Versions of the tables that this Drumbo knows, the newest last: a migration's file begins with its own."""
    return tuple(sorted(path.name[:4] for path in (MIGRATIONS / "versions").glob("0*.py")))


def in_words(error: Exception, path: Path) -> str:
    """What a database says of itself, and what to do."""
    said = str(getattr(error, "orig", None) or error)
    for found, words in {
        "readonly": f"{path} cannot be written to; see whose it is, and whether its disk is read-only",
        "unable to open": f"{path} cannot be opened; see whose its folder is, and whether its disk is read-only",
        "full": f"the disk of {path} is full; make room and start again",
        "disk I/O": f"the disk of {path} refuses; is it full, or failing?",
        "locked": f"{path} is held by another program; end that one first",
    }.items():
        if found in said:
            return words
    return f"{path} cannot be used ({said}). {HELP}"


@contextlib.contextmanager
def served_once(folder: Path) -> Iterator[None]:
    """Hold a folder for as long as it is served; NotNow where another one serves it."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
        handle = os.open(folder / LOCK, os.O_RDWR | os.O_CREAT, 0o600)
    except OSError as error:
        raise NotNow(f"{folder} cannot be written to ({error.strerror}); name another folder with --data") from error
    try:
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            raise NotNow(
                f"another Drumbo serves the workshop in {folder} already; use that one, end it, or name another folder "
                "with --data"
            ) from error
        yield
    finally:
        os.close(handle)
