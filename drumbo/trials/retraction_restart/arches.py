"""The arches: the piece of the trial of restarts and coasting, a design of our own.

A row of arches seen from above, each one road thick. Every layer of an arch starts at its left foot and ends at its
right one, well apart, so that blobs and gaps of starts and of ends are not mistaken for each other. Before each lies
its value in raised digits.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from drumbo.core.piece import Part, Piece, Place, block, raised_text, ribbon, union
from drumbo.trials.readings import Step

Floats = NDArray[np.float64]

PITCH, SPAN, LONG, SHOULDER = 14.5, 8.0, 15.0, 3.0
MARGIN, SHELF = 3.5, 8.5
DEPTH = LONG + SHELF + 2 * MARGIN
DIGITS_HIGH, STROKE = 4.4, 0.9
DIGIT_LAYERS = 2


def width_mm(count: int) -> float:
    """Of a plate with so many arches."""
    return count * PITCH + 2 * MARGIN


def line(index: int, count: int) -> Floats:
    """(6, 2) the road of one arch, from its left foot over its shoulders to its right one."""
    x, y0 = _middle(index, count), -DEPTH / 2 + MARGIN + SHELF
    y1, half = y0 + LONG, SPAN / 2
    return np.array([
        (x - half, y0), (x - half, y1 - SHOULDER), (x - half + SHOULDER, y1),
        (x + half - SHOULDER, y1), (x + half, y1 - SHOULDER), (x + half, y0),
    ])  # fmt: skip


def _middle(index: int, count: int) -> float:
    return (index - (count - 1) / 2) * PITCH


def plate(steps: Sequence[Step], base_mm: float, layer_mm: float) -> list[Part]:
    """The plate and its digits: all that is printed as a solid."""
    wide = width_mm(len(steps))
    parts = [Part("foot", block((-wide / 2, -DEPTH / 2, 0), (wide / 2, DEPTH / 2, base_mm)))]
    for step in steps:
        at = (_middle(step.index, len(steps)), -DEPTH / 2 + MARGIN + SHELF / 2 - 1)
        low, high = base_mm - layer_mm / 2, base_mm + DIGIT_LAYERS * layer_mm
        parts.append(Part("digits", raised_text(step.label, at, DIGITS_HIGH, STROKE, PITCH - 2.5, low, high)))
    return parts


def arches(steps: Sequence[Step], base_mm: float, layer_mm: float, road_mm: float, high_mm: float) -> Piece:
    """The whole piece as a solid, for its mesh and its drawing."""
    parts, places = plate(steps, base_mm, layer_mm), []
    for step in steps:
        road = line(step.index, len(steps))
        parts.append(Part("wall", ribbon(road, road_mm, base_mm - layer_mm / 2, base_mm + high_mm)))
        (x0, y0), (x1, y1) = road.min(axis=0) - 2.0, road.max(axis=0) + 2.0
        low, high = (float(x0), float(y0), base_mm), (float(x1), float(y1), base_mm + high_mm)
        places.append(Place(step.index, step.value, step.label, low, high, axis=0))
    return Piece("arches", union(p.solid for p in parts), tuple(parts), tuple(places))
