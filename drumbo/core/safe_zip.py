"""Zip files that strangers wrote: looked over before anything is unpacked, and not believed in what they say of sizes.

Whoever opens one says what error its words belong into; there is no other.
"""

from __future__ import annotations

import io
import struct
import zipfile
import zlib
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import IO

MOST_MEMBERS = 200_000
MAGIC = b"PK\x03\x04"
"""How a zip with something in it begins."""


@contextmanager
def _told(wrong: Callable[[str], Exception]) -> Iterator[None]:
    """Whatever a broken zip makes of the library, as words."""
    try:
        yield
    except RuntimeError as error:
        if isinstance(error, NotImplementedError):
            raise wrong("is packed in a way that is not read here; pack it again") from error
        raise wrong("is locked with a password") from error
    except (zipfile.BadZipFile, zlib.error, struct.error, EOFError, OSError, ValueError, OverflowError) as error:
        raise wrong("is no zip that can be unpacked, or ends in the middle; fetch it again") from error


@dataclass(frozen=True, slots=True)
class SafeZip:
    """An open zip whose names lead nowhere else. No member is read beyond `most` bytes."""

    bundle: zipfile.ZipFile
    most: int
    wrong: Callable[[str], Exception]

    @property
    def names(self) -> list[str]:
        """What is in it."""
        return self.bundle.namelist()

    def read(self, name: str, most: int | None = None) -> bytes:
        """A member; at most so many bytes may come out of it."""
        limit = self.most if most is None else most
        data = self.head(name, limit + 1)
        if len(data) > limit:
            raise self.wrong(f"has a {name[:60]} beyond all bounds")
        return data

    def head(self, name: str, count: int) -> bytes:
        """The first bytes of a member, without unpacking the rest."""
        with _told(self.wrong), self.bundle.open(name) as inside:
            return inside.read(count)

    def take(self, name: str, out: IO[bytes], chunk: int = 1 << 20) -> None:
        """Write a member out, piece by piece."""
        left = self.most
        with _told(self.wrong):
            inside = self.bundle.open(name)
        with inside:
            while True:
                with _told(self.wrong):
                    data = inside.read(chunk)
                left -= len(data)
                if left < 0:
                    raise self.wrong(f"has a file of more than {self.most >> 20} MB in it ({name[:60]})")
                if not data:
                    return
                out.write(data)


@contextmanager
def opened(
    source: bytes | Path, *, most: int, most_together: int, wrong: Callable[[str], Exception]
) -> Iterator[SafeZip]:  # fmt: skip
    """A zip of members of no more than `most` bytes, and `most_together` in all. What is not so, is broken, cut off,
    locked or leads out of its folder is told by `wrong`, the reason as its words.
    """
    with _told(wrong):
        bundle = zipfile.ZipFile(io.BytesIO(source) if isinstance(source, bytes) else source)
    with bundle:
        reason = _reason(bundle, most, most_together)
        if reason:
            raise wrong(f"{reason}; nothing of it was taken")
        yield SafeZip(bundle, most, wrong)


def _reason(bundle: zipfile.ZipFile, most: int, most_together: int) -> str:
    """Why nothing of it should be unpacked; empty where nothing stands against it."""
    entries = bundle.infolist()
    if len(entries) > MOST_MEMBERS:
        return f"has more than {MOST_MEMBERS:,} files in it"
    for entry in entries:
        parts = entry.filename.replace("\\", "/").split("/")
        if entry.filename.startswith(("/", "\\")) or ".." in parts or ":" in parts[0]:
            return "has a path in it that leads out of its folder"
    if any(entry.file_size > most for entry in entries) or sum(entry.file_size for entry in entries) > most_together:
        return "unpacks to far more than it should hold"
    return "has two files of one name in it" if len(set(bundle.namelist())) < len(entries) else ""
