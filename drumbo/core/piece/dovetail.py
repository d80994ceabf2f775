"""Two parts that hold by their shape where their plastics do not: a bed with a groove, and a slide with a tail."""

from __future__ import annotations

from manifold3d import Manifold

from drumbo.core.piece.solids import block, prism, union

LONG_MM, WIDE_MM = 24.0, 36.0
BED_MM, SLIDE_MM, DEEP_MM = 9.0, 4.0, 5.0
NECK_MM, FOOT_MM = 12.0, 17.0
"""Of the tail, at its neck and at its wide end: it leans out by 27°, which needs no support either way up."""
USUAL_GAP_MM = 0.25
APART_MM = 6.0
STOP_MM = 2.0


def dovetail(gap_mm: float = USUAL_GAP_MM) -> tuple[Manifold, Manifold]:
    """Bed and slide, both on z = 0 beside each other, mm. The tail is so much narrower than its groove, both sides
    together; the slide goes in from the front, and a stop at the back keeps it.
    """
    tail = _tail(0.0)
    bed = block((-WIDE_MM / 2, 0, 0), (WIDE_MM / 2, LONG_MM, BED_MM)) - (
        prism([(x, BED_MM - z) for x, z in tail], -1.0, LONG_MM - STOP_MM)
    )
    plate = block((-WIDE_MM / 2, 0, 0), (WIDE_MM / 2, LONG_MM, SLIDE_MM))
    slide = union([plate, prism([(x, SLIDE_MM + z) for x, z in _tail(gap_mm)], 0.0, LONG_MM - STOP_MM - gap_mm)])
    half = (LONG_MM + APART_MM) / 2
    return bed.translate((0, -half - LONG_MM / 2, 0)), slide.translate((0, half - LONG_MM / 2, 0))


def _tail(gap_mm: float) -> list[tuple[float, float]]:
    """Across x and from the neck on, counter-clockwise; shorter by the gap as well."""
    neck, foot, deep = (NECK_MM - gap_mm) / 2, (FOOT_MM - gap_mm) / 2, DEEP_MM - gap_mm
    return [(-neck, -0.01), (neck, -0.01), (foot, deep), (-foot, deep)]
