"""What is fine in the pictures of layers: parts and gaps, where they are and how wide. It knows no trial."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from drumbo.standins.eye import Box
from drumbo.standins.resin.thing import Cured, DoseField

Bits = NDArray[np.bool_]

FINE_MM = 0.8
"""Pins, fins and gaps no wider than this are what an eye looks at."""
LEAST_PX = 2
COARSE_MM = 4.0
"""Parts wider and deeper than this are no fine features, whatever their shape."""


@dataclass(frozen=True, slots=True)
class LitSpot:
    """A fine feature of one layer: its most inner point, mm, its width there, and how much it covers, mm²."""

    x: float
    y: float
    width_mm: float
    area_mm2: float


def windows(thing: Cured, numbers: Sequence[int], box: Box) -> tuple[list[Bits], float, float]:
    """What of layers was to be lit within a box, and the left and rear edge of what is shown, mm: no more of the box
    than what any of them lights, with a dark pixel around it where the box has one.
    """
    (x0, y0, _), (x1, y1, _) = box
    wide, deep = thing.screen.size_mm
    x0, x1, y0, y1 = max(x0, -wide / 2), min(x1, wide / 2), max(y0, -deep / 2), min(y1, deep / 2)
    pixel = thing.screen.pixel_mm
    left, right = round((x0 + wide / 2) / pixel), round((x1 + wide / 2) / pixel)
    top, low = round((deep / 2 - y1) / pixel), round((deep / 2 - y0) / pixel)
    lit = [found for found in (thing.lit(number) for number in numbers) if found is not None]
    if lit:
        left = max(left, min(f.column for f in lit) - 1)
        right = min(right, max(f.column + f.seconds.shape[1] for f in lit) + 1)
        top = max(top, min(f.row for f in lit) - 1)
        low = min(low, max(f.row + f.seconds.shape[0] for f in lit) + 1)
    shape = (max(low - top, 1), max(right - left, 1))
    shown = [_shown(thing.lit(number), top, left, shape) for number in numbers]
    return shown, left * pixel - wide / 2, deep / 2 - top * pixel


def _shown(found: DoseField | None, top: int, left: int, shape: tuple[int, int]) -> Bits:
    """(shape) pixels that are lit by more than half of the brightest of them."""
    out = np.zeros(shape, dtype=bool)
    if found is None:
        return out
    high, broad = found.seconds.shape
    rows = max(top, found.row), min(top + shape[0], found.row + high)
    columns = max(left, found.column), min(left + shape[1], found.column + broad)
    if rows[0] < rows[1] and columns[0] < columns[1]:
        part = found.seconds[rows[0] - found.row : rows[1] - found.row,
                             columns[0] - found.column : columns[1] - found.column]  # fmt: skip
        out[rows[0] - top : rows[1] - top, columns[0] - left : columns[1] - left] = part > 0.5 * max(part.max(), 1e-6)
    return out


def spots(bits: Bits, left_mm: float, rear_mm: float, pixel_mm: float) -> list[LitSpot]:
    """Parts that hang together, each with its widest place."""
    return numbered(ndimage.label(bits)[0], left_mm, rear_mm, pixel_mm)


def numbered(labels: NDArray[np.int32], left_mm: float, rear_mm: float, pixel_mm: float) -> list[LitSpot]:
    """The same of parts that are numbered from 1."""
    found = []
    for place, where in enumerate(ndimage.find_objects(labels), start=1):
        if where is None:
            continue
        rows, columns = where
        mine = labels[rows, columns] == place
        area = int(mine.sum())
        if area < LEAST_PX:
            continue
        if min(mine.shape) * pixel_mm > COARSE_MM:
            x, y = (
                left_mm + (columns.start + columns.stop) / 2 * pixel_mm,
                rear_mm - (rows.start + rows.stop) / 2 * pixel_mm,
            )
            found.append(LitSpot(x, y, min(mine.shape) * pixel_mm, area * pixel_mm**2))
            continue
        deep = ndimage.distance_transform_edt(np.pad(mine, 1))[1:-1, 1:-1]
        row, column = np.unravel_index(int(deep.argmax()), deep.shape)
        width = min(_run(mine[row], int(column)), _run(mine[:, column], int(row))) * pixel_mm
        x = left_mm + (columns.start + column + 0.5) * pixel_mm
        y = rear_mm - (rows.start + row + 0.5) * pixel_mm
        found.append(LitSpot(x, y, width, area * pixel_mm**2))
    return found


def _run(line: Bits, at: int) -> int:
    """How many set pixels in a row the one at a place belongs to."""
    gaps = np.flatnonzero(~line)
    before, after = gaps[gaps < at], gaps[gaps > at]
    return int((after[0] if len(after) else len(line)) - (before[-1] + 1 if len(before) else 0))


def islands(thing: Cured, number: int, box: Box) -> list[LitSpot]:
    """Fine parts of a layer within a box."""

    def find() -> list[LitSpot]:
        (bits,), left, rear = windows(thing, [number], box)
        return [s for s in spots(bits, left, rear, thing.screen.pixel_mm) if s.width_mm <= FINE_MM]

    return _once(thing, "islands", number, box, find)


def gaps(thing: Cured, number: int, box: Box) -> list[LitSpot]:
    """Fine gaps of a layer that are closed all round within a box."""

    def find() -> list[LitSpot]:
        (bits,), left, rear = windows(thing, [number], box)
        labels, count = ndimage.label(~bits)
        closed = np.ones(count + 1, dtype=bool)
        for border in (labels[0], labels[-1], labels[:, 0], labels[:, -1]):
            closed[border] = False
        inside = np.where(closed[labels], labels, 0)
        return [s for s in numbered(inside, left, rear, thing.screen.pixel_mm) if s.width_mm <= FINE_MM]

    return _once(thing, "gaps", number, box, find)


def _once(thing: Cured, what: str, number: int, box: Box, find: Callable[[], list[LitSpot]]) -> list[LitSpot]:
    """What was looked for in one picture before need not be looked for again."""
    (x0, y0, _), (x1, y1, _) = box
    key = (what, thing.which[number], x0, y0, x1, y1)
    if key not in thing.seen:
        thing.seen[key] = find()
    return thing.seen[key]
