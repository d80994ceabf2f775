"""What a print has come to, written by the process that sends it and read by whoever wants to know.

One JSON line an entry. The last one is written anew every second, and stays every five. Room is taken from the disk
ahead of need: on a full one the last entry alone is written anew, so that news still come. A reader takes the last
whole line.
"""

from __future__ import annotations

import contextlib
import json
import os
import time
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any

import msgspec

from drumbo.core.run import Heaters, RunState

NAME = "journal.jsonl"
AHEAD = 65_536
LONGEST = 3_000
LONGEST_MESSAGE = 600
FOUND_EACH = 12
"""Of printers that were found there is one for so many letters of a message."""
EVERY_S, STAYS_EVERY_S = 1.0, 5.0
TORN_TRIES, TORN_S = 4, 0.002


@dataclass(frozen=True, slots=True)
class JournalEntry:
    """Where a print is. `line` is the file's line that was taken last; `elapsed_s` runs on a clock that nobody sets;
    `found` are printers that were looked for: path, speed, what they tell. Of what is done by hand: `did` is the number
    of the last order that was dealt with, `fed_mm` how much filament was fed in all, `refused` why the last was not
    done, `doing` what is being done. `factors` are changes of speed and flow in the middle of a print: after which line
    of the file, speed and flow, %. `filament` is what a sensor said after the last feed: in, out, or nothing.
    `goes_on_c` is at what nozzle temperature a file that rests is taken up again, as the file itself said; °C.
    """

    state: RunState
    sent: int = 0
    total: int = 0
    line: int = 0
    message: str = ""
    heat: dict[str, Any] | None = None
    heaters: Heaters = Heaters.OPEN
    found: tuple[tuple[str, int, str], ...] = ()
    elapsed_s: float = 0.0
    at: float = 0.0
    did: int = 0
    fed_mm: float = 0.0
    refused: str = ""
    doing: str = ""
    factors: tuple[tuple[int, float, float], ...] = ()
    filament: str = ""
    goes_on_c: float = 0.0

    @property
    def running(self) -> bool:
        """Whether it goes on."""
        return self.state.running


class Journal:
    """Writes entries; never an exception, as no print ends for want of a disk."""

    def __init__(self, folder: Path) -> None:
        self._began = time.monotonic()
        self._file = os.open(folder / NAME, os.O_RDWR | os.O_CREAT, 0o600)
        self._at = self._before = self._room = 0
        self.last = JournalEntry(RunState.SENDING)
        self._written_at, self._appended_at, self._owes = 0.0, 0.0, False
        self._reserve()

    def _reserve(self) -> None:
        if self._at + LONGEST <= self._room:
            return
        with contextlib.suppress(OSError):
            os.posix_fallocate(self._file, self._room, AHEAD)
            self._room += AHEAD

    def note(self, *, now: bool = False, **changed: Any) -> None:
        """Write down what has changed: a new state at once, anything else once a second."""
        entry = replace(self.last, **changed)
        passed = time.monotonic()
        fresh = now or entry.state != self.last.state
        self._owes = self._owes or fresh or entry != self.last
        self.last = entry
        if self._owes and (fresh or passed - self._written_at >= EVERY_S):
            self._written_at, self._owes = passed, False
            # Few enough stay for a print of days; the newest is always there.
            append = fresh or passed - self._appended_at >= STAYS_EVERY_S
            self._appended_at = passed if append else self._appended_at
            self._write(append=append, keep=now or not entry.running)

    def _write(self, *, append: bool, keep: bool) -> None:
        self.last = replace(
            self.last,
            message=self.last.message[:LONGEST_MESSAGE],
            refused=self.last.refused[:LONGEST_MESSAGE],
            elapsed_s=round(time.monotonic() - self._began, 2),
            at=round(time.time(), 2),
        )
        raw = _line(self.last)
        self._reserve()
        if not append or self._at + len(raw) > self._room:
            # In place of the last one; what an older, longer one may leave behind is blanked.
            raw = raw.rstrip(b"\n").ljust(self._at - self._before - 1) + b"\n"
            self._at = self._before
        with contextlib.suppress(OSError):
            os.pwrite(self._file, raw, self._at)
            self._before, self._at = self._at, self._at + len(raw)
            if keep:
                os.fsync(self._file)

    def close(self) -> None:
        """Give back what was not needed, and let go of the file."""
        with contextlib.suppress(OSError):
            os.ftruncate(self._file, self._at)
        os.close(self._file)


def _line(entry: JournalEntry) -> bytes:
    """An entry as one line, no longer than a reader looks back: where words are too many, fewer of them. Its state is
    always in it.
    """
    for most in (LONGEST_MESSAGE, 200, 60, 0):
        short = replace(
            entry, message=entry.message[:most], refused=entry.refused[:most], doing=entry.doing[:most],
            found=tuple((path[:most], baud, told[:most]) for path, baud, told in entry.found[: most // FOUND_EACH]),
            heat=entry.heat if most else None, factors=entry.factors if most else (),
        )  # fmt: skip
        raw = json.dumps(asdict(short), ensure_ascii=True).encode() + b"\n"
        if len(raw) <= LONGEST:
            break
    return raw


def entries(folder: Path, most_bytes: int = 4 * LONGEST) -> list[JournalEntry]:
    """The last entries of a journal, oldest first; what a crash left half is passed over."""
    return _read(folder, most_bytes)[0]


def _read(folder: Path, most_bytes: int) -> tuple[list[JournalEntry], bool]:
    """The last entries, and whether the very last one is only half there."""
    try:
        with (folder / NAME).open("rb") as file:
            size = _used(file.fileno(), os.fstat(file.fileno()).st_size)
            raw = os.pread(file.fileno(), most_bytes, max(size - most_bytes, 0))
    except OSError:
        return [], False
    found, torn = [], False
    for line in raw.split(b"\n"):
        try:
            found.append(msgspec.json.decode(line, type=JournalEntry))
            torn = False
        except (msgspec.DecodeError, RecursionError):
            torn = torn or bool(line.strip(b"\0 "))
    return found, torn


def _used(file: int, size: int) -> int:
    """Where what was written ends: the room ahead is empty."""
    low = max(size - 2 * AHEAD, 0)
    return low + len(os.pread(file, size - low, low).rstrip(b"\0 "))


def last_entry(folder: Path) -> JournalEntry | None:
    """The last entry, or None where nothing was written yet. One that is just being written anew is waited for, as the
    one before it tells what is no longer so.
    """
    for _ in range(TORN_TRIES):
        found, torn = _read(folder, 4 * LONGEST)
        if not torn:
            break
        time.sleep(TORN_S)
    return found[-1] if found else None
