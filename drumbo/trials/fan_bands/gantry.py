"""The gantry: the piece of the cooling trial, a design of our own.

From left to right each band has a thin plate with its fan share in raised digits; a short bridge to a first post; a
long bridge to a second one; and a wing that leans out ever further, in three slopes. On the short bridge of the band
below stands a head on a thin neck, to be snapped; on the long one a slim tip. All of it is light, so that a layer is
soon done: what stays soft then, shows.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

from manifold3d import Manifold

from drumbo.core.piece import Part, Piece, Place, block, prism, text_shape, union
from drumbo.core.piece.solids import along_y, cone
from drumbo.trials.readings import Step

DEEP, PLATE, THIN = 5.0, 15.0, 2.2
SHORT, LONG, POST = 9.0, 22.0, 4.0
SLOPES = ((45.0, 2.2), (55.0, 2.2), (65.0, 2.2))
"""Lean from upright, degrees, and how far each goes out, mm; the mildest lowest."""
LIP, RUNG, SEAM = 0.8, 1.2, 0.3
NECK, HEAD = 2.2, 3.4
MARGIN = 4.0

_OUT = sum(out for _, out in SLOPES)
WIDTH = PLATE + SHORT + POST + LONG + POST + _OUT + 2 * MARGIN
DEPTH = DEEP + 2 * (MARGIN + 2)
_LEFT = -WIDTH / 2 + MARGIN
_FIRST = _LEFT + PLATE + SHORT
_SECOND = _FIRST + POST + LONG


def gantry(steps: Sequence[Step], band_mm: float, foot_mm: float) -> Piece:
    """One band a step, the first at the bottom; both heights are whole layers."""
    y0, y1 = -DEEP / 2, DEEP / 2
    parts = [Part("foot", block((-WIDTH / 2, -DEPTH / 2, 0), (WIDTH / 2, DEPTH / 2, foot_mm)))]
    places = []
    for step in steps:
        z = foot_mm + step.index * band_mm
        parts += _band(z, band_mm, y0, y1, step.label)
        places.append(Place(step.index, step.value, step.label, (-WIDTH / 2, y0, z), (WIDTH / 2, y1, z + band_mm)))
    order = {"foot": 0, "wing": 1, "mast": 2, "rung": 3, "needle": 4, "post": 5, "digits": 6}
    parts.sort(key=lambda part: order[part.look])
    return Piece("Gantry", union(part.solid for part in parts), tuple(parts), tuple(places))


def _band(z: float, high: float, y0: float, y1: float, label: str) -> list[Part]:
    top, plate = z + high, _LEFT + PLATE
    text = high * 0.6
    digits = text_shape(label, text, min(1.1, text * 0.18)).translate((_LEFT + PLATE / 2, z + high / 2))
    return [
        Part("mast", block((_LEFT, y0, z - SEAM), (plate, y0 + THIN, top))),
        Part("mast", block((_FIRST, y0, z - SEAM), (_FIRST + POST, y1, top))),
        Part("mast", block((_SECOND, y0, z - SEAM), (_SECOND + POST, y1, top))),
        Part("wing", _wing(top, y0, y1)),
        Part("rung", block((plate - 1.5, y0, top - RUNG), (_FIRST + 1, y0 + THIN + 0.6, top))),
        Part("rung", block((_FIRST + POST - 1, y0, top - RUNG), (_SECOND + 1, y1, top))),
        Part("post", _head(plate + SHORT / 2, y0 + (THIN + 0.6) / 2, z, high)),
        Part("needle", cone(_FIRST + POST + LONG * 0.42, 0.0, z - SEAM, top - RUNG - 1.4, 1.7, 0.8)),
        Part("digits", along_y(digits, y0 - 0.5, y0 + 0.3)),
    ]


def _wing(top: float, y0: float, y1: float) -> Manifold:
    """Three slopes, one above the other, the mildest lowest, ending in a lip at the band's top."""
    x = _SECOND + POST
    rises = [out / math.tan(math.radians(lean)) for lean, out in SLOPES]
    points = [(x - 0.5, top - LIP - sum(rises) - 0.5), (x, top - LIP - sum(rises))]
    for (_, out), rise in zip(SLOPES, rises, strict=True):
        points.append((points[-1][0] + out, points[-1][1] + rise))
    return prism([*points, (points[-1][0], top), (x - 0.5, top)], y0, y1)


def _head(x: float, y: float, z: float, high: float) -> Manifold:
    """A head on a thin neck; how hard it is to snap tells how well layers hold."""
    neck_top = z + 0.3 * high
    half, wide = NECK / 2, HEAD / 2
    outline = [
        (x - half, z - SEAM), (x + half, z - SEAM), (x + half, neck_top), (x + wide, neck_top + 0.7),
        (x + wide, neck_top + 1.8), (x - wide, neck_top + 1.8), (x - wide, neck_top + 0.7), (x - half, neck_top),
    ]  # fmt: skip
    return prism(outline, y - half, y + half)
