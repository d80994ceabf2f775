"""The terrace: the piece of the batch check, a design of our own.

Three stairs, each with a closed top, a tunnel whose roof is a bridge, and its temperature on the riser. To the left and
right of them stands a slim post, so that every layer crosses the air. Small enough to be done in some ten minutes.
"""

from __future__ import annotations

from collections.abc import Sequence

from manifold3d import Manifold

from drumbo.core.piece import Part, Piece, Place, block, text_shape, union
from drumbo.core.piece.solids import along_y
from drumbo.trials.readings import Step

WIDE, TREAD, POST, AWAY = 24.0, 6.4, 3.2, 7.0
TUNNEL, TUNNEL_HIGH, TUNNEL_DEEP = 14.0, 1.6, 4.4
TUNNEL_FROM = 0.4
WIDTH = WIDE + 2 * (AWAY + POST)


def depth(stairs: int) -> float:
    """Of a terrace with so many stairs, mm."""
    return stairs * TREAD


def terrace(steps: Sequence[Step], rise_mm: float, foot_mm: float) -> Piece:
    """One stair a step, the first at the bottom and in front; heights are whole layers."""
    front, rear, top = -depth(len(steps)) / 2, depth(len(steps)) / 2, foot_mm + len(steps) * rise_mm
    parts = [
        Part("foot", block((-WIDE / 2, front, 0), (WIDE / 2, rear, foot_mm))),
        *(Part("post", block((x, -POST / 2, 0), (x + POST, POST / 2, top)))
          for x in (-WIDE / 2 - AWAY - POST, WIDE / 2 + AWAY)),
    ]  # fmt: skip
    places = []
    for step in steps:
        low, riser = foot_mm + step.index * rise_mm, front + step.index * TREAD
        parts.append(Part("mast", _stair(riser, rear, low, low + rise_mm)))
        text = rise_mm * 0.78
        digits = text_shape(step.label, text, 0.75).translate((-WIDE / 2 + 4.8, low + rise_mm / 2))
        parts.append(Part("digits", along_y(digits, riser - 0.5, riser + 0.3)))
        places.append(
            Place(step.index, step.value, step.label, (-WIDTH / 2, front, low), (WIDTH / 2, rear, low + rise_mm))
        )
    return Piece("Terrace", union(part.solid for part in parts), tuple(parts), tuple(places))


def _stair(riser: float, rear: float, low: float, high: float) -> Manifold:
    x1 = WIDE / 2 - 1.5
    tunnel = block(
        (x1 - TUNNEL, riser - 1, low + TUNNEL_FROM), (x1, riser + TUNNEL_DEEP, low + TUNNEL_FROM + TUNNEL_HIGH)
    )
    return block((-WIDE / 2, riser, low - 0.2), (WIDE / 2, rear, high)) - tunnel
