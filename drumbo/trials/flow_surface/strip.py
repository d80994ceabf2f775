"""The strip: the piece of the flow trial by surface, a design of our own.

One flat tag that points to where there is more flow. On it stands a row of pads, parted by grooves that a
fingernail finds; only they differ, what is beneath them is the same for all. Before every pad lies its flow ratio in
raised digits. The pad of the profile's present flow has a notch at its rear, to be found without looking.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from manifold3d import CrossSection, FillRule, Manifold

from drumbo.core.piece import Part, Piece, Place, block, raised_text, union

PITCH, GROOVE = 14.5, 1.6
SHELF_DEEP = 8.5
MARGIN, POINT = 2.0, 9.0
DIGITS_HIGH, STROKE, DIGITS_APART = 4.6, 0.9, 1.2
NOTCH = 2.2
PAD_LAYERS, DIGIT_LAYERS = 4, 2


def depth_mm(pad_mm: float) -> float:
    """Of a strip with pads of that length."""
    return pad_mm + SHELF_DEEP + 2 * MARGIN


def width_mm(pads: int) -> float:
    """Of a strip with so many pads."""
    return pads * PITCH + 2 * MARGIN + POINT


def strip(
    values: Sequence[float], labels: Sequence[str], base_mm: float, layer_mm: float, pad_mm: float, notched: int | None
) -> Piece:
    """A strip with one pad a value, the first at the left; heights are whole layers."""
    wide, deep = width_mm(len(values)), depth_mm(pad_mm)
    left, front = -wide / 2, -deep / 2
    parts = [Part("foot", _tag(left, front, wide, deep, base_mm))]
    places = []
    top = base_mm + PAD_LAYERS * layer_mm
    for index, (value, label) in enumerate(zip(values, labels, strict=True)):
        x0 = left + MARGIN + index * PITCH + GROOVE / 2
        x1 = x0 + PITCH - GROOVE
        y0 = front + MARGIN + SHELF_DEEP
        pad = block((x0, y0, base_mm - layer_mm / 2), (x1, y0 + pad_mm, top))
        if index == notched:
            pad -= _notch((x0 + x1) / 2, y0 + pad_mm, base_mm, top)
        parts += [
            Part("pad", pad),
            Part("digits", raised_text(
                label, ((x0 + x1) / 2, front + MARGIN + SHELF_DEEP / 2), DIGITS_HIGH, STROKE, x1 - x0 - DIGITS_APART,
                base_mm - layer_mm / 2, base_mm + DIGIT_LAYERS * layer_mm,
            )),
        ]  # fmt: skip
        places.append(Place(index, value, label, (x0, y0, base_mm), (x1, y0 + pad_mm, top), axis=0))
    return Piece("strip", union(part.solid for part in parts), tuple(parts), tuple(places))


def _tag(left: float, front: float, wide: float, deep: float, high: float) -> Manifold:
    rear, right = front + deep, left + wide
    outline = [(left, front), (right - POINT, front), (right, front + deep / 2), (right - POINT, rear), (left, rear)]
    return CrossSection([np.array(outline)], FillRule.NonZero).extrude(high)


def _notch(x: float, rear: float, base_mm: float, top: float) -> Manifold:
    outline = [(x - NOTCH, rear + 0.1), (x, rear - NOTCH), (x + NOTCH, rear + 0.1)]
    section = CrossSection([np.array(outline)], FillRule.NonZero)
    return section.extrude(top - base_mm + 0.5).translate((0, 0, base_mm))
