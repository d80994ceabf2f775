"""The sheet: the piece of the pressure-advance trial, a design of our own.

On a thin plate, which evens out a poor first layer, lies one drawn road a value: up slowly, fast, slowly; around a
sharp gable at full speed; and down again slowly, fast, slowly. Where the head brakes and where it pulls away is at the
same height for all of them, between fine ticks of the plate's edge. Below each lies its value in raised digits. Between
roads it is open: a whole plate would take longer than all else.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from manifold3d import Manifold
from numpy.typing import NDArray

from drumbo.core.piece import Jaw, Part, Piece, Place, block, raised_text, ribbon, union
from drumbo.trials.readings import Step

Floats = NDArray[np.float64]

PITCH, APART = 14.0, 6.0
SLOW, FAST, GABLE = 10.0, 28.0, 6.0
MARGIN, SHELF = 3.5, 8.0
DEPTH = 2 * SLOW + FAST + GABLE + SHELF + 2 * MARGIN
BAR, WHOLE = 2.6, 3.0
"""Width of the bar under a line where the plate is open, and how far before the braking the plate is whole, mm."""
DIGITS_HIGH, STROKE = 4.2, 0.9
TICK = 1.6
JAW_REACH = 1.2
SITES = (("brakes", "where it brakes", 0.8), ("slow", "at the slow end", SLOW - 1.5))
"""Where a road's width may be measured on its way up: key, name, and mm past where the head begins to brake."""


@dataclass(frozen=True, slots=True)
class Leg:
    """One stretch of a road and whether it is driven fast."""

    points: Floats
    fast: bool


def width_mm(count: int) -> float:
    """Of a sheet with so many roads."""
    return count * PITCH + 2 * MARGIN


def _middle(index: int, count: int) -> float:
    return (index - (count - 1) / 2) * PITCH


def levels() -> tuple[float, float, float, float]:
    """y where a road begins, where it gets fast, where it brakes, and where the gable begins."""
    y = -DEPTH / 2 + MARGIN + SHELF
    return y, y + SLOW, y + SLOW + FAST, y + 2 * SLOW + FAST


def legs(index: int, count: int) -> tuple[Leg, ...]:
    """A road's stretches, in the order of printing."""
    x = _middle(index, count)
    left, right = x - APART / 2, x + APART / 2
    y0, y1, y2, y3 = levels()

    def leg(fast: bool, *points: tuple[float, float]) -> Leg:
        return Leg(np.array(points), fast)

    return (
        leg(False, (left, y0), (left, y1)),
        leg(True, (left, y1), (left, y2)),
        leg(False, (left, y2), (left, y3)),
        leg(True, (left, y3), (x, y3 + GABLE), (right, y3)),
        leg(False, (right, y3), (right, y2)),
        leg(True, (right, y2), (right, y1)),
        leg(False, (right, y1), (right, y0)),
    )


def plate(steps: Sequence[Step], base_mm: float, layer_mm: float) -> list[Part]:
    """The plate, its ticks and digits: all that is printed as a solid."""
    wide = width_mm(len(steps))
    parts = [Part("foot", _grate(len(steps), base_mm))]
    for step in steps:
        at = (_middle(step.index, len(steps)), -DEPTH / 2 + MARGIN + SHELF / 2 - 1)
        low, high = base_mm - layer_mm / 2, base_mm + layer_mm
        parts.append(Part("digits", raised_text(step.label, at, DIGITS_HIGH, STROKE, PITCH - 2.2, low, high)))
    for side in (-1, 1):
        edge = side * wide / 2
        for level in levels()[1:3]:
            x0, x1 = sorted((edge, edge - side * TICK))
            parts.append(
                Part("rung", block((x0, level - 0.6, base_mm - layer_mm / 2), (x1, level + 0.6, base_mm + layer_mm)))
            )
    return parts


def _grate(count: int, high: float) -> Manifold:
    """The plate beneath lines and digits: open between the fast stretches, whole where widths are read."""
    wide, (y0, _, y2, _) = width_mm(count), levels()
    whole = block((-wide / 2, -DEPTH / 2, 0), (wide / 2, DEPTH / 2, high))
    runs = sorted(_middle(i, count) + side * APART / 2 for i in range(count) for side in (-1, 1))
    return whole - union(block((a + BAR / 2, y0, -1), (b - BAR / 2, y2 - WHOLE, high + 1)) for a, b in pairwise(runs))


def sheet(steps: Sequence[Step], base_mm: float, layer_mm: float, road_mm: float) -> Piece:
    """The whole piece as a solid, for its mesh and its drawing."""
    parts, places, jaws = plate(steps, base_mm, layer_mm), [], []
    for step in steps:
        roads = legs(step.index, len(steps))
        solid = union(ribbon(leg.points, road_mm, base_mm - layer_mm / 2, base_mm + layer_mm) for leg in roads)
        parts.append(Part("wall", solid))
        half = PITCH / 2 - 0.6
        x, (y0, _, _, y3) = _middle(step.index, len(steps)), levels()
        low, high = (x - half, y0 - 1.0, base_mm), (x + half, y3 + GABLE + 1.0, base_mm + layer_mm)
        places.append(Place(step.index, step.value, step.label, low, high, axis=0))
        jaws += _jaws(step.index, x - APART / 2, base_mm + layer_mm / 2)
    return Piece("sheet", union(p.solid for p in parts), tuple(parts), tuple(places), tuple(jaws))


def _jaws(step: int, x: float, z: float) -> list[Jaw]:
    _, _, brakes, _ = levels()
    return [
        Jaw("width", step, key, (x - JAW_REACH, brakes + past), (x + JAW_REACH, brakes + past), z)
        for key, _, past in SITES
    ]
