"""What each move is for, as far as geometry tells: outer walls, what lies within, tops, what hangs in the air, travels.

Each layer is painted into a grid of bits, half a road to a cell, and open air is spread over it from its edge. A loop
with open air along at least half of its way is an outer wall; air inside a loop counts as open where no road but loops
borders on it, as in a hole, and does not in a gap of sparse infill. A road under open air is a top; one with nothing
beneath it in two layers hangs, if something lies beside it or air that is open: a lone line of infill does not count.
"""

from __future__ import annotations

import math
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np
from numpy.typing import NDArray

from drumbo.core.compiled import is_plain, njit
from drumbo.core.gcode.bitgrid import bit, new_grids, open_air, paint
from drumbo.core.gcode.move_columns import MoveColumns
from drumbo.core.gcode.program import Program

ALL = ~np.uint64(0)
STILL, TRAVEL, INNER, OUTER, TOP, UNSUPPORTED = range(6)
ROADS = (INNER, OUTER, TOP, UNSUPPORTED)
NAMES = ("retractions, waits", "travels", "inner lines", "outer walls", "tops", "in the air")
"""By number. What has no way in the plane stands: it pulls filament, or lifts."""

MOST_CELLS = 2048
"""Along a side of the grid, less its margins: a part of 450 mm keeps half a road to a cell."""
WIDEST_MM, MOST_LAYERS = 20.0, 20_000
"""Beyond these no printer made the file, and all its roads are left inner ones."""
THIN, SEEN = 0.1, 20_000
"""The grid is made for the thinner roads: the width that this share of some of them are not above."""
MARGIN, MOST_REACH = 10, 6.0
"""Cells round all roads, and the most that is painted or looked at to the sides of one."""
REACH, BESIDE = 0.625, 1.0
"""Road widths from the middle of a road: as far as it is painted, so that neighbours leave no slit; and where what lies
beside it is looked at, which is the middle of a neighbour."""
LEAST_REACH = 0.75
"""Cells from the middle of a thin road that are painted all the same, so that a slanting one is not broken."""
LOOP_GAP_MM, LOOP_WAY_MM, LOOP_AREA = 1.0, 2.0, 0.4
"""A path that ends so close to its beginning is a loop, if it is so long and lies round so much area, as a share of its
own; coasting and seams leave gaps."""
SAMPLE_WIDTHS, MOST_SAMPLES = 2.0, 24
"""Along a move there is one about each two road widths, and not more than so many."""
THREADS = 4
"""Each looks at its own layers."""


def roles(program: Program, found: MoveColumns) -> NDArray[np.uint8]:
    """(n,) the role of every move, one of the six numbers above."""
    out = np.where(found.way > 0, np.uint8(TRAVEL), np.uint8(STILL))
    laid = found.laid
    if not laid.any():
        return out
    moves = (program.x, program.y, laid, found.width)
    left, right, low, high = _ends(moves)
    widths = found.width[laid]
    width = float(np.quantile(widths[:: max(1, len(widths) // SEEN)], THIN))
    extent = max(right - left, high - low)
    out[laid] = INNER
    if not (math.isfinite(extent) and 0 < width < WIDEST_MM and found.layers <= MOST_LAYERS):
        return out
    cell = max(width / 2, extent / MOST_CELLS)
    rows, columns = (int(wide / cell) + 1 + 2 * MARGIN for wide in (high - low, right - left))
    place = (left - MARGIN * cell, low - MARGIN * cell, 1 / cell)
    order, starts = by_layer(laid, found.layer, len(found.on_bed))
    cuts = np.searchsorted(starts, np.linspace(0, len(order), THREADS + 1))
    cuts[0], cuts[-1] = 0, len(found.on_bed)
    grid = (rows, (columns + 63) // 64)

    def classify(low: int, high: int) -> None:
        room = tuple(new_grids(count, *grid) for count in (4, 4, 3))
        _classify(moves, order, starts, found.on_bed, (low, high), place, room, out)

    if is_plain():
        classify(0, len(found.on_bed))
        return out
    with ThreadPoolExecutor(THREADS) as pool:
        list(pool.map(classify, cuts.tolist(), cuts[1:].tolist()))
    return out


@njit
def _ends(moves: Any) -> Any:
    """(least x, most x, least y, most y) of all roads, mm."""
    x, y, laid, _ = moves
    left = low = np.inf
    right = high = -np.inf
    for i in range(len(x)):
        if laid[i]:
            from_x, from_y = (x[i - 1], y[i - 1]) if i else (0.0, 0.0)
            left, right = min(left, x[i], from_x), max(right, x[i], from_x)
            low, high = min(low, y[i], from_y), max(high, y[i], from_y)
    return left, right, low, high


@njit
def _classify(
    moves: Any, order: Any, starts: Any, on_bed: Any, layers: Any, place: Any, room: Any, out: Any
) -> None:  # fmt: skip
    """Set the role of every road of some `layers` (from, below) in `out`, which is INNER for all of them before.
    `moves` are the columns x, y, laid and width; `place` the grid's corner, mm, and cells in a mm; `room` are
    four grids of what is solid, four of air, and three to work in.
    """
    # Rings of four layers: two below, the one that is looked at, and the one above.
    solid, air, rooms = room
    for k in range(max(layers[0] - 2, 0), layers[1] + 1):
        solid[k % 4][:] = 0
        air[k % 4][:] = ALL
        if k < len(on_bed):
            _paint_layer(moves, order[starts[k] : starts[k + 1]], place, solid[k % 4], air[k % 4], rooms)
        if k > layers[0]:
            near = (solid[(k - 1) % 4], air[(k - 1) % 4], air[k % 4], solid[(k - 2) % 4], solid[(k - 3) % 4])
            _judge_layer(moves, order[starts[k - 1] : starts[k]], place, near, on_bed[k - 1], out)


@njit
def by_layer(laid: Any, layer: Any, layers: int) -> Any:
    """Rows that lay a road, by layer and then in order: (rows, where each layer starts in them)."""
    starts = np.zeros(layers + 1, np.int64)
    for i in range(len(laid)):
        if laid[i]:
            starts[layer[i] + 1] += 1
    for k in range(layers):
        starts[k + 1] += starts[k]
    order = np.empty(starts[layers], np.int32)
    fill = starts[:-1].copy()
    for i in range(len(laid)):
        if laid[i]:
            order[fill[layer[i]]] = i
            fill[layer[i]] += 1
    return order, starts


@njit
def _at(moves: Any, place: Any, row: int) -> Any:
    """Where a row's move ends, in cells; row -1 is where the head begins."""
    left, low, each = place
    if row < 0:
        return -left * each, -low * each
    return (moves[0][row] - left) * each, (moves[1][row] - low) * each


@njit
def _path_end(rows: Any, first: int) -> int:
    """Where a path that begins at rows[first] ends: it goes on while rows follow each other."""
    k = first + 1
    while k < len(rows) and rows[k] == rows[k - 1] + 1:
        k += 1
    return k


@njit
def _is_loop(moves: Any, path: Any, place: Any) -> Any:
    """Whether a path closes on itself round some area; or is a turn of a spiral, which goes on in the next layer, or
    comes from the one before, without a stop.
    """
    x0, y0 = _at(moves, place, path[0] - 1)
    at_x, at_y = x0, y0
    way = area = 0.0
    for row in path:
        to_x, to_y = _at(moves, place, row)
        way += math.hypot(to_x - at_x, to_y - at_y)
        area += (at_x - x0) * (to_y - y0) - (to_x - x0) * (at_y - y0)
        at_x, at_y = to_x, to_y
    each, laid = place[2], moves[2]
    width = moves[3][path[0]] * each
    if abs(area) < LOOP_AREA * width * way:
        return False
    before, after = path[0] - 1, path[-1] + 1
    if (before >= 0 and laid[before]) or (after < len(laid) and laid[after]):
        return True
    gap = math.hypot(at_x - x0, at_y - y0)
    return gap <= max(LOOP_GAP_MM * each, 2 * width) and way > max(LOOP_WAY_MM * each, 3 * gap)


@njit
def _paint_layer(moves: Any, rows: Any, place: Any, solid: Any, air: Any, rooms: Any) -> None:
    """Paint one layer's roads, and find where it is open."""
    if not len(rows):
        return
    lines, free, gaps = rooms
    lines[:] = 0
    x_low = y_low = np.inf
    x_high = y_high = -np.inf
    k, room = 0, 1
    while k < len(rows):
        end = _path_end(rows, k)
        loop = _is_loop(moves, rows[k:end], place)
        at_x, at_y = _at(moves, place, rows[k] - 1)
        begin_x, begin_y = at_x, at_y
        reach = LEAST_REACH
        for i in rows[k:end]:
            to_x, to_y = _at(moves, place, i)
            reach = min(max(REACH * moves[3][i] * place[2], LEAST_REACH), MOST_REACH)
            paint(solid, at_x, at_y, to_x, to_y, reach)
            if not loop:
                paint(lines, at_x, at_y, to_x, to_y, reach)
            x_low, x_high = min(x_low, at_x, to_x), max(x_high, at_x, to_x)
            y_low, y_high = min(y_low, at_y, to_y), max(y_high, at_y, to_y)
            room = max(room, int(1.42 * reach) + 2)
            at_x, at_y = to_x, to_y
        if loop:
            # A seam that is left open leaks no air.
            paint(solid, at_x, at_y, begin_x, begin_y, reach)
        k = end
    r0, r1 = int(y_low) - room, int(y_high) + room + 1
    c0, c1 = (int(x_low) - room) >> 6, ((int(x_high) + room) >> 6) + 1
    open_air(solid[r0:r1, c0:c1], lines[r0:r1, c0:c1], air[r0:r1, c0:c1], free[r0:r1, c0:c1], gaps[r0:r1, c0:c1])


@njit
def _judge_layer(moves: Any, rows: Any, place: Any, near: Any, rests: bool, out: Any) -> None:
    """Set the roles of one layer's roads. `near` are its roads and its air, the air above, the roads of the two layers
    below.
    """
    k = 0
    while k < len(rows):
        end = _path_end(rows, k)
        way = beside = 0.0
        at_x, at_y = _at(moves, place, rows[k] - 1)
        for i in rows[k:end]:
            to_x, to_y = _at(moves, place, i)
            out[i], share = _judge_road(at_x, at_y, to_x, to_y, moves[3][i] * place[2], near, rests)
            long = math.hypot(to_x - at_x, to_y - at_y)
            way += long
            beside += long * share
            at_x, at_y = to_x, to_y
        if beside >= 0.5 * way and _is_loop(moves, rows[k:end], place):
            for i in rows[k:end]:
                if out[i] != UNSUPPORTED:
                    out[i] = OUTER
        k = end


@njit
def _judge_road(x0: float, y0: float, x1: float, y1: float, width: float, near: Any, rests: bool) -> Any:
    """(the role of a road, if it is of no loop; how much of its way lies beside open air); lengths in cells."""
    solid, air, air_above, below, below_that = near
    long = math.hypot(x1 - x0, y1 - y0)
    side = min(max(BESIDE * width, max(REACH * width, LEAST_REACH) + 0.72), MOST_REACH + 1)
    across_x, across_y = (-(y1 - y0) / long * side, (x1 - x0) / long * side) if long > 0 else (0.0, 0.0)
    count = min(max(int(long / (SAMPLE_WIDTHS * max(width, 0.5))), 1), MOST_SAMPLES)
    beside = hangs = bare = both = 0
    for sample in range(count):
        share = (sample + 0.5) / count
        x, y = x0 + (x1 - x0) * share, y0 + (y1 - y0) * share
        one = bit(air, x + across_x, y + across_y)
        other = bit(air, x - across_x, y - across_y)
        beside += one or other
        both += one and other
        bare += bit(air_above, x, y)
        if not (rests or bit(below, x, y) or bit(below_that, x, y)):
            hangs += one or other or bit(solid, x + across_x, y + across_y) or bit(solid, x - across_x, y - across_y)
    if 2 * hangs >= count:
        role = UNSUPPORTED
    elif 2 * both > count:
        role = OUTER
    elif 2 * bare >= count:
        role = TOP
    else:
        role = INNER
    return role, beside / count
