"""Digits of our own that print well: strokes of one width, no thin parts, no closed loops too small to see.

A glyph is a set of open strokes on a grid 3 wide and 5 high.
"""

from __future__ import annotations

from itertools import pairwise

from manifold3d import CrossSection, Manifold

GLYPHS: dict[str, tuple[tuple[tuple[float, float], ...], ...]] = {
    "0": (((0.8, 0), (2.2, 0), (3, 1), (3, 4), (2.2, 5), (0.8, 5), (0, 4), (0, 1), (0.8, 0)),),
    "1": (((0.4, 3.9), (1.7, 5), (1.7, 0)), ((0.5, 0), (2.9, 0))),
    "2": (((0, 4), (0.8, 5), (2.2, 5), (3, 4), (3, 3.2), (0, 0), (3, 0)),),
    "3": (((0, 5), (3, 5), (1.4, 3), (2.2, 3), (3, 2.1), (3, 0.9), (2.2, 0), (0.8, 0), (0, 0.8)),),
    "4": (((2.2, 0), (2.2, 5), (0, 1.6), (3.1, 1.6)),),
    "5": (((3, 5), (0.3, 5), (0.1, 2.8), (2.1, 2.8), (3, 2), (3, 0.9), (2.1, 0), (0, 0)),),
    "6": (((2.6, 5), (1.1, 4.2), (0, 2.4), (0, 0.9), (0.8, 0), (2.2, 0), (3, 0.9), (3, 2), (2.2, 2.8), (0.2, 2.8)),),
    "7": (((0, 5), (3, 5), (1.1, 0)),),
    "8": (
        ((1, 2.7), (0.2, 3.4), (0.2, 4.3), (0.9, 5), (2.1, 5), (2.8, 4.3), (2.8, 3.4), (2, 2.7), (1, 2.7)),
        ((1, 2.7), (0, 1.9), (0, 0.9), (0.8, 0), (2.2, 0), (3, 0.9), (3, 1.9), (2, 2.7)),
    ),
    "9": (((0.4, 0), (1.9, 0.8), (3, 2.6), (3, 4.1), (2.2, 5), (0.8, 5), (0, 4.1), (0, 3), (0.8, 2.2), (2.8, 2.2)),),
    "-": (((0.4, 2.5), (2.6, 2.5)),),
    ".": (((0, 0), (0.1, 0)),),
}  # fmt: skip

_WIDE = {".": 0.4}
_STROKE_CORNERS = 8


def text_shape(text: str, height_mm: float, stroke_mm: float) -> CrossSection:
    """`text` as a shape in the plane, middle at (0, 0), `height_mm` from lowest to highest edge.

    Raises KeyError for a character that has no glyph.
    """
    scale = (height_mm - stroke_mm) / 5
    gap = stroke_mm * 1.75
    pen = 0.0
    capsules: list[CrossSection] = []
    dot = CrossSection.circle(stroke_mm / 2, _STROKE_CORNERS)
    for character in text:
        for stroke in GLYPHS[character]:
            ends = [(pen + x * scale, y * scale) for x, y in stroke]
            for a, b in pairwise(ends):
                capsules.append(CrossSection.batch_hull([dot.translate(a), dot.translate(b)]))
        pen += _WIDE.get(character, 3.0) * scale + gap
    width = pen - gap
    shape = capsules[0]
    for capsule in capsules[1:]:
        shape += capsule
    return shape.translate((-width / 2, -(height_mm - stroke_mm) / 2))


def raised_text(
    text: str, at: tuple[float, float], height_mm: float, stroke_mm: float, room_mm: float, low: float, high: float
) -> Manifold:
    """`text` as a lying solid with its middle at `at`, narrowed where it would be wider than `room_mm`."""
    shape = text_shape(text, height_mm, stroke_mm)
    left, _, right, _ = shape.bounds()
    narrow = min(1.0, room_mm / (right - left))
    return shape.scale((narrow, 1.0)).extrude(high - low).translate((*at, low))
