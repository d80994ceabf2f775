"""Straight lines across a region: even–odd scanlines over all edges at once."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from drumbo.core.compiled import njit

Floats = NDArray[np.float64]


def hatch(edges: Floats, spacing_mm: float, angle: float, phase_mm: float = 0.0) -> Floats:
    """Lines across a region given by its edges (m, 4), mm.

    Lines run along `angle` (radians from x) and lie `spacing_mm` apart, the same for every region so that
    neighbouring layers line up. Returns (k, 5) float64: x0, y0, x1, y1, and the line's running number, sorted
    by line and along it.
    """
    if not len(edges):
        return np.empty((0, 5))
    cos, sin = np.cos(angle), np.sin(angle)
    turn = np.array([[cos, -sin], [sin, cos]])
    a, b = edges[:, :2] @ turn, edges[:, 2:] @ turn
    lines, cuts = _cross(a, b, spacing_mm, phase_mm)
    order = np.lexsort((cuts, lines))
    lines, cuts = lines[order], cuts[order]
    level = lines * spacing_mm + phase_mm
    start = np.stack([cuts[0::2], level[0::2]], axis=1) @ turn.T
    end = np.stack([cuts[1::2], level[1::2]], axis=1) @ turn.T
    return np.column_stack([start, end, lines[0::2]])


@njit
def _cross(a: Floats, b: Floats, spacing: float, phase: float) -> tuple[NDArray[np.int64], Floats]:
    """Every crossing of an edge with a scanline, half open in y so that a shared corner counts once."""
    count = 0
    for i in range(len(a)):
        low, high = min(a[i, 1], b[i, 1]), max(a[i, 1], b[i, 1])
        count += int(np.ceil((high - phase) / spacing)) - int(np.ceil((low - phase) / spacing))
    lines = np.empty(count, np.int64)
    cuts = np.empty(count)
    n = 0
    for i in range(len(a)):
        low, high = min(a[i, 1], b[i, 1]), max(a[i, 1], b[i, 1])
        first, last = int(np.ceil((low - phase) / spacing)), int(np.ceil((high - phase) / spacing))
        for line in range(first, last):
            share = (line * spacing + phase - a[i, 1]) / (b[i, 1] - a[i, 1])
            lines[n] = line
            cuts[n] = a[i, 0] + share * (b[i, 0] - a[i, 0])
            n += 1
    return lines, cuts
