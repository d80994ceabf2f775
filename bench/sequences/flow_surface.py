"""A coarse strip, its extension where it ends too early, then a fine strip. The truth is the flow at which the roads
of a top lie just full, without any noise.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from bench.habits import within_one_mark
from bench.rig import Drawn, Tally, file_of, finer, go, once_a_spool, planned, shape_of, sure, with_values
from drumbo.standins.filament.printing import melt
from drumbo.trials import kind
from drumbo.trials.readings import Readings

SLUG = "flow-surface"
MOST_EXTENSIONS = 2


def sequence(spool: Drawn, readers: int) -> Tally:
    """Every reader goes the whole way: the fine strip depends on what was read from the coarse one."""
    trial = kind(SLUG)
    tally, truth = Tally(), right(spool)
    for reader in range(readers):
        context = spool.context
        files: list[Any] = []
        plan = planned(trial, context)
        plan, result, readings = go(trial, spool, plan, reader, files, MOST_EXTENSIONS)
        context = with_values(context, {"flow_ratio": (round(sure(result)[0], 3), sure(result)[1])})
        if finer(trial, context):
            plan = trial.suggest(context)
            plan, result, readings = go(trial, spool, plan, reader, files)
        tally.found(
            result.value,
            result.error,
            _habit(plan, readings),
            truth,
            spool.context.profile.number("flow_ratio"),
            new=trial.changes(plan, result, spool.context, 1),
        )
        tally.cost(files)
    return tally


def _habit(plan: Any, readings: Readings) -> float:
    """The middle of all pads within one mark of the best sum of both scores."""
    steps = kind(SLUG).steps(plan)
    totals = readings.column("gaps", steps) + readings.column("ridges", steps)
    return within_one_mark([step.value for step in steps], totals)


@once_a_spool
def right(spool: Drawn) -> float:
    trial, context = kind(SLUG), spool.context
    plan = trial.suggest(context)
    shape = shape_of(file_of(trial, plan, context).gcode)
    quiet = melt(shape, spool.spool, nozzle_c=context.profile.number("nozzle_c"))
    x, y = (quiet.geometry.a + quiet.geometry.b).T / 2
    flows, shares = [], []
    for place in trial.piece(plan, context).places:
        low, high = place.box(context.printer.bed_middle)
        within = (x > low[0] + 2) & (x < high[0] - 2) & (y > low[1] + 2) & (y < high[1] - 2)
        top = within & quiet.geometry.bare & np.isfinite(quiet.fill) & (quiet.geometry.z > high[2] - 0.05)
        flows.append(place.value)
        shares.append(float(np.median(quiet.fill[top])) / place.value)
    flow = 1.0
    for _ in range(20):  # a top lies full where flow × its share is 1; the share hardly moves with flow
        flow = 1 / float(np.interp(flow, flows, shares))
    return flow
