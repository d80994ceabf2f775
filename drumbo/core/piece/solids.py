"""Constructive geometry in a few words, on top of manifold3d. All lengths in mm."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from itertools import pairwise

import numpy as np
from manifold3d import CrossSection, FillRule, Manifold
from numpy.typing import NDArray

SEGMENTS = 16
"""Corners of a full circle: a needle of 2 mm radius then departs from round by less than 0.04 mm."""


def block(low: tuple[float, float, float], high: tuple[float, float, float]) -> Manifold:
    """A box between two opposite corners, mm."""
    size = tuple(b - a for a, b in zip(low, high, strict=True))
    return Manifold.cube(size).translate(low)


def prism(outline_xz: Sequence[tuple[float, float]], y_low: float, y_high: float) -> Manifold:
    """A closed outline in the x–z plane, drawn out along y from `y_low` to `y_high`."""
    section = CrossSection([np.asarray(outline_xz, dtype=float)], FillRule.NonZero)
    return along_y(section, y_low, y_high)


def slab(outline_xy: Sequence[tuple[float, float]], low: float, high: float) -> Manifold:
    """A closed outline in the plane, from `low` up to `high`."""
    section = CrossSection([np.asarray(outline_xy, dtype=float)], FillRule.NonZero)
    return section.extrude(high - low).translate((0, 0, low))


def along_y(section_xz: CrossSection, y_low: float, y_high: float) -> Manifold:
    """An outline in the x–z plane, drawn out along y. The outline's second axis becomes z."""
    return section_xz.extrude(y_high - y_low).rotate((90, 0, 0)).translate((0, y_high, 0))


def cone(x: float, y: float, z_low: float, z_high: float, radius_low: float, radius_high: float) -> Manifold:
    """A standing cone or needle."""
    solid = Manifold.cylinder(z_high - z_low, radius_low, radius_high, circular_segments=SEGMENTS)
    return solid.translate((x, y, z_low))


def ribbon(line: NDArray[np.float64], width_mm: float, low: float, high: float) -> Manifold:
    """A line (k, 2) in the plane as a wall of one width, from `low` to `high`; its ends and corners are square."""
    half = width_mm / 2
    shape = CrossSection()
    for a, b in pairwise(line):
        along = (b - a) / np.hypot(*(b - a)) * half
        aside = np.array([-along[1], along[0]])
        corners = [a - along + aside, a - along - aside, b + along - aside, b + along + aside]
        shape += CrossSection([np.array(corners)], FillRule.NonZero)
    return shape.extrude(high - low).translate((0, 0, low))


def union(solids: Iterable[Manifold]) -> Manifold:
    """All of them as one solid."""
    from manifold3d import OpType  # noqa: PLC0415 - the enum is wanted here only

    return Manifold.batch_boolean(list(solids), OpType.Add)


def stl_bytes(solid: Manifold) -> bytes:
    """The solid as a binary STL: 80 bytes of header, a count, then 50 bytes a triangle."""
    mesh = solid.to_mesh()
    corners: NDArray[np.float32] = np.asarray(mesh.vert_properties, np.float32)[:, :3][mesh.tri_verts]
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    lengths = np.linalg.norm(normals, axis=1, keepdims=True)
    record = np.zeros(len(corners), dtype=[("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("spare", "<u2")])
    record["normal"] = normals / np.where(lengths > 0, lengths, 1)
    record["corners"] = corners
    return b"piece by Drumbo, mm".ljust(80) + np.uint32(len(corners)).tobytes() + record.tobytes()
