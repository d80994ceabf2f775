"""A file with its columns, and what it is held against: what findings, sums and pictures look at."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from drumbo.core.gcode.command import Command
from drumbo.core.gcode.islands import islands
from drumbo.core.gcode.kernel import HOME
from drumbo.core.gcode.move_columns import LEAST_ROAD_MM, MoveColumns, layer_sums, way_by_width
from drumbo.core.gcode.program import Program, is_known
from drumbo.core.gcode.retractions import Retractions, retraction_statistics
from drumbo.core.gcode.roles import NAMES, roles
from drumbo.core.heights import HeadClearance, runs_into
from drumbo.core.remark import Remark

if TYPE_CHECKING:
    from drumbo.core.families import Family
    from drumbo.core.material import Material
    from drumbo.core.printer import Printer

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]
RAFT_LAYERS, RAFT_MM = 10, 1.0
"""A raft has no more layers, and reaches at least so far beyond what stands on it."""
TWICE_AS_HIGH = 1.7
"""A step so many times as high as those around is one from which a layer is missing, or the gap above a raft."""


@dataclass(frozen=True)
class FileAnalysis:
    """A file looked at: its columns, and what it is held against."""

    program: Program
    found: MoveColumns
    printer: Printer | None
    numbers: Mapping[str, float]
    material: Material | None = None

    @cached_property
    def role(self) -> NDArray[np.uint8]:
        """(n,) what each move is for, see `roles`."""
        return roles(self.program, self.found)

    @cached_property
    def between(self) -> Retractions:
        """What happens between the lines."""
        return retraction_statistics(self.program, self.found)

    @cached_property
    def runs_into(self) -> NDArray[np.uint8]:
        """(n,) what each move runs into of what stands on the bed by then, see `heights`."""
        printer, found, program = self.printer, self.found, self.program
        room = None
        if printer and printer.clearance_radius_mm and printer.clearance_height_mm:
            room = HeadClearance(printer.clearance_radius_mm, printer.clearance_height_mm)
        thick = float(np.median(found.thick)) if found.layers else 0.0
        return runs_into(program.x, program.y, program.z, found.laid, program.kind != HOME, thick, room)

    @cached_property
    def islands(self) -> NDArray[np.int64]:
        """Rows of lines that begin in the air and hang on nothing."""
        return islands(self.program, self.found, self.role)

    @cached_property
    def _sized(self) -> tuple[Any, ...]:
        found = self.found
        return found.laid, found.layer, found.way, found.width, found.height

    @cached_property
    def by_width(self) -> Floats:
        """(roles, widths) mm of way by role and by what a line's area is over its height, one of `WIDTHS`."""
        return np.asarray(way_by_width(self.role, len(NAMES), self._sized))

    @cached_property
    def fed(self) -> tuple[float, float, float]:
        """mm of filament from the first line to the last: pushed, in all, and pulled back on a way."""
        part = slice(self.first, self.last + 1)
        fed = self.program.e_mm[part]
        back = (fed < 0) & (self.found.way[part] > LEAST_ROAD_MM) & (self.program.kind[part] != HOME)
        return float(fed[fed > 0].sum()), float(fed.sum()), -float(fed[back].sum())

    @cached_property
    def by_layer(self) -> tuple[Floats, Floats]:
        """(roles, layers) mean of what a line's area is over its height, mm, and (roles, layers) mm of way."""
        flat, way = layer_sums(self.role, len(NAMES), self._sized, self.found.layers)
        return flat / np.maximum(way, 1e-9), way

    @cached_property
    def first(self) -> int:
        """The row that lays the first line; there must be one."""
        return int(self.found.laid.argmax())

    @cached_property
    def last(self) -> int:
        """The row that lays the last one."""
        return len(self.program) - 1 - int(self.found.laid[::-1].argmax())

    @cached_property
    def opening(self) -> tuple[Command, ...]:
        """Words before the first line that nobody here knows: macros of the printer's, which may do anything."""
        return tuple(c for c in self.program.commands if c.row <= self.first and not is_known(c.word))

    @cached_property
    def ending(self) -> tuple[Command, ...]:
        """The same after the last line."""
        return tuple(c for c in self.program.commands if c.row > self.last and not is_known(c.word))

    @cached_property
    def polymer(self) -> Family | None:
        """What it is printed in, from the material or from how hot the file is; None where that does not tell."""
        from drumbo.core.families import family  # noqa: PLC0415 - a small file is looked at before it were loaded

        if self.material is not None:
            return family(self.material.family)
        above = self.found.laid & (self.found.layer > 0)
        if self.numbers or not above.any():
            return None
        nozzle, bed = self.usual(self.program.nozzle_c, above), self.usual(self.program.bed_c, above)
        return next((family(key) for key, hot, warm in _TOLD_BY if _in(nozzle, hot) and _in(bed, warm)), None)

    def tall_step(self, layer: int) -> float:
        """How many times as high a layer's step is as those around it; 1 where there are none."""
        steps = np.diff(self.found.tops)
        near = np.delete(steps[max(layer - 3, 0) : layer + 2], min(layer - 1, 2))
        return float(steps[layer - 1] / np.median(near)) if layer and len(near) else 1.0

    def on_raft(self, layer: int) -> bool:
        """Whether a layer is the first on a raft, which leaves a gap so that it comes off: it lies well within what is
        below it.
        """
        if not 0 < layer <= RAFT_LAYERS:
            return False
        ends = []
        for each in (layer, layer - 1):
            rows = self.found.laid & (self.found.layer == each)
            ends.append([f(c[rows]) for c in (self.program.x, self.program.y) for f in (np.min, np.max)])
        mine, below = ends
        return bool(
            mine[0] - below[0] > RAFT_MM and below[1] - mine[1] > RAFT_MM
            and mine[2] - below[2] > RAFT_MM and below[3] - mine[3] > RAFT_MM
        )  # fmt: skip

    def at(self, where: Bools) -> tuple[int, int, float]:
        """Line and layer of the first of some moves, and their share of the time that lines take."""
        first = int(where.argmax())
        seconds = self.found.seconds
        share = float(seconds @ (where & self.found.laid)) / self.laid_s if self.laid_s else 0.0
        return int(self.program.line[first]), int(self.found.layer[first]) + 1, share

    @cached_property
    def laid_s(self) -> float:
        """How long all lines take, s."""
        return float(self.found.seconds @ self.found.laid)

    def from_row(self, row: int) -> float:
        """Share of the time of all lines that is laid from a row on."""
        rest = float(self.found.seconds[row:] @ self.found.laid[row:])
        return rest / self.laid_s if self.laid_s else 0.0

    def remark(self, weight: str, where: Bools, text: str, do: str = "") -> Remark:
        """One about these moves."""
        line, layer, share = self.at(where)
        return Remark(weight, line, text, layer, share, do)

    def at_row(self, weight: str, row: int, text: str, do: str = "", share: float = 0.0) -> Remark:
        """One about a single move."""
        return Remark(weight, int(self.program.line[row]), text, int(self.found.layer[row]) + 1, share, do)

    def of(self, weight: str, command: Command, text: str, do: str = "", share: float = 0.0) -> Remark:
        """One about a command."""
        row = min(command.row, len(self.program) - 1)
        layer = int(self.found.layer[row]) + 1 if row >= 0 and self.found.laid[: row + 1].any() else 0
        return Remark(weight, command.line, text, layer, share, do)

    def usual(self, values: Floats, rows: Bools) -> float:
        """The value that holds for the most time over some moves."""
        starts = np.flatnonzero(np.diff(values, prepend=np.nan))
        seconds = np.add.reduceat(np.where(rows, self.found.seconds, 0.0), starts)
        kinds, which = np.unique(values[starts], return_inverse=True)
        return float(kinds[np.bincount(which, seconds).argmax()])


_TOLD_BY = (("pla", (185, 225), (45, 66)), ("petg", (226, 255), (66, 90)), ("abs", (232, 270), (93, 120)))
"""Nozzle and bed that tell a polymer, °C; what lies between may be several."""


def _in(value: float, ends: tuple[float, float]) -> bool:
    return ends[0] <= value <= ends[1]
