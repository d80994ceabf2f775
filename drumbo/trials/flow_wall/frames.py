"""The frames: the piece of the flow trial by wall, a design of our own.

Two eight-cornered rings stand side by side on one plate, the left one road thick, the right one two. Before each lies
the width that it should have, in raised digits. Long straight sides take the jaws; the cut corners keep the
nozzle from braking hard between them.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import product

import numpy as np
from manifold3d import CrossSection, FillRule, Manifold
from numpy.typing import NDArray

from drumbo.core.piece import Part, Piece, Place, block, text_shape, union
from drumbo.core.piece.piece import Jaw

Floats = NDArray[np.float64]

SIDE, CUT, APART, MARGIN, SHELF = 26.0, 6.0, 8.0, 4.0, 9.0
WIDTH = 2 * SIDE + APART + 2 * MARGIN
DEPTH = SIDE + SHELF + 2 * MARGIN
DIGITS_HIGH, STROKE = 5.0, 1.0
DIGIT_LAYERS = 3
JAW_REACH = 2.0
SIDES = ("front", "right", "rear", "left")
HEIGHTS = ("low", "middle", "high")


def middles() -> tuple[tuple[float, float], tuple[float, float]]:
    """Middle of either ring, mm."""
    y = DEPTH / 2 - MARGIN - SIDE / 2
    return ((-(SIDE + APART) / 2, y), ((SIDE + APART) / 2, y))


def ring(middle: tuple[float, float], inwards_mm: float) -> Floats:
    """(9, 2) closed line of a ring's road, whose middle lies `inwards_mm` inside of the outermost edge."""
    half, cut = SIDE / 2 - inwards_mm, CUT - inwards_mm * 0.586
    x, y = middle
    corners = [
        (-half + cut, half), (-half, half - cut), (-half, -half + cut), (-half + cut, -half),
        (half - cut, -half), (half, -half + cut), (half, half - cut), (half - cut, half), (-half + cut, half),
    ]  # fmt: skip
    return np.asarray(np.array(corners) + np.array([x, y]))


def plate(widths: Sequence[float], labels: Sequence[str], base_mm: float, layer_mm: float) -> list[Part]:
    """The plate and what is written on it: all that is printed as a solid."""
    parts = [Part("foot", block((-WIDTH / 2, -DEPTH / 2, 0), (WIDTH / 2, DEPTH / 2, base_mm)))]
    for (x, _), label in zip(middles(), labels, strict=True):
        raised = text_shape(label, DIGITS_HIGH, STROKE).extrude((DIGIT_LAYERS + 0.5) * layer_mm)
        parts.append(Part("digits", raised.translate((x, -DEPTH / 2 + MARGIN + SHELF / 2 - 1, base_mm - layer_mm / 2))))
    return parts


def frames(
    widths: Sequence[float], labels: Sequence[str], base_mm: float, layer_mm: float, wall_mm: float, heights: int
) -> Piece:
    """The whole piece as a solid, for its mesh and its drawing; walls as wide as they should be."""
    parts = plate(widths, labels, base_mm, layer_mm)
    top = base_mm + wall_mm
    places, jaws = [], []
    for index, (middle, width, label) in enumerate(zip(middles(), widths, labels, strict=True)):
        parts.append(Part("wall", _ring_solid(middle, width, base_mm - layer_mm / 2, top)))
        x, y = middle
        half = SIDE / 2
        places.append(Place(index, width, label, (x - half, y - half, base_mm), (x + half, y + half, top), axis=0))
        jaws += _jaws(index, middle, width, base_mm, wall_mm, heights)
    return Piece("frames", union(p.solid for p in parts), tuple(parts), tuple(places), tuple(jaws))


def _ring_solid(middle: tuple[float, float], width: float, low: float, top: float) -> Manifold:
    outer, inner = (CrossSection([ring(middle, inwards)[:-1]], FillRule.NonZero) for inwards in (0.0, width))
    return (outer - inner).extrude(top - low).translate((0, 0, low))


def site_keys(heights: int) -> list[tuple[str, str]]:
    """(key, name) of every place to measure at a ring: each side at so many heights."""
    names = ("low", "high") if heights < len(HEIGHTS) else HEIGHTS
    return [(f"{side}-{name}", f"{side}, {name}") for name, side in product(names, SIDES)]


def _jaws(
    step: int, middle: tuple[float, float], width: float, base_mm: float, wall_mm: float, heights: int
) -> list[Jaw]:
    x, y = middle
    at, reach = SIDE / 2 - width / 2, width / 2 + JAW_REACH
    ends = {
        "front": ((x, y - at - reach), (x, y - at + reach)),
        "right": ((x + at + reach, y), (x + at - reach, y)),
        "rear": ((x, y + at + reach), (x, y + at - reach)),
        "left": ((x - at - reach, y), (x - at + reach, y)),
    }
    levels = np.linspace(0.25, 0.85, heights) * wall_mm + base_mm
    keys = iter(site_keys(heights))
    return [Jaw("width", step, next(keys)[0], *ends[side], float(level)) for level, side in product(levels, SIDES)]
