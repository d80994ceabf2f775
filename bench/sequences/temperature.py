"""A temperature tower. The truth is where the exact, noise-free quality of the same aspects peaks."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from bench.habits import plateau_middle
from bench.rig import Drawn, Tally, file_of, once, once_a_spool, planned, printed, read, shape_of
from drumbo.standins import eye
from drumbo.standins.filament.geometry import band
from drumbo.standins.filament.printing import melt
from drumbo.trials import kind
from drumbo.trials.temperature.plan import AIMS


def sequence(spool: Drawn, readers: int) -> Tally:
    """One tower, read by so many."""
    trial, context = kind("temperature"), spool.context
    plan = planned(trial, context)
    aspects = [a.key for a in trial.readings(plan).aspects]
    aim = next(a for a in AIMS if a.key == plan["aim"])
    weights = np.array([aim.weights[a] for a in aspects])
    truth = best_heat(spool)
    file = file_of(trial, plan, context)
    thing = printed(file, spool.spool)
    steps = trial.steps(plan)
    tally = Tally()
    for reader in range(readers):
        readings = read(trial, plan, context, thing, spool.number * readers + reader)
        result = trial.evaluate(plan, readings)
        scores = np.array([[readings.score(aspect, step.index) for aspect in aspects] for step in steps])
        tally.found(
            result.value,
            result.error,
            plateau_middle([step.value for step in steps], scores @ weights),
            truth,
            context.profile.number("nozzle_c"),
            new=trial.changes(plan, result, spool.context, 1),
        )
        tally.drumbo[-1] = round(tally.values[-1]) - truth  # as it is adopted
    tally.cost([file])
    return tally


@once_a_spool
def best_heat(spool: Drawn) -> float:
    """Where the exact quality peaks, °C."""
    material = spool.context.material

    def best(heats: np.ndarray) -> float:
        return float(heats[int(np.argmax(rung_quality(spool, heats)))])

    coarse = best(np.arange(material.nozzle_low_c - 5, material.nozzle_high_c + 5.1, 2.0))
    return best(np.arange(coarse - 2, coarse + 2.1, 0.2))


def rung_quality(spool: Drawn, heats: np.ndarray) -> np.ndarray:
    """Points of four without noise, all aspects weighed, of one rung printed ever again at temperatures in °C."""
    trial, context = kind("temperature"), spool.context
    suggested = trial.suggest(context)
    aspects = [a.key for a in trial.readings(suggested).aspects]
    aim = next(a for a in AIMS if a.key == suggested["aim"])
    weights = np.array([aim.weights[a] for a in aspects])
    low = context.material.nozzle_low_c
    plan = replace(suggested, hot_c=low + 10.0, cold_c=low, step_c=5.0)
    rung = trial.piece(plan, context).places[1]
    whole = file_of(trial, plan, context).gcode
    shape = once(("rung", whole), lambda: band(shape_of(whole), rung.low[2], rung.high[2]))
    things = (melt(shape, spool.spool, nozzle_c=float(c)) for c in heats)
    return np.array([eye.exact_scores(thing, [rung.box((0, 0))], aspects)[0] @ weights for thing in things])
