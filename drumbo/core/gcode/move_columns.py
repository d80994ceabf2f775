"""What a file does, move by move and layer by layer: columns that findings, pictures and sums are made of.

Layers are told from the moves that lay a road, never from comments. A wall that rises all the time, in one spiral, is
cut into layers as high as it rises in a turn.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from drumbo.core.compiled import njit
from drumbo.core.gcode.kernel import HOME
from drumbo.core.gcode.program import Program
from drumbo.core.motion import Motion

Floats = NDArray[np.float64]
Halves = NDArray[np.float32]
Bools = NDArray[np.bool_]

ROUND = 1 - math.pi / 4
"""A line of some width and height has an area of (width − ROUND × height) × height: its sides are round."""
SAME_MM = 0.004
"""Heights closer than this are one layer."""
LEAST_ROAD_MM = 0.02
USUAL_LAYER_MM = 0.2
TOO_WIDE = 1.8
"""Times as wide as the first layer's roads are hardly roads."""
LOW_LAYERS = 2.5
"""Layers up to so many times the height of the first may lie beside it."""
THINNEST_MM, THICKEST_MM = 0.02, 2.0
LEVEL_MM, FEW_OF_A_TURN = 1e-9, 0.2
UP_TIMES, LOW_TIMES = 2.0, 1.5
"""One part is done and another begins where a road is so many times as high as the lowest, and the next one is not."""


@dataclass(frozen=True)
class MoveColumns:
    """Columns (n,) by move: way in the plane, mm; whether it lays a road; flow, mm³/s, at its fastest; speed, mm/s;
    layer, from 0, of what lies last for moves between; width and height of its road, mm, 0 where it lays none; when it
    ends, and how long it takes, s. `tops` and `thick` (layers,) are heights of layers, and from what each rests on
    up to it, mm.
    """

    way: Halves
    laid: Bools
    flow: Halves
    speed: Floats
    layer: NDArray[np.int32]
    width: Halves
    height: Halves
    ends_s: Floats
    tops: Floats
    thick: Halves
    seconds: Floats

    @property
    def layers(self) -> int:
        """How many there are."""
        return len(self.tops)

    @property
    def total_s(self) -> float:
        """Time of all moves, s."""
        return float(self.seconds.sum())

    @property
    def on_bed(self) -> Bools:
        """(layers,) which rest on the bed, not on a layer."""
        return np.asarray(self.thick >= self.tops - SAME_MM)


def move_columns(program: Program, motion: Motion, filament_mm: float) -> MoveColumns:
    """The columns of a file whose moves take as long as `motion` says, fed with filament of a diameter, mm."""
    n = len(program)
    way = np.hypot(np.diff(program.x, prepend=0.0), np.diff(program.y, prepend=0.0)).astype(np.float32)
    laid = (program.e_mm > 0) & (way > LEAST_ROAD_MM) & (program.kind != HOME)
    # Columns of half the size where seven digits are plenty: a large file has millions of moves.
    area = np.zeros(n, np.float32)
    np.divide(program.e_mm * (math.pi * filament_mm**2 / 4), way, out=area, where=laid, casting="same_kind")
    area *= program.flow_factor
    parts = [
        _stacked((program.x[a:b], program.y[a:b], program.z[a:b]), laid[a:b], way[a:b], area[a:b])
        for a, b in pairwise(_one_after_another(program.z, laid))
    ]
    tops, thick, layer = (parts[0].tops, parts[0].thick, parts[0].layer) if len(parts) == 1 else _together(parts)
    height = np.concatenate([part.height for part in parts])
    width = np.zeros(n, np.float32)
    np.divide(area, height, out=width, where=laid)
    width += height * np.float32(ROUND)
    area *= motion.cruise
    return MoveColumns(
        way=way, laid=laid, flow=area, speed=motion.cruise, layer=layer, width=width, height=height,
        ends_s=motion.ends(), tops=tops, thick=thick, seconds=motion.seconds,
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class _Stack:
    """What is printed from the bed up: tops and thickness of its layers, mm, and by move its layer and its height."""

    tops: Floats
    thick: Halves
    layer: NDArray[np.int32]
    height: Halves


def _stacked(at: tuple[Floats, Floats, Floats], laid: Bools, way: Halves, area: Halves) -> _Stack:
    tops, layer = _layers(at, laid, way)
    steps = np.diff(tops, prepend=0.0)
    usual = float(np.median(steps)) if len(steps) else 0.0
    usual = usual if THINNEST_MM <= usual <= THICKEST_MM else USUAL_LAYER_MM
    steps = np.where((steps < THINNEST_MM) | (steps > THICKEST_MM), usual, steps)
    thick = _rests_on_bed(steps, tops, layer, laid, area).astype(np.float32)
    height = np.where(laid, thick[np.maximum(layer, 0)] if len(thick) else 0, np.float32(0)).astype(np.float32)
    climbing = _climbing(at[2], laid, way)
    if climbing.any():
        _from_nothing(height, at[2], climbing, tops, layer, area)
    return _Stack(tops, thick, layer, height)


def _climbing(z: Floats, laid: Bools, way: Halves) -> Bools:
    """(n,) which lines rise while they are laid, as a spiral does."""
    rises = np.abs(np.diff(z, prepend=0.0)).astype(np.float32)
    flat = laid & (rises <= LEVEL_MM)
    climbing = np.asarray(laid & (rises > LEVEL_MM) & (rises < 0.5 * way))
    if climbing.any() and flat.any():
        _with_rounded(climbing, flat, rises, way)
    return climbing


def _with_rounded(climbing: Bools, flat: Bools, rises: Halves, way: Halves) -> None:
    """Heights are written with few digits, so that short lines of a spiral may not rise at all: those between two that
    do are of it as far as a last digit explains.
    """
    starts = np.flatnonzero(np.diff(flat, prepend=False) & flat)
    ends = np.flatnonzero(np.diff(flat, append=False) & flat)
    inner = (starts > 0) & (ends < len(flat) - 1)
    starts, ends = starts[inner], ends[inner]
    between = climbing[starts - 1] & climbing[ends + 1]
    starts, ends = starts[between], ends[between]
    slope = float(rises[climbing].sum()) / float(way[climbing].sum())
    digit = float(rises[climbing].min())
    long = np.cumsum(np.where(flat, way, np.float32(0)), dtype=np.float64)
    short = long[ends] - long[starts] + way[starts] < 3 * digit / slope
    for first, last in zip(starts[short].tolist(), ends[short].tolist(), strict=True):
        climbing[first : last + 1] = True


def _from_nothing(
    height: Halves, z: Floats, climbing: Bools, tops: Floats, layer: NDArray[np.int32], area: Halves
) -> None:
    """A spiral's first turn lies on what was flat: where its lines thicken from nothing, they are as high as it has
    risen by then.
    """
    count = np.bincount(layer[climbing], minlength=len(tops))
    # Its very first lines may be hardly above what is flat, and count as of that.
    turns = count > FEW_OF_A_TURN * count.max()
    first = turns & ~np.insert(turns[:-1], 0, False)
    rows = np.flatnonzero(climbing & first[layer] & (layer > 0))
    quarter = len(rows) // 4
    if not quarter or area[rows[:quarter]].mean() > 0.6 * area[rows[-quarter:]].mean():
        return
    risen = (z[rows] + z[rows - 1]) / 2 - tops[layer[rows] - 1]
    height[rows] = np.clip(risen, THINNEST_MM, height[rows])


def _one_after_another(z: Floats, laid: Bools) -> list[int]:
    """Rows between which all is printed from the bed up: from 0 to the last, and where it begins down there again."""
    rows = np.flatnonzero(laid)
    if not len(rows):
        return [0, len(z)]
    low = float(z[rows].min())
    falls = (z[rows[:-1]] > UP_TIMES * low) & (z[rows[1:]] < LOW_TIMES * low)
    return [0, *(rows[np.flatnonzero(falls)] + 1).tolist(), len(z)]


def _together(parts: list[_Stack]) -> tuple[Floats, Halves, NDArray[np.int32]]:
    """Layers of parts that stand beside each other as those of one: what is of one height is one layer."""
    every = np.sort(np.concatenate([part.tops for part in parts]))
    tops = every[np.insert(np.diff(every) > SAME_MM, 0, True)]
    thick = np.full(len(tops), np.inf, np.float32)
    layers = []
    for part in parts:
        place = np.maximum(np.searchsorted(tops, part.tops + 1e-9, "right") - 1, 0).astype(np.int32)
        np.minimum.at(thick, place, part.thick)
        layers.append(place[np.maximum(part.layer, 0)])
    return tops, thick, np.concatenate(layers).astype(np.int32)


def _rests_on_bed(steps: Floats, tops: Floats, layer: NDArray[np.int32], laid: Bools, area: Halves) -> Floats:
    """Thickness of layers that each are a step higher, but for low ones that do not lie on the one below but beside it,
    as patches of a first-layer test do: those whose roads are as wide as the first layer's if they lie on the bed.
    """
    thick = steps.copy()
    low = int((tops <= LOW_LAYERS * tops[0]).sum()) if len(tops) else 0
    if low < 2:
        return thick
    rows = np.flatnonzero(laid & (layer < low))
    mean = np.bincount(layer[rows], area[rows], low) / np.maximum(np.bincount(layer[rows], minlength=low), 1)
    for k in range(1, low):
        wide, stacked, alone = mean[0] / tops[0], mean[k] / steps[k], mean[k] / tops[k]
        if stacked > TOO_WIDE * wide and 0.35 * wide < alone < 1.6 * wide:
            thick[k] = tops[k]
    return thick


def _layers(at: tuple[Floats, Floats, Floats], laid: Bools, way: Halves) -> tuple[Floats, NDArray[np.int32]]:
    """Tops of the layers, from below, and the layer of every move."""
    z = at[2]
    n = len(z)
    if not laid.any():
        return np.zeros(0), np.full(n, -1, np.int32)
    climbing = _climbing(z, laid, way)
    # Many moves in a row are of one height; heights are looked at once a row of them.
    starts = np.flatnonzero(np.diff(z, prepend=np.nan))
    each = z[starts]
    levels = _levels(each, np.add.reduceat(np.where(laid & ~climbing, way, np.float32(0)), starts, dtype=np.float64))
    if climbing.any() and way[climbing].sum() > 0.02 * way[laid].sum():
        levels = _with_turns(levels, z[climbing], _rise_a_turn(at, climbing))
    place = np.clip(np.searchsorted(levels, each - SAME_MM), 0, len(levels) - 1).astype(np.int32)
    layer = np.repeat(place, np.diff(starts, append=n))
    # Between roads a move belongs to the layer that was laid last, and before the first to the first.
    last = np.maximum.accumulate(np.where(laid, np.arange(n, dtype=np.int32), np.int32(-1)))
    return levels, np.where(last >= 0, layer[np.maximum(last, 0)], np.int32(0))


def _levels(z: Floats, way: Floats) -> Floats:
    """Heights at which something is laid, of heights and how much road each has; what is hardly anything is no level
    of its own.
    """
    z, way = z[way > 0], way[way > 0]
    if not len(z):
        return np.zeros(0)
    heights, which = np.unique(np.round(z, 3), return_inverse=True)
    length = np.bincount(which, way)
    kept = heights[length > 0.5]
    heights = kept if len(kept) else heights
    return np.asarray(heights[np.insert(np.diff(heights) > SAME_MM, 0, True)])


def _rise_a_turn(at: tuple[Floats, Floats, Floats], climbing: Bools) -> float:
    """How much a spiral rises while the head turns once round, mm; 0 where it does not turn once."""
    rows = np.flatnonzero(climbing[1:]) + 1
    x, y, z = (column[rows] - column[rows - 1] for column in at)
    heading = np.arctan2(y, x)
    turned = np.diff(heading)
    round_ = abs(float((turned - 2 * np.pi * np.rint(turned / (2 * np.pi))).sum())) / (2 * np.pi)
    round_ *= len(rows) / max(len(turned), 1)
    return float(z.sum()) / round_ if round_ > 1 else 0.0


def _with_turns(levels: Floats, z: Floats, rise: float) -> Floats:
    """Levels, and those of a spiral between the one that it starts on and its top, given the heights that it passes and
    how much it rises in a turn, mm, where that is known.
    """
    low, top = float(z.min()), float(z.max())
    below, above = levels[levels <= low + SAME_MM], levels[levels > top + SAME_MM]
    first = float(below[-1]) if len(below) else 0.0
    steps = np.diff(below)
    each = float(np.median(steps)) if len(steps) else (first if THINNEST_MM < first < THICKEST_MM else USUAL_LAYER_MM)
    each = rise if THINNEST_MM < rise < THICKEST_MM else each
    if len(levels) - len(below) - len(above) > (top - first) / each / 2:
        # Beside the spiral there is a part with layers of its own, which serve for both.
        return levels
    more = np.arange(first + each, top + each * 0.5, each)
    return np.concatenate([below, more if len(more) else [top], above])


@njit
def layer_sums(role: Any, roles: int, found: Any, layers: int) -> Any:
    """((roles, layers), (roles, layers)): mm³ over mm of height, and mm of way, of all that is laid. `found` are the
    columns laid, layer, way, width and height.
    """
    laid, layer, way, width, height = found
    flat, long = np.zeros((roles, layers)), np.zeros((roles, layers))
    for i in range(len(laid)):
        if laid[i]:
            flat[role[i], layer[i]] += (width[i] - ROUND * height[i]) * way[i]
            long[role[i], layer[i]] += way[i]
    return flat, long


WIDTHS = np.geomspace(0.005, 30.0, 600)
"""mm, 1.5 % apart."""


@njit
def way_by_width(role: Any, roles: int, found: Any) -> Any:
    """(roles, widths) mm of way by role and by what a line's area is over its height, in steps of `WIDTHS`."""
    laid, _, way, width, height = found
    out = np.zeros((roles, len(WIDTHS)))
    low, each = np.log(WIDTHS[0]), (np.log(WIDTHS[-1]) - np.log(WIDTHS[0])) / (len(WIDTHS) - 1)
    for i in range(len(laid)):
        if laid[i]:
            flat = max(width[i] - ROUND * height[i], 1e-6)
            out[role[i], min(max(int((np.log(flat) - low) / each + 0.5), 0), len(WIDTHS) - 1)] += way[i]
    return out


def thinned(x: Floats, y: Floats, count: int) -> tuple[Floats, Floats]:
    """A line of many points as one of few that looks the same: of each stretch the first, the lowest, the highest and
    the last point stay. `x` rises.
    """
    if len(x) <= 4 * count:
        return x, y
    cuts = np.searchsorted(x, np.linspace(x[0], x[-1], count + 1)[1:-1])
    bounds = np.unique(np.concatenate([[0], cuts, [len(x)]]))
    kept = []
    for a, b in pairwise(bounds.tolist()):
        part = y[a:b]
        kept += sorted({a, a + int(part.argmin()), a + int(part.argmax()), b - 1})
    return x[kept], y[kept]


def by_time(values: NDArray[np.floating[Any]], seconds: Floats, share: float) -> float:
    """The value that is not passed for such a share of the time, to a two-thousandth of the largest; of no values 0."""
    most = float(values.max(initial=0.0))
    if not 0 < most < math.inf:
        return 0.0
    upto = np.cumsum(np.bincount((values * (2000 / most)).astype(np.int32), seconds))
    return min((int(np.searchsorted(upto, upto[-1] * share)) + 0.5) / 2000, 1.0) * most
