"""Posts, extended where they end too early. The truth is the shortest length whose exact, noise-free strings come as
close to those of the longest pull as Drumbo calls clean enough.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from bench.habits import first_of_two
from bench.rig import Drawn, Tally, file_of, go, once_a_spool, planned, shape_of
from drumbo.core.fit.fade import WITHIN
from drumbo.standins import eye
from drumbo.standins.filament import physics
from drumbo.standins.filament.printing import melt
from drumbo.trials import kind
from drumbo.trials.readings import Readings

SLUG = "retraction-length"
MOST_EXTENSIONS = 1
CLEAN_SCORE = 4


def sequence(spool: Drawn, readers: int) -> Tally:
    """One print, a second one where the first ends before it is clean."""
    trial, tally, truth = kind(SLUG), Tally(), right(spool)
    for reader in range(readers):
        files: list[Any] = []
        plan = planned(trial, spool.context)
        plan, result, readings = go(trial, spool, plan, reader, files, MOST_EXTENSIONS)
        tally.found(
            result.value, result.error, _habit(plan, readings), truth, spool.context.profile.number("retraction_mm"),
            spool.context.printer.drive, new=trial.changes(plan, result, spool.context, 1),
        )  # fmt: skip
        tally.cost(files)
    return tally


def _habit(plan: Any, readings: Readings) -> float | None:
    """The first of two clean steps in a row, counted from the bottom: with full marks, or else the best there are."""
    steps = kind(SLUG).steps(plan)
    scores = readings.column("strings", steps)
    wanted = min(CLEAN_SCORE, scores.max())
    return first_of_two([step.value for step in steps], list(scores >= wanted))


@once_a_spool
def right(spool: Drawn) -> float:
    """From one step's travels, with every pull-back and without noise."""
    trial, context = kind(SLUG), spool.context
    plan = trial.suggest(context)
    step = trial.piece(plan, context).places[0]
    heat = context.profile.number("nozzle_c")
    quiet = melt(shape_of(file_of(trial, plan, context).gcode), spool.spool, nozzle_c=heat)
    shape = quiet.geometry
    here = (shape.travel_z > step.low[2]) & (shape.travel_z <= step.high[2])
    lengths = np.linspace(0.0, 12.0 if context.printer.drive == "bowden" else 3.0, 601)
    heats = np.full(len(here), heat)

    def exact(length: float) -> float:
        felt = physics.felt_pull(spool.spool, np.full(len(here), length), shape.travel_pull_speed)
        strings = np.where(shape.travel_air_mm > 1.0, physics.ooze(spool.spool, heats, felt, shape.travel_s), 0.0)
        around = eye.Around(here, here[:0], here[:0])
        return 4 - (4 - eye.ASPECTS["strings"](replace(quiet, string_mm3=strings), here[:0], around)) * quiet.hides

    scores = np.array([exact(float(length)) for length in lengths])
    return float(lengths[int(np.argmax(scores >= scores[-1] - WITHIN))])
