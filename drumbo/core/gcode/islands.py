"""What begins in the air: lines with nothing beneath them that hang on nothing beside them either, unlike a bridge."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from drumbo.core.compiled import njit
from drumbo.core.gcode.bitgrid import bit, new_grids, paint, spread
from drumbo.core.gcode.move_columns import MoveColumns
from drumbo.core.gcode.program import Program
from drumbo.core.gcode.roles import UNSUPPORTED, by_layer

DEEP_MM = 0.75
"""What lies so far below still carries: a support leaves a gap."""
CELLS_A_LINE, MOST_CELLS, MARGIN, EDGE = 2.0, 1536, 16, 8.0
REACH, LEAST_REACH, MOST_REACH = 0.75, 0.8, 5.0
"""Widths from the middle of a line that are painted, and cells at least and most: neighbours touch."""
LEAST_MM = 1.5
"""Shorter ones are not looked at."""
MOST_LAYERS = 400
"""Layers that are looked at; a file with more of them has enough to say."""


def islands(program: Program, found: MoveColumns, role: NDArray[np.uint8]) -> NDArray[np.int64]:
    """Rows of the lines that begin in the air, in file order."""
    laid = found.laid
    hanging = (role == UNSUPPORTED) & laid
    none = np.zeros(0, np.int64)
    if not hanging.any():
        return none
    way = np.bincount(found.layer[hanging], found.way[hanging], found.layers)
    layers = np.flatnonzero((way > LEAST_MM) & ~found.on_bed)
    layers = layers[_whole_paths(hanging, laid, found.layer, layers)][:MOST_LAYERS]
    if not len(layers):
        return none
    order, starts = by_layer(laid, found.layer, found.layers)
    width = max(float(np.median(found.width[laid])), 0.05)
    told = [_of_layer(program, found, role, (order, starts), int(k), width) for k in layers]
    return np.sort(np.concatenate(told))


def _whole_paths(
    hanging: NDArray[np.bool_], laid: NDArray[np.bool_], layer: NDArray[np.int32], layers: NDArray[np.int64]
) -> NDArray[np.bool_]:
    """(layers,) in which of some layers a path is in the air as a whole; elsewhere nothing can be an island."""
    starts = np.flatnonzero(laid & ~np.append(False, laid[:-1]))
    # What is not laid hangs too, so that a path is judged up to where the next begins.
    whole = np.logical_and.reduceat(hanging | ~laid, starts)
    found = np.zeros(int(layer.max(initial=0)) + 1, bool)
    found[layer[starts[whole]]] = True
    return np.asarray(found[layers])


def _of_layer(
    program: Program, found: MoveColumns, role: NDArray[np.uint8], in_order: Any, which: int, width: float
) -> NDArray[np.int64]:
    order, starts = in_order
    rows = order[starts[which] : starts[which + 1]]
    top = found.tops[which] - found.thick[which]
    lowest = int(np.searchsorted(found.tops, top - DEEP_MM - 1e-6))
    below = order[starts[lowest] : starts[which]]
    x, y = program.x, program.y
    ends_x, ends_y = (np.concatenate([c[rows], c[np.maximum(rows - 1, 0)]]) for c in (x, y))
    left, low = float(ends_x.min()), float(ends_y.min())
    extent = max(float(ends_x.max()) - left, float(ends_y.max()) - low)
    cell = max(width / CELLS_A_LINE, extent / MOST_CELLS)
    shape = tuple(int((float(c.max()) - f) / cell) + 1 + 2 * MARGIN for c, f in ((ends_y, low), (ends_x, left)))
    words = (shape[1] + 63) // 64 + 1
    solid, held = new_grids(2, shape[0], words)
    place = (left - MARGIN * cell, low - MARGIN * cell, cell)
    _paint(x, y, found.width, rows, place, solid)
    _paint(x, y, found.width, below, place, held)
    held &= solid
    spread(held, solid)
    return np.asarray(rows[_loose(x, y, rows, role, place, held)])


@njit
def _clipped(begin: float, step: float, low: float, high: float, t0: float, t1: float) -> Any:
    """The part of a line, as shares of it between t0 and t1, whose one coordinate lies between two."""
    if step == 0.0:
        return (t0, t1) if low <= begin <= high else (1.0, 0.0)
    one, other = (low - begin) / step, (high - begin) / step
    return max(t0, min(one, other)), min(t1, max(one, other))


@njit
def _paint(x: Any, y: Any, width: Any, rows: Any, place: Any, grid: Any) -> None:
    """Paint lines, as far as they lie in the grid."""
    left, low, cell = place
    high, wide = grid.shape[0] - EDGE, 64 * grid.shape[1] - EDGE
    for i in rows:
        before = max(i - 1, 0)
        x0, y0 = (x[before] - left) / cell, (y[before] - low) / cell
        dx, dy = (x[i] - left) / cell - x0, (y[i] - low) / cell - y0
        t0, t1 = _clipped(x0, dx, EDGE, wide, 0.0, 1.0)
        t0, t1 = _clipped(y0, dy, EDGE, high, t0, t1)
        if t0 <= t1:
            reach = min(max(REACH * width[i] / cell, LEAST_REACH), MOST_REACH)
            paint(grid, x0 + dx * t0, y0 + dy * t0, x0 + dx * t1, y0 + dy * t1, reach)


@njit
def _loose(x: Any, y: Any, rows: Any, role: Any, place: Any, held: Any) -> Any:
    """Which of some rows are in the air and hang on nothing."""
    left, low, cell = place
    out = np.zeros(len(rows), np.bool_)
    for k in range(len(rows)):
        i = rows[k]
        if role[i] != UNSUPPORTED:
            continue
        before = max(i - 1, 0)
        hangs = False
        for share in (0.05, 0.5, 0.95):
            at_x, at_y = x[before] + (x[i] - x[before]) * share, y[before] + (y[i] - y[before]) * share
            hangs |= bit(held, (at_x - left) / cell, (at_y - low) / cell)
        out[k] = not hangs
    return out
