"""The strip: a set of leaves for each light, with its seconds in front; a design of our own."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from manifold3d import Manifold

from drumbo.core.piece import Jaw, Part, Piece, Place, block, raised_text, union
from drumbo.trials.readings import Step
from drumbo.trials.toolkit import leaves

DIGITS_HIGH, STROKE, DIGITS_TALL = 3.4, 0.6, 0.6
EDGE, APART, FRONT = 1.0, 4.0, 5.4
PITCH = leaves.WIDE + 2 * EDGE + APART
WIDE = leaves.WIDE + 2 * EDGE
DEEP = FRONT + leaves.DEEP + EDGE


def strip(steps: Sequence[Step], base_mm: float, snap: Callable[[float], float]) -> tuple[Piece, list[Manifold]]:
    """All sets side by side, and each alone."""
    parts: list[Part] = []
    jaws: list[Jaw] = []
    places, alone = [], []
    x0, front = -(len(steps) - 1) * PITCH / 2 - WIDE / 2, -DEEP / 2
    for step in steps:
        left = snap(x0 + step.index * PITCH)
        made = leaves.leaf_set(step.index, left + EDGE, front + FRONT, base_mm, snap)
        at, top = (left + WIDE / 2, front + FRONT / 2), base_mm + DIGITS_TALL
        mine = [
            Part("foot", block((left, front, 0), (left + WIDE, front + DEEP, base_mm))),
            Part("digits", raised_text(step.label, at, DIGITS_HIGH, STROKE, WIDE - 2, base_mm - 0.2, top)),
            *made.parts,
        ]
        parts += mine
        alone.append(union(part.solid for part in mine))
        jaws += made.jaws
        low, high = (left, front, 0.0), (left + WIDE, front + DEEP, base_mm + leaves.HIGH)
        places.append(Place(step.index, step.value, step.label, low, high, axis=0))
    return Piece("leaves", union(alone), tuple(parts), tuple(places), tuple(jaws)), alone
