"""A rising wall, and a second one where the first did not fail, with its thickness measured and by eye alone. The truth
is the flow of which 95 % still arrives.
"""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

import numpy as np

from bench.rig import Drawn, Tally, go, planned
from drumbo.core.fit.onset import THICKNESS
from drumbo.standins.filament import physics
from drumbo.trials import kind
from drumbo.trials.readings import Readings

SLUG = "rising-wall"
MOST_EXTENSIONS = 2


def sequence(spool: Drawn, readers: int) -> Tally:
    """One wall, and another where it ended too early or failed at once."""
    return _sequence(spool, readers)


def by_eye(spool: Drawn, readers: int) -> Tally:
    """The same with nothing measured."""
    return _sequence(spool, readers, {THICKNESS})


def _sequence(spool: Drawn, readers: int, unmeasured: Collection[str] = ()) -> Tally:
    trial, tally, truth = kind(SLUG), Tally(), limit(spool, spool.context.profile.number("nozzle_c"))
    for reader in range(readers):
        files: list[Any] = []
        plan, result, readings = go(
            trial, spool, planned(trial, spool.context), reader, files, MOST_EXTENSIONS, unmeasured
        )
        tally.found(
            result.value,
            result.error,
            _habit(plan, readings),
            truth,
            spool.context.profile.number("max_flow_mm3_s"),
            shares=True,
            new=trial.changes(plan, result, spool.context, 1),
        )
        tally.cost(files)
    return tally


def _habit(plan: Any, readings: Readings) -> float:
    """One step below the first band with gaps; the top where there is none."""
    steps = kind(SLUG).steps(plan)
    return steps[max(readings.firsts["gaps"] - 1, 0)].value


def limit(spool: Drawn, nozzle_c: float) -> float:
    """Flow as it is asked for of which 95 % of what comes at a slow pace arrives, mm³/s."""
    melts = float(physics.capability(spool.spool, np.array(nozzle_c), spool.context.printer.nozzle_mm))
    return melts / physics.fed_share(spool.spool)
