"""A file with its columns, and what it is held against: what findings, sums and pictures look at."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from drumbo.core.gcode.move_columns import MoveColumns
from drumbo.core.gcode.reader import Command, Program
from drumbo.core.gcode.retractions import Retractions, retraction_statistics
from drumbo.core.gcode.roles import roles
from drumbo.core.workshop import Printer

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]

BAD, ODD = "bad", "odd"


@dataclass(frozen=True, slots=True)
class Remark:
    """Something odd. `weight` is "bad" (may spoil a print or a printer) or "odd"; `line` 0 is the whole file, `layer`
    counts from 1, 0 where it is of none; `share` is how much of the time of all roads it touches; `do` is the remedy.
    """

    weight: str
    line: int
    text: str
    layer: int = 0
    share: float = 0.0
    do: str = ""


@dataclass(frozen=True)
class FileAnalysis:
    """A file looked at: its columns, and what it is held against."""

    program: Program
    found: MoveColumns
    printer: Printer | None
    numbers: Mapping[str, float]

    @cached_property
    def role(self) -> NDArray[np.uint8]:
        """(n,) what each move is for, see `roles`."""
        return roles(self.program, self.found)

    @cached_property
    def between(self) -> Retractions:
        """What happens between the roads."""
        return retraction_statistics(self.program, self.found)

    def at(self, where: Bools) -> tuple[int, int, float]:
        """Line and layer of the first of some moves, and their share of the time that roads take."""
        first = int(where.argmax())
        seconds = self.found.seconds
        whole = float(seconds[self.found.laid].sum())
        share = float(seconds[where & self.found.laid].sum()) / whole if whole else 0.0
        return int(self.program.line[first]), int(self.found.layer[first]) + 1, share

    def remark(self, weight: str, where: Bools, text: str, do: str = "") -> Remark:
        """One about these moves."""
        line, layer, share = self.at(where)
        return Remark(weight, line, text, layer, share, do)

    def of(self, weight: str, command: Command, text: str, do: str = "", share: float = 0.0) -> Remark:
        """One about a command."""
        row = min(command.row, len(self.program) - 1)
        layer = int(self.found.layer[row]) + 1 if row >= 0 and self.found.laid[: row + 1].any() else 0
        return Remark(weight, command.line, text, layer, share, do)

    def usual(self, values: Floats, rows: Bools) -> float:
        """The value that holds for the most time over some moves."""
        kinds, which = np.unique(values[rows], return_inverse=True)
        return float(kinds[np.bincount(which, self.found.seconds[rows]).argmax()])
