"""Which layer every move lies on and how high its road is, from the moves alone: flat layers and rising spirals."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

SHORTEST_SPIRAL = 20
"""Moves that rise one after the other; fewer are a ramp, not a wall."""
STEEPEST = 0.2
"""Rise a mm of way; a nozzle that climbs faster than this lays no wall."""


UP_TIMES, LOW_TIMES = 2.0, 1.5
"""A part is done and another begins where a road is so many times as high as the lowest, and the next one is not."""
PLATE_MM, CELL_MM = 0.6, 0.5
"""No first layer is higher; how finely it is told what lies beneath a road there."""


def parts(z: Floats, laid: NDArray[np.bool_]) -> Ints:
    """(n,) of which part each move is, where one is printed after another, each from the plate up: from 0 on."""
    rows = np.flatnonzero(laid)
    begins = np.zeros(len(z), np.int64)
    if len(rows):
        low = float(z[rows].min())
        begins[rows[1:][(z[rows[:-1]] > UP_TIMES * low) & (z[rows[1:]] < LOW_TIMES * low) & (low < PLATE_MM)]] = 1
    return np.cumsum(begins)


def levels(x: Floats, y: Floats, z: Floats, laid: NDArray[np.bool_]) -> tuple[Floats, Ints]:
    """(height of the road, layer) of every move (n,), mm and counted from 0; each part that is printed after another
    has layers of its own.
    """
    part = parts(z, laid)
    if not part.any():
        return _levels(x, y, z, laid)
    heights, layers = np.empty(len(z)), np.empty(len(z), np.int64)
    for k in range(int(part.max()) + 1):
        mine = part == k
        heights[mine], layers[mine] = _levels(x[mine], y[mine], z[mine], laid[mine])
    return heights, layers


def _levels(x: Floats, y: Floats, z: Floats, laid: NDArray[np.bool_]) -> tuple[Floats, Ints]:
    """The same of one part.

    Flat layers are told by their z, turns of a spiral by the head having turned once round. A flat layer is as high as
    the step from the one beneath; a spiral rises by its height in each turn, but its first turn lies on what was flat,
    and so thickens from nothing. Roads that lie on the plate are all of the first layer, however high the head was over
    them. Travels belong to the layer that they reach, and have no road.
    """
    top = np.round(z, 3)
    over = np.full(len(z), np.nan)
    for first, last in _spirals(x, y, z, laid):
        turn = _turns(x[first - 1 : last], y[first - 1 : last])
        bottom = z[first - 1]
        floor = np.max(top[:first][laid[:first]], initial=0.0)
        middle = (z[first:last] + z[first - 1 : last - 1]) / 2
        ends = np.concatenate([np.flatnonzero(np.diff(turn)), [len(turn) - 1]])
        reached = z[first:last][ends]
        rise = np.diff(reached, prepend=bottom)
        if len(rise) > 1:
            rise[-1] = rise[-2]
        top[first:last] = np.round(np.minimum(reached, bottom + np.cumsum(rise)), 3)[turn]
        over[first:last] = np.where(turn == 0, np.minimum(middle - floor, rise[0]), rise[turn])
    plate = _on_plate(x, y, z, laid)
    if plate.any():
        over[plate], top[plate] = z[plate], np.round(z[laid].min(), 3)
    found = np.unique(top[laid])
    layer = np.clip(np.searchsorted(found, top - 1e-6), 0, max(len(found) - 1, 0))
    flat = np.diff(found, prepend=0.0)
    heights = flat[layer] if len(found) else np.zeros(len(z))
    return np.where(np.isnan(over), heights, np.maximum(over, 0.01)), layer


def _spirals(x: Floats, y: Floats, z: Floats, laid: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """(first, last) moves of every stretch that rises steadily while it is laid."""
    rise = np.diff(z, prepend=z[:1])
    way = np.hypot(np.diff(x, prepend=x[:1]), np.diff(y, prepend=y[:1]))
    level_or_up = laid & (rise > -1e-6) & (rise < STEEPEST * way)
    edges = np.flatnonzero(np.diff(np.concatenate([[0], level_or_up.astype(np.int8), [0]])))
    found = []
    for a, b in zip(edges[0::2], edges[1::2], strict=True):
        # What goes on from a flat ring, or ends in one, is level there.
        rising = np.flatnonzero(rise[a:b] > 1e-6)
        if len(rising):
            first, last = int(a + rising[0]), int(a + rising[-1] + 1)
            # Rounded to micrometres, a short move may not seem to rise; most do.
            if last - first >= SHORTEST_SPIRAL and len(rising) > 0.5 * (last - first):
                found.append((first, last))
    return found


def _on_plate(x: Floats, y: Floats, z: Floats, laid: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """(n,) which low roads lie on the plate itself, where the head went down again after it had laid some.

    A road lies on the plate where none is lower within a cell or two of most of it.
    """
    plate = np.zeros(len(z), np.bool_)
    rows = np.flatnonzero(laid & (z <= PLATE_MM))
    if not (np.diff(z[rows]) < -1e-6).any():
        return plate
    counts = np.maximum(1, np.ceil(np.hypot(x[rows] - x[rows - 1], y[rows] - y[rows - 1]) / CELL_MM)).astype(np.int64)
    owner = np.repeat(np.arange(len(rows)), counts)
    share = (np.arange(len(owner)) - np.repeat(np.cumsum(counts) - counts, counts) + 0.5) / counts[owner]
    at = [c[rows - 1][owner] + share * (c[rows] - c[rows - 1])[owner] for c in (x, y)]
    column, line = (np.floor(c / CELL_MM).astype(np.int64) for c in at)
    column, line = column - column.min() + 1, line - line.min() + 1
    lowest = np.full((column.max() + 2, line.max() + 2), np.inf)
    np.minimum.at(lowest, (column, line), z[rows][owner])
    beneath = np.full(len(owner), np.inf)
    for dx in (-1, 0, 1):
        for dy in (-1, 0, 1):
            np.minimum(beneath, lowest[column + dx, line + dy], out=beneath)
    free = np.bincount(owner, beneath > z[rows][owner] - 1e-3, len(rows)) / counts
    plate[rows[free > 0.5]] = True
    return plate


def _turns(x: Floats, y: Floats) -> Ints:
    """(k,) how many times the head has turned round before each of the k moves between k + 1 points."""
    heading = np.unwrap(np.arctan2(np.diff(y), np.diff(x)))
    round_ = np.abs(heading - heading[0]) / (2 * np.pi)
    return np.asarray(np.maximum.accumulate(np.floor(round_ + 1e-6).astype(np.int64)))
