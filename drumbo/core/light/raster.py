"""Layer images: outlines to pixels, one scanline at a time.

A pixel is lit where its middle lies inside (even-odd over all rings). Rows run from the back of the screen to its
front, as a picture seen from above.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from drumbo.core.compiled import njit

Bytes = NDArray[np.uint8]
Rings = Sequence[NDArray[np.float32]]


def to_pixels(rings: Rings, pixels: tuple[int, int], pixel_mm: float) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """Rings (k, 2) in mm from the middle of the screen as points (n, 2) in pixels from its back left corner, and where
    each ring begins (m + 1,).
    """
    starts = np.zeros(len(rings) + 1, dtype=np.int64)
    if not rings:
        return np.zeros((0, 2)), starts
    # From left to right, so that crossings come almost in order.
    ordered = sorted(rings, key=lambda ring: float(ring[:, 0].min()))
    starts[1:] = np.cumsum([len(ring) for ring in ordered])
    points = np.concatenate(ordered).astype(np.float64)
    points[:, 0] = points[:, 0] / pixel_mm + pixels[0] / 2
    points[:, 1] = pixels[1] / 2 - points[:, 1] / pixel_mm
    return points, starts


def bits(rings: Rings, pixels: tuple[int, int], pixel_mm: float) -> Bytes:
    """(rows, ⌈columns / 8⌉) bits of a layer, the leftmost pixel in the highest bit of its byte."""
    points, starts = to_pixels(rings, pixels, pixel_mm)
    out = np.zeros((pixels[1], (pixels[0] + 7) // 8), dtype=np.uint8)
    if len(points):
        _fill_bits(points, starts, pixels[0], out)
    return out


def greys(rings: Rings, pixels: tuple[int, int], pixel_mm: float, levels: int) -> Bytes:
    """(rows, columns) grey 0..255 of a layer, by the share of each pixel that lies inside, in so many steps."""
    points, starts = to_pixels(rings, pixels, pixel_mm)
    share = np.zeros((pixels[1], pixels[0]), dtype=np.float32)
    if len(points):
        _cover(points, starts, max(2 * levels, 4), share)
    return np.rint(np.rint(share * levels) * (255 / levels)).astype(np.uint8)


@njit
def _crossings(points: Any, starts: Any, scale: Any, rows: Any) -> Any:
    """Where edges cross the middles of rows, `scale` rows to a pixel: first[r]..first[r + 1] of x, sorted."""
    first = np.zeros(rows + 1, dtype=np.int64)
    for ring in range(len(starts) - 1):
        low, high = starts[ring], starts[ring + 1]
        for k in range(low, high):
            after = k + 1 if k + 1 < high else low
            y0, y1 = points[k, 1] * scale, points[after, 1] * scale
            if y0 == y1:
                continue
            top, end = int(np.ceil(min(y0, y1) - 0.5)), int(np.ceil(max(y0, y1) - 0.5))
            for row in range(max(top, 0), min(end, rows)):
                first[row + 1] += 1
    for row in range(rows):
        first[row + 1] += first[row]
    x = np.empty(first[rows])
    taken = np.zeros(rows, dtype=np.int32)
    for ring in range(len(starts) - 1):
        low, high = starts[ring], starts[ring + 1]
        for k in range(low, high):
            after = k + 1 if k + 1 < high else low
            x0, y0, x1, y1 = points[k, 0], points[k, 1] * scale, points[after, 0], points[after, 1] * scale
            if y0 == y1:
                continue
            if y0 > y1:
                x0, y0, x1, y1 = x1, y1, x0, y0
            slope = (x1 - x0) / (y1 - y0)
            top, end = max(int(np.ceil(y0 - 0.5)), 0), min(int(np.ceil(y1 - 0.5)), rows)
            for row in range(top, end):
                at = x0 + (row + 0.5 - y0) * slope
                place = first[row] + taken[row]
                taken[row] += 1
                while place > first[row] and x[place - 1] > at:
                    x[place] = x[place - 1]
                    place -= 1
                x[place] = at
    return first, x


@njit
def _fill_bits(points: Any, starts: Any, columns: Any, out: Any) -> Any:
    rows = out.shape[0]
    first, x = _crossings(points, starts, 1.0, rows)
    for row in range(rows):
        for k in range(first[row], first[row + 1] - 1, 2):
            a = max(int(np.ceil(x[k] - 0.5)), 0)
            b = min(int(np.ceil(x[k + 1] - 0.5)), columns)
            if a >= b:
                continue
            left, right = a >> 3, (b - 1) >> 3
            head, tail = np.uint8(0xFF >> (a & 7)), np.uint8((0xFF << (7 - ((b - 1) & 7))) & 0xFF)
            if left == right:
                out[row, left] |= head & tail
            else:
                out[row, left] |= head
                for byte in range(left + 1, right):
                    out[row, byte] = 0xFF
                out[row, right] |= tail


@njit
def _cover(points: Any, starts: Any, fine: Any, share: Any) -> Any:
    """Add to each pixel the share of it that lies inside, exact along x, from `fine` lines a row along y."""
    rows, columns = share.shape
    first, x = _crossings(points, starts, float(fine), rows * fine)
    each = np.float32(1.0 / fine)
    for line in range(rows * fine):
        row = line // fine
        for k in range(first[line], first[line + 1] - 1, 2):
            a, b = max(x[k], 0.0), min(x[k + 1], float(columns))
            if a >= b:
                continue
            left, right = int(a), min(int(b), columns - 1)
            if left == right:
                share[row, left] += np.float32(b - a) * each
                continue
            share[row, left] += np.float32(left + 1 - a) * each
            for column in range(left + 1, right):
                share[row, column] += each
            share[row, right] += np.float32(b - right) * each
