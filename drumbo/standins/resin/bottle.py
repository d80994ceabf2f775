"""The hidden truth of a bottle: what its resin really needs, drawn from a seed.

Only the physics and the accuracy benchmark may look at it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from zlib import crc32

import numpy as np

from drumbo.core.resin import resin_class
from drumbo.standins.worlds import HOME, World, drawn_from

USUAL_MW_CM2 = 4.0
USUAL_UM = 50.0
DEEP_UM = {"resin-clear": (170.0, 250.0), "resin-filled": (80.0, 125.0)}
"""Penetration depth by class, where it is not that of pigmented resins."""
SHRINKS = (0.001, 0.009)
PIGMENTED_UM = (95.0, 190.0)


@dataclass(frozen=True, slots=True)
class Bottle:
    """Constants of one bottle; see docs/physics.md for each relation.

    Light is down to 37 % after `reach_um`, and the resin sets from `critical_mj_cm2` on at 25 °C, `per_c` of it more
    for each degree less. Light bleeds sideways by `bleed_mm` (one standard deviation); resin beside a part keeps the
    share `remembers` of a layer's dose until the next. `greens` is how much overdose makes it firm, `thin_mm` the
    thinnest pin that stands a slow lift once it is firm. Stirred resin comes to rest within `settles_s`; gaps under
    `clogs_mm` do not wash out. A bottom holds half as well as it can at `sticks` times the critical energy. The share
    `tail` of the light bleeds four times as far; feet flare `flares` times as much as bleeding alone would make them.
    Light goes on `through` times as far into what lies under an overhang as resin at rest would let it; supports carry
    `holds` times what is common; faces laid together stay `joint_um` apart. The
    post-cure takes the share `shrinks` of a length.
    """

    family: str
    seed: int
    reach_um: float
    critical_mj_cm2: float
    per_c: float
    bleed_mm: float
    remembers: float
    greens: float
    thin_mm: float
    settles_s: float
    clogs_mm: float
    sticks: float
    tears: float
    tail: float = 0.0
    flares: float = 1.0
    through: float = 1.0
    holds: float = 1.0
    joint_um: float = 3.0
    shrinks: float = 0.005


def draw_bottle(family_key: str, seed: int, world: World = HOME) -> Bottle:
    """The bottle that stands behind a seed; the same seed always gives the same bottle in a world."""
    rng = np.random.default_rng([seed, crc32(family_key.encode()), 7])
    tail, flares = drawn_from(world.tail, rng), drawn_from(world.foot, rng)
    through, holds = drawn_from(world.through, rng), drawn_from(world.holds, rng)
    joint_um = drawn_from(world.joint_um, rng)
    return replace(_draw(family_key, seed), tail=tail, flares=flares, through=through, holds=holds, joint_um=joint_um,
                   shrinks=float(rng.uniform(*SHRINKS)))  # fmt: skip


def _draw(family_key: str, seed: int) -> Bottle:
    kin = resin_class(family_key)
    rng = np.random.default_rng([seed, crc32(family_key.encode())])
    reach = float(rng.uniform(*DEEP_UM.get(family_key, PIGMENTED_UM)))
    remembers = float(rng.uniform(0.2, 0.4))
    # At the class's usual exposure, on a usual light, features come out true; give or take a third.
    usual = kin.exposure_s * USUAL_MW_CM2 / true_factor(USUAL_UM, reach, remembers)
    return Bottle(
        family=family_key,
        seed=seed,
        reach_um=reach,
        critical_mj_cm2=float(np.clip(usual * math.exp(rng.normal(0, 0.3)), 3.0, 15.0)),
        per_c=rng.uniform(0.012, 0.025),
        bleed_mm=rng.uniform(0.015, 0.040),
        remembers=remembers,
        greens=rng.uniform(0.12, 0.28),
        thin_mm=rng.uniform(0.10, 0.16),
        settles_s=rng.uniform(0.35, 1.1) * kin.rest_before_s,
        clogs_mm=rng.uniform(0.06, 0.14),
        sticks=rng.uniform(9, 16),
        tears=kin.lift_speed_mm_min * rng.uniform(0.9, 1.8),
    )


def true_factor(height_um: float, reach_um: float, remembers: float) -> float:
    """Dose in units of the critical energy at which faces stand where they are drawn.

    Half of the dose falls on an edge; half-way down a layer it is down by e^(−h/2Dp); and the resin beside it still has
    a share of what the layers after it gave: 2 · e^(h/2Dp) · (1 − m · e^(−h/Dp)). At 50 µm, Dp 150 and m 0.3: 1.855.
    """
    return 2 * math.exp(height_um / (2 * reach_um)) * (1 - remembers * math.exp(-height_um / reach_um))


def true_exposure_s(bottle: Bottle, height_um: float, intensity_mw_cm2: float) -> float:
    """The light at which features come out true, s."""
    return bottle.critical_mj_cm2 * true_factor(height_um, bottle.reach_um, bottle.remembers) / intensity_mw_cm2
