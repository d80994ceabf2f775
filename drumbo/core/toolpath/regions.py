"""What each layer is made of: walls, solid and sparse regions, bridges. All from sections of the solid."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from manifold3d import CrossSection, JoinType, Manifold
from numpy.typing import NDArray

from drumbo.core.toolpath.columns import Role
from drumbo.core.toolpath.hatch import hatch
from drumbo.core.toolpath.plane import edges_of, inside
from drumbo.core.toolpath.settings import PrintSettings

Floats = NDArray[np.float64]

_TINY_MM2 = 0.02
"""Regions smaller than this are slivers of rounding and make no road."""


@dataclass(frozen=True, slots=True)
class LayerPlan:
    """One layer: heights in mm, regions as cross-sections, and what lies beneath it."""

    index: int
    bottom: float
    height: float
    islands: tuple[Floats, ...]
    walls: tuple[CrossSection, ...]
    solid: CrossSection
    top: CrossSection
    sparse: CrossSection
    bridges: tuple[Bridge, ...]
    beneath: Floats | None


@dataclass(frozen=True, slots=True)
class Bridge:
    """A region that hangs between supports, and the angle (radians) along its short span."""

    region: CrossSection
    angle: float


def layer_heights(height_mm: float, settings: PrintSettings) -> Iterator[tuple[float, float]]:
    """(bottom, height) of every layer of an object so high, mm."""
    bottom, height = 0.0, settings.first_layer_mm
    while bottom + height / 2 < height_mm:
        yield bottom, height
        bottom = round(bottom + height, 6)
        height = settings.layer_mm


def layer_at(index: int, settings: PrintSettings) -> tuple[float, float]:
    """(bottom, height) of one layer counted from 0, mm."""
    if index == 0:
        return 0.0, settings.first_layer_mm
    return round(settings.first_layer_mm + (index - 1) * settings.layer_mm, 6), settings.layer_mm


def grow(section: CrossSection, by_mm: float) -> CrossSection:
    """The section, its edge moved outwards; corners stay sharp."""
    return section.offset(by_mm, JoinType.Miter, 2.0)


def tidy(section: CrossSection, by_mm: float) -> CrossSection:
    """The section without parts thinner than twice `by_mm`."""
    return grow(grow(section, -by_mm), by_mm)


_SAME_MM = 0.005
FINE_MM = 0.002
"""How far an outline may depart from the solid's, where nothing else is asked for."""


def plan_layers(
    solid: Manifold, settings: PrintSettings, tolerance_mm: float = FINE_MM, resting_on: Manifold | None = None
) -> Iterator[LayerPlan]:  # fmt: skip
    """Slice a solid that stands on z = 0 and say what every layer is made of; outlines depart by the tolerance. What it
    rests on, where that is printed by somebody else, holds it: over that it neither bridges nor hangs.
    """
    heights = list(layer_heights(solid.bounding_box()[5], settings))
    sections = [solid.slice(bottom + height / 2).simplify(tolerance_mm) for bottom, height in heights]
    if settings.outline_mm:
        sections = [grow(section, settings.outline_mm) for section in sections]
    held = [_held(section, resting_on, *at) for section, at in zip(sections, heights, strict=True)]
    width = settings.width_mm
    empty = CrossSection()
    for i, (bottom, height) in enumerate(heights):
        section = sections[i]
        below = held[i - 1] if i else None
        insets = settings.wall_insets(height)
        wall_lines = tuple(grow(section, -inset).simplify(tolerance_mm) for inset in insets)
        # Lines end on the innermost wall's inner edge, and a little beyond so that they weld to it.
        fill = grow(section, -insets[-1] - 0.35 * settings.spacing(height)).simplify(tolerance_mm)
        over = _common(sections, i + 1, i + settings.top_layers, fill)
        under = _common(sections, i - settings.bottom_layers, i - 1, fill)
        bare = fill - (over ^ under)
        solid_part = grow(tidy(bare, 0.35 * width), 1.2 * width) ^ fill if bare.area() > _TINY_MM2 else empty
        bridges = _bridges(section, below, fill, width) if below is not None else ()
        for bridge in bridges:
            solid_part -= bridge.region
        next_up = sections[i + 1] if i + 1 < len(sections) else empty
        top = tidy(solid_part - next_up, 0.6 * width)
        solid_part -= top
        sparse = fill - solid_part - top
        for bridge in bridges:
            sparse -= bridge.region
        hangs = below is not None and (section - below).area() > _TINY_MM2
        yield LayerPlan(
            index=i,
            bottom=bottom,
            height=height,
            islands=tuple(edges_of(part.to_polygons()) for part in section.decompose() if part.num_vert()),
            walls=wall_lines,
            solid=solid_part,
            top=top,
            sparse=tidy(sparse, 0.3 * width),
            bridges=bridges,
            beneath=_holding(below, height, settings) if hangs and below is not None else None,
        )


def _held(section: CrossSection, other: Manifold | None, bottom: float, height: float) -> CrossSection:
    """What there is to rest on at a layer: the solid itself, and the other one."""
    return section if other is None else section + other.slice(bottom + height / 2)


def _holding(below: CrossSection, height: float, settings: PrintSettings) -> Floats:
    """Edges of what holds the middle of an outer wall: it counts as overhanging only if it leans out far enough.

    A wall that leans by θ steps out by height · tan θ a layer; its middle lies half a width inside of its edge.
    """
    reach = height * math.tan(math.radians(settings.overhang_from_deg)) - settings.width_of(Role.OUTER) / 2
    return edges_of((grow(below, reach) if abs(reach) > _SAME_MM else below).to_polygons())


def _common(sections: list[CrossSection], first: int, last: int, within: CrossSection) -> CrossSection:
    """What all sections from `first` to `last` share; beyond the object there is nothing."""
    if first < 0 or last >= len(sections):
        return CrossSection()
    shared = within
    for k in range(first, last + 1):
        shared = shared ^ sections[k]
    return shared


def _bridges(section: CrossSection, below: CrossSection, fill: CrossSection, width: float) -> tuple[Bridge, ...]:
    """Hanging regions held on two sides. Those held on one side are overhangs and stay solid infill."""
    hanging = tidy(section - below, width)
    if hanging.area() < 4 * width * width:
        return ()
    found = []
    held = edges_of(below.to_polygons())
    for part in hanging.decompose():
        angle = _span_angle(part, held, width)
        if angle is not None:
            found.append(Bridge(grow(part, 1.2) ^ fill, angle))
    return tuple(found)


def _span_angle(part: CrossSection, held: Floats, width: float) -> float | None:
    """The direction in which most lines across `part` end on something, the shortest such; None if few do."""
    edges = edges_of(part.to_polygons())
    best: tuple[float, float] | None = None
    for angle in (0.0, math.pi / 2, math.pi / 4, 3 * math.pi / 4):
        lines = hatch(edges, 2 * width, angle)
        if not len(lines):
            continue
        along = np.array([math.cos(angle), math.sin(angle)]) * width
        on_both = inside(lines[:, :2] - along, held) & inside(lines[:, 2:4] + along, held)
        if on_both.mean() < 0.7:
            continue
        length = float(np.hypot(lines[:, 2] - lines[:, 0], lines[:, 3] - lines[:, 1]).mean())
        if best is None or length < best[0]:
            best = (length, angle)
    return None if best is None else best[1]
