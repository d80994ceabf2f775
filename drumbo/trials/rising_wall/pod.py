"""The pod: the piece of the rising wall, a design of our own.

Two shallow arcs meet in round ends, so that the head turns gently all the way round and nowhere has to brake. The wall
is one rising line. Every second band stands a little further in, so that a finger feels and an eye sees where a band
ends. Before the pod lies its ruler: a flat strip with the flow of every band in digits, a band long each. Broken off
and held against the wall, it tells what was printed where.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from manifold3d import CrossSection, FillRule, Manifold
from numpy.typing import NDArray

from drumbo.core.piece import Part, Piece, Place, block, raised_text, union
from drumbo.core.piece.piece import Jaw
from drumbo.trials.readings import Step

Floats = NDArray[np.float64]

SEAM_MM = 0.05
"""Bands reach this far into what they stand on, so that their union is one solid."""
ARC_MM, END_MM, OPENS = 60.0, 10.0, math.radians(30)
"""Radii of the long arcs and of the round ends; how far a long arc turns to either side of its middle."""
HALF_LONG = (ARC_MM - END_MM) * math.sin(OPENS) + END_MM
HALF_DEEP = ARC_MM - (ARC_MM - END_MM) * math.cos(OPENS)
LEDGE_MM = 0.3
"""How much further in every second band stands."""
FOOT_WIDE, FOOT_IN = 5.0, 3.0
"""The foot is a rim under the wall: so far outwards and inwards of it."""
RULER_WIDE, RULER_GAP = 13.0, 4.0
DIGITS_HIGH, STROKE, ROOM = 2.3, 0.55, 9.0
TICK = 2.0
LONGEST_CHORD_MM = 4.0
JAW_REACH = 2.0


@dataclass(frozen=True, slots=True)
class Build:
    """What the pod is made of: heights of the foot, of the ruler's strip, of a layer and of a band in mm, and the
    road's width.
    """

    foot_mm: float
    strip_mm: float
    layer_mm: float
    band_layers: int
    width_mm: float

    @property
    def band_mm(self) -> float:
        """Height of one band."""
        return self.band_layers * self.layer_mm


def ring(points: int) -> tuple[Floats, Floats]:
    """(k + 1, 2) the outline from its rear middle once round, counter-clockwise, and its outward normals.

    The head turns by the same angle at each of the points, `points` of them or a few more; long arcs get more where
    their chords would be too long.
    """
    each = min(2 * math.pi / points, LONGEST_CHORD_MM / ARC_MM)
    arc, end = math.ceil(OPENS / each), math.ceil((math.pi - 2 * OPENS) / (2 * math.pi / points))
    right, left = math.pi / 2 + np.linspace(0, OPENS, arc + 1), math.pi - (math.pi / 2 - OPENS)
    angles = np.concatenate([
        right, np.linspace(left, 2 * math.pi - left, end + 1)[1:], np.linspace(-OPENS, OPENS, 2 * arc + 1)[1:] + 1.5 *
        math.pi, np.linspace(OPENS - math.pi / 2, math.pi / 2 - OPENS, end + 1)[1:] + 2 * math.pi,
        2.5 * math.pi + np.linspace(-OPENS, 0, arc + 1)[1:],
    ])  # fmt: skip
    normals = np.stack([np.cos(angles), np.sin(angles)], axis=1)
    on_end = np.abs(normals[:, 0]) > math.sin(OPENS) + 1e-9
    off = HALF_LONG - END_MM
    low = ARC_MM - HALF_DEEP
    centres = np.where(
        on_end[:, None],
        np.stack([np.sign(normals[:, 0]) * off, np.zeros(len(angles))], axis=1),
        np.stack([np.zeros(len(angles)), -np.sign(normals[:, 1]) * low], axis=1),
    )
    radius = np.where(on_end, END_MM, ARC_MM)
    return centres + normals * radius[:, None], normals


def shape(inwards_mm: float) -> CrossSection:
    """The outline, moved inwards, as an area."""
    points, normals = ring(90)
    return CrossSection([(points - normals * inwards_mm)[:-1]], FillRule.NonZero)


def ledge(band: int) -> float:
    """How far in a band's outside stands, mm."""
    return LEDGE_MM * (band % 2)


def turns(build: Build, points: Sequence[int]) -> list[tuple[int, Floats, Floats]]:
    """(band, points (k, 3), heights (k − 1,)) of every turn, from the foot up; `points` are each band's corners."""
    found = []
    for band, corners in enumerate(points):
        outline, normals = ring(corners)
        outline = outline - normals * build.width_mm / 2
        ways = np.hypot(*np.diff(outline, axis=0).T)
        share = np.concatenate([[0.0], np.cumsum(ways)]) / ways.sum()
        middle = (share[1:] + share[:-1]) / 2
        for turn in range(band * build.band_layers, (band + 1) * build.band_layers):
            before = ledge((turn - 1) // build.band_layers) if turn else 0.0
            inwards = before + (ledge(band) - before) * share
            z = build.foot_mm + (turn + share) * build.layer_mm
            heights = (middle if turn == 0 else np.ones(len(middle))) * build.layer_mm
            found.append((band, np.column_stack([outline - normals * inwards[:, None], z]), heights))
    return found


def foot(steps: Sequence[Step], build: Build) -> list[Part]:
    """The foot and the ruler before it: all that is printed as a solid."""
    rim = (shape(-FOOT_WIDE) - shape(FOOT_IN)).extrude(build.foot_mm)
    return [Part("foot", rim), *_ruler(steps, build)]


def _ruler(steps: Sequence[Step], build: Build) -> list[Part]:
    """Lying along x, its left end the plate's side: the lowest band is at the left."""
    long = len(steps) * build.band_mm
    x, high = -long / 2, -HALF_DEEP - FOOT_WIDE - RULER_GAP
    # No higher than the foot, so that nothing is left to print beside the rising line.
    low, top = build.strip_mm - 0.05, build.foot_mm
    strip = Part("mast", block((x, high - RULER_WIDE, 0), (x + long, high, build.strip_mm)))
    digits, ticks = [], []
    for step in steps:
        middle = x + (step.index + 0.5) * build.band_mm
        text = raised_text(step.label, (0, 0), DIGITS_HIGH, STROKE, ROOM, low, top).rotate((0, 0, -90))
        digits.append(text.translate((middle, high - 0.8 - ROOM / 2, 0)))
        if step.index:
            edge = middle - build.band_mm / 2
            ticks.append(block((edge - 0.3, high - RULER_WIDE, low), (edge + 0.3, high - RULER_WIDE + TICK, top)))
    parts = [strip, Part("digits", union(digits))]
    return [*parts, Part("rung", union(ticks))] if ticks else parts


def held_up(ruler: Manifold, steps: Sequence[Step], build: Build) -> Manifold:
    """The ruler as it is held against the wall to read it: upright at the pod's left, its digits to the front."""
    long = len(steps) * build.band_mm
    moved = ruler.translate((long / 2, HALF_DEEP + FOOT_WIDE + RULER_GAP, 0))
    upright = moved.rotate((0, 0, 90)).rotate((90, 0, 0))
    return upright.translate((-HALF_LONG - FOOT_WIDE - 7.0 - RULER_WIDE, -HALF_DEEP - 1.0, build.foot_mm))


def pod(steps: Sequence[Step], build: Build) -> Piece:
    """The whole piece. It is drawn with its ruler held up as it is read; as a solid the ruler lies before it."""
    printed = foot(steps, build)
    walls, places, jaws = [], [], []
    for step in steps:
        low = build.foot_mm + step.index * build.band_mm
        high = low + build.band_mm
        inner, outer = ledge(step.index) + build.width_mm, ledge(step.index)
        walls.append((shape(outer) - shape(inner)).extrude(build.band_mm + SEAM_MM).translate((0, 0, low - SEAM_MM)))
        front, reach = -HALF_DEEP + (inner + outer) / 2, build.width_mm / 2 + JAW_REACH
        jaws.append(Jaw("thickness", step.index, "front", (0.0, front - reach), (0.0, front + reach), (low + high) / 2))
        places.append(
            Place(step.index, step.value, step.label, (-HALF_LONG, -HALF_DEEP, low), (HALF_LONG, HALF_DEEP, high))
        )
    even = Part("wall", union(walls[0::2]))
    odd = [Part("pad", union(walls[1::2]))] if len(walls) > 1 else []
    drawn = [Part(p.look, held_up(p.solid, steps, build)) for p in printed[1:]]
    solid = union([*(p.solid for p in printed), *walls])
    return Piece("pod", solid, (printed[0], even, *odd, *drawn), tuple(places), tuple(jaws))
