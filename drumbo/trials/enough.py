"""Whether what is left to score would still tell something: if not, a reader may stop."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from drumbo.core.sure import half_90
from drumbo.trials.base import SomeKind
from drumbo.trials.plan import TrialPlan
from drumbo.trials.readings import Readings
from drumbo.trials.result import Result

WORST, BEST = 0, 4
LEAST_SHARE = 0.4
"""Before so much is scored, nobody is told to stop."""
HARDLY = 0.35
"""Of half the 90 % interval: a result that moves by less is the same."""


def left_to_score(kind: SomeKind, plan: TrialPlan, readings: Readings) -> list[tuple[str, int]]:
    """(aspect, step) of all that is not scored yet."""
    steps, aspects = kind.steps(plan), kind.readings(plan).aspects
    return [(a.key, s.index) for a in aspects for s in steps if readings.score(a.key, s.index) is None]


def hardly_matters(kind: SomeKind, plan: TrialPlan, readings: Readings, result: Result | None) -> bool:
    """Whether the result stays what it is however what is left comes out, within a mark of what its neighbours say: all
    better, all worse, better on one side and on the other. False where nothing is left, or too little is scored yet.
    """
    left, to_read = left_to_score(kind, plan, readings), kind.readings(plan)
    every = len(kind.steps(plan)) * len(to_read.aspects)
    if not left or to_read.measures or to_read.firsts or len(left) > (1 - LEAST_SHARE) * every:
        return False
    if result is None or result.state != "good" or result.value is None or not result.error:
        return False
    for filled in _ways_to_fill(kind, plan, readings, left):
        other = kind.evaluate(plan, filled)
        if other.state != "good" or other.value is None:
            return False
        if abs(other.value - result.value) > HARDLY * half_90(result.error):
            return False
    return True


def _ways_to_fill(
    kind: SomeKind, plan: TrialPlan, readings: Readings, left: Sequence[tuple[str, int]]
) -> Iterator[Readings]:
    steps = kind.steps(plan)
    middle = (len(steps) - 1) / 2
    expected = {aspect: _expected(readings, aspect, len(steps)) for aspect in {aspect for aspect, _ in left}}
    for before, after in ((1, 1), (-1, -1), (-1, 1), (1, -1)):
        filled = readings
        for aspect, step in left:
            score = round(expected[aspect][step]) + (before if step <= middle else after)
            filled = filled.with_score(aspect, step, int(np.clip(score, WORST, BEST)))
        yield filled


def _expected(readings: Readings, aspect: str, count: int) -> Sequence[float]:
    """What each step's score is likely to be: between those of its neighbours; in the middle where there are none."""
    known = [(k, score) for k in range(count) if (score := readings.score(aspect, k)) is not None]
    if not known:
        return [(WORST + BEST) / 2] * count
    at, scores = zip(*known, strict=True)
    return [float(score) for score in np.interp(range(count), at, scores)]
