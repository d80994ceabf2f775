"""What stands on the bed so far, as a map of heights, and what a nozzle, a head or a carriage would run into.

The head is a disc of some radius, a little above the tip; the carriage a beam along all of X, higher up and as broad as
the head. Nothing is looked at while every move is at least as high as all that was laid before it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from drumbo.core.compiled import njit

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]

NOZZLE, HEAD, CARRIAGE = 1, 2, 4
"""Bits of what a move runs into."""
CELL_MM, COARSE_MM = 0.8, 4.0
SCRAPES_MM = 0.15
"""By so much a nozzle may pass below a top: plastic gives way, and heights are rounded."""
TIP_MM = 3.0
"""How far the tip stands out below the head."""
RAISED_MM = 0.2
"""The coarse map is raised by no less, so that a spiral does not raise it with every move."""
MOST_CELLS = 4_000_000
MOST_SAMPLES = 4096


_ENDS: Any = ((np.min, np.inf), (np.max, -np.inf))


@dataclass(frozen=True, slots=True)
class HeadClearance:
    """Room that a head needs: radius round the nozzle, and height of the carriage above its tip, mm."""

    radius_mm: float
    height_mm: float


def runs_into(
    x: Floats, y: Floats, z: Floats, laid: Bools, moves: Bools, thick_mm: float, clearance: HeadClearance | None = None
) -> NDArray[np.uint8]:
    """(n,) what each move (to x, y, z, mm) runs into, of what those before it laid. `moves` are rows that go anywhere
    on a way that is known, `thick_mm` is the usual height of a layer.
    """
    out = np.zeros(len(z), np.uint8)
    if not laid.any():
        return out
    tops = np.where(laid, z.astype(np.float32), np.float32(-np.inf))
    np.maximum.accumulate(tops, out=tops)
    slack = max(SCRAPES_MM, 0.75 * thick_mm)
    tops -= np.float32(slack)
    low = np.zeros(len(z), bool)
    low[1:] = moves[1:] & (z[1:] < tops[:-1])
    del tops
    if not low.any():
        return out
    # A line begins where the move before it ended.
    ends = laid.copy()
    ends[:-1] |= laid[1:]
    left, right, near, far = (float(f(c, where=ends, initial=i)) for c in (x, y) for f, i in _ENDS)
    cell = max(CELL_MM, np.sqrt(max((right - left) * (far - near), 1.0) / MOST_CELLS))
    place = np.array([left - 2 * cell, near - 2 * cell, cell, slack])
    shape = (int((far - near) / cell) + 5, int((right - left) / cell) + 5)
    heights = np.full(shape, -np.inf, np.float32)
    # Always of one kind: for another the loop would be compiled once more.
    radius = float(clearance.radius_mm) if clearance else 0.0
    beam = float(clearance.height_mm) if clearance else float(np.inf)
    coarse = (int((far - near) / COARSE_MM) + 3, int((right - left) / COARSE_MM) + 3)
    own, around = (np.full(coarse, -np.inf, np.float32) for _ in range(2))
    along = np.full(coarse[0], -np.inf, np.float32)
    _walk(x, y, z, laid, low, heights, place, (own, around), along, (radius, beam), out)
    return out


@njit
def _walk(
    x: Any, y: Any, z: Any, laid: Any, low: Any, heights: Any, place: Any, maps: Any, along: Any, head: Any, out: Any
) -> None:  # fmt: skip
    """Go through the moves: what is low is looked at, what is laid raises the map. Of `maps` the first is how high each
    coarse cell stands, as far as the second knows of it; that is the highest within the head's radius of each coarse
    cell. `along` is the highest in each row that the carriage covers.
    """
    left, near, cell, slack = place[0], place[1], place[2], place[3]
    radius, beam = head
    own, around = maps
    each = 1.0 / cell
    for i in range(1, len(z)):
        if not (laid[i] or low[i]):
            continue
        dx, dy, dz = x[i] - x[i - 1], y[i] - y[i - 1], z[i] - z[i - 1]
        count = min(int(max(abs(dx), abs(dy)) * each) + 1, MOST_SAMPLES)
        part = 1.0 / count
        x0, y0 = (x[i - 1] - left) * each, (y[i - 1] - near) * each
        across, down = dx * each * part, dy * each * part
        for k in range(1, count + 1):
            row, column = int(y0 + down * k), int(x0 + across * k)
            at = z[i - 1] + dz * part * k
            inside = 0 <= row < heights.shape[0] and 0 <= column < heights.shape[1]
            if low[i]:
                if inside and heights[row, column] > at + slack:
                    out[i] |= NOZZLE
                if radius > 0:
                    out[i] |= _head(row * cell, column * cell, at, around, along, beam)
            if laid[i] and inside and heights[row, column] < at:
                heights[row, column] = at
                if radius > 0:
                    _raise(row * cell, column * cell, at, own, around, along, radius)


@njit
def _head(y: float, x: float, z: float, around: Any, along: Any, beam: float) -> int:
    """What a head with its tip here runs into."""
    row, column = int(y / COARSE_MM), int(x / COARSE_MM)
    if not 0 <= row < around.shape[0]:
        return 0
    hit = CARRIAGE if along[row] > z + beam else 0
    if 0 <= column < around.shape[1] and around[row, column] > z + TIP_MM:
        hit |= HEAD
    return hit


@njit
def _raise(y: float, x: float, z: float, own: Any, around: Any, along: Any, radius: float) -> None:
    """Something stands here now: raise all places from which a head reaches it."""
    row, column = int(y / COARSE_MM), int(x / COARSE_MM)
    if own[row, column] + RAISED_MM > z:
        return
    own[row, column] = z
    reach = int(radius / COARSE_MM)
    for r in range(max(row - reach, 0), min(row + reach + 1, around.shape[0])):
        along[r] = max(along[r], z)
        half = int(np.sqrt(max(reach * reach - (r - row) ** 2, 0)))
        for c in range(max(column - half, 0), min(column + half + 1, around.shape[1])):
            around[r, c] = max(around[r, c], z)
