"""What the batch check says of a batch that departs from the one before, and of one that does not.

A profile stands where its spool's truth is. The next batch is the same spool with one of its properties moved; for each
the table tells how often the check says that a value has moved, once what seems to have moved was looked at again. 0 is
the false alarm.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from bench.rig import Drawn, file_of, read, second_look, shape_of, with_values
from bench.sequences.temperature import best_heat
from drumbo.standins.filament import physics
from drumbo.standins.filament.printing import melt
from drumbo.standins.filament.spool import Spool
from drumbo.trials import kind
from drumbo.trials.base import SomeKind
from drumbo.trials.batch_check.verdict import to_look_at
from drumbo.trials.plan import TrialPlan
from drumbo.trials.readings import Readings
from drumbo.trials.result import Result
from drumbo.trials.toolkit.checklist import TWICE

SLUG = "batch-check"
READERS = 4
ANY = "any"
"""What is called moved, whichever it is, where nothing is."""
_HEATS = ("centre_c", "bond_c", "curl_c", "sheen_c", "damage_c")


def _heat(spool: Spool, by: float) -> Spool:
    return replace(spool, **{key: getattr(spool, key) + by for key in _HEATS})


def _flow(spool: Spool, by: float) -> Spool:
    return replace(spool, grip=spool.grip / (1 + by / 100))


def _pull(spool: Spool, by: float) -> Spool:
    return replace(spool, pull_full_mm=spool.pull_full_mm * (1 + by / 100))


MOVES: dict[str, tuple[Callable[[Spool, float], Spool], tuple[float, ...], str]] = {
    "nozzle_c": (_heat, (-14, -10, -5, 0, 5, 10, 14), "°C"),
    "flow_ratio": (_flow, (-6, -3, 0, 3, 6), "%"),
    "retraction_mm": (_pull, (0, 25, 50, 100), "%"),
}
"""What moves, by how much its right value does, and in what."""


def calls(spool: Drawn) -> dict[str, dict[float, list[bool]]]:
    """By value and by how far it moved: whether the check says so, one entry a reader."""
    trial, truth = kind(SLUG), spool.spool
    right = {
        "nozzle_c": (float(round(best_heat(spool))), 1.5),
        "flow_ratio": (round(1 / physics.fed_share(truth), 3), 0.005),
        "retraction_mm": (round(0.95 * truth.pull_full_mm, 1), 0.05),
    }
    context = with_values(spool.context, right)
    plan = trial.suggest(context)
    shape = shape_of(file_of(trial, plan, context).gcode)
    said: dict[str, dict[float, list[bool]]] = {ANY: {}}
    for key, (moved, steps, _) in MOVES.items():
        for by in steps:
            entries = said.setdefault(key, {}).setdefault(by, [])
            for reader in range(READERS):
                thing = melt(replace(shape, digest=spool.number * READERS + reader), moved(truth, by))
                made = (trial, plan, context, thing, spool.number * READERS + reader)
                result = _sure(trial, plan, read(*made), second_look(*made))
                assert result.also is not None
                entries.append(not result.also[key])
                if by == 0:
                    said[ANY].setdefault(0, []).append(not all(result.also.values()))
    return said


def _sure(trial: SomeKind, plan: TrialPlan, first: Readings, second: Readings) -> Result:
    """What the check says once what seems to have moved was looked at again."""
    result = trial.evaluate(plan, first)
    assert result.also is not None
    readings = first
    for aspect in to_look_at({key: not same for key, same in result.also.items()}):
        readings = replace(readings, scores={**readings.scores, aspect: second.scores[aspect]})
    return result if readings == first else trial.evaluate(plan.with_value("looked", TWICE), readings)


def table(spools: list[dict[str, dict[float, list[bool]]]]) -> dict[str, dict[float, float]]:
    """Share of all checks that say that a value has moved."""
    return {
        key: {by: round(float(np.mean([spool[key][by] for spool in spools])), 2) for by in spools[0][key]}
        for key in spools[0]
    }
