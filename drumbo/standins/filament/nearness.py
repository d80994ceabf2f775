"""Which pieces of road lie near which: the inner loops behind the geometry."""

from __future__ import annotations

from typing import Any

import numpy as np

from drumbo.core.compiled import njit

_REACH = 2.0
"""Side of a bucket, mm; what is further away than a bucket or two counts as infinitely far."""


@njit
def search(query: Any, a: Any, b: Any, order: Any, edges: Any, below: int, layer: Any, away: Any) -> None:
    """Distance of every query (q, 2) to the nearest piece of the layer `below` its own (0: the same), into `away` (q,).

    Pieces (n, 2) from `a` to `b` come sorted by layer through `order` and `edges`; each layer is put into buckets of
    `_REACH` mm, and only the nine around a query are looked through, so what is further away counts as infinite.
    """
    low_x, low_y = a[:, 0].min() - 3.0, a[:, 1].min() - 3.0
    wide = int((a[:, 0].max() - low_x) / _REACH) + 4
    deep = int((a[:, 1].max() - low_y) / _REACH) + 4
    heads = np.empty(wide * deep, np.int64)
    follow = np.empty(len(a), np.int64)
    at = np.argsort(layer)
    starts = np.searchsorted(layer[at], np.arange(len(edges)))
    for level in range(below, len(edges) - 1 + below):
        if level - below >= len(edges) - 1 or level >= len(edges):
            continue
        heads[:] = -1
        for k in range(edges[level - below], edges[level - below + 1]):
            piece = order[k]
            cell = int((a[piece, 1] + b[piece, 1]) / 2 - low_y) // int(_REACH) * wide
            cell += int((a[piece, 0] + b[piece, 0]) / 2 - low_x) // int(_REACH)
            follow[piece] = heads[cell]
            heads[cell] = piece
        last = starts[level + 1] if level + 1 < len(starts) else len(at)
        for k in range(starts[level], last):
            q = at[k]
            px, py = query[q, 0], query[q, 1]
            row, col = int(py - low_y) // int(_REACH), int(px - low_x) // int(_REACH)
            best = np.inf
            for r in range(max(row - 1, 0), min(row + 2, deep)):
                for c in range(max(col - 1, 0), min(col + 2, wide)):
                    piece = heads[r * wide + c]
                    while piece >= 0:
                        ax, ay = a[piece, 0], a[piece, 1]
                        dx, dy = b[piece, 0] - ax, b[piece, 1] - ay
                        along = dx * dx + dy * dy
                        share = 0.0
                        if along > 0:
                            share = min(1.0, max(0.0, ((px - ax) * dx + (py - ay) * dy) / along))
                        gap = np.hypot(px - ax - share * dx, py - ay - share * dy)
                        best = min(best, gap)
                        piece = follow[piece]
            away[q] = best


@njit
def beside(a: Any, b: Any, order: Any, edges: Any, layer: Any, which: Any, sides: Any) -> None:
    """Distance across to the next road on either side, for the pieces in `which`, into `sides` (w, 2); inf if none.

    Only roads of the same layer that run alongside count: within 20° of the same direction, right next to the
    piece's middle, and not the piece's own line.
    """
    low_x, low_y = a[:, 0].min() - 3.0, a[:, 1].min() - 3.0
    wide = int((a[:, 0].max() - low_x) / _REACH) + 4
    deep = int((a[:, 1].max() - low_y) / _REACH) + 4
    heads = np.empty(wide * deep, np.int64)
    follow = np.empty(len(a), np.int64)
    filled = -1
    for w in range(len(which)):
        i = which[w]
        level = layer[i]
        if level != filled:
            heads[:] = -1
            for k in range(edges[level], edges[level + 1]):
                piece = order[k]
                cell = int((a[piece, 1] + b[piece, 1]) / 2 - low_y) // int(_REACH) * wide
                cell += int((a[piece, 0] + b[piece, 0]) / 2 - low_x) // int(_REACH)
                follow[piece] = heads[cell]
                heads[cell] = piece
            filled = level
        px, py = (a[i, 0] + b[i, 0]) / 2, (a[i, 1] + b[i, 1]) / 2
        tx, ty = b[i, 0] - a[i, 0], b[i, 1] - a[i, 1]
        size = np.hypot(tx, ty)
        if size == 0:
            continue
        tx, ty = tx / size, ty / size
        row, col = int(py - low_y) // int(_REACH), int(px - low_x) // int(_REACH)
        for r in range(max(row - 1, 0), min(row + 2, deep)):
            for c in range(max(col - 1, 0), min(col + 2, wide)):
                piece = heads[r * wide + c]
                while piece >= 0:
                    ax, ay = a[piece, 0], a[piece, 1]
                    dx, dy = b[piece, 0] - ax, b[piece, 1] - ay
                    length = np.hypot(dx, dy)
                    if piece != i and length > 0 and abs(dx * tx + dy * ty) > 0.94 * length:
                        share = min(1.0, max(0.0, ((px - ax) * dx + (py - ay) * dy) / (length * length)))
                        vx, vy = ax + share * dx - px, ay + share * dy - py
                        along, across = vx * tx + vy * ty, vy * tx - vx * ty
                        if abs(along) < 0.35 and abs(across) > 0.12:
                            side = 0 if across > 0 else 1
                            sides[w, side] = min(sides[w, side], abs(across))
                    piece = follow[piece]


@njit
def enclosed(
    query: Any, aside: Any, a: Any, b: Any, order: Any, edges: Any, layer: Any, reach: float, out: Any
) -> None:
    """Whether roads of its own layer cross a query's line (q, 2) to both sides, within `reach` mm, into `out` (q,).

    `aside` (q, 2) are unit vectors. What is enclosed lies within an object and is not seen.
    """
    for q in range(len(query)):
        px, py, nx, ny = query[q, 0], query[q, 1], aside[q, 0], aside[q, 1]
        left = right = False
        for k in range(edges[layer[q]], edges[layer[q] + 1]):
            i = order[k]
            ax, ay = a[i, 0] - px, a[i, 1] - py
            dx, dy = b[i, 0] - a[i, 0], b[i, 1] - a[i, 1]
            turn = nx * dy - ny * dx
            if turn == 0.0:
                continue
            along, share = (ax * dy - ay * dx) / turn, (ax * ny - ay * nx) / turn
            if 0.0 <= share <= 1.0 and abs(along) <= reach:
                left |= along > 0
                right |= along < 0
                if left and right:
                    break
        out[q] = left and right
