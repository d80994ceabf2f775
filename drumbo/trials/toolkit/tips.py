"""Tables: small slabs on six tips, each tip for its share of the area; a design of our own."""

from __future__ import annotations

import math

from manifold3d import Manifold

from drumbo.core.piece import block, union
from drumbo.trials.toolkit.layered import PIN_SEGMENTS

TABLE, TABLE_DEEP, THICK = 6.0, 4.0, 0.8
ALONG, ACROSS = (-2.01, 0.0, 2.01), (-1.02, 1.02)
"""Out of step with any screen's pixels, so that tips are not all rounded alike."""
AREA_PER_TIP_MM2 = TABLE * TABLE_DEEP / (len(ALONG) * len(ACROSS))
"""What one tip carries."""
SHAFT_MM, NARROWS, END = 0.9, 0.8, 0.2
INTO = 0.1
"""How far a tip reaches into the slab."""


def table(x: float, y: float, base: float, tall: float, tip_mm: float) -> Manifold:
    """A slab whose front left corner stands over (x, y), `tall` above a foot that is `base` thick."""
    low = base + tall
    slab = block((x, y, low), (x + TABLE, y + TABLE_DEEP, low + THICK))
    tips = [
        _tip(x + TABLE / 2 + dx, y + TABLE_DEEP / 2 + dy, base - 0.2, low + INTO, tip_mm)
        for dx in ALONG
        for dy in ACROSS
    ]
    return union([slab, *tips])


SLOPE_DEG = 45.0


def sloping_table(x: float, y: float, base: float, tall: float, tip_mm: float) -> Manifold:
    """The same slab at `SLOPE_DEG`, its lower edge along (x, y): three tips at the edge, where it begins, and three
    half way up. Between the two rows the first one holds it alone.
    """
    low, run = base + tall, math.cos(math.radians(SLOPE_DEG)) * TABLE_DEEP / 2
    slab = Manifold.cube((TABLE, TABLE_DEEP, THICK)).rotate((SLOPE_DEG, 0.0, 0.0)).translate((x, y, low))
    tips = [
        _tip(x + TABLE / 2 + dx, y + along, base - 0.2, low + along * math.tan(math.radians(SLOPE_DEG)) + INTO, tip_mm)
        for dx in ALONG for along in (0.0, run)
    ]  # fmt: skip
    return union([slab, *tips])


def _tip(x: float, y: float, low: float, high: float, wide_mm: float) -> Manifold:
    """A shaft that narrows to the tip, and the tip itself."""
    neck = high - low - NARROWS - END
    wide = max(SHAFT_MM, wide_mm) / 2

    def rod(tall: float, below: float, above: float, at: float) -> Manifold:
        return Manifold.cylinder(tall, below, above, circular_segments=PIN_SEGMENTS).translate((0, 0, at))

    parts = [rod(neck, wide, wide, 0.0), rod(NARROWS, wide, wide_mm / 2, neck),
             rod(END + 0.01, wide_mm / 2, wide_mm / 2, neck + NARROWS - 0.01)]  # fmt: skip
    return union(parts).translate((x, y, low))
