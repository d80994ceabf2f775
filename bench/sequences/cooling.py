"""A gantry in bands of fan. The truth is the most fan that costs the exact, noise-free bond no more than the aim
spends, or the least with which exact slopes and tips are as good as with any, whichever is less. The plain habit takes
the same rule to three-step means of the same scores.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from bench.habits import smoothed
from bench.rig import Drawn, Tally, file_of, once_a_spool, planned, printed, read, shape_of
from drumbo.core.errors import InvalidInput
from drumbo.standins import eye
from drumbo.standins.filament.geometry import band
from drumbo.standins.filament.printing import melt
from drumbo.trials import kind
from drumbo.trials.fan_bands.plan import AIMS
from drumbo.trials.fan_bands.verdict import BOND, ENOUGH, HELPED
from drumbo.trials.readings import Readings


def sequence(spool: Drawn, readers: int) -> Tally:
    """One gantry, read by so many."""
    trial, context = kind("fan-bands"), spool.context
    plan = planned(trial, context)
    truth = right(spool)
    file = file_of(trial, plan, context)
    thing = printed(file, spool.spool)
    tally = Tally()
    for reader in range(readers):
        readings = read(trial, plan, context, thing, spool.number * readers + reader)
        result = trial.evaluate(plan, readings)
        assert result.value is not None
        assert result.error is not None
        tally.found(
            result.value,
            result.error,
            _habit(plan, readings),
            truth,
            context.profile.number("fan_percent"),
            new=trial.changes(plan, result, spool.context, 1),
        )
        tally.drumbo[-1] = 5 * round(result.value / 5) - truth  # as it is adopted
    tally.cost([file])
    return tally


def _habit(plan: Any, readings: Readings) -> float:
    steps, aim = kind("fan-bands").steps(plan), next(a for a in AIMS if a.key == plan["aim"])
    fans = np.array([step.value for step in steps])
    bond, *helped = (smoothed(readings.column(aspect, steps)) for aspect in (BOND, *HELPED))
    order = np.argsort(fans)
    fans, bond, helped = fans[order], bond[order], [h[order] for h in helped]
    spares = fans[bond >= bond[0] - aim.spends].max()
    return float(min(spares, max(fans[int(np.argmax(h >= h[-1] - ENOUGH))] for h in helped)))


@once_a_spool
def right(spool: Drawn) -> float:
    """% of fan, from one band melted ever again with another fan and no noise."""
    trial, context = kind("fan-bands"), spool.context
    plan = trial.suggest(context)
    place = trial.piece(plan, context).places[2]
    try:
        file = file_of(trial, plan, context)
    except InvalidInput:
        file = file_of(trial, replace(plan, layer_s=30.0), context)  # a slow profile needs longer for a layer
    shape = band(shape_of(file.gcode), place.low[2], place.high[2])
    heat, aim = context.profile.number("nozzle_c"), next(a for a in AIMS if a.key == plan["aim"])
    fans = np.arange(0.0, 1.001, 0.01)

    def exact(fan: float) -> np.ndarray:
        thing = melt(replace(shape, fan=np.full(len(shape.fan), fan)), spool.spool, nozzle_c=heat)
        return np.asarray(eye.exact_scores(thing, [place.box((0, 0))], [BOND, *HELPED])[0])

    scores = np.array([exact(float(f)) for f in fans])
    spares = fans[scores[:, 0] >= scores[0, 0] - aim.spends].max()
    needs = max(fans[int(np.argmax(scores[:, k] >= scores[-1, k] - ENOUGH))] for k in (1, 2))
    return 100 * float(min(spares, needs))
