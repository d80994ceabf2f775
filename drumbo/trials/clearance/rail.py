"""The rail: the piece of the clearance trial, a design of our own.

A bar with a row of equal holes; before each stands its pin on a six-sided grip, thinner than the hole by the gap that
lies between them in digits. Take a pin by its grip and try it in the hole behind it. Holes widen at the plate, so that
a foot does not spoil the fit.
"""

from __future__ import annotations

from collections.abc import Sequence

from manifold3d import Manifold

from drumbo.core.piece import Part, Piece, Place, block, raised_text, union
from drumbo.trials.readings import Step

PITCH, DEEP, HIGH = 13.0, 17.0, 5.0
HOLE = 7.0
CORNERS = 40
GRIP, GRIP_HIGH, SHAFT_HIGH = 9.0, 2.4, 6.6
AWAY = 4.0
"""Free way between the bar and the grips, mm."""
DIGITS, STROKE, RISE = 4.4, 0.85, 0.6
FLARE = 0.5

DEPTH = DEEP + AWAY + GRIP


def width_mm(steps: int) -> float:
    """Of a rail with so many holes."""
    return steps * PITCH


def rail(steps: Sequence[Step]) -> Piece:
    """One hole and its pin a step, the tightest at the left."""
    left, rear = -width_mm(len(steps)) / 2, DEPTH / 2
    front = rear - DEEP
    bar = block((left, front, 0), (-left, rear, HIGH))
    pins, labels, places = [], [], []
    for step in steps:
        x0 = left + step.index * PITCH
        middle = x0 + PITCH / 2
        bar -= _hole(middle, rear - 5.7)
        pins.append(_pin(middle, front - AWAY - GRIP / 2, HOLE / 2 - step.value))
        labels.append(
            raised_text(step.label, (middle, front + 4.0), DIGITS, STROKE, PITCH - 2.5, HIGH - 0.1, HIGH + RISE)
        )
        high = GRIP_HIGH + SHAFT_HIGH
        places.append(
            Place(step.index, step.value, step.label, (x0, -DEPTH / 2, 0.0), (x0 + PITCH, rear, high), axis=0)
        )
    parts = (Part("foot", bar), Part("pad", union(pins)), Part("digits", union(labels)))
    return Piece("Rail", union(part.solid for part in parts), parts, tuple(places))


def _hole(x: float, y: float) -> Manifold:
    hole = Manifold.cylinder(HIGH + 2, HOLE / 2, HOLE / 2, circular_segments=CORNERS).translate((x, y, -1))
    flare = Manifold.cylinder(1.2, HOLE / 2 + FLARE + 0.1, HOLE / 2 - 0.1, circular_segments=CORNERS)
    return hole + flare.translate((x, y, -0.2))


def _pin(x: float, y: float, radius: float) -> Manifold:
    grip = Manifold.cylinder(GRIP_HIGH, GRIP / 2, GRIP / 2, circular_segments=6).translate((x, y, 0))
    shaft = Manifold.cylinder(SHAFT_HIGH, radius, radius, circular_segments=CORNERS)
    return grip + shaft.translate((x, y, GRIP_HIGH - 0.01))
