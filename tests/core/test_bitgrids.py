"""Grids of bits, compiled and plain: both paint the same cells, those near the line, and spread as water would."""

from __future__ import annotations

import math
from collections import deque
from typing import Any

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from drumbo.core.gcode import bitgrid, bitrows
from drumbo.core.gcode.bitrows import BitRows

ROWS, WORDS, EDGE = 40, 2, 8.0
WIDE = 64 * WORDS
place = st.tuples(st.floats(EDGE, WIDE - EDGE), st.floats(EDGE, ROWS - EDGE))


def _cells(grid: Any) -> np.ndarray:
    """(rows, columns) which are set."""
    if isinstance(grid, BitRows):
        return np.array([[row >> k & 1 for k in range(WIDE)] for row in grid.cells()], bool)
    words = grid[:, :, None] >> np.arange(64, dtype=np.uint64) & np.uint64(1)
    return np.asarray(words.reshape(ROWS, WIDE) != 0)


def _both(cells: np.ndarray) -> tuple[np.ndarray, BitRows]:
    """The same cells in either grid."""
    compiled, plain = np.zeros((ROWS, WORDS), np.uint64), BitRows(ROWS, WORDS)
    for row, column in np.argwhere(cells).tolist():
        compiled[row, column >> 6] |= np.uint64(1 << (column & 63))
        plain.rows[row] |= 1 << column
    return compiled, plain


def _painted(begin: tuple[float, float], end: tuple[float, float], reach: float) -> tuple[np.ndarray, np.ndarray]:
    compiled, plain = _both(np.zeros((ROWS, WIDE), bool))
    bitgrid.paint(compiled, *begin, *end, reach)
    bitrows.paint(plain, *begin, *end, reach)
    return _cells(compiled), _cells(plain)


@settings(max_examples=150)
@given(place, place, st.floats(0.8, 5.0))
def test_a_line_is_painted_where_it_is(begin: tuple[float, float], end: tuple[float, float], reach: float) -> None:
    assume(math.dist(begin, end) > 0.1)
    compiled, plain = _painted(begin, end, reach)
    np.testing.assert_array_equal(compiled, plain)
    y, x = np.mgrid[0:ROWS, 0:WIDE] + 0.5
    dx, dy = end[0] - begin[0], end[1] - begin[1]
    along = ((x - begin[0]) * dx + (y - begin[1]) * dy) / max(dx * dx + dy * dy, 1e-12)
    away = np.hypot(x - begin[0] - np.clip(along, 0, 1) * dx, y - begin[1] - np.clip(along, 0, 1) * dy)
    # Column by column, or row by row: its ends are cut along the grid, and a corner there may be open or stand out.
    beside = np.abs(x - (begin[0] + end[0]) / 2) <= abs(dx) / 2
    if abs(dx) < abs(dy):
        beside = np.abs(y - (begin[1] + end[1]) / 2) <= abs(dy) / 2
    assert compiled[beside & (away < reach - 0.8)].all(), "all that it covers"
    assert not compiled[away > reach * 1.5 + 1.5].any(), "and nothing else"


@pytest.mark.parametrize(("begin", "end", "cells"), [
    ((10.5, 20.5), (13.5, 20.5), {(20, 10), (20, 11), (20, 12), (20, 13)}),
    ((13.5, 20.5), (10.5, 20.5), {(20, 10), (20, 11), (20, 12), (20, 13)}),
    ((10.5, 20.5), (10.5, 22.5), {(20, 10), (21, 10), (22, 10)}),
    ((62.5, 20.5), (65.5, 20.5), {(20, 62), (20, 63), (20, 64), (20, 65)}),
    ((10.5, 20.5), (12.5, 22.5), {(20, 10), (21, 11), (22, 12)}),
])  # fmt: skip
def test_a_thin_line_takes_one_cell_after_the_other(
    begin: tuple[float, float], end: tuple[float, float], cells: set[tuple[int, int]]
) -> None:
    for painted in _painted(begin, end, 0.5 if begin[0] == end[0] or begin[1] == end[1] else 0.36):
        assert {(int(row), int(column)) for row, column in np.argwhere(painted)} == cells


@given(place, st.floats(0.8, 5.0))
def test_a_bit_is_found_where_it_was_painted(at: tuple[float, float], reach: float) -> None:
    compiled, plain = _both(np.zeros((ROWS, WIDE), bool))
    for module, grid in ((bitgrid, compiled), (bitrows, plain)):
        assert not module.bit(grid, *at)
        module.paint(grid, *at, at[0] + 3.0, at[1], reach)
        assert module.bit(grid, at[0] + 1.0, at[1])


def _flooded(seeds: np.ndarray, free: np.ndarray) -> np.ndarray:
    """Every free cell that a seed reaches over free ones, side by side."""
    found, left = (seeds & free).copy(), deque(np.argwhere(seeds & free).tolist())
    while left:
        row, column = left.popleft()
        for r, c in ((row + 1, column), (row - 1, column), (row, column + 1), (row, column - 1)):
            if 0 <= r < ROWS and 0 <= c < WIDE and free[r, c] and not found[r, c]:
                found[r, c] = True
                left.append([r, c])
    return np.asarray(found)


@pytest.mark.parametrize("share", [0.35, 0.6, 0.75, 0.95])
@pytest.mark.parametrize("seed", range(4))
def test_what_is_set_spreads_over_all_that_it_reaches_and_no_farther(seed: int, share: float) -> None:
    rng = np.random.default_rng(seed)
    free = rng.random((ROWS, WIDE)) < share
    seeds = free & (rng.random((ROWS, WIDE)) < 0.01)
    wanted = _flooded(seeds, free)
    assert wanted.sum() >= seeds.sum()
    (compiled, plain), (may, plainly) = _both(seeds), _both(free)
    bitgrid.spread(compiled, may)
    bitrows.spread(plain, plainly)
    np.testing.assert_array_equal(_cells(compiled), wanted)
    np.testing.assert_array_equal(_cells(plain), wanted)
