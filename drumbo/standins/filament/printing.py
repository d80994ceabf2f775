"""From logged moves to the object on the bed.

Geometry first: roads are cut into short pieces, and for each is found what lies beneath it; nothing here is
told which road is a bridge. Then heat: the physics of every piece at the temperature that the nozzle had.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields, replace
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from drumbo.core.motion import plan_moves
from drumbo.standins.filament import physics
from drumbo.standins.filament.spool import Spool

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

PIECE_MM = 1.0
FILAMENT_AREA = math.pi * 1.75**2 / 4
JUNCTION_MM_S = 8.0
_REACH = 2.0


@dataclass(frozen=True, slots=True)
class Geometry:
    """Pieces (n,) of roads and travels (m,) through the air, with all that does not depend on heat.

    a, b: (n, 2) ends in mm; layer, move: (n,); z: top of the road; height, width: mm; speed mm/s;
    away_mm: distance to the nearest road of the layer beneath, inf where there is none near;
    span_mm: length of the free run where it hangs between two supports, else 0; share: place along it, 0..1;
    angle_deg: overhang from upright.
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
    travel_a: Floats
    travel_b: Floats
    travel_z: Floats
    travel_move: Ints
    travel_pulled: Floats
    travel_s: Floats
    travel_air_mm: Floats
    move_end_s: Floats
    move_target_c: Floats
    total_s: float
    volume_mm3: float


@dataclass(frozen=True, slots=True)
class PrintedObject:
    """What came off the bed: the geometry, and per piece and per travel what the physics made of it."""

    geometry: Geometry
    nozzle_c: Floats
    missing: Floats
    sag_mm: Floats
    droop_mm: Floats
    curl_mm: Floats
    bond: Floats
    gloss: Floats
    damage: Floats
    string_mm3: Floats
    hides: float
    digest: int


def geometry(moves: Mapping[str, Sequence[float]]) -> Geometry:
    """Cut logged moves into pieces and find what each rests on. Columns as `interpreter.MOVE_COLUMNS`."""
    column = {name: np.asarray(values, np.float64) for name, values in moves.items()}
    x, y, z, e = (column[name] for name in "xyze")
    steps = [np.diff(c, prepend=c[:1]) for c in (x, y, z)]
    motion = plan_moves(*steps, e, column["feed"], column["accel"], JUNCTION_MM_S)
    ends = np.cumsum(motion.seconds + column["wait_s"])
    way = np.hypot(steps[0], steps[1])
    laid = (e > 0) & (way > 0.02)
    heights, layers = _layers(z, laid)
    layer_s = np.bincount(np.maximum(layers, 0), motion.seconds, len(heights) or 1)
    pieces = _cut(x, y, steps, way, laid)
    move = pieces["move"]
    volume = e * FILAMENT_AREA * column["flow_factor"]
    area = np.where(way > 0, volume / np.maximum(way, 1e-9), 0.0)[move]
    height = heights[layers[move]] if len(heights) else np.empty(0)
    width = area / np.maximum(height, 0.02) + height * (1 - math.pi / 4)
    away = _nearest_beneath(pieces["a"], pieces["b"], layers[move])
    span, share = _free_runs(pieces["a"], pieces["b"], move, away, width)
    angle = np.degrees(np.arctan2(np.minimum(away, 5.0), height))
    angle[(span > 0) | (layers[move] == 0)] = 0.0
    hanging = np.flatnonzero(angle > 40)
    angle[hanging[_within(pieces["a"], pieces["b"], width, layers[move], hanging)]] = 0.0
    travels = _travels(x, y, z, e, way, motion.seconds, layers, pieces, layers[move])
    seconds = np.maximum(motion.seconds, 1e-6)
    return Geometry(
        a=pieces["a"], b=pieces["b"], z=z[move], layer=layers[move], move=move, height=height, width=width,
        speed=column["feed"][move], flow_mm3_s=(volume / seconds)[move], fan=column["fan"][move],
        layer_s=layer_s[layers[move]] if len(move) else np.empty(0), span_mm=span, share=share, angle_deg=angle,
        **travels, move_end_s=ends, move_target_c=column["nozzle_target"],
        total_s=float(ends[-1]) if len(ends) else 0.0, volume_mm3=float(volume.sum()),
    )  # fmt: skip


def band(shape: Geometry, low: float, high: float) -> Geometry:
    """The same geometry, with only what lies above `low` and up to `high`, mm."""
    kept: dict[str, Any] = {}
    for prefix, heights in (("travel_", shape.travel_z), ("", shape.z)):
        within = (heights > low + 1e-6) & (heights <= high + 1e-6)
        for column in fields(Geometry):
            values = getattr(shape, column.name)
            travels = column.name.startswith("travel_")
            if isinstance(values, np.ndarray) and not column.name.startswith("move_") and travels == bool(prefix):
                kept[column.name] = values[within]
    return replace(shape, **kept)


def _layers(z: Floats, laid: NDArray[np.bool_]) -> tuple[Floats, Ints]:
    """Road height of every layer, and the layer of every move (the last laid one for travels)."""
    levels = np.unique(np.round(z[laid], 3))
    heights = np.diff(levels, prepend=0.0)
    layers = np.searchsorted(levels, np.round(z, 3) - 1e-6)
    return heights, np.clip(layers, 0, max(len(levels) - 1, 0))


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
    return {"move": move, "a": a, "b": a + step / total[:, None]}


def _nearest_beneath(a: Floats, b: Floats, layer: Ints) -> Floats:
    """Distance from every piece's middle to the nearest road of the layer beneath, inf past some mm."""
    if not len(a):
        return np.empty(0)
    away = np.full(len(a), np.inf)
    order = np.argsort(layer, kind="stable")
    edges = np.searchsorted(layer[order], np.arange(layer.max() + 2))
    middle = (a + b) / 2
    away[layer == 0] = 0.0
    _search(middle, a, b, order, edges, 1, layer, away)
    return away


def _within(a: Floats, b: Floats, width: Floats, layer: Ints, which: Ints) -> NDArray[np.bool_]:
    """Whether pieces have roads of their own layer on both sides: inside a layer nothing droops."""
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
        _search(reach, a, b, order, edges, 0, layer[which], near)
        full &= near < 0.55 * width[which]
    return full


@njit(cache=True, nogil=True)
def _search(query: Any, a: Any, b: Any, order: Any, edges: Any, below: int, layer: Any, away: Any) -> None:
    """Distance of every query (q, 2) to the nearest piece of the layer `below` its own (0: the same), into `away` (q,).

    Pieces (n, 2) from `a` to `b` come sorted by layer through `order` and `edges`; each layer is put into buckets of
    `_REACH` mm, and only the nine around a query are looked through, so what is further away counts as infinite.
    """
    low_x, low_y = a[:, 0].min() - 3.0, a[:, 1].min() - 3.0
    wide = int((a[:, 0].max() - low_x) / _REACH) + 4
    deep = int((a[:, 1].max() - low_y) / _REACH) + 4
    heads = np.empty(wide * deep, np.int64)
    follow = np.empty(len(a), np.int64)
    at = np.argsort(layer)
    starts = np.searchsorted(layer[at], np.arange(len(edges)))
    for level in range(below, len(edges) - 1 + below):
        if level - below >= len(edges) - 1 or level >= len(edges):
            continue
        heads[:] = -1
        for k in range(edges[level - below], edges[level - below + 1]):
            piece = order[k]
            cell = int((a[piece, 1] + b[piece, 1]) / 2 - low_y) // int(_REACH) * wide
            cell += int((a[piece, 0] + b[piece, 0]) / 2 - low_x) // int(_REACH)
            follow[piece] = heads[cell]
            heads[cell] = piece
        last = starts[level + 1] if level + 1 < len(starts) else len(at)
        for k in range(starts[level], last):
            q = at[k]
            px, py = query[q, 0], query[q, 1]
            row, col = int(py - low_y) // int(_REACH), int(px - low_x) // int(_REACH)
            best = np.inf
            for r in range(max(row - 1, 0), min(row + 2, deep)):
                for c in range(max(col - 1, 0), min(col + 2, wide)):
                    piece = heads[r * wide + c]
                    while piece >= 0:
                        ax, ay = a[piece, 0], a[piece, 1]
                        dx, dy = b[piece, 0] - ax, b[piece, 1] - ay
                        along = dx * dx + dy * dy
                        share = 0.0
                        if along > 0:
                            share = min(1.0, max(0.0, ((px - ax) * dx + (py - ay) * dy) / along))
                        gap = np.hypot(px - ax - share * dx, py - ay - share * dy)
                        best = min(best, gap)
                        piece = follow[piece]
            away[q] = best


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
    pieces: Mapping[str, Any], piece_layer: Ints,
) -> dict[str, Any]:  # fmt: skip
    """Travels of 2 mm or more: how much was pulled back before, and how far each goes through the air."""
    pulled = np.zeros(len(e))
    held = 0.0
    for row, (fed, moved) in enumerate(zip(e.tolist(), way.tolist(), strict=True)):
        held = 0.0 if fed > 0 and moved > 0 else max(0.0, held - fed)
        pulled[row] = held
    rows = np.flatnonzero((e == 0) & (way > 2.0))
    a = np.stack([x, y], axis=1)[rows - 1] if len(rows) else np.empty((0, 2))
    b = np.stack([x, y], axis=1)[rows] if len(rows) else np.empty((0, 2))
    samples = np.linspace(0.03, 0.97, 12)
    points = (a[:, None] + (b - a)[:, None] * samples[None, :, None]).reshape(-1, 2)
    near = np.full(len(points), np.inf)
    if len(points) and len(pieces["a"]):
        order = np.argsort(piece_layer, kind="stable")
        edges = np.searchsorted(piece_layer[order], np.arange(piece_layer.max() + 2))
        _search(points, pieces["a"], pieces["b"], order, edges, 0, np.repeat(layers[rows], 12), near)
    air = (near.reshape(-1, 12) > 0.6).mean(axis=1) * way[rows]
    return {
        "travel_a": a, "travel_b": b, "travel_z": z[rows], "travel_move": rows,
        "travel_pulled": pulled[rows], "travel_s": seconds[rows], "travel_air_mm": air,
    }  # fmt: skip


def lagging_c(ends_s: Floats, target_c: Floats, tau_s: float = 14.0, limit: float = 3.0) -> Floats:
    """Nozzle temperature at the end of every move: the target, followed with a lag. Starts on target."""
    changes = np.flatnonzero(np.diff(target_c, prepend=target_c[:1] - 1))
    out = np.empty(len(ends_s))
    now = float(target_c[0]) if len(target_c) else 0.0
    for first, last in zip(changes, [*changes[1:], len(ends_s)], strict=True):
        since = ends_s[first:last] - (ends_s[first - 1] if first else 0.0)
        goal = float(target_c[first]) or 21.0
        gap = goal - now
        ramp = max(0.0, abs(gap) - limit * tau_s) / limit
        decay = np.sign(gap) * min(abs(gap), limit * tau_s) * np.exp(-np.maximum(since - ramp, 0) / tau_s)
        linear = gap - np.sign(gap) * limit * since
        out[first:last] = goal - np.where(since < ramp, linear, decay)
        now = float(out[last - 1])
    return out


def melt(
    shape: Geometry, spool: Spool, *, digest: int = 0, nozzle_mm: float = 0.4, nozzle_c: float | None = None
) -> PrintedObject:
    """What the spool makes of the geometry. `nozzle_c` overrules the file's heat, for the benchmark's truth.

    Noise is seeded by the file's digest and the spool; with `nozzle_c` there is none.
    """
    quiet = nozzle_c is not None
    rng = np.random.default_rng([digest, spool.seed])
    by_move = (
        np.full(len(shape.move_end_s), float(nozzle_c))
        if nozzle_c is not None
        else lagging_c(shape.move_end_s, shape.move_target_c)
    )
    t_c = by_move[shape.move]
    load = shape.flow_mm3_s / physics.capability(spool, t_c, nozzle_mm)
    missing = 1.0 - physics.delivered(load, np.ones_like(load))
    cold = t_c < 150
    span = shape.span_mm > 0

    def rough(size: int, spread: float) -> Floats:
        return np.ones(size) if quiet else np.exp(rng.normal(-(spread**2) / 2, spread, size))

    sag = np.where(span, physics.sag(spool, t_c, shape.span_mm, shape.fan, shape.speed), 0.0)
    hanging = shape.angle_deg > 40
    droop = np.where(hanging, physics.droop(spool, t_c, shape.angle_deg, shape.fan), 0.0)
    travel_c = by_move[shape.travel_move]
    strings = physics.ooze(spool, travel_c, shape.travel_pulled, shape.travel_s)
    strings = np.where(shape.travel_air_mm > 1.0, strings, 0.0)
    return PrintedObject(
        geometry=shape,
        nozzle_c=t_c,
        missing=np.where(cold, 1.0, missing),
        sag_mm=sag * 4 * shape.share * (1 - shape.share) * rough(len(sag), 0.10),
        droop_mm=np.minimum(droop * rough(len(droop), 0.12), 3.0),
        curl_mm=np.where(hanging, physics.curl(spool, t_c, shape.angle_deg), 0.0) * rough(len(droop), 0.12),
        bond=physics.bond(spool, t_c, shape.fan, shape.layer_s),
        gloss=physics.sheen(spool, t_c, load),
        damage=physics.damage(spool, t_c),
        string_mm3=strings * rough(len(strings), 1.3),
        hides=spool.hides,
        digest=digest,
    )
