"""From logged moves to roads in space, with all that does not depend on heat.

Roads are cut into short pieces, and for each is found what lies beneath, beside and above it; nothing here is told
which road is a bridge or a top.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields, replace
from typing import Any
from zlib import crc32

import numpy as np
from numpy.typing import NDArray

from drumbo.core.motion import plan_moves
from drumbo.standins.filament import physics
from drumbo.standins.filament.lag import cycles
from drumbo.standins.filament.levels import levels, parts
from drumbo.standins.filament.nearness import beside, enclosed, search

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

PIECE_MM = 1.0
FILAMENT_AREA = math.pi * 1.75**2 / 4
JUNCTION_MM_S = 8.0
INFILL_MM = 3.6
"""Lines that fill an object lie no further apart."""
INSIDE_MM = 25.0
"""A travel with roads on both sides within so much goes on inside of an object: what oozes there is not seen."""


@dataclass(frozen=True, slots=True)
class Geometry:
    """Pieces (n,) of roads and travels (m,) through the air, with all that does not depend on heat.

    a, b: (n, 2) ends in mm; layer, move: (n,); z: top of the road; move_* are (k,), one a logged move; height, width:
    mm; speed mm/s; away_mm: distance to the nearest road of the layer beneath, inf where there is none near;
    span_mm: length of the free run where it hangs between two supports, else 0; share: place along it, 0..1;
    angle_deg: overhang from upright; bare: nothing lies on it, it is seen from above; pitch_mm: mean distance to the
    roads on both sides, NaN where it has none on either; start_* are the places where a road starts after a pull-back,
    with what was pushed beyond what was pulled, end_* those where one ends before a pull-back, with the way gone there
    without extrusion; start_piece and end_piece are the first and the last piece of that road; drop_* is what is
    extruded while the head stands still, beyond what was pulled back: where, in which move, and the volume asked for;
    fed_mm is all filament that the drive moved, asked as in `volume_mm3`; digest is the same for all files
    that take the head the same way.
    """

    a: Floats
    b: Floats
    z: Floats
    layer: Ints
    move: Ints
    height: Floats
    width: Floats
    speed: Floats
    flow_mm3_s: Floats
    fan: Floats
    layer_s: Floats
    span_mm: Floats
    share: Floats
    angle_deg: Floats
    bare: NDArray[np.bool_]
    pitch_mm: Floats
    travel_a: Floats
    travel_b: Floats
    travel_z: Floats
    travel_move: Ints
    travel_pulled: Floats
    travel_pull_speed: Floats
    travel_s: Floats
    travel_air_mm: Floats
    start_at: Floats
    start_z: Floats
    start_piece: Ints
    start_extra_mm: Floats
    start_pulled_mm: Floats
    end_at: Floats
    end_z: Floats
    end_piece: Ints
    end_coasted_mm: Floats
    drop_at: Floats
    drop_z: Floats
    drop_move: Ints
    drop_mm3: Floats
    move_end_s: Floats
    move_target_c: Floats
    move_bed_c: Floats
    move_pressure_s: Floats
    move_first: Ints
    move_pieces: Ints
    move_flow: Floats
    move_seconds: Floats
    move_motion: dict[str, Floats]
    total_s: float
    volume_mm3: float
    fed_mm: float
    digest: int = 0


def geometry(moves: Mapping[str, Sequence[float]]) -> Geometry:
    """Cut logged moves into pieces and find what each rests on. Columns as `interpreter.MOVE_COLUMNS`."""
    column = {name: np.asarray(values, np.float64) for name, values in moves.items()}
    x, y, z, e = (column[name] for name in "xyze")
    steps = [np.diff(c, prepend=c[:1]) for c in (x, y, z)]
    motion = plan_moves(steps[0], steps[1], steps[2], e, column["feed"], column["accel"], JUNCTION_MM_S)
    ends = np.cumsum(motion.seconds + column["wait_s"])
    way = np.hypot(steps[0], steps[1])
    laid = (e > 0) & (way > 0.02)
    heights, layers = levels(x, y, z, laid)
    visits = parts(z, laid) * (int(layers.max(initial=0)) + 1) + layers
    layer_s = np.bincount(visits, motion.seconds)
    pieces = _cut(x, y, steps, way, laid)
    move = pieces["move"]
    volume = e * FILAMENT_AREA * column["flow_factor"] * column["feed_factor"]
    area = np.where(way > 0, volume / np.maximum(way, 1e-9), 0.0)[move]
    height = heights[move]
    width = physics.road_width(area, height)
    away = _nearest_beneath(pieces["a"], pieces["b"], layers[move])
    span, share = _free_runs(pieces["a"], pieces["b"], move, away, width)
    angle = np.degrees(np.arctan2(np.minimum(away, 5.0), height))
    angle[(span > 0) | (layers[move] == 0)] = 0.0
    hanging = np.flatnonzero(angle > 40)
    angle[hanging[_within(pieces["a"], pieces["b"], width, layers[move], hanging)]] = 0.0
    bare, pitch = _seen_from_above(pieces["a"], pieces["b"], width, layers[move])
    pulled, pull_speed, extra, coasted = cycles(e, np.hypot(way, steps[2]), column["feed"])
    travels = _travels(x, y, z, e, way, motion.seconds, layers, pieces, layers[move], pulled, pull_speed)
    seconds = np.maximum(motion.seconds, 1e-6)
    return Geometry(
        a=pieces["a"], b=pieces["b"], z=z[move], layer=layers[move], move=move, height=height, width=width,
        speed=column["feed"][move], flow_mm3_s=(volume / seconds)[move], fan=column["fan"][move],
        layer_s=layer_s[visits[move]] if len(move) else np.empty(0), span_mm=span, share=share, angle_deg=angle,
        bare=bare, pitch_mm=pitch,
        **travels, **_starts_and_ends(x, y, z, move, extra, pulled, coasted),
        **_drops(x, y, z, e, volume, np.hypot(way, steps[2]), pulled),
        move_end_s=ends, move_target_c=column["nozzle_target"], move_bed_c=column["bed_target"],
        move_pressure_s=column["pressure"],
        move_flow=np.where(e > 0, volume / seconds, 0.0), move_seconds=motion.seconds,
        move_first=pieces["first"], move_pieces=pieces["counts"],
        move_motion={
            "entry": motion.entry, "cruise": motion.cruise, "leave": motion.leave, "accel": column["accel"],
            "way": np.sqrt(way**2 + steps[2]**2), "area": np.where(laid, volume / np.maximum(way, 1e-9), 0.0),
            "pulled": pulled,
        },
        total_s=float(ends[-1]) if len(ends) else 0.0, volume_mm3=float(volume.sum()),
        fed_mm=float((e * column["feed_factor"]).sum()),
        digest=crc32((np.round(np.stack([x, y, z, e]), 6) + 0.0).tobytes()) if len(x) else 0,
    )  # fmt: skip


def band(shape: Geometry, low: float, high: float) -> Geometry:
    """The same geometry, with only what lies above `low` and up to `high`, mm; roads there have no lag any more."""
    kept: dict[str, Any] = {}
    for prefix, heights in _BY_HEIGHT.items():
        within = (getattr(shape, heights) > low + 1e-6) & (getattr(shape, heights) <= high + 1e-6)
        for column in fields(Geometry):
            values = getattr(shape, column.name)
            mine = next((p for p in _PREFIXES if column.name.startswith(p)), "") == prefix
            if isinstance(values, np.ndarray) and mine:
                kept[column.name] = values[within]
    gone = np.zeros(len(shape.move_pieces), np.int64)
    kept["start_piece"] = np.full(len(kept["start_at"]), -1)
    kept["end_piece"] = np.full(len(kept["end_at"]), -1)
    return replace(shape, **kept, move_pieces=gone)


_BY_HEIGHT = {"": "z", "travel_": "travel_z", "start_": "start_z", "end_": "end_z", "drop_": "drop_z"}
_PREFIXES = ("travel_", "start_", "end_", "drop_", "move_")


def _cut(x: Floats, y: Floats, steps: list[Floats], way: Floats, laid: NDArray[np.bool_]) -> dict[str, Any]:
    rows = np.flatnonzero(laid)
    counts = np.maximum(1, np.ceil(way[rows] / PIECE_MM)).astype(np.int64)
    move = np.repeat(rows, counts)
    first = np.concatenate([[0], np.cumsum(counts)[:-1]]) if len(rows) else np.empty(0, np.int64)
    number = np.arange(len(move)) - np.repeat(first, counts)
    total = np.repeat(counts, counts)
    start = np.stack([x - steps[0], y - steps[1]], axis=1)[move]
    step = np.stack([steps[0], steps[1]], axis=1)[move]
    a = start + step * (number / total)[:, None]
    begins, pieces = np.zeros(len(x), np.int64), np.zeros(len(x), np.int64)
    begins[rows], pieces[rows] = first, counts
    return {"move": move, "a": a, "b": a + step / total[:, None], "first": begins, "counts": pieces}


def _starts_and_ends(
    x: Floats, y: Floats, z: Floats, move: Ints, extra: Floats, pulled: Floats, coasted: Floats
) -> dict[str, Any]:
    """Where roads start after a pull-back and end before one. What is extruded in the air begins no road."""
    starts, ends = np.flatnonzero(np.isfinite(extra)), np.flatnonzero(np.isfinite(coasted))
    at = np.stack([x, y], axis=1)
    return {
        "start_at": at[starts], "start_z": z[starts], "start_piece": np.searchsorted(move, starts),
        "start_extra_mm": extra[starts], "start_pulled_mm": pulled[np.maximum(starts - 1, 0)],
        "end_at": at[ends], "end_z": z[ends], "end_piece": np.searchsorted(move, ends) - 1,
        "end_coasted_mm": coasted[ends],
    }  # fmt: skip


def _drops(x: Floats, y: Floats, z: Floats, e: Floats, volume: Floats, way: Floats, pulled: Floats) -> dict[str, Any]:
    """Filament that is pushed out while the head stands still falls down as a blob."""
    rows = np.flatnonzero((e > 0) & (way < 1e-9) & (np.concatenate([[0.0], pulled[:-1]]) == 0.0))
    return {
        "drop_at": np.stack([x, y], axis=1)[rows], "drop_z": z[rows], "drop_move": rows, "drop_mm3": volume[rows],
    }  # fmt: skip


def _nearest_beneath(a: Floats, b: Floats, layer: Ints) -> Floats:
    """Distance from every piece's middle to the nearest road of the layer beneath, inf past some mm."""
    if not len(a):
        return np.empty(0)
    away = np.full(len(a), np.inf)
    order = np.argsort(layer, kind="stable")
    edges = np.searchsorted(layer[order], np.arange(layer.max() + 2))
    middle = (a + b) / 2
    away[layer == 0] = 0.0
    search(middle, a, b, order, edges, 1, layer, away)
    return away


def _within(a: Floats, b: Floats, width: Floats, layer: Ints, which: Ints) -> NDArray[np.bool_]:
    """Whether pieces have roads of their own layer on both sides, right beside them or as far as lines of infill lie
    apart: what droops inside of an object is not seen.
    """
    if not len(which):
        return np.zeros(0, bool)
    along = b[which] - a[which]
    aside = np.stack([-along[:, 1], along[:, 0]], axis=1) / np.maximum(np.hypot(*along.T), 1e-9)[:, None]
    middle = (a[which] + b[which]) / 2
    order = np.argsort(layer, kind="stable")
    edges = np.searchsorted(layer[order], np.arange(layer.max() + 2))
    full = np.ones(len(which), bool)
    for side in (-1.0, 1.0):
        near = np.full(len(which), np.inf)
        reach = middle + side * aside * width[which, None]
        search(reach, a, b, order, edges, 0, layer[which], near)
        full &= near < 0.55 * width[which]
    rest = np.flatnonzero(~full)
    walled = np.zeros(len(rest), bool)
    enclosed(middle[rest], aside[rest], a, b, order, edges, layer[which[rest]], INFILL_MM, walled)
    full[rest] = walled
    return full


def _seen_from_above(a: Floats, b: Floats, width: Floats, layer: Ints) -> tuple[NDArray[np.bool_], Floats]:
    """What nothing lies upon, and how closely such roads lie to each other."""
    pitch = np.full(len(a), np.nan)
    if not len(a):
        return np.zeros(0, bool), pitch
    order = np.argsort(layer, kind="stable")
    edges = np.searchsorted(layer[order], np.arange(layer.max() + 2))
    over = np.full(len(a), np.inf)
    search((a + b) / 2, a, b, order, edges, 0, layer + 1, over)
    bare = over > 0.7 * width
    which = np.flatnonzero(bare)[np.argsort(layer[bare], kind="stable")]
    sides = np.full((len(which), 2), np.inf)
    beside(a, b, order, edges, layer, which, sides)
    both = (sides < 1.7 * width[which, None]).all(axis=1)
    pitch[which[both]] = sides[both].mean(axis=1)
    return bare, pitch


def _free_runs(a: Floats, b: Floats, move: Ints, away: Floats, width: Floats) -> tuple[Floats, Floats]:
    """(span, place along it): straight runs over nothing that are held at both ends; 0 elsewhere."""
    span, share = np.zeros(len(a)), np.zeros(len(a))
    if not len(a):
        return span, share
    free = away > 0.9 * width
    joined = np.ones(len(a), bool)
    joined[1:] = (np.abs(b[:-1] - a[1:]).max(axis=1) < 0.01) & (np.diff(move) <= 1)
    edges = np.flatnonzero(np.diff(np.concatenate([[0], free.astype(np.int8), [0]])))
    for first, last in zip(edges[0::2], edges[1::2], strict=True):
        if first == 0 or last >= len(a) or not joined[first : last + 1].all():
            continue
        before, after = a[first] - a[first - 1], b[last] - a[last]
        along = b[last - 1] - a[first]
        length = float(np.hypot(*along))
        ways = np.hypot(*(b[first:last] - a[first:last]).T)
        if length < 0.98 * ways.sum() or _turns(before, along) or _turns(along, after):
            continue
        span[first:last] = length
        share[first:last] = (np.cumsum(ways) - ways / 2) / ways.sum()
    return span, share


def _turns(one: Floats, other: Floats) -> bool:
    sizes = math.hypot(*one) * math.hypot(*other)
    return sizes == 0 or float(one @ other) < 0.9 * sizes


def _travels(
    x: Floats, y: Floats, z: Floats, e: Floats, way: Floats, seconds: Floats, layers: Ints,
    pieces: Mapping[str, Any], piece_layer: Ints, pulled: Floats, pull_speed: Floats,
) -> dict[str, Any]:  # fmt: skip
    """Travels of 2 mm or more: how much was pulled back before, and how far each goes through the open air."""
    rows = np.flatnonzero((e == 0) & (way > 2.0))
    a = np.stack([x, y], axis=1)[rows - 1] if len(rows) else np.empty((0, 2))
    b = np.stack([x, y], axis=1)[rows] if len(rows) else np.empty((0, 2))
    samples = np.linspace(0.03, 0.97, 12)
    points = (a[:, None] + (b - a)[:, None] * samples[None, :, None]).reshape(-1, 2)
    near, hidden = np.full(len(points), np.inf), np.zeros(len(points), bool)
    if len(points) and len(pieces["a"]):
        order = np.argsort(piece_layer, kind="stable")
        edges = np.searchsorted(piece_layer[order], np.arange(piece_layer.max() + 2))
        at = np.repeat(layers[rows], len(samples))
        search(points, pieces["a"], pieces["b"], order, edges, 0, at, near)
        along = (b - a) / way[rows][:, None]
        aside = np.repeat(np.stack([-along[:, 1], along[:, 0]], axis=1), len(samples), axis=0)
        enclosed(points, aside, pieces["a"], pieces["b"], order, edges, at, INSIDE_MM, hidden)
    air = ((near > 0.6) & ~hidden).reshape(-1, len(samples)).mean(axis=1) * way[rows]
    return {
        "travel_a": a, "travel_b": b, "travel_z": z[rows], "travel_move": rows,
        "travel_pulled": pulled[rows], "travel_pull_speed": pull_speed[rows], "travel_s": seconds[rows],
        "travel_air_mm": air,
    }  # fmt: skip
