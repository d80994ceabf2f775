"""The hidden truth of a spool: what it really needs, drawn from a seed.

Only the physics and the accuracy benchmark may look at it.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from zlib import crc32

import numpy as np

from drumbo.core.families import Family, family
from drumbo.standins.worlds import HOME, World, drawn_from


@dataclass(frozen=True, slots=True)
class Spool:
    """Constants of one spool. Temperatures in °C, rates per °C; see docs/physics.md for each relation.

    `centre_c` is the heat at which this batch behaves as its family usually does at its starting value; `grip` is how
    far the drive wheel moves this filament against one of usual hardness, `diameter_mm` its true diameter. `lag_s` is
    how long pressure takes to follow; a pull between the two pull speeds is all felt at the nozzle, one longer than
    `pull_limit_mm` lets air in. A start is even when `restart_mm` more is pushed back than was pulled, an end when
    extrusion stops `coast_mm` before it. All sizes shrink by the share `shrink` while they cool. `chills` tells how
    much more than PLA it loses of its bond in the fan's air; a small layer needs `set_s` to set.
    On a plate of `stick_c` the first layer holds half as well as it can; corners lift that hold less than `warps`. The
    powers say how steeply less arrives past the melt limit, how a string shrinks with the pull, how capacity grows with
    the nozzle; what may depart beyond that is told in `worlds.World`.
    """

    family: str
    seed: int
    centre_c: float
    melt_mm3_s: float
    melt_rate: float
    ooze_mm3: float
    ooze_rate: float
    pull_full_mm: float
    moisture: float
    sag_mm: float
    sag_rate: float
    droop_mm: float
    droop_rate: float
    curl_c: float
    bond_c: float
    bond_width: float
    sheen_c: float
    damage_c: float
    hides: float
    usual_fan: float
    grip: float
    diameter_mm: float
    lag_s: float
    lag_rate: float
    pull_slow_mm_s: float
    pull_fast_mm_s: float
    pull_limit_mm: float
    restart_mm: float
    coast_mm: float
    shrink: float
    chills: float
    set_s: float
    stick_c: float
    warps: float
    slip_power: float = 6.0
    ooze_power: float = 1.5
    nozzle_power: float = 1.3
    slip_onset: float = 0.0
    fades: bool = False
    drips_s: float = 0.15
    wavers_mm: float = 0.0
    dead: float = 0.0
    leans: float = 1.0
    lag_flow: float = 0.0


def draw_spool(family_key: str, seed: int, drive: str = "direct", world: World = HOME) -> Spool:
    """The spool that stands behind a seed; the same seed always gives the same spool in a world."""
    spool = _draw(family_key, seed, drive)
    rng = np.random.default_rng([seed, crc32(family_key.encode()), 7])
    return replace(
        spool, slip_power=drawn_from(world.slip, rng), ooze_power=drawn_from(world.ooze, rng),
        nozzle_power=drawn_from(world.nozzle, rng), moisture=spool.moisture * drawn_from(world.moisture, rng),
        slip_onset=drawn_from(world.onset, rng), fades=bool(rng.random() < world.fades) if world.fades else False,
        drips_s=drawn_from(world.drips_s, rng), wavers_mm=drawn_from(world.wavers_mm, rng),
        dead=drawn_from(world.dead, rng), leans=drawn_from(world.leans, rng),
        lag_flow=drawn_from(world.lag_flow, rng),
        bond_width=spool.bond_width * drawn_from(world.bond_wide, rng),
        damage_c=spool.damage_c + drawn_from(world.browns_c, rng),
    )  # fmt: skip


def _draw(family_key: str, seed: int, drive: str) -> Spool:
    kin = family(family_key)
    rng = np.random.default_rng([seed, crc32(family_key.encode())])
    # Looks and strength together are best a little below the centre; on average at the family's starting value.
    centre = kin.nozzle_c + 2.0 + float(np.clip(rng.normal(0, 5.5), -11, 11))
    direct = rng.uniform(0.45, 1.25)
    bowden = rng.uniform(3.0, 6.5)
    far = drive == "bowden"
    # A family that is printed with little fan sets by itself; at its usual fan it bridges about as PLA does.
    stiffens = ((1 - 0.72 * kin.fan_percent / 100) / 0.28) ** 0.8
    return Spool(
        family=family_key,
        seed=seed,
        centre_c=centre,
        melt_mm3_s=kin.max_flow_mm3_s * rng.uniform(0.85, 1.15),
        melt_rate=rng.uniform(0.014, 0.020),
        ooze_mm3=0.10 * _runny(kin) * rng.uniform(0.6, 1.5),
        ooze_rate=rng.uniform(0.035, 0.06),
        pull_full_mm=bowden if far else direct,
        moisture=float(rng.gamma(1.2, 0.06)),
        sag_mm=rng.uniform(0.28, 0.5) / stiffens,
        sag_rate=rng.uniform(0.035, 0.055),
        droop_mm=rng.uniform(0.22, 0.38) / stiffens,
        droop_rate=rng.uniform(0.030, 0.05),
        curl_c=centre - rng.uniform(6, 13),
        bond_c=centre - rng.uniform(11, 18),
        bond_width=rng.uniform(6, 9),
        sheen_c=centre - rng.uniform(9, 15),
        damage_c=centre + rng.uniform(18, 28),
        hides=0.45 if family_key == "pla-filled" else 1.0,
        usual_fan=kin.fan_percent / 100,
        grip=rng.uniform(0.94, 1.06),
        diameter_mm=float(np.clip(rng.normal(1.75, 0.012), 1.72, 1.78)),
        lag_s=rng.uniform(0.3, 0.9) if far else rng.uniform(0.015, 0.06),
        lag_rate=rng.uniform(0.006, 0.012),
        pull_slow_mm_s=rng.uniform(16, 26),
        pull_fast_mm_s=rng.uniform(45, 60),
        pull_limit_mm=bowden + rng.uniform(1.5, 3.0) if far else direct + rng.uniform(0.5, 1.0),
        restart_mm=-rng.uniform(0.0, 0.2),
        coast_mm=rng.uniform(0.05, 0.3),
        shrink=kin.shrinkage_percent / 100 * rng.uniform(0.6, 1.4),
        chills=2.0 - kin.fan_percent / 100,
        set_s=rng.uniform(5, 11),
        stick_c=kin.bed_c - rng.uniform(6, 13),
        warps=0.3 + 0.35 * min(kin.shrinkage_percent, 1.0) * rng.uniform(0.8, 1.2),
    )


def _runny(kin: Family) -> float:
    """How much a family oozes against PLA."""
    return {"petg": 1.7, "tpu": 1.9, "pa": 1.6}.get(kin.key, 1.0)
