"""What happens between two roads: how far the filament is pulled back and pushed again, the way, the lift."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from drumbo.core.gcode.kernel import HOME
from drumbo.core.gcode.move_columns import LEAST_ROAD_MM, MoveColumns
from drumbo.core.gcode.program import Program

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]

LEAST_PULL_MM = 0.05
LONG_TRAVEL_MM = 2.0
"""A travel so long oozes if nothing is pulled back."""


@dataclass(frozen=True)
class Retractions:
    """Columns (k,) by gap: the row that begins it; how far back the filament is at most, mm; filament pulled and
    pushed, mm, also while wiping; way, mm; highest lift above both lines, mm; speed of the pull as asked for, mm/s, NaN
    where it is none or is a wipe's.
    """

    first: NDArray[np.int64]
    depth_mm: Floats
    pulled_mm: Floats
    pushed_mm: Floats
    way_mm: Floats
    lift_mm: Floats
    speed_mm_s: Floats

    @property
    def pulls(self) -> Bools:
        """(k,) in which anything is pulled back."""
        return self.pulled_mm > LEAST_PULL_MM

    @property
    def bare(self) -> Bools:
        """(k,) long ways without a pull."""
        return ~self.pulls & (self.way_mm > LONG_TRAVEL_MM)

    def usual(self, column: Floats) -> float:
        """The median of a column over the gaps with a pull that tell it; 0 without any."""
        told = column[self.pulls & np.isfinite(column)]
        return float(np.median(told)) if len(told) else 0.0

    @property
    def restart_mm(self) -> float:
        """How much more is usually pushed than was pulled, mm."""
        return self.usual(self.pushed_mm - self.pulled_mm)


def retraction_statistics(program: Program, found: MoveColumns) -> Retractions:
    """The gaps between the roads of a file, those before the first and after the last left out."""
    laid = found.laid
    rows = np.flatnonzero(~laid & (program.kind != HOME))
    if laid.any():
        ends = int(laid.argmax()), len(laid) - 1 - int(laid[::-1].argmax())
        rows = rows[(rows > ends[0]) & (rows < ends[1])]
    else:
        rows = rows[:0]
    if not len(rows):
        none = np.zeros(0)
        return Retractions(rows, none, none, none, none, none, none)
    cuts = np.flatnonzero(np.diff(rows, prepend=-2) > 1)
    fed, way = program.e_mm[rows], found.way[rows].astype(np.float64)
    pulled, pushed = np.maximum(-fed, 0.0), np.maximum(fed, 0.0)
    still = np.where(way < LEAST_ROAD_MM, pulled, 0.0)
    first, last = rows[cuts], rows[np.append(cuts[1:], len(rows)) - 1]
    # Beside each other: what a road is laid at before the gap and after it.
    floor = np.maximum(program.z[first - 1], program.z[last + 1])
    asked = np.add.reduceat(still * program.feed[rows] / 60, cuts)
    alone = np.add.reduceat(still, cuts)
    back = np.cumsum(-fed)
    return Retractions(
        first=first, depth_mm=np.maximum.reduceat(back, cuts) - (back[cuts] + fed[cuts]),
        pulled_mm=np.add.reduceat(pulled, cuts), pushed_mm=np.add.reduceat(pushed, cuts),
        way_mm=np.add.reduceat(way, cuts), lift_mm=np.maximum(np.maximum.reduceat(program.z[rows], cuts) - floor, 0.0),
        speed_mm_s=np.divide(asked, alone, out=np.full(len(cuts), np.nan), where=alone > LEAST_PULL_MM),
    )  # fmt: skip
