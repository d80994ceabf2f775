"""The feet: low slabs with a step around them and their seconds on top, a design of our own.

The step shows a flare at a glance: its lower edge should stand as far out as the upper one is drawn. A corner is cut,
so that a spatula finds its way.
"""

from __future__ import annotations

from collections.abc import Sequence

from manifold3d import CrossSection, Manifold

from drumbo.core.piece import Part, Piece, Place, text_shape, union
from drumbo.trials.readings import Step

WIDE, DEEP, PITCH, CUT, STEP_IN = 11.0, 16.0, 13.2, 2.6, 0.6
DIGITS_HIGH, STROKE, DIGITS_TALL, RISE = 4.6, 0.8, 0.6, 1.0


def feet(steps: Sequence[Step], base_mm: float) -> tuple[Piece, list[Manifold]]:
    """All feet, and each alone."""
    parts, places, alone = [], [], []
    x0 = -(len(steps) - 1) * PITCH / 2
    for step in steps:
        x = x0 + step.index * PITCH
        made = _foot(x, step.label, base_mm)
        parts += made
        alone.append(union(part.solid for part in made))
        low, high = (x - WIDE / 2, -DEEP / 2, 0.0), (x + WIDE / 2, DEEP / 2, base_mm + RISE + DIGITS_TALL)
        places.append(Place(step.index, step.value, step.label, low, high, axis=0))
    return Piece("feet", union(alone), tuple(parts), tuple(places)), alone


def _foot(x: float, label: str, base: float) -> list[Part]:
    digits = text_shape(label, DIGITS_HIGH, STROKE)
    left, _, right, _ = digits.bounds()
    narrow = min(1.0, (WIDE - 3) / (right - left))
    return [
        Part("foot", _slab(0.0).extrude(base).translate((x, 0, 0))),
        Part("wall", _slab(STEP_IN).extrude(RISE).translate((x, 0, base))),
        Part("digits", digits.scale((narrow, 1.0)).extrude(DIGITS_TALL + 0.2).translate((x, 0, base + RISE - 0.2))),
    ]


def _slab(inwards: float) -> CrossSection:
    w, d = WIDE / 2 - inwards, DEEP / 2 - inwards
    return CrossSection([[(-w, -d), (w - CUT, -d), (w, -d + CUT), (w, d), (-w, d)]])
