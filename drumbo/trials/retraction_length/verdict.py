"""What strings and restarts say, in numbers and in words."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from drumbo.core.fields import Scalar
from drumbo.core.fit.fade import Fade, fit_fade
from drumbo.core.fit.ordinal import Leaning
from drumbo.core.sure import half_90
from drumbo.trials.pictures import Curve
from drumbo.trials.readings import Readings, Step
from drumbo.trials.result import LESS, MORE, Result
from drumbo.trials.retraction_length.plan import Plan
from drumbo.trials.toolkit.verdict import SPLIT_MISFIT, contradict, few, if_strict
from drumbo.trials.toolkit.wider import holding

Floats = NDArray[np.float64]

CLEAN, WISPY = 3.2, 2.6
"""Scores of strings from which a travel counts as clean, and below which threads are left whatever is done."""
GAPING = 2
PICK_STEPS = 0.6
"""The first clean step, picked by eye, errs by about so much of a step."""


def verdict(plan: Plan, steps: Sequence[Step], readings: Readings) -> Result:
    """All scores together where there are enough, else the step that was picked."""
    x = np.array([step.value for step in steps])
    strings = readings.column("strings", steps)
    scored = int(np.isfinite(strings).sum())
    if scored >= 3:
        return _by_scores(plan, x, strings, readings.column("restart", steps), readings.leaning)
    if readings.picked is not None:
        return _by_pick(plan, steps, readings.picked)
    return few(scored, then=", or pick the first clean one.")


def _by_scores(plan: Plan, x: Floats, strings: Floats, restarts: Floats, reader: Leaning) -> Result:
    found = fit_fade(x, strings, reader=reader)
    step = plan.step_length_mm
    curve = Curve.of(found.x, 25 * found.mean, 25 * found.sd, x, 25 * strings)
    gaps_from = _gaps_from(x, restarts)
    notes = _notes(found, gaps_from)
    value = _within(found, x)
    error = _error(found, value, step)
    notes += if_strict(value, found.sways, error, "mm", 2)
    if found.misfit > SPLIT_MISFIT:
        says = contradict()
        low, high = max(value - half_90(error), 0.0), value + half_90(error)
        return Result("split", value, error, low, high, says, notes, curve, reader=found.reader)
    if found.flat:
        return _flat(plan, found, x, step, curve)
    if found.beyond > 0.5:
        says = "Still not clean at the longest length; print longer ones next."
        extend = _longer(plan)
        return Result(
            "edge", value, error, value - half_90(error), value + half_90(error), says, notes, curve, extend=extend,
            reader=found.reader, beyond=MORE,
        )  # fmt: skip
    says = f"From {value:.2f} mm on longer retractions make nothing cleaner."
    if gaps_from is not None and gaps_from <= value + 0.5 * step:
        says = f"Clean from {value:.2f} mm on, but from {gaps_from:g} mm on starts have gaps: take care with either."
    return Result(
        "good", value, error, value - half_90(error), value + half_90(error), says, notes, curve, reader=found.reader
    )


def _within(found: Fade, x: Floats) -> float:
    return min(max(found.clean, float(x[0])), float(x[-1]))


def _error(found: Fade, value: float, step: float) -> float:
    return max(holding("retraction-length", found.error_of(value)), 0.15 * step)


def _flat(plan: Plan, found: Fade, x: Floats, step: float, curve: Curve) -> Result:
    """No step differs: clean at all of them, or threads that no length takes away."""
    if found.reaches >= CLEAN or float(found.mean.mean()) >= CLEAN:
        says = "Clean at every length; the shortest will do."
        extend = _shorter(plan) if x[0] > 0 else None
        error = _error(found, float(x[0]), step)
        # Shorter ones were not tried: nobody knows whether they are clean, too.
        past, high = (LESS, float(x[0])) if extend else ("", float(x[-1]))
        return Result("flat", float(x[0]), error, float(x[0]), high, says, (), curve, extend=extend,
                      extend_says="Plan shorter ones", reader=found.reader, beyond=past)  # fmt: skip
    says = "The strings do not depend on length."
    note = "That is moisture or heat: dry the spool, or lower the temperature, then print this again."
    return Result("flat", says=says, notes=(note,), curve=curve, reader=found.reader)


def _notes(found: Fade, gaps_from: float | None) -> tuple[str, ...]:
    notes = []
    if found.reaches < WISPY:
        notes.append("Threads are left at any length: dry the spool, or print a little cooler.")
    elif found.reaches < CLEAN:
        notes.append("A few wisps are left at any length; a drier spool would do better.")
    if gaps_from is not None:
        notes.append(f"From {gaps_from:g} mm on starts have gaps or blobs: too much is retracted there.")
    return tuple(notes)


def _gaps_from(x: Floats, restarts: Floats) -> float | None:
    """The shortest length from which on every start that was looked at is poor, if shorter ones are better."""
    seen = np.flatnonzero(np.isfinite(restarts))
    poor = restarts[seen] <= GAPING
    if len(seen) < 3 or not poor[-1] or poor.all():
        return None
    first = len(poor) - int(np.argmin(poor[::-1]))
    better = restarts[seen[:first]].mean() - restarts[seen[first:]].mean()
    return float(x[seen[first]]) if better > 0.8 else None


def _longer(plan: Plan) -> dict[str, Scalar]:
    return _moved(plan, plan.long_mm - 2 * plan.step_length_mm)


def _shorter(plan: Plan) -> dict[str, Scalar]:
    span = plan.long_mm - plan.short_mm
    return _moved(plan, max(0.0, plan.short_mm + 2 * plan.step_length_mm - span))


def _moved(plan: Plan, short: float) -> dict[str, Scalar]:
    span = plan.long_mm - plan.short_mm
    return replace(plan, short_mm=round(short, 3), long_mm=round(short + span, 3)).to_json()


def _by_pick(plan: Plan, steps: Sequence[Step], picked: int) -> Result:
    step, value = plan.step_length_mm, steps[picked].value
    error = PICK_STEPS * step
    notes = ("Picked by eye; scoring the strings of all steps makes it surer.",)
    low, high = max(value - half_90(error), 0.0), value + half_90(error)
    if picked == 0 and value > 0:
        says = "The shortest step is clean already; print shorter ones next."
        return Result("edge", value, error, low, high, says, notes, extend=_shorter(plan),
                      extend_says="Plan shorter ones", beyond=LESS)  # fmt: skip
    return Result("good", value, error, low, high, "The first clean step, as you picked it.", notes)
