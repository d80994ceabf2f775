"""One layer as a grid of bits: roads painted into it, and open air spread over it, 64 cells at a time.

Grids are (rows, words) uint64; places are in cells, a cell's middle at its number and a half.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from drumbo.core.compiled import is_plain, njit
from drumbo.core.gcode import bitrows


@njit
def bit(grid: Any, x: float, y: float) -> Any:
    """Whether the cell at a place is set; it must lie in the grid."""
    column = int(x)
    return (grid[int(y), column >> 6] >> np.uint64(column & 63)) & np.uint64(1) != 0


@njit
def paint(grid: Any, x0: float, y0: float, x1: float, y1: float, reach: float) -> None:
    """Set the cells whose middles lie within `reach` of a line, all of which must lie in the grid."""
    dx, dy = x1 - x0, y1 - y0
    one = np.uint64(1)
    if abs(dx) >= abs(dy):
        if dx < 0:
            x0, y0, x1, y1 = x1, y1, x0, y0
        slope = dy / dx if dx != 0 else 0.0
        half = reach * math.sqrt(1 + slope * slope)
        y = y0 + slope * (int(x0) + 0.5 - x0)
        for column in range(int(x0), int(x1) + 1):
            word, mask = column >> 6, one << np.uint64(column & 63)
            for row in range(int(y - half + 0.5), int(y + half + 0.5)):
                grid[row, word] |= mask
            y += slope
        return
    if dy < 0:
        x0, y0, x1, y1 = x1, y1, x0, y0
    slope = dx / dy
    half = reach * math.sqrt(1 + slope * slope)
    x = x0 + slope * (int(y0) + 0.5 - y0)
    for row in range(int(y0), int(y1) + 1):
        first, stop = int(x - half + 0.5), int(x + half + 0.5)
        word, at = first >> 6, first & 63
        run = (one << np.uint64(stop - first)) - one
        grid[row, word] |= run << np.uint64(at)
        if at + stop - first > 64:
            grid[row, word + 1] |= run >> np.uint64(64 - at)
        x += slope


@njit
def _row_spread(row: Any, free: Any) -> None:
    """Spread set bits of a row along runs of free ones, both ways."""
    one, top = np.uint64(1), np.uint64(63)
    carry = np.uint64(0)
    for k in range(len(row)):
        may = free[k]
        full = row[k]
        if full != may:
            # Adding a seed to a run of ones carries through it.
            seed = (full | carry) & may
            full |= seed | ((may ^ (may + seed)) & may)
            row[k] = full
        carry = full >> top
    carry = np.uint64(0)
    for k in range(len(row) - 1, -1, -1):
        may = free[k]
        full = row[k]
        if full != may:
            full |= carry & may
            for step in (1, 2, 4, 8, 16, 32):
                full |= may & (full >> np.uint64(step))
                may &= may >> np.uint64(step)
            row[k] = full
        carry = (full & one) << top


@njit
def spread(grid: Any, free: Any) -> None:
    """Spread what is set over what is free, until nothing more is reached: down, up, and so on."""
    rows, words = grid.shape
    sweep, more = 0, True
    while more:
        more = sweep == 0
        for step in range(rows):
            row, before = (step, step - 1) if sweep % 2 == 0 else (rows - 1 - step, rows - step)
            came = sweep == 0
            if 0 <= before < rows:
                for k in range(words):
                    new = grid[before, k] & free[row, k] & ~grid[row, k]
                    if new:
                        grid[row, k] |= new
                        came = more = True
            if came:
                _row_spread(grid[row], free[row])
        sweep += 1


@njit
def open_air(solid: Any, lines: Any, air: Any, free: Any, gaps: Any) -> None:
    """Fill `air` with where a layer is open. `solid` is all roads, `lines` those that are no loops; `free` and `gaps`
    are room to work in.
    """
    rows, words = solid.shape
    one, top = np.uint64(1), np.uint64(63)
    for row in range(rows):
        for k in range(words):
            free[row, k] = ~solid[row, k]
            air[row, k] = free[row, k] if row == 0 or row == rows - 1 else np.uint64(0)
        air[row, 0] |= free[row, 0] & one
        air[row, words - 1] |= free[row, words - 1] & (one << top)
    spread(air, free)
    # What is left lies inside loops. What a line borders on is a gap of an infill; the rest are holes.
    for row in range(rows):
        for k in range(words):
            free[row, k] &= ~air[row, k]
            near = lines[row, k] | (lines[row, k] << one) | (lines[row, k] >> one)
            if k > 0:
                near |= lines[row, k - 1] >> top
            if k + 1 < words:
                near |= lines[row, k + 1] << top
            if row > 0:
                near |= lines[row - 1, k]
            if row + 1 < rows:
                near |= lines[row + 1, k]
            gaps[row, k] = near & free[row, k]
    spread(gaps, free)
    for row in range(rows):
        for k in range(words):
            air[row, k] |= free[row, k] & ~gaps[row, k]


def new_grids(count: int, rows: int, words: int) -> Any:
    """So many grids with nothing set."""
    if is_plain():
        return [bitrows.BitRows(rows, words) for _ in range(count)]
    return np.zeros((count, rows, words), np.uint64)


if is_plain():  # the same names for the other form
    bit, paint, spread = bitrows.bit, bitrows.paint, bitrows.spread
    open_air = bitrows.open_air  # type: ignore[assignment]
