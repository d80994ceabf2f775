"""The gate: two posts with a lintel at every step, and its speed in digits on the left post."""

from collections.abc import Sequence

from drumbo.core.piece import Part, Piece, Place, block, text_shape, union
from drumbo.core.piece.solids import along_y
from drumbo.trials.readings import Step

POST, SPAN, DEEP, LINTEL, MARGIN = 16.0, 28.0, 8.0, 1.2, 4.0
WIDTH, DEPTH = 2 * POST + SPAN + 2 * MARGIN, DEEP + 2 * MARGIN


def gate(steps: Sequence[Step], step_mm: float, foot_mm: float) -> Piece:
    """First step at the bottom; both heights are whole layers."""
    y0, y1, half, top = -DEEP / 2, DEEP / 2, SPAN / 2, foot_mm + len(steps) * step_mm
    parts = [Part("foot", block((-WIDTH / 2, -DEPTH / 2, 0), (WIDTH / 2, DEPTH / 2, foot_mm)))]
    parts += [Part("mast", block((x, y0, foot_mm - 0.3), (x + POST, y1, top))) for x in (-half - POST, half)]
    places = []
    for step in steps:
        low, high = foot_mm + step.index * step_mm, foot_mm + (step.index + 1) * step_mm
        digits = text_shape(step.label, step_mm * 0.6, 1.0).translate((-half - POST / 2, low + step_mm / 2))
        parts.append(Part("rung", block((-half - 1, y0, high - LINTEL), (half + 1, y1, high))))
        parts.append(Part("digits", along_y(digits, y0 - 0.5, y0 + 0.3)))
        places.append(Place(step.index, step.value, step.label, (-WIDTH / 2, y0, low), (WIDTH / 2, y1, high)))
    return Piece("Gate", union(part.solid for part in parts), tuple(parts), tuple(places))
