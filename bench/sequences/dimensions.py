"""Both rakes under the callipers, at the flow that fills roads. The truth is the spool's shrinkage, and by how much its
outside sizes are too large beyond that, without any noise.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from bench.rig import Drawn, Tally, file_of, planned, printed, read, shape_of, with_values
from drumbo.core.profile import OriginKind
from drumbo.standins import tools
from drumbo.standins.filament import physics
from drumbo.standins.filament.printing import melt
from drumbo.trials import kind
from drumbo.trials.base import Context
from drumbo.trials.readings import Readings

SLUG = "dimensions"
AGAIN = 100


def shrinkage(spool: Drawn, readers: int) -> Tally:
    """Per cent."""
    return _sequence(spool, readers)[0]


def offset(spool: Drawn, readers: int) -> Tally:
    """The constant part, mm."""
    return _sequence(spool, readers)[1]


def _sequence(spool: Drawn, readers: int) -> tuple[Tally, Tally]:
    trial, context = kind(SLUG), at_its_flow(spool)
    plan = planned(trial, context)
    file = file_of(trial, plan, context)
    thing = printed(file, spool.spool)
    tallies = Tally(), Tally()
    starts = context.profile.number("shrinkage_percent"), 0.0
    truths = 100 * spool.spool.shrink, _truth(spool, context, plan, file.gcode)
    for reader in range(readers):
        readings = read(trial, plan, context, thing, spool.number * readers + reader)
        result = trial.evaluate(plan, readings)
        assert result.value is not None
        assert result.also is not None
        found = (result.value, result.error), (result.also["offset_mm"], result.also["offset_error"])
        habits = _habit(plan, readings)
        for tally, (value, error), habit, truth, start in zip(tallies, found, habits, truths, starts, strict=True):
            tally.found(value, error, habit, truth, start, new=trial.changes(plan, result, context, 1))
    for tally in tallies:
        tally.cost([file])
    return tallies


def at_its_flow(spool: Drawn) -> Context:
    """As flow trials leave it: within a hundredth of what fills the roads; what a trial has found stands."""
    if spool.context.profile.values["flow_ratio"].origin.kind == OriginKind.TRIAL:
        return spool.context
    flow = 1 / physics.fed_share(spool.spool) * float(spool.rng.normal(1, 0.005))
    return with_values(spool.context, {"flow_ratio": (round(flow, 3), 0.005)})


def _habit(plan: Any, readings: Readings) -> tuple[float, float]:
    """Two outside sizes, the mean of both axes, and the line through them."""
    ends = [kind(SLUG).steps(plan)[k] for k in (0, -1)]
    short, long = (np.mean([readings.measured("outside", e.index, site) for site in ("x", "y")]) for e in ends)
    slope = float(long - short) / (ends[1].value - ends[0].value)
    return 100 * (1 - slope), float(short) - slope * ends[0].value


def _truth(spool: Drawn, context: Context, plan: Any, gcode: str) -> float:
    """How much too large the outside sizes are beyond shrinkage, on the mean, measured ever again without any noise."""
    quiet = melt(shape_of(gcode), spool.spool, nozzle_c=context.profile.number("nozzle_c"))
    trial, middle = kind(SLUG), context.printer.bed_middle
    steps, rng = trial.steps(plan), np.random.default_rng(0)
    over = []
    for jaw in (j.on_bed(middle) for j in trial.piece(plan, context).jaws if j.measure == "outside"):
        place = tools.JawsOnBed(jaw.a, jaw.b, jaw.z, jaw.tool)
        exact = np.mean([tools.measure(quiet, place, rng) for _ in range(AGAIN)])
        over.append(float(exact) - steps[jaw.step].value * (1 - spool.spool.shrink))
    return float(np.mean(over))
