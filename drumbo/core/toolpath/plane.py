"""Small questions about points, lines and rings in the plane. Rings are (k, 2), edges (m, 4), mm."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from drumbo.core.compiled import njit

Floats = NDArray[np.float64]


def edges_of(rings: Sequence[Floats]) -> Floats:
    """(m, 4) float64: x0, y0, x1, y1 of every edge of closed rings (k, 2)."""
    edges = np.empty((sum(len(ring) for ring in rings), 4))
    n = 0
    for ring in rings:
        last = n + len(ring)
        edges[n:last, :2] = ring
        edges[n : last - 1, 2:] = ring[1:]
        edges[last - 1, 2:] = ring[0]
        n = last
    return edges


@njit
def inside(points: Floats, edges: Floats) -> NDArray[np.bool_]:
    """(n,) bool: which points (n, 2) lie in the region with edges (m, 4), by the even–odd rule."""
    result = np.zeros(len(points), np.bool_)
    for p in range(len(points)):
        x, y = points[p, 0], points[p, 1]
        within = False
        for i in range(len(edges)):
            y0, y1 = edges[i, 1], edges[i, 3]
            if (y0 > y) != (y1 > y) and x < edges[i, 0] + (y - y0) / (y1 - y0) * (edges[i, 2] - edges[i, 0]):
                within = not within
        result[p] = within
    return result


@njit
def crosses(ax: float, ay: float, bx: float, by: float, edges: Floats) -> bool:
    """Whether the line from a to b meets any edge, ends not counted within 1 µm."""
    dx, dy = bx - ax, by - ay
    for i in range(len(edges)):
        ex, ey = edges[i, 2] - edges[i, 0], edges[i, 3] - edges[i, 1]
        cross = dx * ey - dy * ex
        if abs(cross) < 1e-12:
            continue
        px, py = edges[i, 0] - ax, edges[i, 1] - ay
        along = (px * ey - py * ex) / cross
        across = (px * dy - py * dx) / cross
        if 1e-3 < along < 1 - 1e-3 and 0.0 <= across <= 1.0:
            return True
    return False


@njit
def closed_from_rear(ring: Floats) -> Floats:
    """(k + 1, 2): the ring from its rearmost corner (of those the leftmost) round to itself."""
    rear = 0
    for i in range(1, len(ring)):
        ahead = ring[i, 1] - ring[rear, 1]
        if ahead > 1e-3 or (ahead > -1e-3 and ring[i, 0] < ring[rear, 0]):
            rear = i
    out = np.empty((len(ring) + 1, 2))
    for i in range(len(ring) + 1):
        at = (rear + i) % len(ring)
        out[i, 0], out[i, 1] = ring[at, 0], ring[at, 1]
    return out


def cut_end(points: Floats, length: float) -> tuple[Floats, Floats]:
    """A line (k, 2) up to `length` mm before its end, and the points (m, 2) that lead on from there.

    A line no longer than twice that is left whole.
    """
    ways = np.hypot(*np.diff(points, axis=0).T)
    keep = float(ways.sum()) - length
    if keep < length:
        return points, points[:0]
    ends = np.cumsum(ways)
    last = int(np.searchsorted(ends, keep))
    share = (keep - (ends[last] - ways[last])) / ways[last]
    cut = points[last] + (points[last + 1] - points[last]) * share
    return np.vstack([points[: last + 1], cut]), points[last + 1 :]


@njit
def subdivide(points: Floats, longest: float) -> Floats:
    """The same line with more points, none further from the next than `longest`."""
    counts = np.empty(len(points) - 1, np.int64)
    for i in range(len(points) - 1):
        way = np.hypot(points[i + 1, 0] - points[i, 0], points[i + 1, 1] - points[i, 1])
        counts[i] = max(1, int(np.ceil(way / longest)))
    out = np.empty((counts.sum() + 1, 2))
    n = 0
    for i in range(len(points) - 1):
        for k in range(counts[i]):
            out[n] = points[i] + (points[i + 1] - points[i]) * (k / counts[i])
            n += 1
    out[n] = points[-1]
    return out


@njit
def nearest_chain(lines: Floats, x: float, y: float) -> tuple[NDArray[np.int64], NDArray[np.bool_], Floats]:
    """Visit every line (n, 4) once, from (x, y), always the one with the nearest end.

    Returns the order (n,), whether each is run backwards (n,), and the way to its start (n,) in mm.
    """
    n = len(lines)
    order = np.empty(n, np.int64)
    back = np.zeros(n, np.bool_)
    gaps = np.empty(n)
    done = np.zeros(n, np.bool_)
    for place in range(n):
        best, pick, reverse = np.inf, 0, False
        for i in range(n):
            if done[i]:
                continue
            first = (lines[i, 0] - x) ** 2 + (lines[i, 1] - y) ** 2
            last = (lines[i, 2] - x) ** 2 + (lines[i, 3] - y) ** 2
            if first < best:
                best, pick, reverse = first, i, False
            if last < best:
                best, pick, reverse = last, i, True
        order[place], back[place], gaps[place] = pick, reverse, np.sqrt(best)
        done[pick] = True
        x, y = (lines[pick, 0], lines[pick, 1]) if reverse else (lines[pick, 2], lines[pick, 3])
    return order, back, gaps


@njit
def lay_rows(
    table: Floats, count: int, points: Floats, shift_x: float, shift_y: float,
    row: tuple[float, float, float, float, float, float],
) -> int:  # fmt: skip
    """Write one row a point after the first into `table` from `count` on; returns the new count.

    `row` is z, filament per mm of way, speed, role, layer and height. Points closer than 10 µm are left out.
    """
    z, feed, speed, role, layer, height = row
    last_x, last_y = points[0, 0], points[0, 1]
    for i in range(1, len(points)):
        x, y = points[i, 0], points[i, 1]
        way = np.hypot(x - last_x, y - last_y)
        if way <= 0.01 and i < len(points) - 1:
            continue
        table[count, 0] = x + shift_x
        table[count, 1] = y + shift_y
        table[count, 2] = z
        table[count, 3] = way * feed
        table[count, 4] = speed
        table[count, 5] = role
        table[count, 6] = layer
        table[count, 7] = height
        count += 1
        last_x, last_y = x, y
    return count
