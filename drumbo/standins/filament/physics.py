"""Each relation between heat, flow, fan and what comes out: one small pure function.

`t_c` is the nozzle's true temperature in °C, `fan` a share 0..1. All take and give arrays. The forms and their
reasons are told in docs/physics.md; the constants belong to the spool.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from drumbo.standins.filament.spool import Spool

Floats = NDArray[np.float64]

GRIND_LOAD, GRIND_S = 1.7, 20.0
"""A drive that asks for so many times what can be melted, for so long, grinds the filament."""
TOO_COLD_C = 15.0
"""So far below what the polymer's label allows nothing can be pushed."""


def logistic(x: Floats) -> Floats:
    """1 / (1 + e^−x), safe for large |x|."""
    return np.asarray(1.0 / (1.0 + np.exp(-np.clip(x, -40, 40))), np.float64)


def capability(spool: Spool, t_c: Floats, nozzle_mm: float) -> Floats:
    """Melt capacity, mm³/s: Q₀·e^(k(T − T₀))·(d/0.4)^1.3. Heat flows faster into hotter walls; the power varies."""
    wide = float((nozzle_mm / 0.4) ** spool.nozzle_power)
    return spool.melt_mm3_s * np.exp(spool.melt_rate * (t_c - spool.centre_c)) * wide


def delivered(flow_mm3_s: Floats, capability_mm3_s: Floats, power: float = 6.0, onset: float = 0.0) -> Floats:
    """Share of the asked flow that arrives: 95 % at capability, plummeting past it, more or less steeply; all of it up
    to the share `onset` of that.
    """
    load = np.minimum(flow_mm3_s / capability_mm3_s, 8.0)
    past = np.clip(load - onset, 0.0, None) / (1.0 - onset)
    return np.asarray(1.0 / (1.0 + 0.0526 * past**power))


def fed_share(spool: Spool) -> float:
    """Volume that is fed for each volume asked: a softer filament lets the drive wheel bite deeper and feeds less or
    more per turn, and volume goes with the square of the true diameter. 1.75 mm at a grip of 1.02 → 1.02.
    """
    return spool.grip * (spool.diameter_mm / 1.75) ** 2


def road_width(area_mm2: Floats, height_mm: Floats) -> Floats:
    """Width of a road with half-round sides, mm, from its cross-section: A/h + h·(1 − π/4). 0.0814 at 0.2 → 0.45."""
    safe = np.maximum(height_mm, 0.02)
    return area_mm2 / safe + safe * (1 - np.pi / 4)


def openness(fill: Floats, dead: float = 0.0) -> Floats:
    """Share of a surface that stays open between roads which fill it to `fill`: it closes at 1, or so much earlier as
    half of `dead`, where roads flow together by themselves.
    """
    return np.clip(1.0 - dead / 2 - fill, 0.0, None)


def ridging(fill: Floats, dead: float = 0.0, leans: float = 1.0) -> Floats:
    """Share of material that stands up between roads which overfill it, `leans` times as plain as gaps are; past 1.06
    the nozzle drags it along too.
    """
    return leans * (np.clip(fill - 1.0 - dead / 2, 0.0, None) + 0.6 * np.clip(fill - 1.06, 0.0, None))


USUAL_MM3_S = 4.0


def lag_seconds(spool: Spool, t_c: Floats, flow_mm3_s: Floats | float = USUAL_MM3_S) -> Floats:
    """How long the pressure in the nozzle takes to follow the drive, s: thinner plastic follows sooner, and so may one
    that is sheared faster.
    """
    sheared = (np.clip(flow_mm3_s, 0.5, 20.0) / USUAL_MM3_S) ** -spool.lag_flow if spool.lag_flow else 1.0
    return np.asarray(spool.lag_s * np.exp(-spool.lag_rate * (t_c - spool.centre_c)) * sheared)


def felt_pull(spool: Spool, pulled_mm: Floats, speed_mm_s: Floats) -> Floats:
    """How much of a pull-back the nozzle feels, mm: a slow one comes too late, in a fast one the drive slips."""
    late = np.minimum(speed_mm_s / spool.pull_slow_mm_s, 1.0) ** 0.7
    slips = 0.5 * np.clip((speed_mm_s - spool.pull_fast_mm_s) / 15.0, 0.0, 1.0)
    return pulled_mm * late * (1.0 - slips)


def start_surplus(spool: Spool, extra_mm: Floats, pulled_mm: Floats) -> Floats:
    """Filament that is too much (a blob) or, below 0, too little (a gap) where a road starts after a pull-back, mm.

    Pulled further than the melt reaches, air comes in, and what is pushed back fills that first.
    """
    air = 0.35 * np.clip(pulled_mm - spool.pull_limit_mm, 0.0, None)
    return extra_mm - spool.restart_mm - air


def end_surplus(spool: Spool, coasted_mm: Floats) -> Floats:
    """Length of road that is too much (a blob) or, below 0, too little where a road ends, mm: what was still under
    pressure when extrusion stopped comes anyway.
    """
    return spool.coast_mm - coasted_mm


def ooze(spool: Spool, t_c: Floats, pulled_mm: Floats, air_s: Floats) -> Floats:
    """Volume of a string over a travel, mm³.

    Hot plastic runs; a pull-back of d* holds it all; a longer time in the air lets more out. Moisture foams
    and leaves a floor that no pull-back takes away. Some fade with the pull instead of ending at it.
    """
    full = spool.pull_full_mm * np.exp(0.012 * (t_c - spool.centre_c))
    free = (
        np.exp(-4.0 * pulled_mm / full)
        if spool.fades
        else np.clip(1.0 - pulled_mm / full, 0.0, None) ** spool.ooze_power
    )
    runs = spool.ooze_mm3 * np.exp(spool.ooze_rate * (t_c - spool.centre_c))
    return runs * (free + 0.25 * spool.moisture) * (1.0 - np.exp(-air_s / spool.drips_s))


def sag(spool: Spool, t_c: Floats, span_mm: Floats, fan: Floats, speed_mm_s: Floats) -> Floats:
    """How far the middle of a bridge hangs, mm: grows with the span's square and heat, less with fan and speed.

    `sag_mm` is that of 28 mm at full fan and 30 mm/s at the spool's centre.
    """
    heat = np.exp(spool.sag_rate * (t_c - spool.centre_c))
    air = (1.0 - 0.75 * fan) / 0.25
    haste = 30.0 / np.clip(speed_mm_s, 10.0, 80.0)
    return spool.sag_mm * (span_mm / 28.0) ** 2 * heat * air * haste**0.5


def droop(spool: Spool, t_c: Floats, angle_deg: Floats, fan: Floats) -> Floats:
    """How far an overhanging edge hangs, mm: nothing up to 40° from upright, then in proportion."""
    heat = np.exp(spool.droop_rate * (t_c - spool.centre_c))
    air = (1.0 - 0.7 * fan) / 0.3
    return spool.droop_mm * np.clip(angle_deg - 40.0, 0.0, None) / 22.0 * heat * air


def curl(spool: Spool, t_c: Floats, angle_deg: Floats) -> Floats:
    """How far an overhanging edge curls up when laid too cold, mm: frozen-in tension grows as heat falls."""
    cold = np.clip((spool.curl_c - t_c) / 10.0, 0.0, None)
    return 0.35 * np.clip(angle_deg - 40.0, 0.0, None) / 22.0 * cold**1.5


def bond(spool: Spool, t_c: Floats, fan: Floats, layer_s: Floats) -> Floats:
    """Share of the strength that the polymer's layers can have: welding needs heat; fan and long waits take it away.

    The full share is that of plenty of heat at the polymer's usual fan. One that is printed far above the room's
    heat is chilled more by the same air.
    """
    waiting = np.clip(1.0 - 0.05 * np.log2(np.maximum(layer_s, 4.0) / 8.0), 0.7, 1.05)
    cooled = (1.0 - 0.35 * spool.chills * fan) / (1.0 - 0.35 * spool.chills * spool.usual_fan)
    return np.clip(logistic((t_c - spool.bond_c) / spool.bond_width) * cooled * waiting, 0, 1)


def slump(spool: Spool, t_c: Floats, fan: Floats, layer_s: Floats) -> Floats:
    """How soft a layer still is when the next one comes, 0 firm to 1 molten: 1 − its time over what it needs to set.

    `set_s` is needed at the spool's centre and its polymer's usual fan; heat needs longer, air takes some of it away.
    A layer of 6 s that needs 8 is 0.25.
    """
    air = (1.0 - 0.6 * fan) / (1.0 - 0.6 * spool.usual_fan)
    needs = spool.set_s * np.exp(0.02 * (t_c - spool.centre_c)) * air
    return np.clip(1.0 - layer_s / needs, 0.0, 1.0)


def sheen(spool: Spool, t_c: Floats, load: Floats) -> Floats:
    """Gloss 0 matt to 1 glossy: cold plastic leaves the nozzle matt, and starved plastic rough, soon after each other
    as the flow nears what can be melted.
    """
    return logistic((t_c - spool.sheen_c) / 8.0 - 1.2 * load - 3.0 * np.clip(load - 0.85, 0.0, None))


def starved_bond(missing: Floats) -> Floats:
    """Share of the bond that is left where so much of the road is missing: it touches what lies beneath less, and only
    here and there. 0.5 missing leaves a quarter.
    """
    return (1.0 - missing) ** 2


def grinds(seconds: Floats, load: Floats, cold: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """(n,) from which move on nothing comes any more: the wheel has worn a notch where it drove far more than melts for
    `GRIND_S` without a rest, or drove filament that was too cold to melt at all.
    """
    worn = np.zeros(len(load), np.bool_)
    over = (load > GRIND_LOAD) | cold
    spent = np.cumsum(np.where(over, seconds, 0.0))
    begun = np.maximum.accumulate(np.where((load > 0) & ~over, spent, 0.0))
    late = np.flatnonzero(over & (spent - begun >= GRIND_S))
    if len(late):
        worn[late[0] :] = True
    return worn


def hold(spool: Spool, bed_c: Floats, fill: Floats) -> Floats:
    """How well the first layer holds to the plate, 0 not at all to 1: the plate must be warm, and the roads pressed
    on it; roads that fill four fifths of their layer only touch it with their bellies.
    """
    warm = logistic((bed_c - spool.stick_c) / 3.0)
    return warm * logistic((np.minimum(fill, 2.0) - 0.8) / 0.05)


def foot(softens_c: float, bed_c: Floats) -> Floats:
    """How much wider the first layer's roads spread than they were laid, mm, on a plate that keeps them soft: 0.01 for
    each °C above where the polymer softens, up to 0.15.
    """
    return 0.01 * np.clip(bed_c - softens_c, 0.0, 15.0)


def damage(spool: Spool, t_c: Floats) -> Floats:
    """Browning and bubbles, 0 none to 1 spoilt, past what the polymer stands."""
    return 1.0 - np.exp(-(np.clip((t_c - spool.damage_c) / 10.0, 0.0, None) ** 1.3))
