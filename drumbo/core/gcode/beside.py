"""Two files beside each other: what they come to, and from which command on they part."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import zip_longest

import numpy as np
from numpy.typing import NDArray

from drumbo.core.gcode.analysis import FileAnalysis
from drumbo.core.gcode.command import Command
from drumbo.core.gcode.inspect import Inspection
from drumbo.core.gcode.program import Program
from drumbo.core.gcode.roles import INNER, OUTER, TOP, TRAVEL, UNSUPPORTED

Floats = NDArray[np.float64]

SAME_MM, SAME_FED_MM, SAME_FEED = 5e-4, 5e-5, 0.5
"""Positions and filament of moves that are the same, mm, and speeds, mm/min: half of what files write."""

SPELLING = frozenset({"G17", "G18", "G19", "G20", "G21", "G90", "G91", "G92", "M82", "M83"})
"""Words that say how moves are written; what the moves do is in their columns."""


@dataclass(frozen=True, slots=True)
class Pair:
    """One quantity of two files, in `unit`, to so many `digits`."""

    name: str
    unit: str
    digits: int
    first: float
    second: float

    @property
    def differs(self) -> bool:
        """Whether they are two numbers as written."""
        return round(self.first, self.digits) != round(self.second, self.digits)

    @property
    def more(self) -> float | None:
        """How much more the second has, as a share of the first; None where the first has none."""
        return self.second / self.first - 1 if self.first else None


@dataclass(frozen=True, slots=True)
class Parting:
    """Where two files part: lines from 1, 0 where a file has nothing there any more; layer from 1, 0 before the first
    road; how many of the first file's moves were the same up to there.
    """

    first_line: int
    second_line: int
    layer: int
    same: int


def pairs(a: tuple[FileAnalysis, Inspection], b: tuple[FileAnalysis, Inspection]) -> list[Pair]:
    """What two files come to: times in minutes, usual values by the time of their roads."""
    rows = (
        ("Time", "min", 1, lambda c, i: i.seconds / 60),
        ("Time, outer walls", "min", 1, lambda c, i: i.seconds_of(OUTER) / 60),
        ("Time, inner lines", "min", 1, lambda c, i: i.seconds_of(INNER) / 60),
        ("Time, tops", "min", 1, lambda c, i: i.seconds_of(TOP) / 60),
        ("Time, in the air", "min", 1, lambda c, i: i.seconds_of(UNSUPPORTED) / 60),
        ("Time, travels", "min", 1, lambda c, i: i.seconds_of(TRAVEL) / 60),
        ("Filament", "g", 2, lambda c, i: i.grams),
        ("Layers", "", 0, lambda c, i: i.layers),
        ("Usual layer height", "mm", 3, lambda c, i: i.layer_mm),
        ("Usual line width", "mm", 2, lambda c, i: i.width_mm),
        ("Usual speed", "mm/s", 0, lambda c, i: _usual(c, c.found.speed)),
        ("Usual flow", "mm³/s", 1, lambda c, i: i.flow_median),
        ("Most flow", "mm³/s", 1, lambda c, i: i.flow_high),
        ("Nozzle, first layer", "°C", 0, lambda c, i: _usual(c, c.program.nozzle_c, first=True)),
        ("Nozzle", "°C", 0, lambda c, i: _usual(c, c.program.nozzle_c)),
        ("Bed, first layer", "°C", 0, lambda c, i: _usual(c, c.program.bed_c, first=True)),
        ("Bed", "°C", 0, lambda c, i: _usual(c, c.program.bed_c)),
        ("Fan", "%", 0, lambda c, i: 100 * _usual(c, c.program.fan)),
        ("Pressure advance", "s", 3, lambda c, i: _usual(c, c.program.pressure_advance)),
        ("Retraction", "mm", 2, lambda c, i: i.retraction_mm),
        ("Retractions", "", 0, lambda c, i: i.retractions),
        ("Moves", "", 0, lambda c, i: i.moves),
    )
    return [Pair(name, unit, digits, float(of(*a)), float(of(*b))) for name, unit, digits, of in rows]


def _usual(case: FileAnalysis, values: Floats, *, first: bool = False) -> float:
    """The median of a column over the time of the roads above the first layer, or of the first; 0 without roads."""
    laid, layer = case.found.laid, case.found.layer
    where = laid & ((layer == 0) if first else (layer > 0))
    where = where if where.any() else laid
    if not where.any():
        return 0.0
    values, seconds = values[where], case.found.seconds[where]
    order = np.argsort(values, kind="stable")
    upto = np.cumsum(seconds[order])
    return float(values[order][min(int(np.searchsorted(upto, upto[-1] / 2)), len(values) - 1)])


def parting(a: FileAnalysis, b: FileAnalysis) -> Parting | None:
    """The first move or command in which two files differ, comments and spelling apart; None if none does."""
    first, second = a.program, b.program
    row = _move(first, second)
    at = _command(first, second)
    if at is not None and (row is None or at[0] <= row):
        row, mine, its = at
        lines = [_line(p, row, command) for p, command in ((first, mine), (second, its))]
    elif row is not None:
        lines = [_line(p, row, None) for p in (first, second)]
    else:
        return None
    laid = a.found.laid[: row + 1]
    layer = int(a.found.layer[min(row, len(first) - 1)]) + 1 if laid.any() else 0
    return Parting(lines[0], lines[1], layer, min(row, len(first)))


def _line(program: Program, row: int, command: Command | None) -> int:
    if command is not None:
        return command.line
    return int(program.line[row]) if row < len(program) else 0


def _move(a: Program, b: Program) -> int | None:
    """The first row whose moves differ; one that only one of them has differs."""
    n = min(len(a), len(b))
    # G0 and G1 are one and the same to a printer.
    off = np.maximum(a.kind[:n], 1) != np.maximum(b.kind[:n], 1)
    for one, other, near in (
        (a.x, b.x, SAME_MM), (a.y, b.y, SAME_MM), (a.z, b.z, SAME_MM), (a.e_mm, b.e_mm, SAME_FED_MM),
        (a.feed, b.feed, SAME_FEED),
    ):  # fmt: skip
        off |= np.abs(one[:n] - other[:n]) > near
    if off.any():
        return int(off.argmax())
    return n if len(a) != len(b) else None


def _command(a: Program, b: Program) -> tuple[int, Command | None, Command | None] | None:
    """The first commands between moves that differ: (row, of a, of b), None for a file that has none at that row."""
    ours, theirs = ([c for c in p.commands if c.word not in SPELLING] for p in (a, b))
    for one, other in zip_longest(ours, theirs):
        if one and other and _said(one) == _said(other):
            continue
        row = min(c.row for c in (one, other) if c)
        return row, one if one and one.row == row else None, other if other and other.row == row else None
    return None


def _said(command: Command) -> tuple[object, ...]:
    values = {letter: value for letter, value in command.values.items() if letter != "N"}
    return command.word, command.row, values, command.text
