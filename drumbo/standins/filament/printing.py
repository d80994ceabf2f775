"""What the spool makes of the roads: the physics of every piece at the temperature that the nozzle had there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from drumbo.core.families import family
from drumbo.standins.filament import physics
from drumbo.standins.filament.bed import FLAT, Bed
from drumbo.standins.filament.geometry import FILAMENT_AREA, Geometry
from drumbo.standins.filament.joint import Joint
from drumbo.standins.filament.lag import delivered_share, take_from
from drumbo.standins.filament.mixing import unpacked
from drumbo.standins.filament.spool import Spool

Floats = NDArray[np.float64]

THREAD_MM3 = 2.5
"""Scatter of a blob's volume, from where its thread tears."""
LEAST_ROOM_MM = 0.05
"""Where the nozzle all but touches the plate, what comes out still finds so much room."""
SMALLEST_BLOB_MM = 0.25
"""Radius below which a blob is lost in the road's own width."""


@dataclass(frozen=True, slots=True)
class PrintedObject:
    """What came off the bed: the geometry, and per piece and per travel what the physics made of it.

    missing: share of the asked flow that did not arrive; width_mm: of the road as it lies; fill: how full roads seen
    from above lie beside each other, 1 is closed, NaN where that cannot be said; fed_mm: filament that went through
    the drive, mm; lag: what leaves the nozzle as a share of what is asked, untuned: the same without pressure advance;
    drop_mm3: volume of what was extruded standing still; slump: how soft each piece still was when more came on top;
    shrink: share by which sizes are smaller than the roads lay;
    hold: how well each piece of the first layer holds to the plate, 1 above it; corners lift that hold less than
    `warps`; `dead` and `leans` tell how roads that lie too thin or too full show;
    colours: (n, 3) 0..255 where more than one was in the nozzle, else None; joint: how the last of them holds on the
    one before;
    start_surplus_mm (of filament) and end_surplus_mm (of road): what is too much there, or too little below 0.
    """

    geometry: Geometry
    nozzle_c: Floats
    missing: Floats
    width_mm: Floats
    fill: Floats
    fed_mm: float
    density_g_cm3: float
    sag_mm: Floats
    droop_mm: Floats
    curl_mm: Floats
    bond: Floats
    slump: Floats
    gloss: Floats
    damage: Floats
    string_mm3: Floats
    lag: Floats
    untuned: Floats
    drop_mm3: Floats
    start_surplus_mm: Floats
    end_surplus_mm: Floats
    hold: Floats
    warps: float
    hides: float
    shrink: float
    digest: int
    dead: float = 0.0
    leans: float = 1.0
    colours: Floats | None = None
    joint: Joint | None = None


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
    shape: Geometry,
    spool: Spool,
    *,
    nozzle_mm: float = 0.4,
    nozzle_c: float | None = None,
    bed: Bed = FLAT,
    colours: Sequence[int] = (),
    joint: Joint | None = None,
) -> PrintedObject:
    """What the spool makes of the geometry on a plate. `nozzle_c` overrules the file's heat, for the benchmark's truth;
    `colours` are what came out in each move, packed.

    Noise is seeded by what the head does and by the spool; with `nozzle_c` there is none.
    """
    quiet = nozzle_c is not None
    rng = np.random.default_rng([shape.digest, spool.seed])
    by_move = (
        np.full(len(shape.move_end_s), float(nozzle_c))
        if nozzle_c is not None
        else lagging_c(shape.move_end_s, shape.move_target_c)
    )
    t_c = by_move[shape.move]
    fed = physics.fed_share(spool)
    load = fed * shape.flow_mm3_s / physics.capability(spool, t_c, nozzle_mm)
    arrives = _arriving(shape, spool, by_move, fed, nozzle_mm)
    missing = 1.0 - arrives[shape.move]
    span = shape.span_mm > 0

    def rough(size: int, spread: float) -> Floats:
        return np.ones(size) if quiet else np.exp(rng.normal(-(spread**2) / 2, spread, size))

    asked = (shape.width - shape.height * (1 - np.pi / 4)) * shape.height
    shape = replace(shape, height=_room(shape, bed))
    plate, bed_c = shape.layer == 0, shape.move_bed_c[shape.move]
    area = asked * fed * (1.0 - missing) * _drift(len(asked), quiet, rng) * _wavers(shape, asked, spool, quiet)
    # In a closed surface roads take up from each other what one has too much where the head turns; lag shows in roads
    # that lie alone.
    fill = area / (shape.height * shape.pitch_mm) * rough(len(asked), 0.012)
    lag, untuned = _lags(shape, spool, by_move)
    area *= lag
    sag = np.where(span, physics.sag(spool, t_c, shape.span_mm, shape.fan, shape.speed), 0.0)
    hanging = shape.angle_deg > 40
    droop = np.where(hanging, physics.droop(spool, t_c, shape.angle_deg, shape.fan), 0.0)
    travel_c = by_move[shape.travel_move]
    felt = physics.felt_pull(spool, shape.travel_pulled, shape.travel_pull_speed)
    strings = physics.ooze(spool, travel_c, felt, shape.travel_s)
    strings = np.where(shape.travel_air_mm > 1.0, strings, 0.0)
    starts = physics.start_surplus(spool, shape.start_extra_mm, shape.start_pulled_mm)
    ends = physics.end_surplus(spool, shape.end_coasted_mm)
    starts *= rough(len(starts), 0.15)
    lying = _with_gaps(area, shape, starts)
    return PrintedObject(
        geometry=shape,
        nozzle_c=t_c,
        missing=missing,
        width_mm=physics.road_width(lying, shape.height)
        + _bumps(len(asked), quiet, rng)
        + np.where(plate, physics.foot(family(spool.family).softens_c, bed_c), 0.0),
        fill=fill,
        fed_mm=shape.fed_mm * spool.grip,
        density_g_cm3=family(spool.family).density_g_cm3,
        sag_mm=sag * 4 * shape.share * (1 - shape.share) * rough(len(sag), 0.10),
        droop_mm=np.minimum(droop * rough(len(droop), 0.12), 3.0),
        curl_mm=np.where(hanging, physics.curl(spool, t_c, shape.angle_deg), 0.0) * rough(len(droop), 0.12),
        bond=physics.bond(spool, t_c, shape.fan, shape.layer_s) * physics.starved_bond(missing),
        slump=np.where(shape.layer > 0, physics.slump(spool, t_c, shape.fan, shape.layer_s), 0.0),
        gloss=physics.sheen(spool, t_c, load),
        damage=physics.damage(spool, t_c),
        string_mm3=strings * rough(len(strings), 1.0),
        lag=lag,
        untuned=untuned,
        drop_mm3=_dropped(shape, fed * arrives[shape.drop_move], quiet, rng),
        start_surplus_mm=starts,
        end_surplus_mm=ends * rough(len(ends), 0.15),
        hold=np.where(plate, physics.hold(spool, bed_c, asked * fed / (shape.height * _spacing(shape))), 1.0),
        warps=spool.warps,
        hides=spool.hides,
        shrink=spool.shrink,
        digest=shape.digest,
        dead=spool.dead,
        leans=spool.leans,
        colours=unpacked(np.asarray(colours)[shape.move]) if len(set(colours)) > 1 else None,
        joint=joint,
    )


def _room(shape: Geometry, bed: Bed) -> Floats:
    """(n,) how high the roads really are: the first layer takes up whatever room there is over the plate."""
    room = np.maximum(shape.height + bed.above((shape.a + shape.b) / 2), LEAST_ROOM_MM)
    return np.where(shape.layer == 0, room, shape.height)


def _spacing(shape: Geometry) -> Floats:
    """(n,) distance to the roads beside each, or its own width where it lies alone."""
    return np.where(np.isfinite(shape.pitch_mm), shape.pitch_mm, shape.width)


def _arriving(shape: Geometry, spool: Spool, by_move_c: Floats, fed: float, nozzle_mm: float) -> Floats:
    """(k,) share of what is asked in each move that leaves the nozzle."""
    load = fed * shape.move_flow / physics.capability(spool, by_move_c, nozzle_mm)
    cold = (by_move_c < family(spool.family).nozzle_low_c - physics.TOO_COLD_C) & (load > 0)
    arrives = physics.delivered(load, np.ones_like(load), spool.slip_power, spool.slip_onset)
    return np.where(physics.grinds(shape.move_seconds, load, cold) | cold, 0.0, arrives)


def _dropped(shape: Geometry, share: Floats, quiet: bool, rng: np.random.Generator) -> Floats:
    """(d,) volume of what fell, mm³; each blob keeps or leaves a little of the thread to the nozzle."""
    asked = shape.drop_mm3 * share
    if quiet or not len(asked):
        return asked
    places = np.cumsum(np.any(np.diff(shape.drop_at, axis=0, prepend=shape.drop_at[:1]) != 0, axis=1))
    first = np.flatnonzero(np.diff(places, prepend=-1))
    thread = rng.normal(0, THREAD_MM3, len(first))
    whole = np.add.reduceat(asked, first)
    return np.asarray(asked * np.maximum(1 + thread / np.maximum(whole, 1e-9), 0.0)[places] * (whole > 1e-6)[places])


def _lags(shape: Geometry, spool: Spool, by_move_c: Floats) -> tuple[Floats, Floats]:
    """(n,) share of the asked that leaves the nozzle along each piece, with the file's pressure advance and without."""
    if not shape.move_pieces.any():
        return np.ones(len(shape.a)), np.ones(len(shape.a))
    slow = physics.lag_seconds(spool, by_move_c, shape.move_flow)
    advances = (shape.move_pressure_s, np.zeros_like(slow))
    with_it, without = (
        delivered_share(shape.move_motion, shape.move_first, shape.move_pieces, slow, advance) for advance in advances
    )
    return with_it, without


def _with_gaps(area: Floats, shape: Geometry, starts_mm: Floats) -> Floats:
    """Cross-sections with what is missing where roads start; what is too much lies there as a blob, see `blobs`."""
    lying = area.copy()
    length = np.hypot(*(shape.b - shape.a).T)
    take_from(lying, length, shape.start_piece, np.clip(-starts_mm, 0.0, None) * FILAMENT_AREA)
    return lying


def blobs(thing: PrintedObject) -> tuple[Floats, Floats, NDArray[np.int64]]:
    """Blobs at starts and ends that can be seen: (k, 3) places on top of the road, (k,) radius in mm, (k,) road piece.

    A blob is half a ball of what is too much: 0.24 mm³ has a radius of 0.49 mm.
    """
    shape = thing.geometry
    road = np.clip(shape.end_piece, 0, max(len(shape.a) - 1, 0))
    ends = thing.end_surplus_mm * shape.height[road] * shape.width[road] if len(shape.a) else thing.end_surplus_mm
    volume = np.concatenate([thing.start_surplus_mm * FILAMENT_AREA, ends])
    at = np.vstack([np.column_stack([shape.start_at, shape.start_z]), np.column_stack([shape.end_at, shape.end_z])])
    piece = np.concatenate([shape.start_piece, shape.end_piece])
    radius = np.cbrt(np.clip(volume, 0.0, None) * 1.5 / np.pi)
    seen = (radius > SMALLEST_BLOB_MM) & (piece >= 0) & (piece < len(shape.a))
    return at[seen], radius[seen], piece[seen]


def _drift(size: int, quiet: bool, rng: np.random.Generator) -> Floats:
    """(n,) share of the usual cross-section: filament is a little thicker here and thinner there, over metres."""
    if quiet or not size:
        return np.ones(size)
    knots = np.arange(0, size + 800, 400)
    return np.asarray(np.interp(np.arange(size), knots, rng.normal(1.0, 0.003, len(knots))))


WAVES_MM = 800.0
"""Filament that wavers is as thick as before after so much of it at the earliest."""


def _wavers(shape: Geometry, asked: Floats, spool: Spool, quiet: bool) -> Floats:
    """(n,) share of the usual cross-section along metres of a filament whose diameter is not held well; one spool, one
    place on it, one file.
    """
    if quiet or not spool.wavers_mm or not len(asked):
        return np.ones(len(asked))
    rng = np.random.default_rng([shape.digest, spool.seed, 5])
    used = np.cumsum(asked * np.hypot(*(shape.b - shape.a).T)) / FILAMENT_AREA
    knots = np.arange(0.0, used[-1] + 2 * WAVES_MM, WAVES_MM)
    across = np.interp(used, knots, rng.normal(0, spool.wavers_mm, len(knots)))
    return np.asarray((1 + across / spool.diameter_mm) ** 2)


def _bumps(size: int, quiet: bool, rng: np.random.Generator) -> Floats:
    """(n,) mm by which a road's sides waver."""
    return np.zeros(size) if quiet else rng.normal(0, 0.008, size)
