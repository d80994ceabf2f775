"""A rail of pins at the flow that fills roads. The truth is the gap at which pins just turn freely, and at which they
just go in, from the room that is left round every pin, without any noise.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from bench.habits import first_of_two
from bench.rig import Drawn, Tally, file_of, printed, read, shape_of
from bench.sequences.dimensions import at_its_flow
from drumbo.core.profile import Value
from drumbo.standins import eye
from drumbo.standins.filament.printing import melt
from drumbo.trials import kind
from drumbo.trials.base import Context

SLUG = "clearance"
TURNS, PRESSES = 3.5, 1.75
"""On the way from one score to the next: half-way to turning freely, and just in by hand."""
HABIT = {TURNS: 4, PRESSES: 2}
START_MM = {TURNS: 0.2, PRESSES: 0.1}
"""What is drawn by those who never tried."""


def turns(spool: Drawn, readers: int) -> Tally:
    """The smallest gap that turns freely, mm."""
    return _sequence(spool, readers, TURNS)


def presses(spool: Drawn, readers: int) -> Tally:
    """The smallest gap that goes in by hand, mm."""
    return _sequence(spool, readers, PRESSES)


def _sequence(spool: Drawn, readers: int, score: float) -> Tally:
    trial, context, tally = kind(SLUG), at_its_flow(spool), Tally()
    plan = replace(trial.suggest(context), low_mm=0.0)
    file = file_of(trial, plan, context)
    thing = printed(file, spool.spool)
    truth = _truth(spool, context, plan, file.gcode, score)
    steps = trial.steps(plan)
    for reader in range(readers):
        readings = read(trial, plan, context, thing, spool.number * readers + reader)
        result = trial.evaluate(plan, readings)
        new = trial.changes(plan, result, context, 1)
        first = first_of_two([step.value for step in steps], list(readings.column("fits", steps) >= HABIT[score]))
        value, error = _found(new, score, result.value, result.error)
        tally.found(value, error, first, truth, START_MM[score], new=new)
    tally.cost([file])
    return tally


def _found(new: dict[str, Value], score: float, value: float | None, error: float | None) -> tuple[float, float]:
    """The result itself for pins that turn; what would be adopted for those that hold, as sure as the other."""
    assert error is not None
    assert value is not None
    return (value, error) if score == TURNS else (new["clearance_press_mm"].number, error)


def _truth(spool: Drawn, context: Context, plan: Any, gcode: str, score: float) -> float:
    trial = kind(SLUG)
    quiet = melt(shape_of(gcode), spool.spool, nozzle_c=context.profile.number("nozzle_c"))
    boxes = [place.box(context.printer.bed_middle) for place in trial.piece(plan, context).places]
    exact = eye.exact_scores(quiet, boxes, ["fits"])[:, 0]
    gaps = np.array([step.value for step in trial.steps(plan)])
    return float(np.interp(score, exact, gaps))
