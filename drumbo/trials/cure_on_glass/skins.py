"""The skins: patches on a pane of glass, a design of our own. Each carries its seconds, left open in its near half."""

from __future__ import annotations

from collections.abc import Sequence

from manifold3d import CrossSection

from drumbo.core.piece import Jaw, Part, Piece, Place, text_shape, union
from drumbo.trials.readings import Step

WIDE, DEEP, PITCH, ROW_PITCH = 11.0, 15.0, 13.0, 17.0
DIGITS_HIGH, STROKE = 4.2, 0.8
CUT = 1.6
SHOWN_MM = 0.3
"""How thick a skin is drawn; how thick it gets is what is to be found."""
ROWS = ("front", "middle", "rear")
JAW_MM = 4.0


def row_names(rows: int) -> tuple[str, ...]:
    """Names of so many rows, from the front."""
    return {1: ROWS[:1], 2: (ROWS[0], ROWS[2])}.get(rows, ROWS)


def size(count: int, rows: int) -> tuple[float, float]:
    """Width and depth of all, mm."""
    return ((count - 1) * PITCH + WIDE, (rows - 1) * ROW_PITCH + DEEP)


def middles(count: int, rows: int) -> list[list[tuple[float, float]]]:
    """Middle of every patch, by row from the front and by step from the left."""
    x0, y0 = -(count - 1) * PITCH / 2, -(rows - 1) * ROW_PITCH / 2
    return [[(x0 + k * PITCH, y0 + row * ROW_PITCH) for k in range(count)] for row in range(rows)]


def patch(label: str, middle: tuple[float, float]) -> CrossSection:
    """One patch: a card with two cut corners, its seconds left open."""
    w, d = WIDE / 2, DEEP / 2
    card = CrossSection([[(-w, -d), (w, -d), (w, d - CUT), (w - CUT, d), (-w + CUT, d), (-w, d - CUT)]])
    digits = text_shape(label, DIGITS_HIGH, STROKE)
    left, _, right, _ = digits.bounds()
    narrow = min(1.0, (WIDE - 2.2) / (right - left))
    return (card - digits.scale((narrow, 1.0)).translate((0, -d + 1.5 + DIGITS_HIGH / 2))).translate(middle)


def skins(steps: Sequence[Step], rows: int) -> Piece:
    """All patches as they are drawn, and where each is measured."""
    parts, places, jaws = [], [], []
    laid = middles(len(steps), rows)
    for step in steps:
        for key, row in zip(row_names(rows), laid, strict=True):
            x, y = row[step.index]
            solid = patch(step.label, (x, y)).extrude(SHOWN_MM)
            parts.append(Part("wall", solid))
            at = y + DEEP / 4
            jaws.append(Jaw("skin", step.index, key, (x - JAW_MM / 2, at), (x + JAW_MM / 2, at), 0.0, "skin"))
        (x, front), (_, rear) = laid[0][step.index], laid[-1][step.index]
        low, high = (x - WIDE / 2, front - DEEP / 2, 0.0), (x + WIDE / 2, rear + DEEP / 2, SHOWN_MM)
        places.append(Place(step.index, step.value, step.label, low, high, axis=0))
    return Piece("skins", union(p.solid for p in parts), tuple(parts), tuple(places), tuple(jaws))
