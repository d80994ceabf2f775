"""The trestle: the piece of the proof, a design of our own.

A plate, square at one end and round at the other, with a bore; on it two legs that carry a deck, so that its underside
is a bridge. The left leg goes on upwards as a post; on the deck's other end, a long travel away, stand two slim tips.
From the right leg a wing leans out; beside the left one stands a thin wall with a window. The deck's closed top carries
the profile's nozzle temperature in raised digits. The post is stout, so that even the tips' layers take their time.
"""

from __future__ import annotations

import numpy as np
from manifold3d import CrossSection, FillRule, Manifold

from drumbo.core.piece import Jaw, Part, Piece, Place, block, prism, raised_text, union
from drumbo.core.piece.solids import cone

LONG, BROAD, THICK = 44.0, 22.0, 2.4
LEG, DEEP, SPAN = 6.0, 16.0, 18.0
DECK_LOW, DECK_HIGH = 10.0, 12.4
TIP_HIGH, TIP_FOOT, TIP_END = 7.0, 1.5, 0.7
BORE, POST = 6.0, 14.0
WALL, WALL_HIGH = 0.9, 9.0
OUT = 5.5
"""How far the wing leans out, mm: 52° from upright."""
CORNERS = 24

WIDTH = LONG
DEPTH = BROAD


def trestle(label: str) -> Piece:
    """The whole part; it has one step."""
    x0, x1, y1 = -LONG / 2, LONG / 2, BROAD / 2
    left, right = -SPAN / 2 - LEG + 2, SPAN / 2 + 2
    legs = [block((x, -DEEP / 2, THICK - 0.2), (x + LEG, DEEP / 2, DECK_HIGH)) for x in (left, right)]
    deck = block((left, -DEEP / 2, DECK_LOW), (right + LEG, DEEP / 2, DECK_HIGH))
    digits = raised_text(label, (2.0, 0.0), 7.0, 1.2, SPAN + LEG, DECK_HIGH - 0.1, DECK_HIGH + 0.6)
    tips = [cone(right + LEG - 2.2, y, DECK_HIGH - 0.2, DECK_HIGH + TIP_HIGH, TIP_FOOT, TIP_END) for y in (-5.5, 5.5)]
    parts = [
        Part("foot", _plate(x0, x1, y1)),
        Part("wall", _thin_wall(left)),
        *(Part("mast", leg) for leg in legs),
        Part("wing", _wing(right + LEG)),
        Part("rung", deck),
        Part("post", block((left, -POST / 2, DECK_HIGH - 0.2), (left + LEG, POST / 2, DECK_HIGH + TIP_HIGH))),
        Part("needle", union(tips)),
        Part("digits", digits),
    ]  # fmt: skip
    place = Place(0, 0.0, label, (x0, -y1, 0.0), (x1, y1, DECK_HIGH + TIP_HIGH))
    jaws = (
        Jaw("size", 0, "x", (x0 - 0.3, 0.0), (x1 + 0.3, 0.0), THICK / 2),
        Jaw("size", 0, "y", (x1 - 9.0, -y1 - 0.3), (x1 - 9.0, y1 + 0.3), THICK / 2),
    )
    return Piece("Trestle", union(part.solid for part in parts), tuple(parts), (place,), jaws)


def _plate(x0: float, x1: float, y1: float) -> Manifold:
    """Square at the right, round at the left, with a bore there."""
    turns = np.linspace(np.pi / 2, 1.5 * np.pi, CORNERS)
    round_ = [(x0 + y1 + y1 * np.cos(t), y1 * np.sin(t)) for t in turns]
    outline = np.array([(x1, -y1), (x1, y1), *round_])
    plate = CrossSection([outline], FillRule.Positive)
    if plate.is_empty():
        plate = CrossSection([outline[::-1]], FillRule.Positive)
    bore = CrossSection.circle(BORE / 2, 48).translate((x0 + y1 - 5.0, 0.0))
    return (plate - bore).extrude(THICK)


def _thin_wall(left: float) -> Manifold:
    """A wall of two roads behind the left leg, with a window."""
    x = left - 2.4
    wall = block((x, -DEEP / 2 + 3, THICK - 0.2), (x + WALL, DEEP / 2 - 3, WALL_HIGH))
    return wall - block((x - 1, -2.5, THICK + 2.0), (x + 2, 2.5, WALL_HIGH - 2.0))


def _wing(x: float) -> Manifold:
    rise = OUT / np.tan(np.radians(52.0))
    low = DECK_HIGH - 0.9 - rise
    outline = [(x - 0.5, low - 0.4), (x, low), (x + OUT, DECK_HIGH - 0.9), (x + OUT, DECK_HIGH), (x - 0.5, DECK_HIGH)]
    return prism(outline, -DEEP / 2, DEEP / 2)
