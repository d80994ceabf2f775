"""A coarse sheet, its extension where it ends too early, then a fine one. The truth is the value at which the coarse
sheet's lines, without any noise, swell nowhere: the pressure's own lag, at the flow between slow and fast.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from bench.habits import within_one_mark
from bench.rig import Drawn, Tally, file_of, finer, go, once_a_spool, planned, printed_once, shape_of, sure, with_values
from drumbo.standins import eye
from drumbo.standins.filament.printing import melt
from drumbo.trials import kind
from drumbo.trials.readings import Readings

SLUG = "pressure-advance"
MOST_EXTENSIONS = 2


def sequence(spool: Drawn, readers: int) -> Tally:
    """Every reader goes the whole way. Errors are shares of the truth: drives differ twentyfold."""
    trial, tally = kind(SLUG), Tally()
    truth = right(spool)
    for reader in range(readers):
        files: list[Any] = []
        drive = spool.context.printer.drive
        plan = planned(trial, spool.context)
        plan, result, readings = go(trial, spool, plan, reader, files, MOST_EXTENSIONS)
        context = with_values(spool.context, {SETS: (round(sure(result)[0], 3), sure(result)[1])})
        if finer(trial, context):
            plan = trial.suggest(context)
            plan, result, readings = go(trial, spool, plan, reader, files)
        tally.found(
            result.value,
            result.error,
            _habit(plan, readings),
            truth,
            spool.context.profile.number(SETS),
            drive,
            shares=True,
            new=trial.changes(plan, result, spool.context, 1),
        )
        tally.cost(files)
    return tally


def once(spool: Drawn, readers: int) -> Tally:
    """The quick sheet, and no finer one."""
    with printed_once():
        return sequence(spool, readers)


SETS = kind(SLUG).sets[0]


@once_a_spool
def right(spool: Drawn) -> float:
    trial, context = kind(SLUG), spool.context
    plan = trial.suggest(context)
    shape = shape_of(file_of(trial, plan, context).gcode)
    quiet = melt(shape, spool.spool, nozzle_c=context.profile.number("nozzle_c"))
    middle = np.column_stack([(shape.a + shape.b) / 2, shape.z])
    places = trial.piece(plan, context).places
    swells = [eye.swelling(quiet, eye.within(middle, p.box(context.printer.bed_middle))) for p in places]
    values = [place.value for place in places]
    k = int(np.clip(np.searchsorted(-np.array(swells), 0.0), 1, len(values) - 1))
    slope = (swells[k] - swells[k - 1]) / (values[k] - values[k - 1])
    return values[k] - swells[k] / slope


def _habit(plan: Any, readings: Readings) -> float:
    """The middle of all roads within one mark of the best sum of both scores."""
    steps = kind(SLUG).steps(plan)
    totals = readings.column("bulges", steps) + readings.column("thins", steps)
    return within_one_mark([step.value for step in steps], totals)
