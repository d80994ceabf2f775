"""What must hold of every verdict, whatever its sums: a sweep that lies elsewhere gives a value that lies elsewhere,
what begins later is found later, a missing reading makes nobody surer, and what is known of a reader is counted in.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from drumbo.core.fit.ordinal import USUAL, Leaning
from drumbo.trials import kind
from drumbo.trials.base import SomeKind
from drumbo.trials.readings import Readings
from drumbo.trials.result import Result
from tests.conftest import plain_context, resin_context

Rows = Mapping[str, str]


def _scored(trial: SomeKind, plan: Any, rows: Rows) -> Readings:
    """Scores by aspect, a digit a step; "*" is for all that are not named, a point for what was not looked at."""
    return Readings({
        aspect.key: {
            str(i): int(digit)
            for i, digit in enumerate(rows.get(aspect.key, rows.get("*", "")))
            if digit != "."
        }
        for aspect in trial.readings(plan).aspects
    })  # fmt: skip


EVENLY: Mapping[str, Any] = {"pressure-advance": {"low_s": 0.0, "step_s": 0.01, "grows_percent": 0.0, "roads": 9}}
"""Plans of even steps, where another kind of steps is suggested."""


def _plan(slug: str) -> Any:
    return replace(kind(slug).suggest(plain_context()), **EVENLY.get(slug, {}))


def _said(slug: str, rows: Rows, leaning: Leaning = USUAL, /, **changes: float) -> Result:
    trial = kind(slug)
    plan = replace(_plan(slug), **changes)
    return trial.evaluate(plan, replace(_scored(trial, plan, rows), leaning=leaning))


def _value(result: Result) -> float:
    assert result.value is not None, result.says
    return result.value


HEATS = {"*": "123443210"}
FLOWS = {"gaps": "012344444", "ridges": "444443210"}
LAGS = {"bulges": "012344444", "thins": "444443210"}
RESTARTS = {"start-gap": "012344444", "start-blob": "444443210"}


@pytest.mark.parametrize("by_c", [-20.0, -10.0, 5.0, 20.0])
def test_a_tower_of_other_temperatures_with_the_same_scores_is_best_as_much_hotter(by_c: float) -> None:
    here = _said("temperature", HEATS)
    there = _said("temperature", HEATS, hot_c=230.0 + by_c, cold_c=190.0 + by_c)
    assert there.state == here.state == "good"
    assert _value(there) == pytest.approx(_value(here) + by_c)
    assert there.error == pytest.approx(here.error)
    assert (there.low or 0) - (here.low or 0) == pytest.approx(by_c)


@pytest.mark.parametrize("wider", [0.5, 2.0])
def test_a_tower_of_wider_steps_with_the_same_scores_is_as_much_less_sure(wider: float) -> None:
    here = _said("temperature", HEATS)
    middle, half = 210.0, 20.0 * wider
    there = _said("temperature", HEATS, hot_c=middle + half, cold_c=middle - half, step_c=5.0 * wider)
    assert _value(there) - middle == pytest.approx(wider * (_value(here) - middle), abs=0.3 * wider)
    assert (there.error or 0) > (here.error or 0) if wider > 1 else (there.error or 0) < (here.error or 0)


@pytest.mark.parametrize(("slug", "field", "rows", "step"), [
    ("flow-surface", "low_ratio", FLOWS, 0.025),
    ("pressure-advance", "low_s", LAGS, 0.01),
    ("retraction-restart", "low_mm", RESTARTS, 0.05),
])  # fmt: skip
def test_a_strip_that_begins_elsewhere_is_best_as_much_farther_on(
    slug: str, field: str, rows: Rows, step: float
) -> None:
    low = _plan(slug)[field]
    assert isinstance(low, float)
    here, there = _said(slug, rows), _said(slug, rows, **{field: low + 2 * step})
    assert _value(there) - _value(here) == pytest.approx(2 * step, abs=0.1 * step)
    assert there.error == pytest.approx(here.error, rel=0.15)


@pytest.mark.parametrize(("slug", "rows"), [
    ("flow-surface", FLOWS), ("pressure-advance", LAGS), ("retraction-restart", RESTARTS),
])  # fmt: skip
def test_what_is_too_little_from_the_left_and_too_much_from_the_right_is_best_in_the_middle(
    slug: str, rows: Rows
) -> None:
    one, other = rows
    even = {one: rows[one], other: rows[one][::-1]}
    steps = kind(slug).steps(_plan(slug))
    middle, step = (steps[0].value + steps[-1].value) / 2, abs(steps[1].value - steps[0].value)
    assert _value(_said(slug, even)) == pytest.approx(middle, abs=0.15 * step)


STRINGS = ("0123444444444", "0012344444444", "0001234444444", "0000123444444", "0000012344444")
FITS = ("01234444", "00123444", "00012344", "00001234")
GAPS = ("123444444", "012344444", "001234444", "000123444")
RIDGES = ("443210000", "444321000", "444432100", "444443210")
TOWERS = ("344321000", "234432100", "123443210", "012344321", "001234432")
LATER: list[tuple[str, list[Rows], int]] = [
    ("retraction-length", [{"strings": row, "restart": "4" * 13} for row in STRINGS], 1),
    ("clearance", [{"fits": row} for row in FITS], 1),
    ("flow-surface", [{"gaps": gaps, "ridges": ridges} for gaps, ridges in zip(GAPS, RIDGES, strict=True)], 1),
    ("temperature", [{"*": row} for row in TOWERS], -1),
]
"""Readings in which what tells the value comes one step later each time; on a tower the first step is the hottest."""


@pytest.mark.parametrize(("slug", "rows", "way"), LATER)
def test_what_begins_a_step_later_is_found_about_a_step_later(slug: str, rows: list[Rows], way: int) -> None:
    trial = kind(slug)
    steps = trial.steps(trial.suggest(plain_context()))
    step = abs(steps[1].value - steps[0].value)
    values = np.array([_value(_said(slug, each)) for each in rows])
    moved = way * np.diff(values)
    assert np.all(moved > 0.4 * step), values
    assert np.all(moved < 1.7 * step), values


FULL: list[tuple[str, Rows]] = [
    ("temperature", HEATS), ("flow-surface", FLOWS), ("pressure-advance", LAGS), ("retraction-restart", RESTARTS),
    ("retraction-length", {"strings": "0001234444444", "restart": "4444444444444"}),
    ("clearance", {"fits": "00012344"}), ("retraction-speed", {"*": "123443321"}),
]  # fmt: skip


@pytest.mark.parametrize(("slug", "rows"), FULL)
def test_who_looks_at_fewer_steps_is_not_surer_and_finds_about_the_same(slug: str, rows: Rows) -> None:
    whole = _said(slug, rows)
    for gone in range(1, 3):
        holes = {
            key: "".join("." if i % 4 == gone else digit for i, digit in enumerate(row)) for key, row in rows.items()
        }
        fewer = _said(slug, holes)
        assert (fewer.error or 0) > 0.9 * (whole.error or 0), f"without every fourth from {gone} on"
        far = 2.5 * ((fewer.error or 0) ** 2 + (whole.error or 0) ** 2) ** 0.5
        assert _value(fewer) == pytest.approx(_value(whole), abs=far)


@pytest.mark.parametrize(("slug", "rows"), FULL)
def test_a_value_lies_within_what_is_said_of_it(slug: str, rows: Rows) -> None:
    result = _said(slug, rows)
    assert result.low is not None
    assert result.high is not None
    assert result.low <= _value(result) <= result.high
    assert result.high - result.low < 8 * (result.error or 0)


@pytest.mark.parametrize("times", [2.0, 5.0, 12.0])
def test_a_sheet_of_shares_that_begins_elsewhere_is_best_at_as_many_times_as_much(times: float) -> None:
    by_shares = {"low_s": 0.016, "step_s": 0.0032, "grows_percent": 20.0}
    here = _said("pressure-advance", LAGS, **by_shares)
    there = _said("pressure-advance", LAGS, low_s=0.016 * times, step_s=0.0032 * times, grows_percent=20.0)
    assert 0.016 * 1.2**3 < _value(here) < 0.016 * 1.2**5
    assert _value(there) == pytest.approx(times * _value(here), rel=0.01), "steps are rounded to what is printed"
    assert there.error == pytest.approx(times * (here.error or 0), rel=0.1)


def test_a_fine_sheets_value_lies_within_what_is_said_of_it() -> None:
    """Also where it ends before the best one."""
    for rows in (LAGS, {"bulges": "000111234", "thins": "444444444"}):
        result = _said("pressure-advance", rows, low_s=0.03, step_s=0.002, known_s=0.038, known_error=0.004)
        assert result.low is not None
        assert result.high is not None
        assert 0 <= result.low <= _value(result) <= result.high < 0.2


@pytest.mark.parametrize("best", [0.022, 0.045, 0.071])
def test_widths_that_are_alike_where_the_head_brakes_tell_the_advance(best: float) -> None:
    trial = kind("pressure-advance")
    plan = trial.suggest(plain_context())
    readings = Readings()
    for step in trial.steps(plan):
        wider = 2.0 * (best - step.value)
        readings = readings.with_measure("width", step.index, "slow", 0.45)
        readings = readings.with_measure("width", step.index, "brakes", round(0.45 + wider, 2))
    result = trial.evaluate(plan, readings)
    assert result.state == "good"
    assert _value(result) == pytest.approx(best, abs=0.003)
    assert result.low is not None
    assert result.high is not None
    assert 0 <= result.low < _value(result) < result.high < 0.12


@pytest.mark.parametrize(("slug", "rows"), FULL)
def test_one_slip_of_the_eye_is_not_believed(slug: str, rows: Rows) -> None:
    """Two points off at one step of one aspect: the answer moves by less than it says it may be off, 9 times of 10."""
    whole = _said(slug, rows)
    key = next(iter(rows))
    moved = []
    for at in range(len(rows[key])):
        digit = int(rows[key][at])
        slip = str(digit - 2 if digit >= 2 else digit + 2)
        result = _said(slug, {**rows, key: rows[key][:at] + slip + rows[key][at + 1 :]})
        if result.value is not None:
            moved.append(abs(result.value - _value(whole)) / (1.645 * max(result.error or 0, whole.error or 0)))
    assert len(moved) >= len(rows[key]) - 1
    assert np.quantile(moved, 0.8) < 1.0, np.round(moved, 2)


@pytest.mark.parametrize(
    ("slug", "rows", "says"),
    [
        ("flow-surface", {"gaps": "000011122", "ridges": "444444444"}, "more"),
        ("flow-surface", {"gaps": "444444444", "ridges": "221110000"}, "less"),
        ("temperature", {"*": "432211000"}, "more"),
        ("retraction-length", {"strings": "0000011111112"}, "more"),
        ("retraction-length", {"strings": "4444444444444"}, "less"),
        ("pressure-advance", {"bulges": "000011122", "thins": "444444444"}, "more"),
        ("retraction-restart", {"start-gap": "000011122", "start-blob": "444444444"}, "more"),
    ],
)
def test_a_range_that_ends_too_early_is_told_by_one_end_alone(slug: str, rows: Rows, says: str) -> None:
    result, ends = _said(slug, rows), [step.value for step in kind(slug).steps(_plan(slug))]
    assert result.beyond == says, result.says
    assert result.bound is not None
    assert not result.as_good, "what lies beyond was not tried"
    assert result.bound > min(ends) if says == "more" else result.bound < max(ends)


def test_one_who_is_known_to_be_strict_has_seen_it_earlier_than_they_say() -> None:
    """Somebody who gives nothing more than a 3 may mean by it what others call a 4."""
    rows = {"strings": "0001233333333", "restart": "3333333333333"}
    strict, usual, mild = (_value(_said("retraction-length", rows, Leaning(mean, 0.1))) for mean in (-1.0, 0.0, 1.0))
    assert strict <= usual
    assert strict < mild


@pytest.mark.parametrize(("known", "error"), [(1.02, 0.004), (0.97, 0.004), (1.0, 0.05)])
def test_what_was_known_before_counts_by_how_sure_it_was(known: float, error: float) -> None:
    alone = _said("flow-surface", FLOWS)
    both = _said("flow-surface", FLOWS, known_ratio=known, known_error=error)
    assert (both.error or 1) < (alone.error or 0)
    low, high = sorted((known, _value(alone)))
    assert low - 1e-9 <= _value(both) <= high + 1e-9
    share = (alone.error or 0) ** 2 / ((alone.error or 0) ** 2 + error**2)
    assert _value(both) == pytest.approx(share * known + (1 - share) * _value(alone), abs=0.004)


def _storeys(slug: str, first: int) -> Result:
    """A tower of levels on which everything is lost from one level on."""
    trial = kind(slug)
    plan = trial.suggest(resin_context())
    asked, steps = trial.readings(plan), trial.steps(plan)
    readings = Readings()
    for measure in asked.measures:
        for step in steps:
            number = measure.high if step.index < first else measure.low
            for site in measure.sites:
                readings = readings.with_measure(measure.key, step.index, site.key, number)
    return trial.evaluate(plan, readings)


@pytest.mark.parametrize("slug", ["lift-speed", "rest-before-light"])
def test_a_tower_that_fails_a_level_later_allows_more(slug: str) -> None:
    trial = kind(slug)
    plan = trial.suggest(resin_context())
    steps = trial.steps(plan)
    towards = np.sign(steps[1].value - steps[0].value)
    values = [_value(_storeys(slug, first)) for first in range(2, len(steps) - 1)]
    assert len(values) >= 3
    assert np.all(towards * np.diff(values) > 0), "a quicker lift, or a shorter rest"
    for first, value in zip(range(2, len(steps) - 1), values, strict=True):
        assert towards * (value - steps[first].value) < 0, "what failed is never advised"
