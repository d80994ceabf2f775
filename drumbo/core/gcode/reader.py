"""Reading any G-code file into columns, with the state it sets along the way.

Understood: G0 G1 G2 G3 (I J K or R, in the planes of G17 G18 G19), G4, G10 G11, G20 G21, G28, G29, G90 G91, G92,
pauses M0 M1 M25 M226 M600, M82 M83, M84, M104 M109 M116 M140 M190 M141 M191, M106 M107, M203 to M205, M207 M208,
M220 M221, M486, M566, T; and what the dialects set pressure advance by. Comments after `;`, in `( )`, `%` lines; N
numbers with `*` checksums; lower case, words without spaces, CRLF and a byte-order mark. Several commands may stand on
one line. Other words are kept and counted.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from drumbo.core.errors import GcodeError
from drumbo.core.gcode import kernel
from drumbo.core.gcode.dialects import PRESSURE_ADVANCE
from drumbo.core.motion import Motion, plan_moves

Floats = NDArray[np.float64]

KNOWN: frozenset[str] = frozenset(
    (
        "G0 G1 G2 G3 G4 G10 G11 G17 G18 G19 G20 G21 G28 G29 G90 G91 G92 M0 M1 M17 M18 M24 M25 M73 M82 M83 M84 M92 "
        "M104 M105 M106 M107 M109 M114 M115 M116 M117 M118 M140 M141 M190 M191 M201 M203 M204 M205 M207 M208 M220 M221 "
        "M226 M400 M486 M500 M503 M566 M600"
    ).split()
) | frozenset(PRESSURE_ADVANCE)
PAUSES = frozenset({"M0", "M1", "M25", "M226", "M600"})

LONGEST_COMMAND = 400
LARGEST_NUMBER = 1e9
"""Beyond this a number is no parameter of a printer."""
_KEY_VALUE = re.compile(r"(\w++)\s*+=\s*+([-+]?(?:\d+\.?\d*|\.\d+))")
_LETTERS = {letter: place for place, letter in enumerate("ABCDEFGHIJKLMNOPQRSTUVWXYZ")}

DEFAULT_ACCEL, DEFAULT_JUNCTION = 1500.0, 8.0
"""mm/s² and mm/s where a file sets none and nobody says what the printer has."""


@dataclass(frozen=True, slots=True)
class Command:
    """A word that moves nothing. `row` is the move it stands before; `line` counts from 1."""

    word: str
    line: int
    row: int
    values: dict[str, float]
    text: str = ""

    @property
    def heat(self) -> float | None:
        """Target of a heater's command, °C: S, or R where it also waits for cooling; None where it names none."""
        return self.values.get("S", self.values.get("R"))


@dataclass(frozen=True)
class Program:
    """A file as columns of length n, one row a move, and the commands between them.

    line: (n,) int32; kind: (n,) uint8 (0 to 3 as G0 to G3, 10 and 11 firmware retraction, 28 homing);
    x, y, z: (n,) float64, where the move ends, mm; e_mm: (n,) float64, filament fed, mm;
    feed: (n,) float32, mm/min as written.
    """

    line: NDArray[np.int32]
    kind: NDArray[np.uint8]
    x: Floats
    y: Floats
    z: Floats
    e_mm: Floats
    feed: NDArray[np.float32]
    commands: tuple[Command, ...]
    lines: int

    def __len__(self) -> int:
        return len(self.line)

    @cached_property
    def unknown(self) -> dict[str, int]:
        """Words nobody here knows, with how often each stands in the file."""
        return dict(Counter(c.word for c in self.commands if c.word not in KNOWN and not re.fullmatch(r"T\d+", c.word)))

    def found(self, *words: str) -> Iterator[Command]:
        """The commands with one of these words, in file order."""
        return (c for c in self.commands if c.word in words)

    def along(self, words: tuple[str, ...], letter: str, initial: float) -> Floats:
        """(n,) float64: the value that `letter` of the last of `words` has at every row."""
        changes = [(c.row, c.values[letter]) for c in self.found(*words) if letter in c.values]
        return self._steps(changes, initial)

    def _steps(self, changes: list[tuple[int, float]], initial: float) -> Floats:
        values = np.array([initial, *(value for _, value in changes)])
        starts = np.array([0, *(row for row, _ in changes), len(self)])
        return np.repeat(values, np.diff(starts))

    @property
    def nozzle_c(self) -> Floats:
        """(n,) nozzle target at every row, °C."""
        return self._targets("M104", "M109")

    @property
    def bed_c(self) -> Floats:
        """(n,) bed target at every row, °C."""
        return self._targets("M140", "M190")

    def _targets(self, *words: str) -> Floats:
        changes = [(c.row, c.heat) for c in self.found(*words) if c.heat is not None]
        return self._steps(changes, 0.0)

    @property
    def fan(self) -> Floats:
        """(n,) share of the part fan at every row, 0 to 1."""
        changes = [
            (c.row, 0.0 if c.word == "M107" else min(c.values.get("S", 255.0), 255.0) / 255)
            for c in self.found("M106", "M107")
            if c.values.get("P", 0) == 0
        ]
        return self._steps(changes, 0.0)

    @property
    def tool(self) -> NDArray[np.int32]:
        """(n,) which tool is chosen at every row, T0 until another is."""
        changes = [(c.row, float(c.word[1:])) for c in self.commands if re.fullmatch(r"T\d{1,3}", c.word)]
        return self._steps(changes, 0.0).astype(np.int32)

    @property
    def speed_factor(self) -> Floats:
        """(n,) M220 at every row, as a share."""
        return self.along(("M220",), "S", 100.0) / 100

    @property
    def flow_factor(self) -> Floats:
        """(n,) M221 at every row, as a share."""
        return self.along(("M221",), "S", 100.0) / 100

    @property
    def pressure_advance(self) -> Floats:
        """(n,) s, whichever word set it."""
        changes = [
            (c.row, c.values[PRESSURE_ADVANCE[c.word]])
            for c in self.found(*PRESSURE_ADVANCE)
            if PRESSURE_ADVANCE[c.word] in c.values
        ]
        return self._steps(changes, 0.0)

    def motion(self, accel: float | None = None, junction: float | None = None) -> Motion:
        """When the head is where. What the file sets counts before `accel` (mm/s²) and `junction` (mm/s)."""
        accels = self._accels(DEFAULT_ACCEL if accel is None else accel)
        junctions = self._junctions(DEFAULT_JUNCTION if junction is None else junction)
        homing = self.kind == kernel.HOME
        dx, dy, dz = (np.where(homing, 0.0, np.diff(c, prepend=0.0)) for c in (self.x, self.y, self.z))
        speed = self.feed / 60.0 * self.speed_factor if self._has("M220") else self.feed / 60.0
        return plan_moves(dx, dy, dz, self.e_mm, np.maximum(speed, 0.01), accels, junctions)

    def _has(self, word: str) -> bool:
        return any(True for _ in self.found(word))

    def _accels(self, initial: float) -> Floats | float:
        changes = [(c.row, c.values.get("S", c.values.get("P", initial))) for c in self.found("M204")]
        changes = [(row, value) for row, value in changes if value > 0]
        return self._steps(changes, initial) if changes else initial

    def _junctions(self, initial: float) -> Floats | float:
        changes = [
            (c.row, c.values["X"] / (60 if c.word == "M566" else 1))
            for c in self.found("M205", "M566")
            if c.values.get("X", 0) > 0
        ]
        return self._steps(changes, initial) if changes else initial


def read(data: bytes | memoryview | NDArray[np.uint8]) -> Program:
    """Read a whole file. Raises GcodeError with the line where it cannot be read."""
    raw = data if isinstance(data, np.ndarray) else np.frombuffer(data, np.uint8)
    if not len(raw):
        raise GcodeError(0, "the file is empty")
    head = raw[:65536]
    if (head == 0).any() or ((head < 32) & (head != 9) & (head != 10) & (head != 13)).mean() > 0.01:
        raise GcodeError(0, "this is not a text file; G-code is plain text, one command a line")
    if raw[-1] != ord("\n"):
        raw = np.append(raw, np.uint8(ord("\n")))
    # Of one kind, whatever it came as: for another the loop would be compiled once more, which takes many seconds.
    raw = np.ascontiguousarray(raw).view()
    raw.flags.writeable = False
    capacity = int(np.count_nonzero(raw == 10)) + 1
    rows, count, table, parameters, told, lines, status = kernel.scan(raw, kernel.columns(capacity))
    if status[0]:
        raise _error(raw, status)
    line, kind, x, y, z, e_mm, feed = (column[:count] for column in rows)
    commands = tuple(_command(raw, table[k], parameters[k]) for k in range(told))
    if not count and not any(c.word in KNOWN for c in commands):
        raise GcodeError(0, "holds no G-code command that is known; is it the right one?")
    return Program(line, kind, x, y, z, e_mm, feed, commands, lines)


_REASONS = {
    kernel.NO_NUMBER: "a letter without a number",
    kernel.BAD_BYTE: "a character that is no G-code",
    kernel.BAD_CHECKSUM: "the checksum does not fit the line; the file was damaged on its way",
    kernel.BAD_ARC: "an arc without a centre that fits; it needs I and J, or a large enough R",
}


def _line_text(raw: NDArray[np.uint8], offset: int) -> str:
    start = offset
    while start > 0 and raw[start - 1] != 10 and offset - start < LONGEST_COMMAND:
        start -= 1
    stop = start
    while stop < len(raw) and raw[stop] != 10 and stop - start < 200:
        stop += 1
    return raw[start:stop].tobytes().decode("utf-8", "replace").strip()


def _error(raw: NDArray[np.uint8], status: NDArray[np.int64]) -> GcodeError:
    return GcodeError(int(status[2]), _REASONS[int(status[0])], _line_text(raw, int(status[1]))[:80])


def _command(raw: NDArray[np.uint8], row: NDArray[np.int64], parameters: Floats) -> Command:
    letter, code, line, at, offset = (int(v) for v in row)
    if chr(letter) in "!?":
        text = _line_text(raw, offset).split(";")[0][:LONGEST_COMMAND]
        word = text.split()[0].upper() if letter == ord("!") and text.split() else text[:20] or "?"
        return Command(word, line, at, {k.upper(): float(v) for k, v in _KEY_VALUE.findall(text)}, text)
    word = f"{chr(letter)}{code // 10}" + (f".{code % 10}" if code % 10 else "")
    values = {
        name: float(parameters[place]) for name, place in _LETTERS.items() if parameters[place] == parameters[place]
    }
    if any(abs(value) > LARGEST_NUMBER for value in values.values()) and word in KNOWN:
        raise GcodeError(
            line, f"{word} has a number beyond anything that a printer can do", _line_text(raw, offset)[:80]
        )
    return Command(word, line, at, values)
