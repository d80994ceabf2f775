"""What the legs say, in numbers and in words."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from drumbo.core.fields import Scalar
from drumbo.core.fit.ordinal import Leaning
from drumbo.core.fit.quality import as_good
from drumbo.core.fit.vee import BEYOND, Vee, fit_vee
from drumbo.core.sure import half_90
from drumbo.trials.pictures import Curve, Spread
from drumbo.trials.pressure_advance.plan import Plan
from drumbo.trials.readings import Readings, Step
from drumbo.trials.result import Result, beyond, known_before, weighed
from drumbo.trials.toolkit.looks import HIDING
from drumbo.trials.toolkit.sweep import growing_steps
from drumbo.trials.toolkit.verdict import SPLIT_MISFIT, all_alike, contradict, few
from drumbo.trials.toolkit.wider import holding

Floats = NDArray[np.float64]

COARSE_SHARE = 0.05
"""A value whose error is more than this share of it is worth a fine sheet."""
FINE_STEPS, FINE_LEGS = 10, 11
"""A fine step is about half of a so-many-th of the value; and how many legs have one."""
LEAST_STEPS = BEYOND + 0.5
"""A sheet that begins so many steps above 0 holds only values of which there can be shares."""
GOES_ON = 0.6
"""How much farther the next sheet reaches, as a share of where it begins."""
UNIT_SHARE = 4.0
"""Departures that halve a score are a 25th to two fifths of the value: a hundredth to a tenth of so many times it."""
EVEN = (0.65, 1.6)
"""Bulges and thinning are seen about equally soon."""
FEWEST_WIDTHS, WIDTH_SD_MM = 3, 0.015
"""Two readings of a width differ by so much at least."""
TO_SD = 1.48
"""From the median of what is left over to a standard deviation."""
NEAR_TIMES, NEAREST = 1.6, 7
"""Widths tell where they are alike only from near there: far off they hardly change any more, or turn back."""
PICK_STEPS, PICK_SHARE = 0.5, 0.05
FORM_SHARE, PLACE_SHARE, FAR_SHARE = 0.015, 0.03, 0.15
"""One value never makes a line even everywhere: the lag itself depends on flow. So much of it is left to chance; and
more where widths of two places speak for all of it, most where it takes those of legs that lie far off.
"""
KEEPS = "Here a line keeps its width where the head brakes and speeds up."


def is_coarse(value: float, error: float) -> bool:
    """Whether a fine sheet would tell more."""
    return error > max(COARSE_SHARE * value, 0.0015)


def verdict(plan: Plan, steps: Sequence[Step], readings: Readings) -> Result:
    """All scores together where there are enough, with the widths; else widths alone, or the road that was picked."""
    measured = _by_widths(steps, readings)
    x = np.array([step.value for step in steps])
    bulges, thins = (readings.column(aspect, steps) for aspect in ("bulges", "thins"))
    scored = int((np.isfinite(bulges) | np.isfinite(thins)).sum())
    if scored >= 3:
        seen = _by_scores(plan, x, bulges, thins, readings.leaning)
        told = seen if measured is None or seen.state != "good" else _both(plan, seen, measured)
        return replace(told, error=holding("pressure-advance", told.error or 0.0))
    if measured is not None:
        return measured
    if readings.picked is not None:
        return _by_pick(plan, steps, readings.picked)
    return few(scored, "leg", then=", or pick the most even.")


def _by_widths(steps: Sequence[Step], readings: Readings) -> Result | None:
    """A line through (width where it brakes − width at the slow end) over the value: right where it crosses 0."""
    pairs = [
        (step.value, braking - slow)
        for step in steps
        if (braking := readings.measured("width", step.index, "brakes")) is not None
        and (slow := readings.measured("width", step.index, "slow")) is not None
    ]
    if len(pairs) < FEWEST_WIDTHS:
        return None
    values, apart = np.array(pairs).T
    near = _near(values, apart)
    found, share = _alike(values[near], apart[near]), PLACE_SHARE
    if found is None:
        near = np.ones(len(values), bool)
        found, share = _alike(values, apart), FAR_SHARE
    if found is None:
        return Result("flat", says="The widths do not depend on the value; look whether they are of the right places.")
    value, error = found[0], math.hypot(found[1], share * found[0])
    best = max(value, 0.0)
    points = tuple((f"{v:g} s", round(float(d), 3), bool(kept)) for v, d, kept in zip(values, apart, near, strict=True))
    mean = float(apart[near].mean())
    spread = Spread("wider where it brakes by", "mm", 2, points, mean, WIDTH_SD_MM / float(near.sum()) ** 0.5, 0.0)
    first, last = values[0] - 0.5 * (values[1] - values[0]), values[-1] + 0.5 * (values[-1] - values[-2])
    edge = not first <= value <= last
    says = "Both widths are alike beyond the end of the sheet." if edge else "Here both widths are alike."
    past = beyond(value - values.mean()) if edge else ""
    return Result("edge" if edge else "good", best, error, max(best - half_90(error), 0.0), best + half_90(error), says,
                  (f"From the widths of {near.sum()} legs.",), spreads=(spread,), beyond=past)  # fmt: skip


def _near(x: Floats, apart: Floats) -> NDArray[np.bool_]:
    """(n,) what lies near to where both widths are most alike, as three neighbours have it."""
    smooth = np.abs(np.convolve(np.pad(apart, 1, mode="edge"), np.full(3, 1 / 3), mode="valid"))
    middle = int(smooth.argmin())
    near = (x * NEAR_TIMES >= x[middle]) & (x <= x[middle] * NEAR_TIMES)
    return np.asarray(near | (np.abs(np.arange(len(x)) - middle) <= NEAREST // 2))


def _alike(x: Floats, apart: Floats) -> tuple[float, float] | None:
    """Where a line through the differences crosses 0, with its standard error; None where it does not fall surely. By
    medians: where far too much is advanced, a drive no longer follows and widths grow again.
    """
    middle = float(x.mean())
    slope = float(np.median([(q - p) / (b - a) for (a, p), (b, q) in combinations(zip(x, apart, strict=True), 2)]))
    level = float(np.median(apart - slope * (x - middle)))
    rests = np.abs(apart - level - slope * (x - middle))
    scatter = max(TO_SD * float(np.median(rests)), WIDTH_SD_MM)
    slope_error = scatter / float(np.sqrt(((x - middle) ** 2).sum()))
    if slope > -2 * slope_error:
        return None
    away = -level / slope
    return middle + away, float(np.hypot(scatter / np.sqrt(len(x)), away * slope_error)) / abs(slope)


def _both(plan: Plan, seen: Result, measured: Result) -> Result:
    """Scores and widths have their say by how sure each is."""
    if measured.value is None or measured.error is None or seen.value is None or seen.error is None:
        return seen
    value, sure = weighed((seen.value, seen.error), (measured.value, measured.error))
    by_widths, by_eye = (f"{one.value:.3f} ± {half_90(one.error or 0.0):.3f}" for one in (measured, seen))
    note = f"The widths say {by_widths} s, the scores {by_eye}."
    error = max(sure, 0.12 * plan.step_s)
    low, high = min(seen.low or value, value), max(seen.high or value, value)
    both = replace(
        seen, value=value, error=error, low=low, high=high, notes=(*seen.notes, note), spreads=measured.spreads
    )
    return both if is_coarse(value, error) else replace(both, says=KEEPS, extend=None)


def _by_scores(plan: Plan, x: Floats, bulges: Floats, thins: Floats, reader: Leaning) -> Result:
    known = known_before(plan.known_s, plan.known_error)
    by_shares = plan.grows_percent > 0 and x[0] > LEAST_STEPS * (x[1] - x[0])
    found = fit_vee(
        x, bulges, thins, unit=None if by_shares else UNIT_SHARE * float(x.mean()), times=UNIT_SHARE, ratio=EVEN,
        known=known, dead=0.0, hides=plan.looks == HIDING, reader=reader,
    )  # fmt: skip
    step = found.best * plan.grows_percent / 100 if by_shares else plan.step_s
    error = math.hypot(max(found.error, 0.12 * step), FORM_SHARE * found.best)
    low, high = as_good(found.x, found.mean, 5.0)
    curve = Curve.of(found.x, found.mean, found.sd, x, 12.5 * (bulges + thins), digits=5)
    state, says, extend, words = _state(plan, found, error)
    notes = []
    if known is not None:
        notes.append(f"The earlier {known[0]:.3f} ± {half_90(known[1]):.3f} s has its say in this.")
        if abs(found.best - known[0]) > 2.5 * known[1]:
            notes.append("Yet this sheet says something else; was it printed under the same conditions?")
    best, past = max(found.best, 0.0), beyond(found.edge) if state == "edge" else ""
    if past:
        low, high = max(best - half_90(error), 0.0), best + half_90(error)
    return Result(
        state=state, value=best, error=error, low=min(low, best), high=max(high, best), says=says,
        notes=tuple(notes), curve=curve, extend=extend, extend_says=words, reader=found.reader, beyond=past,
    )  # fmt: skip


def _state(plan: Plan, found: Vee, error: float) -> tuple[str, str, Mapping[str, Scalar] | None, str]:
    next_range, fine = "Plan the next range", "Plan the fine sheet"
    if found.misfit > SPLIT_MISFIT:
        return "split", contradict("legs"), None, next_range
    if found.flat:
        says = all_alike(found.x[0], found.x[-1], "s", 3, "leave it off, or look closer")
        return "flat", says, None, next_range
    if found.edge > 0 or (found.edge < 0 and found.x[0] > 0):
        way = "more" if found.edge > 0 else "less"
        says = f"The best lies at the end of the sheet or beyond; print one with {way} next."
        return "edge", says, further(plan, found.edge).to_json(), next_range
    if is_coarse(found.best, error):
        says = "Known coarsely; a fine sheet around it tells more."
        return "good", says, fine_plan(found.best, error, plan).to_json(), fine
    return "good", KEEPS, None, fine


def fine_plan(value: float, error: float, like: Plan) -> Plan:
    """Fine even steps around what is known, as fast as those of another plan."""
    step = max(round(value / FINE_STEPS / 2, 3), 0.001)
    count = min(FINE_LEGS, like.roads)
    low = max(0.0, round(value - count // 2 * step, 3))
    return replace(
        like, low_s=low, step_s=step, grows_percent=0.0, roads=count, known_s=round(value, 4),
        known_error=round(error, 4),
    )  # fmt: skip


def further(plan: Plan, edge: int) -> Plan:
    """A sheet that overlaps this one by two legs and goes on in the better direction: by its own steps, or where they
    grow, by even ones down to 0 or up to half as far again.
    """
    steps = growing_steps(plan.low_s, plan.step_s, plan.grows_percent, plan.roads, decimals=3)
    less, more, spans = steps[1].value, steps[-2].value, plan.roads - 1
    low, step = more if edge > 0 else max(0.0, round(less - spans * plan.step_s, 4)), plan.step_s
    if plan.grows_percent > 0:
        low, reach = (more, GOES_ON * more) if edge > 0 else (0.0, less)
        step = max(math.ceil(1e4 * reach / spans) / 1e4, 0.0005)
    return replace(plan, low_s=low, step_s=step, grows_percent=0.0, known_s=None, known_error=None)


def _by_pick(plan: Plan, steps: Sequence[Step], picked: int) -> Result:
    value = steps[picked].value
    step = max(abs(value - steps[k].value) for k in (picked - 1, picked + 1) if 0 <= k < len(steps))
    error = math.hypot(PICK_STEPS * step, PICK_SHARE * value)
    known = known_before(plan.known_s, plan.known_error)
    notes = ["Picked by eye; scoring all legs makes it surer."]
    if known is not None:
        value, error = weighed((value, error), known)
        notes.append(f"The earlier {known[0]:.3f} ± {half_90(known[1]):.3f} s has its say in this.")
    low, high = max(value - half_90(error), 0.0), value + half_90(error)
    if picked == len(steps) - 1 or (picked == 0 and steps[0].value > 0):
        edge = -1 if picked == 0 else 1
        says = f"The leg at the end is the most even; print a sheet with {'more' if edge > 0 else 'less'} next."
        return Result("edge", value, error, low, high, says, tuple(notes), extend=further(plan, edge).to_json(),
                      beyond=beyond(edge))  # fmt: skip
    extend = None
    if is_coarse(value, error):
        extend = fine_plan(value, error, plan).to_json()
    return Result("good", value, error, low, high, "The most even leg, as you picked it.", tuple(notes),
                  extend=extend, extend_says="Plan the fine sheet")  # fmt: skip
