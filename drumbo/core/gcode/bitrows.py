"""The grids of `bitgrid` in plain Python: a row is one long number, which takes all of its cells in one step.

It serves where loops are not compiled, and does the same, cell by cell.
"""

from __future__ import annotations

import math


class BitRows:
    """A grid as numbers, the first cell of a row in the lowest bit. Sliced by rows and words of 64 cells it is a part
    of the same grid.
    """

    __slots__ = ("first", "rows", "shape", "shift", "stop", "wide")

    def __init__(self, rows: int, words: int) -> None:
        self.rows = [0] * rows
        self.shape = (rows, words)
        self.first, self.stop, self.shift, self.wide = 0, rows, 0, 64 * words

    def __setitem__(self, _every: slice, value: int) -> None:
        self.rows[:] = [(1 << self.wide) - 1 if value else 0] * len(self.rows)

    def __getitem__(self, part: tuple[slice, slice]) -> BitRows:
        down, across = part
        words = (across.stop or self.shape[1]) - (across.start or 0)
        seen = BitRows(0, words)
        seen.rows = self.rows
        seen.first, seen.stop = down.start, down.stop
        seen.shape, seen.shift = (down.stop - down.start, words), 64 * across.start
        return seen

    def __iand__(self, other: BitRows) -> BitRows:
        self.rows[:] = [mine & its for mine, its in zip(self.rows, other.rows, strict=True)]
        return self

    def cells(self) -> list[int]:
        """The rows of this part."""
        mask = (1 << self.wide) - 1
        return [(row >> self.shift) & mask for row in self.rows[self.first : self.stop]]

    def put(self, cells: list[int]) -> None:
        """Put them back."""
        hole = ~(((1 << self.wide) - 1) << self.shift)
        for k, row in enumerate(cells, self.first):
            self.rows[k] = (self.rows[k] & hole) | (row << self.shift)


def bit(grid: BitRows, x: float, y: float) -> bool:
    """Whether the cell at a place is set."""
    return bool((grid.rows[int(y)] >> int(x)) & 1)


def paint(grid: BitRows, x0: float, y0: float, x1: float, y1: float, reach: float) -> None:
    """Set the cells whose middles lie within `reach` of a line."""
    rows, dx, dy = grid.rows, x1 - x0, y1 - y0
    if abs(dx) >= abs(dy):
        if dx < 0:
            x0, y0, x1, y1 = x1, y1, x0, y0
        slope = dy / dx if dx != 0 else 0.0
        half = reach * math.sqrt(1 + slope * slope)
        y = y0 + slope * (int(x0) + 0.5 - x0)
        if slope == 0:
            run = ((1 << (int(x1) + 1 - int(x0))) - 1) << int(x0)
            for row in range(int(y - half + 0.5), int(y + half + 0.5)):
                rows[row] |= run
            return
        for column in range(int(x0), int(x1) + 1):
            for row in range(int(y - half + 0.5), int(y + half + 0.5)):
                rows[row] |= 1 << column
            y += slope
        return
    if dy < 0:
        x0, y0, x1, y1 = x1, y1, x0, y0
    slope = dx / dy
    half = reach * math.sqrt(1 + slope * slope)
    x = x0 + slope * (int(y0) + 0.5 - y0)
    for row in range(int(y0), int(y1) + 1):
        first, stop = int(x - half + 0.5), int(x + half + 0.5)
        rows[row] |= ((1 << (stop - first)) - 1) << first
        x += slope


def _row_spread(full: int, may: int) -> int:
    """Spread set bits along runs of free ones, both ways."""
    if full == may or not full:
        return full
    # Adding a seed to a run of ones carries through it.
    full |= (may ^ (may + full)) & may
    step = 1
    while may:
        full |= may & (full >> step)
        may &= may >> step
        step *= 2
    return full


def _spread(rows: list[int], free: list[int]) -> None:
    count, sweep, more = len(rows), 0, True
    while more:
        more = sweep == 0
        for step in range(count):
            row, before = (step, step - 1) if sweep % 2 == 0 else (count - 1 - step, count - step)
            came = sweep == 0
            if 0 <= before < count:
                new = rows[before] & free[row] & ~rows[row]
                if new:
                    rows[row] |= new
                    came = more = True
            if came:
                rows[row] = _row_spread(rows[row], free[row])
        sweep += 1


def spread(grid: BitRows, free: BitRows) -> None:
    """Spread what is set over what is free."""
    cells = grid.cells()
    _spread(cells, free.cells())
    grid.put(cells)


def open_air(solid: BitRows, lines: BitRows, air: BitRows, _free: BitRows, _gaps: BitRows) -> None:
    """Fill `air` with where a layer is open."""
    mask = (1 << solid.wide) - 1
    edge = 1 | 1 << (solid.wide - 1)
    free = [~row & mask for row in solid.cells()]
    told = [row & edge for row in free]
    told[0], told[-1] = free[0], free[-1]
    _spread(told, free)
    # What is left lies inside loops. What a line borders on is a gap of an infill; the rest are holes.
    rest = [may & ~seen for may, seen in zip(free, told, strict=True)]
    drawn = lines.cells()
    above, below = [0, *drawn[:-1]], [*drawn[1:], 0]
    gaps = [
        (row | row << 1 | row >> 1 | up | down) & may
        for row, up, down, may in zip(drawn, above, below, rest, strict=True)
    ]
    _spread(gaps, rest)
    air.put([seen | (may & ~gap) for seen, may, gap in zip(told, rest, gaps, strict=True)])
