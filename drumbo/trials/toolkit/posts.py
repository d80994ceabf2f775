"""The posts: the piece of the retraction trials, a design of our own.

On a plate that is narrow between what stands on it is a mast that carries each step's value in raised digits; far to
its left and right stands a slim three-cornered post, one edge towards the mast. Every layer crosses the air between
them, so that each step shows what a travel leaves behind at its value, on either side. Ledges on the mast part the
steps for a fingernail.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from manifold3d import CrossSection, FillRule, Manifold

from drumbo.core.errors import InvalidInput
from drumbo.core.fields import Scalar
from drumbo.core.piece import Part, Piece, Place, block, text_shape, union
from drumbo.core.piece.solids import along_y
from drumbo.core.printer import Printer
from drumbo.core.toolpath import Toolpath, Zone
from drumbo.trials.base import Context
from drumbo.trials.readings import Step
from drumbo.trials.toolkit.roads import FAR, check_bed, foot_mm, on_bed, usual_settings, whole_layers_mm

MAST, DEEP, REACH, POST, MARGIN = 17.0, 6.0, 32.0, 5.5, 4.0
LEDGE = 0.5
WIDTH = 2 * (REACH + POST / 2 + MARGIN)
DEPTH = DEEP + 2 * MARGIN + 2
BAR = 6.0
"""How deep the plate is between mast and posts, mm."""
MOST_STEPS, FEWEST_STEPS = 21, 4
FOOT_LAYERS = 3


def posts(steps: Sequence[Step], step_mm: float, foot_mm: float) -> Piece:
    """Mast and posts, first step at the bottom; both heights are whole layers."""
    y0, y1 = -DEEP / 2, DEEP / 2
    top = foot_mm + len(steps) * step_mm
    parts = [
        Part("foot", _foot(foot_mm)),
        Part("mast", block((-MAST / 2, y0, foot_mm - 0.3), (MAST / 2, y1, top))),
        *(Part("post", _post(side, foot_mm - 0.3, top)) for side in (-1, 1)),
    ]
    places = []
    for step in steps:
        low = foot_mm + step.index * step_mm
        text = step_mm * 0.64
        digits = text_shape(step.label, text, min(1.1, text * 0.19)).translate((0, low + step_mm / 2))
        parts.append(Part("digits", along_y(digits, y0 - 0.5, y0 + 0.3)))
        if step.index:
            parts.append(Part("rung", block((-MAST / 2 - LEDGE, y0, low - 0.2), (MAST / 2 + LEDGE, y1, low + 0.2))))
        places.append(Place(step.index, step.value, step.label, (-WIDTH / 2, y0, low), (WIDTH / 2, y1, low + step_mm)))
    return Piece("Posts", union(part.solid for part in parts), tuple(parts), tuple(places))


def _foot(high: float) -> Manifold:
    mast, post = MAST / 2 + MARGIN, POST / 2 + MARGIN
    pads = [(-mast, mast), *((side * REACH - post, side * REACH + post) for side in (-1, 1))]
    return union([
        block((-REACH, -BAR / 2, 0), (REACH, BAR / 2, high)),
        *(block((low, -DEPTH / 2, 0), (high_x, DEPTH / 2, high)) for low, high_x in pads),
    ])  # fmt: skip


def _post(side: int, low: float, high: float) -> Manifold:
    x, half = side * REACH, POST / 2
    outline = [(x - side * half, 0.0), (x + side * half, -half), (x + side * half, half)]
    return CrossSection([np.array(outline)], FillRule.NonZero).extrude(high - low).translate((0, 0, low))


def heights(step_mm: float, context: Context) -> tuple[float, float]:
    """(step, foot) in whole layers, mm."""
    settings = usual_settings(context)
    return whole_layers_mm(step_mm, settings), foot_mm(settings, FOOT_LAYERS)


def check_room(key: str, count: int, step_mm: float, printer: Printer) -> None:
    """InvalidInput where so many steps do not fit, with how many do."""
    check_bed(key, printer, WIDTH + 20, DEPTH + 30)
    if count < FEWEST_STEPS:
        raise InvalidInput(key, f"gives {count} steps; {FEWEST_STEPS} are the fewest that tell something")
    most = min(int((printer.height_mm - 2) // step_mm), MOST_STEPS)
    if count > most:
        raise InvalidInput(key, f"gives {count} steps; {most} of {step_mm:g} mm fit: a wider step or a narrower range")


def roads(piece: Piece, context: Context, field: str, extra: dict[str, Scalar] | None = None) -> Toolpath:
    """The posts' roads, every step with its own value of one field of the print settings."""
    zones = [
        Zone((-FAR, -FAR, p.low[2]), (FAR, FAR, p.high[2]), {**(extra or {}), field: p.value}, p.label)
        for p in piece.places
    ]
    return on_bed(piece.solid, context, zones=zones)
