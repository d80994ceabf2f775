"""The row of pegs: the piece of the bond trial, a design of our own.

On a common plate stand stubs of the first material, each with a peg of the second on it. A peg has a broad head, so
that a loop of string holds beneath it; in front of each its temperature in digits.
"""

from __future__ import annotations

from collections.abc import Sequence

from manifold3d import Manifold

from drumbo.core.piece import Part, Piece, Place, block, raised_text, union
from drumbo.trials.readings import Step

PITCH, SIDE, STUB, PEG = 16.0, 8.0, 3.0, 12.0
"""From peg to peg, how broad they are, how high the stub is and how high the peg on it, mm."""
HEAD, HEAD_HIGH = 2.0, 3.0
"""By how much a head stands out on each side, and how high it is, mm; it widens at 45 degrees."""
PLATE, EDGE, DIGITS_HIGH, STROKE = 1.2, 4.0, 5.0, 0.9
DEEP = SIDE + 2 * EDGE + DIGITS_HIGH + 2


def size(count: int) -> tuple[float, float]:
    """How wide and deep the piece is, mm."""
    return count * PITCH, DEEP


def middle(count: int, index: int) -> tuple[float, float]:
    """Middle of a peg, mm."""
    return (index - (count - 1) / 2) * PITCH, (DEEP - SIDE) / 2 - EDGE


def joint_z(first_mm: float, layer_mm: float) -> float:
    """Where the two meet: on a whole layer, mm."""
    return first_mm + round((PLATE + STUB - first_mm) / layer_mm) * layer_mm


def row(steps: Sequence[Step], first_mm: float, layer_mm: float) -> Piece:
    """Plate, stubs, pegs and digits; a place is a peg, from the joint up."""
    count, joint = len(steps), joint_z(first_mm, layer_mm)
    wide = size(count)[0] / 2
    plate = first_mm + round((PLATE - first_mm) / layer_mm) * layer_mm
    parts = [Part("foot", block((-wide, -DEEP / 2, 0), (wide, DEEP / 2, plate)))]
    places = []
    for step in steps:
        x, y = middle(count, step.index)
        half, top = SIDE / 2, joint + PEG
        parts.append(Part("post", block((x - half, y - half, plate), (x + half, y + half, joint))))
        parts.append(Part("wing", _peg(x, y, joint)))
        at = (x, -DEEP / 2 + EDGE / 2 + DIGITS_HIGH / 2)
        text = raised_text(step.label, at, DIGITS_HIGH, STROKE, PITCH - 3, plate, plate + 2 * layer_mm)
        parts.append(Part("digits", text))
        places.append(
            Place(step.index, step.value, step.label, (x - PITCH / 2, -DEEP / 2, joint),
                  (x + PITCH / 2, DEEP / 2, top), axis=0))  # fmt: skip
    return Piece("row", union(part.solid for part in parts), tuple(parts), tuple(places))


def _peg(x: float, y: float, joint: float) -> Manifold:
    """A peg with its head, which widens step by step as it could be printed in the air."""
    half, neck = SIDE / 2, joint + PEG - HEAD_HIGH - HEAD
    boxes = [block((x - half, y - half, joint), (x + half, y + half, neck))]
    for k in range(8):
        out, low = HEAD * (k + 1) / 8, neck + HEAD * k / 8
        boxes.append(block((x - half - out, y - half, low), (x + half + out, y + half, neck + HEAD * (k + 1) / 8)))
    boxes.append(block((x - half - HEAD, y - half, neck + HEAD), (x + half + HEAD, y + half, joint + PEG)))
    return union(boxes)
