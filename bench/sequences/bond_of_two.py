"""A row of pegs, each joined at its own temperature. The truth is from where on the plastic breaks before the joint;
pairs that never hold are no part of it. The habit takes the coolest peg that broke and was borne out by the next.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from bench.rig import Drawn, Tally, file_of, here, moves_of, read
from drumbo.core.families import FAMILIES
from drumbo.core.material import Material
from drumbo.core.pair import Partner
from drumbo.core.profile import start
from drumbo.standins.filament.by_turns import printed_by_turns
from drumbo.standins.filament.joint import draw_joint
from drumbo.trials import kind

SLUG, ASPECT = "bond-of-two", "joint"
TOO_FAR_C = 12.0
"""A pair that holds only so far above its label's range is no pair to print."""


def sequence(spool: Drawn, readers: int) -> Tally:
    """°C."""
    trial, tally = kind(SLUG), Tally()
    other, seed = _that_holds(spool)
    context = replace(spool.context, other=other)
    plan = trial.suggest(context)
    file = file_of(trial, plan, context)
    first = (spool.spool.family, spool.spool.seed, "#cfc6b4")
    second = (other.material.family, seed, "#2f4f8f")
    moves, pauses = moves_of(file.gcode), trial.pauses(plan, context)
    thing = printed_by_turns(moves, spool.spool, [first, second], pauses, here())
    truth = draw_joint(first[:2], second[:2], here()).holds_from_c
    steps = trial.steps(plan)
    for reader in range(readers):
        readings = read(trial, plan, context, thing, spool.number * readers + reader)
        result = trial.evaluate(plan, readings)
        scores = readings.column(ASPECT, steps)
        broke = [k for k in range(len(steps)) if (scores[k:] >= 4).all()]
        habit = steps[broke[0]].value if broke else None
        tally.found(result.value, result.error, habit, truth, other.number("nozzle_c"),
                    new=trial.changes(plan, result, context, 1))  # fmt: skip
    tally.cost([file])
    return tally


def _that_holds(spool: Drawn) -> tuple[Partner, int]:
    """A second spool that holds on the first somewhere near its label's range, and its number."""
    rng = np.random.default_rng([spool.seed, spool.number, 67])
    while True:
        kin, seed = FAMILIES[int(rng.integers(len(FAMILIES)))], int(rng.integers(1 << 30))
        found = draw_joint((spool.spool.family, spool.spool.seed), (kin.key, seed), here()).holds_from_c
        if kin.nozzle_low_c - TOO_FAR_C < found < kin.nozzle_high_c + TOO_FAR_C:
            material = Material("-", "other", kin.key, "-", "#000000", kin.nozzle_low_c, kin.nozzle_high_c,
                                density_g_cm3=kin.density_g_cm3)  # fmt: skip
            return Partner(material, start("other", material, spool.context.printer)), seed
