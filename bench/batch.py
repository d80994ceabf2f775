"""What the batch check says of a batch that departs from the one before, and of one that does not.

A profile stands where its spool's truth is. The next batch is the same spool with one of its properties moved; for each
the table tells how often the check says that a value has moved, once what seems to have moved was looked at again. 0 is
the false alarm.

A move matters by what it costs to print on as before: points of four, without any noise, of what the value's own trial
scores. The temperature's are those of its tower, weighed as it weighs them; the flow's those of the tops, and the
retraction's the strings, of the middle stair.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from bench.rig import Drawn, file_of, read, second_look, shape_of, with_values
from bench.sequences.temperature import best_heat, rung_quality
from drumbo.standins import eye
from drumbo.standins.filament import physics
from drumbo.standins.filament.printing import PrintedObject, melt
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
ANY, COSTLY = "any", "costly"
"""What is called moved, whichever it is, where nothing is; and by what a move costs."""
_HEATS = ("centre_c", "bond_c", "curl_c", "sheen_c", "damage_c")


def _heat(spool: Spool, by: float) -> Spool:
    return replace(spool, **{key: getattr(spool, key) + by for key in _HEATS})


def _flow(spool: Spool, by: float) -> Spool:
    return replace(spool, grip=spool.grip / (1 + by / 100))


def _pull(spool: Spool, by: float) -> Spool:
    return replace(spool, pull_full_mm=spool.pull_full_mm * (1 + by / 100))


MOVES: dict[str, tuple[Callable[[Spool, float], Spool], tuple[float, ...], str]] = {
    "nozzle_c": (_heat, (-20, -14, -10, -5, 0, 5, 10, 14, 20), "°C"),
    "flow_ratio": (_flow, (-6, -3, 0, 3, 6), "%"),
    "retraction_mm": (_pull, (0, 25, 50, 100, 200), "%"),
}
"""What moves, by how much its right value does, and in what."""


SCORED = {"flow_ratio": ("gaps", "ridges"), "retraction_mm": ("strings",)}
"""What the middle stair shows of a value's own trial."""
COSTS = (0.0, 0.25, 0.5, 1.0)
"""From how much on a move is counted together, points of four."""


@dataclass
class Called:
    """By value and by how far it moved: whether the check says so, one entry a reader; and what each move costs."""

    said: dict[str, dict[float, list[bool]]] = field(default_factory=dict)
    costs: dict[str, dict[float, float]] = field(default_factory=dict)


def calls(spool: Drawn) -> Called:
    """What several readers are told of one spool and the batches that depart from it."""
    trial, truth = kind(SLUG), spool.spool
    heat = float(round(best_heat(spool)))
    right = {
        "nozzle_c": (heat, 1.5),
        "flow_ratio": (round(1 / physics.fed_share(truth), 3), 0.005),
        "retraction_mm": (round(0.95 * truth.pull_full_mm, 1), 0.05),
    }
    context = with_values(spool.context, right)
    plan = trial.suggest(context)
    shape = shape_of(file_of(trial, plan, context).gcode)
    box = trial.piece(plan, context).places[1].box(context.printer.bed_middle)
    found = Called({ANY: {}})
    for key, (moved, steps, _) in MOVES.items():
        for by in steps:
            entries = found.said.setdefault(key, {}).setdefault(by, [])
            for reader in range(READERS):
                thing = melt(replace(shape, digest=spool.number * READERS + reader), moved(truth, by))
                made = (trial, plan, context, thing, spool.number * READERS + reader)
                result = _sure(trial, plan, read(*made), second_look(*made))
                assert result.also is not None
                entries.append(not result.also[key])
                if by == 0:
                    found.said[ANY].setdefault(0, []).append(not all(result.also.values()))
        if key in SCORED:
            good = {by: _good(melt(shape, moved(truth, by)), box, SCORED[key]) for by in steps}
            found.costs[key] = {by: good[0] - good[by] for by in steps}
        else:
            found.costs[key] = {by: _heat_cost(spool, moved(truth, by), heat) for by in steps}
    return found


def _good(thing: PrintedObject, box: eye.Box, aspects: Sequence[str]) -> float:
    return float(eye.exact_scores(thing, [box], aspects).mean())


def _heat_cost(spool: Drawn, batch: Spool, heat: float) -> float:
    """What the tower's quality lacks at a temperature, of what it has at this batch's best."""
    heats = np.arange(heat - 26.0, heat + 26.1, 2.0)
    quality = rung_quality(replace(spool, spool=batch), np.append(heats, heat))
    return float(quality.max() - quality[-1])


def _sure(trial: SomeKind, plan: TrialPlan, first: Readings, second: Readings) -> Result:
    """What the check says once what seems to have moved was looked at again."""
    result = trial.evaluate(plan, first)
    assert result.also is not None
    readings = first
    for aspect in to_look_at({key: not same for key, same in result.also.items()}):
        readings = replace(readings, scores={**readings.scores, aspect: second.scores[aspect]})
    return result if readings == first else trial.evaluate(plan.with_value("looked", TWICE), readings)


def table(spools: list[Called]) -> dict[str, dict[float, float]]:
    """Share of all checks that say that a value has moved; and by what a move costs, of all values together."""
    rows = {
        key: {by: round(float(np.mean([spool.said[key][by] for spool in spools])), 2) for by in spools[0].said[key]}
        for key in spools[0].said
    }
    told: dict[float, list[bool]] = {least: [] for least in COSTS}
    for spool in spools:
        for key, costs in spool.costs.items():
            for by, cost in costs.items():
                if by:
                    told[max(least for least in COSTS if least <= max(cost, 0.0))] += spool.said[key][by]
    rows[COSTLY] = {least: round(float(np.mean(each)), 2) for least, each in told.items() if each}
    return rows
