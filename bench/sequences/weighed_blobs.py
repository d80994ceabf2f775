"""A tray of blobs on the scale. The truth is the flow of which 95 % of what comes at a slow pace arrives: at the
profile's temperature, and along the curve at one that was in no row.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from bench.habits import crossing
from bench.rig import Drawn, Tally, go, sure
from bench.sequences.rising_wall import limit
from drumbo.core.profile import Dependency
from drumbo.trials import kind
from drumbo.trials.readings import Readings
from drumbo.trials.weighed_blobs.kind import WeighedBlobs

SLUG = "weighed-blobs"
MOST_EXTENSIONS = 1
ENOUGH = 0.95


def at_profile(spool: Drawn, readers: int) -> Tally:
    """The limit that goes into the profile."""
    return _sequence(spool, readers, None)


def along(spool: Drawn, readers: int) -> Tally:
    """The limit half-way between the two hottest rows, where nothing was weighed."""
    rows = _heats(kind(SLUG).suggest(spool.context))
    return _sequence(spool, readers, (rows[0] + rows[1]) / 2)


def _trial() -> WeighedBlobs:
    trial = kind(SLUG)
    assert isinstance(trial, WeighedBlobs)
    return trial


def _heats(plan: Any) -> list[float]:
    return sorted({row.heat_c for row in _trial().rows(plan)}, reverse=True)


def _sequence(spool: Drawn, readers: int, elsewhere: float | None) -> Tally:
    trial, tally, context = kind(SLUG), Tally(), spool.context
    heat = context.profile.number("nozzle_c") if elsewhere is None else elsewhere
    truth = limit(spool, heat)
    for reader in range(readers):
        files: list[Any] = []
        plan, result, readings = go(trial, spool, trial.suggest(context), reader, files, MOST_EXTENSIONS)
        (found, error), value = sure(result), result.value
        if elsewhere is not None and result.also is not None:
            also: dict[str, Any] = dict(result.also)
            value = Dependency("nozzle_c", **also).of(heat)
        assert value is not None
        tally.found(value, error * value / found, _habit(plan, readings, heat), truth,
                    context.profile.number("max_flow_mm3_s"), shares=True)  # fmt: skip
        tally.cost(files)
    return tally


def _habit(plan: Any, readings: Readings, heat: float) -> float:
    """In each row where the weights fall below 95 % of its slowest one, by a ruler; and a ruler between the rows."""
    trial = _trial()
    heats, limits = [], []
    for row in trial.rows(plan):
        grams = [readings.measured("blob", s.index, f"row-{row.letter.lower()}") or 0.0 for s in trial.steps(plan)]
        flows = [s.value for s in trial.steps(plan)]
        heats.append(row.heat_c)
        limits.append(crossing(flows, grams, ENOUGH * grams[0]) or flows[-1])
    order = np.argsort(heats)
    return float(np.interp(heat, np.array(heats)[order], np.array(limits)[order]))
