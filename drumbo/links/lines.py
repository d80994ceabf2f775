"""The lines of a file that a printer needs, each with its number in the file; read from disk as they are wanted."""

from __future__ import annotations

import os
import re
from array import array
from bisect import bisect_left
from collections.abc import Iterator
from pathlib import Path
from typing import Protocol

from drumbo.core.errors import GcodeError, LinkError

LONGEST = 96
"""What a printer's buffer holds of one line, with its number and checksum."""
_NUMBERED = re.compile(r"^N\d+\s*|\*\d+\s*$", re.IGNORECASE)
_NUMBERING = re.compile(r"^M110\b", re.IGNORECASE)


def clean(raw: str) -> str:
    """One line without comment, number and checksum; "" where nothing is left that a printer should get."""
    text = raw.split(";", 1)[0].strip()
    if text[:1] in "Nn" or "*" in text:
        text = _NUMBERED.sub("", text).strip()
    # A file's own numbering would break the one of the line.
    return "" if _NUMBERING.match(text) else text


class LineSource(Protocol):
    """Lines to send, in order."""

    def __len__(self) -> int: ...
    def __getitem__(self, place: int, /) -> str: ...


class FileLines:
    """A G-code file's lines; GcodeError names a line that no printer can take.

    Only where each begins is kept, so that a file of millions of lines costs little memory.
    """

    def __init__(self, path: Path) -> None:
        self._file = os.open(path, os.O_RDONLY)
        self._starts, self._numbers = array("Q"), array("L")
        try:
            self._index(path)
        except BaseException:
            self.close()
            raise

    def _index(self, path: Path) -> None:
        at = 0
        with path.open("rb") as file:
            for number, raw in enumerate(file, 1):
                text = clean(_text(raw))
                if text:
                    check_length(text, number, len(self._numbers) + 1)
                    self._starts.append(at)
                    self._numbers.append(number)
                at += len(raw)
        self._starts.append(at)

    def __len__(self) -> int:
        return len(self._numbers)

    def __getitem__(self, place: int) -> str:
        start = self._starts[place]
        raw = os.pread(self._file, self._starts[place + 1] - start, start)
        text = clean(_text(raw.split(b"\n", 1)[0]))
        if not text:
            raise LinkError("the file was changed while it was printed")
        return text

    def number(self, place: int) -> int:
        """Which line of the file that is, from 1."""
        return self._numbers[place]

    def place(self, number: int) -> int:
        """The first of the lines that are sent which stands there or behind; how many there are past the last."""
        return bisect_left(self._numbers, number)

    def __iter__(self) -> Iterator[str]:
        return (self[place] for place in range(len(self)))

    def close(self) -> None:
        """Let go of the file."""
        os.close(self._file)


def _text(raw: bytes) -> str:
    return raw.decode("utf-8-sig" if raw[:3] == b"\xef\xbb\xbf" else "utf-8", "replace")


def check_length(text: str, number: int, count: int) -> None:
    """GcodeError where a line would not fit into a printer's buffer, or is not plain text. `count` is how many lines
    went before.
    """
    if not text.isascii() or (not text.isprintable() and "\t" not in text):
        raise GcodeError(number, "holds signs that no printer reads; nothing was sent", text[:40])
    if len(text) + len(str(count)) + len("N *255") > LONGEST:
        raise GcodeError(number, f"is too long: a printer takes {LONGEST} characters at once; nothing was sent",
                         text[:40])  # fmt: skip
