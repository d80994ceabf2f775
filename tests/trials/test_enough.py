"""A reader is told to stop only where the rest would not have changed what they would have adopted."""

from __future__ import annotations

import numpy as np
import pytest

from drumbo.core.sure import half_90
from drumbo.trials import kind
from drumbo.trials.enough import _ways_to_fill, hardly_matters, left_to_score
from drumbo.trials.readings import Readings
from tests.conftest import plain_context

ONE_SIDED = {"gaps": -1.0, "ridges": 1.0}
"""What is at fault on one side of the best only."""


def _reader(slug: str, best: float, wide: float, rng: np.random.Generator) -> dict[tuple[str, int], int]:
    """All scores of one person: each aspect falls off from about the best, and eyes err."""
    trial, context = kind(slug), plain_context()
    plan = trial.suggest(context)
    scores = {}
    for aspect in trial.readings(plan).aspects:
        centre = best + rng.normal(0, wide / 4)
        for step in trial.steps(plan):
            off = (step.value - centre) / wide
            if aspect.key in ONE_SIDED:
                off = max(off * ONE_SIDED[aspect.key], 0.0)
            seen = 4 - 3 * off**2 + rng.normal(0, 0.45)
            scores[aspect.key, step.index] = int(np.clip(round(seen), 0, 4))
    return scores


@pytest.mark.parametrize(("slug", "best", "wide"), [("temperature", 211.0, 18.0), ("flow-surface", 0.985, 0.04)])
def test_whoever_stops_when_told_adopts_what_they_would_have(slug: str, best: float, wide: float) -> None:
    trial, context = kind(slug), plain_context()
    plan = trial.suggest(context)
    rng = np.random.default_rng(11)
    stopped, same, spared = 0, 0, []
    for _ in range(6):
        scores = _reader(slug, best + rng.normal(0, wide / 6), wide, rng)
        middle = (len(trial.steps(plan)) - 1) / 2
        readings = Readings()
        # From the middle outwards, as one looks where it is best first.
        for (aspect, step), score in sorted(scores.items(), key=lambda cell: abs(cell[0][1] - middle)):
            readings = readings.with_score(aspect, step, score)
            if readings.count() % 3 or not left_to_score(trial, plan, readings):
                continue
            result = trial.evaluate(plan, readings)
            if hardly_matters(trial, plan, readings, result):
                whole = Readings()
                for cell, given in scores.items():
                    whole = whole.with_score(*cell, given)
                full = trial.evaluate(plan, whole)
                assert result.value is not None
                assert result.error is not None
                stopped += 1
                spared.append(len(left_to_score(trial, plan, readings)))
                same += full.value is not None and abs(full.value - result.value) < half_90(result.error) / 2
                break
    assert stopped >= 3, "it is told often enough to be of use"
    assert same >= 0.9 * stopped
    assert np.mean(spared) >= 2


def test_nobody_is_told_to_stop_before_there_is_an_answer_or_when_nothing_is_left() -> None:
    trial, context = kind("temperature"), plain_context()
    plan = trial.suggest(context)
    assert not hardly_matters(trial, plan, Readings(), None)
    readings = Readings()
    for aspect in trial.readings(plan).aspects:
        for step in trial.steps(plan):
            readings = readings.with_score(aspect.key, step.index, max(4 - abs(step.index - 4), 0))
    assert left_to_score(trial, plan, readings) == []
    assert not hardly_matters(trial, plan, readings, trial.evaluate(plan, readings))
    one = readings.with_score("bridge", 0, None)
    assert hardly_matters(trial, plan, one, trial.evaluate(plan, one))


def test_what_is_left_is_tried_better_and_worse_on_either_side_of_the_middle() -> None:
    """Between what its neighbours say, a mark more and a mark less: on both sides, and one against the other."""
    trial, context = kind("temperature"), plain_context()
    plan = trial.suggest(context)
    steps, readings = trial.steps(plan), Readings()
    for step in steps[1:-1]:
        readings = readings.with_score("bridge", step.index, 2)
    ends = [("bridge", steps[0].index), ("bridge", steps[-1].index)]
    tried = {
        (filled.score("bridge", steps[0].index), filled.score("bridge", steps[-1].index))
        for filled in _ways_to_fill(trial, plan, readings, ends)
    }
    assert tried == {(3, 3), (1, 1), (1, 3), (3, 1)}
    best = readings.with_score("bridge", 1, 4).with_score("bridge", steps[-2].index, 0)
    kept = [filled.score("bridge", steps[0].index) for filled in _ways_to_fill(trial, plan, best, ends)]
    assert max(score for score in kept if score is not None) == 4, "no better than best"
