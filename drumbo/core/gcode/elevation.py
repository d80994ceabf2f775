"""A print seen from the front or from the side: every layer at its height, thinned to a picture's cells."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from drumbo.core.compiled import njit
from drumbo.core.gcode.analysis import FileAnalysis
from drumbo.core.gcode.roles import UNSUPPORTED

FRONT, SIDE = "front", "side"
MOST_COLUMNS, MOST_ROWS = 360, 420
STEPS = 254
"""Shades between the ends of a scale; 0 is a cell with nothing in it."""
NEARLY_ALL = 0.01
HANGS, LOOSE = 1, 2
"""Bits of a cell: some of it hangs in the air; some of it begins there and hangs on nothing."""
SOME = 0.25
NAMED = frozenset({"role", "tool"})
"""Columns whose numbers are names: the one with most of the way has the cell."""
MOST_NAMES = 16


@dataclass(frozen=True)
class Elevation:
    """Cells (rows, columns), the lowest row first: `shades` from 1 (`low`) to 255 (`high`), or a name's number and one
    more; 0 where nothing is. `marks` are bits. Rows reach from `bottoms` to `tops`, mm, and hold layers from `first`
    on; columns span `left` to `right`, mm.
    """

    shades: NDArray[np.uint8]
    marks: NDArray[np.uint8]
    bottoms: NDArray[np.float64]
    tops: NDArray[np.float64]
    first: NDArray[np.int64]
    left: float
    right: float
    low: float
    high: float


def elevation(case: FileAnalysis, values: NDArray[Any], side: str, *, named: bool = False) -> Elevation:
    """A file from one side, coloured by a column (n,) of it. Layers that are more than rows share one."""
    found = case.found
    along = case.program.x if side == FRONT else case.program.y
    layers = found.layers
    each = max(1, -(-layers // MOST_ROWS))
    rows = max(1, -(-layers // each))
    left, right = _ends(along, found.laid)
    columns = int(min(max(right - left, 1.0) / 0.2 + 1, MOST_COLUMNS))
    kinds = MOST_NAMES if named else 1
    weight, sums = np.zeros((rows, columns, kinds)), np.zeros((rows, columns))
    hang, loose = np.zeros((rows, columns)), np.zeros((rows, columns))
    odd = np.zeros(len(values), np.uint8)
    odd[case.role == UNSUPPORTED] = HANGS
    odd[case.islands] = LOOSE
    place = (left, columns / max(right - left, 1e-6), each)
    _fill(along, (found.laid, found.layer, found.way), np.asarray(values, np.float32), odd, place,
          (weight, sums, hang, loose))  # fmt: skip
    whole = weight.sum(axis=2)
    there = whole > 0
    shades = np.zeros((rows, columns), np.uint8)
    low, high = 0.0, 0.0
    if named:
        shades[there] = weight.argmax(axis=2)[there] + 1
    elif there.any():
        means = sums[there] / whole[there]
        low, high = (float(v) for v in np.quantile(means, (NEARLY_ALL, 1 - NEARLY_ALL)))
        span = max(high - low, 1e-9)
        shades[there] = 1 + np.rint(np.clip((means - low) / span, 0, 1) * STEPS).astype(np.uint8)
    marks = np.where(hang > SOME * np.maximum(whole, 1e-9), HANGS, 0) | np.where(loose > 0, LOOSE, 0)
    marks[~there] = 0
    starts = np.arange(0, layers, each)
    lasts = np.minimum(starts + each, layers) - 1
    bottoms = found.tops[starts] - found.thick[starts] if layers else np.zeros(0)
    return Elevation(
        shades, marks.astype(np.uint8), bottoms, found.tops[lasts] if layers else np.zeros(0), starts, left, right, low,
        high,
    )  # fmt: skip


def _ends(along: NDArray[np.float64], laid: NDArray[np.bool_]) -> tuple[float, float]:
    if not laid.any():
        return 0.0, 1.0
    return float(np.min(along, where=laid, initial=np.inf)), float(np.max(along, where=laid, initial=-np.inf))


@njit
def _fill(along: Any, found: Any, values: Any, odd: Any, place: Any, cells: Any) -> None:
    """Share each line's way among the cells that it passes."""
    laid, layer, way = found
    left, scale, each = place
    weight, sums, hang, loose = cells
    columns, kinds = sums.shape[1], weight.shape[2]
    for i in range(1, len(laid)):
        if not laid[i]:
            continue
        row = layer[i] // each
        one, other = (along[i - 1] - left) * scale, (along[i] - left) * scale
        first, last = int(max(min(one, other), 0.0)), int(min(max(one, other), columns - 1.0))
        first = min(first, last)
        share = way[i] / (last - first + 1)
        kind = min(int(values[i]), kinds - 1) if kinds > 1 else 0
        for column in range(first, last + 1):
            weight[row, column, kind] += share
            sums[row, column] += share * values[i]
            if odd[i] == HANGS:
                hang[row, column] += share
            elif odd[i] == LOOSE:
                hang[row, column] += share
                loose[row, column] += share
