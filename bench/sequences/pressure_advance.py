"""A coarse sheet, its extension where it ends too early, then a fine one. The truth is the pressure's own lag at the
profile's heat.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from bench.rig import Drawn, Tally, best_step, go, sure, with_values
from drumbo.standins.filament import physics
from drumbo.trials import kind
from drumbo.trials.base import Readings

SLUG = "pressure-advance"
MOST_EXTENSIONS = 2


def sequence(spool: Drawn, readers: int) -> Tally:
    """Every reader goes the whole way. Errors are shares of the truth: drives differ twentyfold."""
    trial, tally = kind(SLUG), Tally()
    heat = np.array([spool.context.profile.number("nozzle_c")])
    truth = float(physics.lag_seconds(spool.spool, heat)[0])
    for reader in range(readers):
        files: list[Any] = []
        drive = spool.context.printer.drive
        plan = trial.suggest(spool.context)
        plan, result, readings = go(trial, spool, plan, reader, files, MOST_EXTENSIONS)
        context = with_values(spool.context, {SETS: (round(sure(result)[0], 3), sure(result)[1])})
        if trial.wants(context) is not None:
            plan = trial.suggest(context)
            plan, result, readings = go(trial, spool, plan, reader, files)
        tally.found(
            result.value,
            result.error,
            _habit(plan, readings),
            truth,
            drive,
            shares=True,
            new=trial.changes(plan, result, spool.context, 1),
        )
        tally.cost(files)
    return tally


SETS = kind(SLUG).sets[0]


def _habit(plan: Any, readings: Readings) -> float:
    """The most even road: the best sum of both scores."""
    steps = kind(SLUG).steps(plan)
    totals = readings.column("bulges", steps) + readings.column("thins", steps)
    return steps[best_step(totals)].value
