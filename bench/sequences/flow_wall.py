"""Both rings under the callipers. The truth is the flow at which their roads are just full, without any noise."""

from __future__ import annotations

from typing import Any

import numpy as np

from bench.rig import Drawn, Tally, file_of, printed, read, shape_of
from drumbo.core.toolpath import settings_for
from drumbo.standins.filament.printing import melt
from drumbo.trials import kind
from drumbo.trials.readings import Readings

SLUG = "flow-wall"
SINGLE = 0


def sequence(spool: Drawn, readers: int) -> Tally:
    """One print, measured by so many."""
    trial, context = kind(SLUG), spool.context
    plan = trial.suggest(context)
    file = file_of(trial, plan, context)
    thing, truth = printed(file, spool.spool), _truth(spool, plan)
    tally = Tally()
    for reader in range(readers):
        readings = read(trial, plan, context, thing, spool.number * readers + reader)
        result = trial.evaluate(plan, readings)
        tally.found(result.value, result.error, _habit(plan, readings), truth, context.profile.number("flow_ratio"))
    tally.cost([file])
    return tally


def _habit(plan: Any, readings: Readings) -> float:
    """new = old × nominal ÷ mean, with all readings of the single wall: the better of the two for this formula."""
    taken = readings.measures["width"][str(SINGLE)].values()
    nominal = kind(SLUG).steps(plan)[SINGLE].value
    return float(plan["flow_ratio"]) * nominal / float(np.mean(list(taken)))


def _truth(spool: Drawn, plan: Any) -> float:
    trial, context = kind(SLUG), spool.context
    shape = shape_of(file_of(trial, plan, context).gcode)
    quiet = melt(shape, spool.spool, nozzle_c=context.profile.number("nozzle_c"))
    settings = settings_for(context.profile.numbers(), context.printer)
    height = settings.layer_mm
    walls = shape.z > trial.piece(plan, context).places[0].low[2] + 2
    full = settings.spacing(height) * height
    area = (quiet.width_mm[walls] - height * (1 - np.pi / 4)) * height
    return float(plan["flow_ratio"]) / float(np.median(area) / full)
