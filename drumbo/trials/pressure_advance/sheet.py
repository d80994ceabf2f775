"""The sheet: the piece of the pressure-advance trial, a design of our own.

On a thin plate, which evens out a poor first layer, winds one line from left to right: up, around a sharp gable, down,
around another. Every leg has its own value and goes slow, fast and slow again: as many values as straight stretches,
for it is the plate that takes time. A leg's value stands in raised digits where it begins: below those that go up,
above those that go down. Where the head pulls away and where it brakes is at the same two heights for all of them,
between fine ticks of the plate's edge. Between legs the plate is open: a whole one would take longer than all else.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from manifold3d import Manifold
from numpy.typing import NDArray

from drumbo.core.piece import Jaw, Part, Piece, Place, block, raised_text, ribbon, union
from drumbo.trials.readings import Step

Floats = NDArray[np.float64]

PITCH = 7.0
SLOW, FAST, GABLE = 10.0, 28.0, 4.0
MARGIN, SHELF = 3.5, 10.0
"""Plate beside the outer legs, and beyond the ends of all legs: there lie gables, and the digits beyond them, mm."""
DEPTH = 2 * SLOW + FAST + 2 * SHELF
OFF_SHELF = 1.0
"""So far the shelves reach under the legs, mm."""
DIGITS_HIGH, STROKE = 4.2, 0.9
TICK = 1.6
JAW_REACH = 1.2
SITES = (("brakes", "where it brakes", 0.8), ("slow", "at the slow end", SLOW - 1.5))
"""Where a leg's width may be measured: key, name, and mm past where the head begins to brake."""


@dataclass(frozen=True, slots=True)
class Stretch:
    """Part of a leg and whether it is driven fast."""

    points: Floats
    fast: bool


def width_mm(count: int) -> float:
    """Of a sheet with so many legs, and room for the digits of the outer ones."""
    return (count + 1) * PITCH + 2 * MARGIN


def _middle(index: int, count: int) -> float:
    return (index - (count - 1) / 2) * PITCH


def levels(index: int = 0) -> tuple[float, float, float, float]:
    """y where a leg begins, where it gets fast, where it brakes, and where it ends: every other one goes down.

    >>> levels(0), levels(1)
    ((-24.0, -14.0, 14.0, 24.0), (24.0, 14.0, -14.0, -24.0))
    """
    way = -1 if index % 2 else 1
    return -way * (SLOW + FAST / 2), -way * FAST / 2, way * FAST / 2, way * (SLOW + FAST / 2)


def leg(index: int, count: int) -> tuple[Stretch, ...]:
    """A leg's stretches in the order of printing, from the top of the gable before it to the top of the next one."""
    x, (y0, y1, y2, y3) = _middle(index, count), levels(index)
    out = math.copysign(GABLE, y3)

    def stretch(fast: bool, *points: tuple[float, float]) -> Stretch:
        return Stretch(np.array(points), fast)

    return (
        stretch(True, (x - PITCH / 2, y0 - out), (x, y0)),
        stretch(False, (x, y0), (x, y1)),
        stretch(True, (x, y1), (x, y2)),
        stretch(False, (x, y2), (x, y3)),
        stretch(True, (x, y3), (x + PITCH / 2, y3 + out)),
    )


def plate(steps: Sequence[Step], base_mm: float, layer_mm: float, bar_mm: float) -> list[Part]:
    """The plate, its ticks and digits: all that is printed as a solid. Where it is open a bar carries each leg."""
    wide = width_mm(len(steps))
    parts = [Part("foot", _grate(len(steps), base_mm, bar_mm))]
    low, high = base_mm - layer_mm / 2, base_mm + layer_mm
    for step in steps:
        begins = levels(step.index)[0]
        at = (_middle(step.index, len(steps)), begins + math.copysign(GABLE + 0.8 + DIGITS_HIGH / 2, begins))
        parts.append(Part("digits", raised_text(step.label, at, DIGITS_HIGH, STROKE, 2 * PITCH - 2.2, low, high)))
    for side in (-1, 1):
        edge = side * wide / 2
        for level in levels()[1:3]:
            x0, x1 = sorted((edge, edge - side * TICK))
            parts.append(Part("rung", block((x0, level - 0.6, low), (x1, level + 0.6, high))))
    return parts


def _grate(count: int, high: float, bar_mm: float) -> Manifold:
    """The plate beneath lines and digits: open between the legs."""
    wide, open_to = width_mm(count), SLOW + FAST / 2 - OFF_SHELF
    whole = block((-wide / 2, -DEPTH / 2, 0), (wide / 2, DEPTH / 2, high))
    runs = [_middle(i, count) for i in range(count)]
    return whole - union(
        block((a + bar_mm / 2, -open_to, -1), (b - bar_mm / 2, open_to, high + 1)) for a, b in pairwise(runs)
    )


def sheet(steps: Sequence[Step], base_mm: float, layer_mm: float, line_mm: float, bar_mm: float) -> Piece:
    """The whole piece as a solid, for its mesh and its drawing."""
    parts, places, jaws = plate(steps, base_mm, layer_mm, bar_mm), [], []
    reach = SLOW + FAST / 2 + GABLE + 0.3
    for step in steps:
        stretches = leg(step.index, len(steps))
        solid = union(ribbon(one.points, line_mm, base_mm - layer_mm / 2, base_mm + layer_mm) for one in stretches)
        parts.append(Part("wall", solid))
        x, half = _middle(step.index, len(steps)), PITCH / 2
        low, high = (x - half, -reach, base_mm), (x + half, reach, base_mm + layer_mm)
        places.append(Place(step.index, step.value, step.label, low, high, axis=0))
        jaws += _jaws(step.index, x, base_mm + layer_mm / 2)
    return Piece("sheet", union(p.solid for p in parts), tuple(parts), tuple(places), tuple(jaws))


def _jaws(step: int, x: float, z: float) -> list[Jaw]:
    _, _, brakes, ends = levels(step)
    return [
        Jaw("width", step, key, (x - JAW_REACH, y), (x + JAW_REACH, y), z, "magnifier")
        for key, _, past in SITES
        for y in [brakes + math.copysign(past, ends)]
    ]
