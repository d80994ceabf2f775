"""A printer without a line: its files are put into a folder, which is a card's, a stick's or a share's.

It is told as done once the file was flushed to the medium and read back the same.
"""

from __future__ import annotations

import contextlib
import errno
import hashlib
import os
import re
import secrets
from pathlib import Path

from drumbo.core.errors import LinkError

PART = ".drumbo-"
LONGEST_NAME = 60
_NOT_PLAIN = re.compile(r"[^a-z0-9]+")
_WHY = {
    errno.ENOENT: "is not there; is the card in, and the share mounted?",
    errno.ENOTDIR: "is no folder",
    errno.EACCES: "may not be written to by Drumbo",
    errno.EPERM: "may not be written to by Drumbo",
    errno.EROFS: "can only be read; a card may have a lock at its side",
    errno.ENOSPC: "has no room left; nothing was left behind",
}


def file_name(*words: str, ending: str) -> str:
    """A name that tells what a file is, and that every card takes.

    >>> file_name("trial 12", "Temperature tower", "Käseblau & Co", ending="gcode")
    'trial-12-temperature-tower-k-seblau-co.gcode'
    """
    plain = "-".join(filter(None, (_NOT_PLAIN.sub("-", word.lower()).strip("-") for word in words)))
    return f"{plain[:LONGEST_NAME].rstrip('-')}.{ending}"


def put(folder: str, name: str, data: bytes, *, never: Path) -> Path:
    """Write a file into a folder, whole or not at all, and read it back; the path that it has there. `never` is where
    nothing is put: the data folder. LinkError says what is wrong and what to do.
    """
    place = Path(folder)
    if not place.is_absolute():
        raise LinkError(f"{folder} is no whole path; write it from the root on, like /media/card")
    try:
        home = place.resolve(strict=True)
        if not home.is_dir():
            raise NotADirectoryError(errno.ENOTDIR, "")
        if home.is_relative_to(never.resolve()):
            raise LinkError(f"{folder} is where Drumbo keeps its own things; choose the card's folder")
        _write(home, name, data)
        kept = (home / name).read_bytes()
    except LinkError:
        raise
    except OSError as error:
        raise LinkError(f"{folder} {_WHY.get(error.errno or 0, f'cannot be used ({error.strerror})')}") from error
    if hashlib.sha256(kept).digest() != hashlib.sha256(data).digest():
        raise LinkError(f"what {folder} gives back is not what was written; the card may be worn out: take another one")
    return home / name


def _write(home: Path, name: str, data: bytes) -> None:
    part = home / f"{PART}{secrets.token_hex(4)}"
    try:
        with part.open("xb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        part.replace(home / name)
    except BaseException:
        with contextlib.suppress(OSError):
            part.unlink(missing_ok=True)
        raise
    handle = os.open(home, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
