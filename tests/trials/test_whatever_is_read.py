"""Whatever somebody reads, also what no print would show: a verdict in words, with numbers that can be, and drawn."""

from __future__ import annotations

import json
import math
from collections.abc import Callable, Mapping
from dataclasses import replace
from random import Random
from typing import Any, TypeVar

import pytest

from drumbo.core.catalogue import BY_KEY, RESIN
from drumbo.core.fit.ordinal import Leaning
from drumbo.core.piece import draw
from drumbo.trials import kinds
from drumbo.trials.base import SomeKind
from drumbo.trials.believable import beyond_belief, evaluated
from drumbo.trials.readings import Measure, Readings, Step, ToRead
from drumbo.trials.result import Result
from drumbo.web.chart import chart_picture
from drumbo.web.figure import fit_picture, piece_picture, spread_picture
from tests.conftest import plain_context, resin_context

SURE_BEYOND = {"lift-and-rest", "exposure-coupon", "changeover"}
"""Kinds that tell two values, of which one may lie beyond, or follow a law there and say how sure that is."""
ALL = [pytest.param(kind, id=slug) for slug, kind in kinds().items()]
T = TypeVar("T")
Score = Callable[[int, int], int | None]
Number = Callable[[int, Measure], float]


def _read(asked: ToRead, steps: tuple[Step, ...], score: Score, number: Number, first: int) -> Readings:
    """`score` by aspect and step, `number` by step and measure; everything began at one step."""
    scores: dict[str, dict[str, int]] = {}
    for a, aspect in enumerate(asked.aspects):
        given = {str(step.index): score(a, step.index) for step in steps}
        scores[aspect.key] = {step: value for step, value in given.items() if value is not None}
    measures = {
        measure.key: {str(s.index): {site.key: number(s.index, measure) for site in measure.sites} for s in steps}
        for measure in asked.measures
    }
    return Readings(scores, measures, {each.key: first for each in asked.firsts})


def _cases(asked: ToRead, steps: tuple[Step, ...]) -> dict[str, Readings]:
    """Readings by what is odd about them."""
    rng, last = Random(7), len(steps) - 1

    def random_score(_aspect: int, _step: int) -> int:
        return rng.randint(0, 4)

    def random_number(_step: int, measure: Measure) -> float:
        return round(rng.uniform(measure.low, measure.high), measure.decimals)

    cases = {
        "all poor, all at the lowest": _read(asked, steps, lambda a, s: 0, lambda s, m: m.low, 0),
        "all good, all at the highest": _read(asked, steps, lambda a, s: 4, lambda s, m: m.high, len(steps)),
        "by turns": _read(asked, steps, lambda a, s: 4 * (s % 2), lambda s, m: m.high if s % 2 else m.low, last // 2),
        "at random": _read(asked, steps, random_score, random_number, rng.randint(0, len(steps))),
        "at random, half of it": _read(
            asked, steps, lambda a, s: rng.randint(0, 4) if rng.random() < 0.5 else None, random_number, last),
        "one step alone": _read(asked, steps, lambda a, s: 3 if s == last // 2 else None, random_number, 0),
    }  # fmt: skip
    cases["better and better"] = _read(
        asked, steps, lambda a, s: round(4 * s / max(last, 1)), lambda s, m: m.low + (m.high - m.low) * s / len(steps),
        len(steps))  # fmt: skip
    cases["worse and worse"] = _read(
        asked, steps, lambda a, s: round(4 - 4 * s / max(last, 1)),
        lambda s, m: m.high - (m.high - m.low) * s / len(steps), 0)  # fmt: skip
    cases["by a strict reader"] = replace(cases["at random"], leaning=Leaning(-1.5, 0.2), reader="Ailsa")
    if asked.pick:
        cases["picked alone"] = Readings(picked=last)
    return cases


def _finite(data: Any, where: str) -> None:
    """No number anywhere that is none."""
    if isinstance(data, float):
        assert math.isfinite(data), where
    elif isinstance(data, dict):
        for key, value in data.items():
            _finite(value, f"{where}.{key}")
    elif isinstance(data, (list, tuple)):
        for value in data:
            _finite(value, where)


@pytest.mark.parametrize("kind", ALL)
def test_the_verdict_can_be(kind: SomeKind) -> None:
    context: Any = resin_context() if kind.process == RESIN else plain_context()
    plan = kind.suggest(context)
    steps, asked = kind.steps(plan), kind.readings(plan)
    picture = piece_picture(draw(kind.piece(plan, context)), None, (0.0, 0.0))
    for name, readings in _cases(asked, steps).items():
        result = evaluated(kind, plan, context, readings)
        assert result.says.strip().endswith((".", "?", "!")), name
        assert all(note.strip() for note in result.notes), name
        data = json.loads(json.dumps(result.to_json()))
        _finite(data, name)
        assert Result.from_json(data) == result, name
        if result.value is not None:
            assert result.error is not None, name
            assert result.error > 0, name
            assert result.low is not None, name
            assert result.high is not None, name
            assert result.low <= result.value <= result.high, name
            assert (result.bound is None) is (not result.beyond), name
            if result.state == "edge" and result.extend is not None and kind.slug not in SURE_BEYOND:
                assert result.beyond, f"{name}: nobody knows how far beyond the range it lies"
        _changes(kind, plan, result, context, name)
        fit_picture(result, steps, picture)
        for chart in result.charts:
            assert chart_picture(chart).says, name
        for spread in result.spreads:
            assert spread_picture(spread).dots, name


def _changes(kind: SomeKind, plan: Any, result: Result, context: Any, name: str) -> None:
    """What would be adopted can be; a plan that goes on is one."""
    new = kind.changes(plan, result, context, trial=1)
    assert beyond_belief(new) is None, name
    for key, value in new.items():
        assert value.error is None or value.error > 0, f"{name}: {key}"
        assert BY_KEY[key].show(value.number).strip(), name
    if result.extend is not None:
        assert kind.steps(kind.read_plan(result.extend, context)), name


def _turned(mapping: Mapping[str, T]) -> dict[str, T]:
    """The same, the last entry first."""
    return dict(list(mapping.items())[::-1])


@pytest.mark.parametrize("kind", ALL)
def test_it_does_not_matter_in_which_order_it_is_read(kind: SomeKind) -> None:
    context: Any = resin_context() if kind.process == RESIN else plain_context()
    plan = kind.suggest(context)
    readings = _cases(kind.readings(plan), kind.steps(plan))["at random"]
    turned = replace(
        readings,
        scores=_turned({key: _turned(column) for key, column in readings.scores.items()}),
        measures=_turned({
            key: _turned({step: _turned(sites) for step, sites in column.items()})
            for key, column in readings.measures.items()
        }),
        firsts=_turned(readings.firsts),
    )  # fmt: skip
    one, other = kind.evaluate(plan, readings), kind.evaluate(plan, turned)
    assert other.state == one.state
    assert other.says == one.says
    for mine, theirs in ((one.value, other.value), (one.error, other.error)):
        assert theirs == (None if mine is None else pytest.approx(mine, rel=1e-6))


def test_a_slip_that_cannot_be_is_told_and_nothing_is_to_be_adopted() -> None:
    trial, context = kinds()["cure-shrinkage"], resin_context()
    plan = trial.suggest(context)
    asked, steps = trial.readings(plan), trial.steps(plan)

    def measured(after: float) -> Readings:
        """Each bar as long as it should be, and after the cure so much of that."""
        return Readings(measures={
            measure.key: {
                str(s.index): {site.key: s.value * (after if measure.key == "cured" else 1.0) for site in measure.sites}
                for s in steps
            } for measure in asked.measures
        })  # fmt: skip

    good = evaluated(trial, plan, context, measured(0.995))
    assert good.value == pytest.approx(0.5)
    slip = evaluated(trial, plan, context, measured(0.75))
    assert (slip.state, slip.value) == ("split", None)
    assert slip.says.startswith("These readings give 25.00 % for “Shrinkage in the cure”, which is not possible")
    assert slip.spreads, "the numbers can still be seen"
    assert trial.changes(plan, slip, context, trial=1) == {}


EDGES = [
    ("temperature", {"nozzle_max_c": 236.0}, {"hot_c": 236.0, "cold_c": 196.0}, False, "hot_c", 236.0),
    ("temperature", {"nozzle_max_c": 250.0}, {}, False, "hot_c", 250.0),
    ("rising-wall", {"speed_max_mm_s": 120.0}, {}, True, "high_mm3_s", 17.8),
]


@pytest.mark.parametrize(("slug", "printer", "typed", "rises", "field", "most"), EDGES)
def test_who_is_sent_on_is_sent_no_further_than_the_printer_goes(
    slug: str, printer: dict[str, Any], typed: dict[str, float], rises: bool, field: str, most: float
) -> None:
    trial, context = kinds()[slug], plain_context(**printer)
    plan = trial.suggest(context)
    for key, value in typed.items():
        plan = plan.with_value(key, value)
    case = "better and better" if rises else "worse and worse"
    readings = _cases(trial.readings(plan), trial.steps(plan))[case]
    beyond = trial.evaluate(plan, readings)
    assert beyond.state == "edge"
    assert beyond.extend is not None
    result = evaluated(trial, plan, context, readings)
    if result.extend is not None:
        assert result.extend[field] <= most
        assert trial.steps(trial.read_plan(result.extend, context))
    else:
        assert result.notes[-1].startswith("The next range cannot be printed here: ")
        assert f"{most:g}" in result.notes[-1]
