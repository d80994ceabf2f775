"""What the pads say, in numbers and in words."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from drumbo.core.fields import Scalar
from drumbo.core.fit.quality import as_good
from drumbo.core.fit.vee import Vee, fit_vee
from drumbo.core.sure import half_90
from drumbo.trials.flow_surface.plan import USUAL_BENEATH, USUAL_PAD_MM, Plan
from drumbo.trials.pictures import Curve
from drumbo.trials.readings import Readings, Step
from drumbo.trials.result import Result, beyond, known_before, weighed
from drumbo.trials.toolkit.looks import HIDING
from drumbo.trials.toolkit.verdict import (
    FILAMENT_SHARE,
    SPLIT_MISFIT,
    all_alike,
    contradict,
    few,
    if_strict,
    open_scores,
)
from drumbo.trials.toolkit.wider import holding

Floats = NDArray[np.float64]

COARSE_ERROR = 0.0115
"""A flow known no better than this is worth a fine strip."""
FINE_STEP = 0.005
PICK_STEPS, PICK_SEES = 0.55, 0.008
"""A pick of the smoothest pad errs by about half a step, and by what an eye can tell apart."""


def verdict(plan: Plan, steps: Sequence[Step], readings: Readings) -> Result:
    """All scores together where there are enough, else the pad that was picked."""
    x = np.array([step.value for step in steps])
    gaps, ridges = (readings.column(aspect, steps) for aspect in ("gaps", "ridges"))
    scored = int((np.isfinite(gaps) | np.isfinite(ridges)).sum())
    if scored >= 3:
        return _by_scores(plan, x, gaps, ridges, readings)
    if readings.picked is not None:
        return _by_pick(plan, steps, readings.picked)
    return few(scored, "pad", then=", or pick the smoothest.")


def _by_scores(plan: Plan, x: Floats, gaps: Floats, ridges: Floats, readings: Readings) -> Result:
    known = known_before(plan.known_ratio, plan.known_error)
    found = fit_vee(x, gaps, ridges, known=known, hides=plan.looks == HIDING, reader=readings.leaning)
    step = plan.step_ratio
    error = holding("flow-surface", math.hypot(max(found.error, 0.12 * step), FILAMENT_SHARE * found.best))
    low, high = as_good(found.x, found.mean, 5.0)
    curve = Curve.of(found.x, found.mean, found.sd, x, 12.5 * (gaps + ridges))
    state, says, extend, words = _state(plan, found, error)
    notes = []
    if known is not None:
        notes.append(f"The earlier {known[0]:.3f} ± {half_90(known[1]):.3f} has its say in this.")
        if abs(found.best - known[0]) > 2.5 * known[1]:
            notes.append("Yet this strip says something else; was it printed under the same conditions?")
    if readings.picked is not None and abs(x[readings.picked] - found.best) > 2 * error + step / 2:
        notes.append(f"You picked {x[readings.picked]:.3f}; the scores say otherwise.")
    missing = int(np.isnan(gaps).sum() + np.isnan(ridges).sum())
    notes += open_scores(missing, 2 * len(x))
    notes += if_strict(found.best, found.sways, error, "", 3)
    past = beyond(found.edge) if state == "edge" else ""
    if past:
        low, high = found.best - half_90(error), found.best + half_90(error)
    return Result(
        state=state, value=found.best, error=error, low=min(low, found.best), high=max(high, found.best),
        says=says, notes=tuple(notes), curve=curve, extend=extend, extend_says=words, reader=found.reader, beyond=past,
    )  # fmt: skip


def _state(plan: Plan, found: Vee, error: float) -> tuple[str, str, Mapping[str, Scalar] | None, str]:
    next_range, fine = "Plan the next range", "Plan the fine strip"
    if found.misfit > SPLIT_MISFIT:
        return "split", contradict("pads"), None, next_range
    if found.flat:
        says = all_alike(found.x[0], found.x[-1], "", 3)
        return "flat", says, None, next_range
    if found.edge:
        way = "more" if found.edge > 0 else "less"
        says = f"The best lies at the end of the strip or beyond; print one with {way} flow next."
        return "edge", says, _further(plan, found.edge), next_range
    if error > COARSE_ERROR:
        pads = plan.pads
        says = "Known coarsely; a fine strip around it tells more."
        return "good", says, fine_plan(found.best, error, pads, plan.looks).to_json(), fine
    return "good", "Here gaps just close and ridges do not rise yet.", None, fine


def fine_plan(value: float, error: float, pads: int, looks: str) -> Plan:
    """Fine steps around what is known."""
    middle = round(value / FINE_STEP) * FINE_STEP
    return Plan(
        low_ratio=round(middle - pads // 2 * FINE_STEP, 4), step_ratio=FINE_STEP, pads=pads,
        beneath=USUAL_BENEATH, pad_mm=USUAL_PAD_MM,
        known_ratio=round(value, 4), known_error=round(error, 4), looks=looks,
    )  # fmt: skip


def _further(plan: Plan, edge: int) -> dict[str, Scalar]:
    """A strip that overlaps this one by two pads and goes on in the better direction."""
    low, step, pads = plan.low_ratio, plan.step_ratio, plan.pads
    return replace(
        plan, low_ratio=round(low + edge * (pads - 2) * step, 4), known_ratio=None, known_error=None
    ).to_json()


def _by_pick(plan: Plan, steps: Sequence[Step], picked: int) -> Result:
    """The quick way: one pad is all that is known, so the error is wide."""
    step, value = plan.step_ratio, steps[picked].value
    error = math.hypot(PICK_STEPS * step, PICK_SEES)
    known = known_before(plan.known_ratio, plan.known_error)
    notes = ["Picked by eye; scoring gaps and ridges of all pads makes it surer."]
    if known is not None:
        value, error = weighed((value, error), known)
        notes.append(f"The earlier {known[0]:.3f} ± {half_90(known[1]):.3f} has its say in this.")
    low, high = value - half_90(error), value + half_90(error)
    if picked in {0, len(steps) - 1}:
        edge = 1 if picked else -1
        says = f"The pad at the end is the smoothest; print a strip with {'more' if edge > 0 else 'less'} flow next."
        return Result("edge", value, error, low, high, says, tuple(notes), extend=_further(plan, edge),
                      beyond=beyond(edge))  # fmt: skip
    finer = error > COARSE_ERROR and step > FINE_STEP
    extend = fine_plan(value, error, len(steps), plan.looks).to_json() if finer else None
    return Result("good", value, error, low, high, "The smoothest pad, as you picked it.", tuple(notes),
                  extend=extend, extend_says="Plan the fine strip")  # fmt: skip
