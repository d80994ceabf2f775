"""Where a print is in its file: what each line comes to in time, height and step, while the printer works through it.

A printer tells how many lines it has taken, and lines say little: a wall of a hundred short ones is over in a second, a
single long one takes a minute. So the way of the file is planned once, as its moves are, and every line has its time.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from drumbo.core.gcode.analysis import FileAnalysis

NO_STEP = -1
SHORTEST_MM = 0.1
"""Moves of one line that together are shorter are drawn as one."""
CLOSE_MM = 0.05
"""What lies so close to a step's border is still of it."""
Box = tuple[tuple[float, float, float], tuple[float, float, float]]


@dataclass(frozen=True, slots=True)
class Spot:
    """One moment of a print. Times in s of the plan; height in mm; `step` is what is made now, and `next_step` what
    begins in so many seconds, each the index of a box or None; fan 0 to 1; flow in mm³/s.
    """

    row: int
    done_s: float
    total_s: float
    layer: int
    height_mm: float
    step: int | None
    next_step: int | None
    next_in_s: float
    fan: float
    flow_mm3_s: float
    begun: bool


@dataclass(frozen=True)
class Course:
    """A file by move (n,): its line, when it begins and ends, s, layer from 0, the step that it is of (NO_STEP for
    none), whether it lays a line, its end in the plane, mm, fan and flow; `tops` (layers,) mm; `starts` (steps,) the
    row with which each step begins, −1 for one that has no line.
    """

    line: NDArray[np.int32]
    ends_s: NDArray[np.float64]
    layer: NDArray[np.int32]
    step: NDArray[np.int16]
    laid: NDArray[np.bool_]
    x: NDArray[np.float32]
    y: NDArray[np.float32]
    fan: NDArray[np.float32]
    flow: NDArray[np.float32]
    tops: NDArray[np.float64]
    starts: NDArray[np.int64]

    @property
    def layers(self) -> int:
        """How many there are."""
        return len(self.tops)

    @property
    def total_s(self) -> float:
        """How long all moves take."""
        return float(self.ends_s[-1]) if len(self.ends_s) else 0.0

    @property
    def box(self) -> tuple[float, float, float, float]:
        """Left, front, right and back of what lies above the first layer, mm on the bed: skirt and purge line do not.
        Of the first where that is all.
        """
        mine = self.laid & (self.layer > 0) if self.layers > 1 else self.laid
        if not mine.any():
            return (0.0, 0.0, 1.0, 1.0)
        corners = mine | np.append(mine[1:], False)
        x, y = self.x[corners], self.y[corners]
        return float(x.min()), float(y.min()), float(x.max()), float(y.max())

    def begins(self, layer: int) -> int:
        """The line of the file after which a layer, from 0, begins: the last that is laid before it."""
        first = int(np.argmax(self.laid & (self.layer == layer)))
        before = np.flatnonzero(self.laid[:first])
        return int(self.line[before[-1]]) + 1 if len(before) else int(self.line[first])

    def row_of(self, line: int) -> int:
        """The last move that stands on this line or before it; −1 before the first."""
        return int(np.searchsorted(self.line, line, "right")) - 1

    def planned_s(self, line: int) -> float:
        """What of the plan is done once this line of the file is."""
        row = self.row_of(line)
        return float(self.ends_s[row]) if row >= 0 else 0.0

    def at(self, line: int) -> Spot:
        """Where the print is once this line of the file is done."""
        row = self.row_of(line)
        if row < 0 or not len(self.tops):
            return Spot(row, 0.0, self.total_s, 0, 0.0, None, self._next(-1), self._in(-1), 0.0, 0.0, begun=False)
        begun = bool(self.laid[: row + 1].any())
        step = int(self.step[row])
        layer = int(self.layer[row])
        return Spot(
            row, float(self.ends_s[row]), self.total_s, layer, float(self.tops[layer]) if begun else 0.0,
            None if step == NO_STEP else step, self._next(row), self._in(row), float(self.fan[row]),
            float(self.flow[row]), begun,
        )  # fmt: skip

    def step_after(self, line: int) -> int | None:
        """The step that is laid on first once this line of the file is done; None where none is."""
        after = slice(self.row_of(line) + 1, None)
        of_step = np.flatnonzero(self.laid[after] & (self.step[after] != NO_STEP))
        return int(self.step[after][of_step[0]]) if len(of_step) else None

    def _next(self, row: int) -> int | None:
        after = np.flatnonzero(self.starts > row)
        return int(after[self.starts[after].argmin()]) if len(after) else None

    def _in(self, row: int) -> float:
        step = self._next(row)
        if step is None:
            return 0.0
        begins = int(self.starts[step])
        before = float(self.ends_s[begins - 1]) if begins > 0 else 0.0
        return max(before - (float(self.ends_s[row]) if row >= 0 else 0.0), 0.0)

    def layer_lines(self, layer: int) -> dict[str, list[int]]:
        """A layer to draw, from 0: the corners of its way, in hundredths of a mm, each with its line of the file and
        whether a line was laid up to there. Moves too short to be seen are one.
        """
        mine = self.laid & (self.layer == layer)
        # Each line begins where the move before it ended.
        rows = np.flatnonzero(mine | np.append(mine[1:], False))
        if not len(rows):
            return {"line": [], "x": [], "y": [], "laid": []}
        x, y, laid = self.x[rows], self.y[rows], mine[rows]
        keep = _seen(x, y, laid)
        return {
            "line": self.line[rows[keep]].tolist(), "x": np.rint(x[keep] * 100).astype(int).tolist(),
            "y": np.rint(y[keep] * 100).astype(int).tolist(), "laid": laid[keep].astype(int).tolist(),
        }  # fmt: skip


def _seen(x: NDArray[Any], y: NDArray[Any], laid: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Which corners are far enough from the one kept before them; ends of what is laid always are."""
    keep = np.ones(len(x), bool)
    at_x, at_y = float(x[0]), float(y[0])
    for k in range(1, len(x) - 1):
        short = abs(x[k] - at_x) + abs(y[k] - at_y) < SHORTEST_MM
        if short and laid[k] and laid[k + 1]:
            keep[k] = False
        else:
            at_x, at_y = float(x[k]), float(y[k])
    return keep


def course(case: FileAnalysis, boxes: Sequence[Box]) -> Course:
    """The course of a file whose steps lie in boxes (low and high corner, mm on the bed)."""
    program, found = case.program, case.found
    step = _steps(case, boxes)
    starts = np.full(len(boxes), -1, np.int64)
    for k in range(len(boxes)):
        mine = np.flatnonzero(step == k)
        if len(mine):
            starts[k] = mine[0]
    return Course(
        line=program.line, ends_s=found.ends_s, layer=found.layer, step=_carried(step, found.laid), laid=found.laid,
        x=program.x.astype(np.float32), y=program.y.astype(np.float32), fan=np.asarray(program.fan, np.float32),
        flow=found.flow, tops=found.tops, starts=starts,
    )  # fmt: skip


def _steps(case: FileAnalysis, boxes: Sequence[Box]) -> NDArray[np.int16]:
    """(n,) in which box the middle of each laid line is; NO_STEP for all else."""
    program, found = case.program, case.found
    middle_x = (program.x + np.concatenate(([0.0], program.x[:-1]))) / 2
    middle_y = (program.y + np.concatenate(([0.0], program.y[:-1]))) / 2
    middle_z = program.z - found.height / 2
    step = np.full(len(program), NO_STEP, np.int16)
    for k, (low, high) in enumerate(boxes):
        inside = found.laid.copy()
        for values, a, b in zip((middle_x, middle_y, middle_z), low, high, strict=True):
            inside &= (values > a - CLOSE_MM) & (values < b + CLOSE_MM)
        step[inside & (step == NO_STEP)] = k
    return step


def _carried(step: NDArray[np.int16], laid: NDArray[np.bool_]) -> NDArray[np.int16]:
    """Between lines a move is of the step whose line was laid last."""
    last = np.maximum.accumulate(np.where(laid, np.arange(len(step)), -1))
    return np.where(last >= 0, step[np.maximum(last, 0)], np.int16(NO_STEP)).astype(np.int16)
