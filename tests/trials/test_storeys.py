"""Towers that change one thing from storey to storey: what is in the file, what a sign means, what comes next."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest

from drumbo.core.errors import InvalidInput
from drumbo.core.fit.counts import Fall
from drumbo.core.profile import start
from drumbo.core.resin import RESIN_CLASSES
from drumbo.core.sure import half_90
from drumbo.trials import kind
from drumbo.trials.plan import TrialPlan
from drumbo.trials.readings import Readings
from drumbo.trials.result import Result
from drumbo.trials.toolkit.storeys import STOREY, StoreyKind
from drumbo.trials.toolkit.wider import holding
from drumbo.trials.way import QUICK, wanted
from tests.conftest import resin_context

CONTEXT = resin_context()
LIFT, REST, TOGETHER = kind("lift-speed"), kind("rest-before-light"), kind("lift-and-rest")
BOTH = pytest.mark.parametrize("trial", [LIFT, REST], ids=lambda trial: trial.slug)


def _begins(plan: TrialPlan, readings: Readings) -> Fall | None:
    assert isinstance(LIFT, StoreyKind)
    found: Fall | None = LIFT.begins(plan, readings)
    return found


def _seen(trial: Any, plan: TrialPlan, at: int) -> Result:
    """As counts tell it: all but one beneath a level, hardly any from there on."""
    readings, most = Readings(), trial.counted.high
    for step in trial.steps(plan):
        readings = readings.with_measure(trial.counted.key, step.index, "here", most - 1 if step.index < at else 2)
    result: Result = trial.evaluate(plan, readings)
    return result


def test_one_miscount_moves_little_and_old_towers_are_read_as_they_were() -> None:
    plan = LIFT.plan_type(first=60.0, step=20.0, storeys=6)

    def counted(*counts: int) -> Fall:
        readings = Readings()
        for step, count in enumerate(counts):
            readings = readings.with_measure("pins", step, "here", count)
        found = _begins(plan, readings)
        assert found is not None
        return found

    assert 120 < counted(7, 7, 7, 7, 5, 2).at < 140
    assert 140 < counted(7, 5, 7, 7, 7, 4).at < 160
    assert counted(7, 6, 7, 7, 7, 6).beyond > 0.5
    assert counted(2, 3, 2, 2, 2, 1).before > 0.5
    torn = counted(7, 7, 5, 7, 3, 2)
    assert torn.error > 2 * counted(7, 7, 7, 7, 3, 2).error, "counts that go to and fro tell less"
    old = _begins(plan, Readings(firsts={"missing": 3}))
    assert old is not None
    assert (old.at, old.error) == (110.0, 12.0)
    assert _begins(plan, Readings().with_measure("pins", 0, "here", 7)) is None


@BOTH
def test_only_one_thing_changes_and_only_from_storey_to_storey(trial: Any) -> None:
    first, step = (60.0, 30.0) if trial is LIFT else (2.0, 0.5)
    plan = trial.plan_type(first=first, step=step, storeys=4)
    job, steps = trial.job(plan, CONTEXT, ("test",)), trial.steps(plan)
    height = CONTEXT.profile.number("layer_um") / 1000
    base = trial.foot_mm(CONTEXT)
    middles = [round((base + (k + 0.5) * STOREY) / height) for k in range(4)]
    told = [(job.layers[n].lift.mm_min, job.layers[n].rest_before_s) for n in middles]
    usual = CONTEXT.profile.number("lift_speed_mm_min"), CONTEXT.profile.number("rest_before_s")
    for storey, (speed, rest) in zip(steps, told, strict=True):
        assert (speed, rest) == ((storey.value, usual[1]) if trial is LIFT else (usual[0], storey.value))
    changes = [n for n in range(middles[0], middles[-1]) if job.layers[n].lift != job.layers[n + 1].lift
               or job.layers[n].rest_before_s != job.layers[n + 1].rest_before_s]  # fmt: skip
    assert [n + 1 for n in changes] == pytest.approx([(base + k * STOREY) / height for k in (1, 2, 3)], abs=1)


def test_known_limits() -> None:
    lift = _seen(LIFT, LIFT.plan_type(first=60.0, step=20.0, storeys=5), 2)
    assert lift.error is not None
    limit = lift.spreads[0].mean
    assert 80 < limit < 100
    assert lift.value == pytest.approx(0.85 * limit), "less a margin"
    assert lift.says == f"It begins at {limit:.0f} ± {half_90(lift.error):.0f} mm/min; 15 % of that is kept back."
    assert (lift.low, lift.high) == (lift.value, 80.0)
    rough = _seen(LIFT, LIFT.plan_type(first=10.0, step=50.0, storeys=5), 1)
    assert 10 < rough.spreads[0].mean < 60
    assert rough.value == pytest.approx(rough.spreads[0].mean - rough.error / holding(LIFT.slug, 1)), (
        "as unsure as it is"
    )
    assert rough.extend is not None
    rest = _seen(REST, REST.plan_type(first=2.0, step=0.4, storeys=5), 3)
    assert 0.8 < rest.spreads[0].mean < 1.2
    assert rest.value is not None
    kept = max(0.25 * rest.spreads[0].mean, rest.error / holding(REST.slug, 1))
    assert rest.value == pytest.approx(rest.spreads[0].mean + kept), "and a quarter more, or as unsure as it is"
    assert REST.changes(REST.suggest(CONTEXT), rest, CONTEXT, 4)["rest_before_s"].number == round(rest.value, 1)
    assert _seen(LIFT, LIFT.plan_type(first=60.0, step=20.0, storeys=5), 0).value is None
    held = _seen(LIFT, LIFT.plan_type(first=60.0, step=20.0, storeys=5), 5)
    assert (held.state, held.value) == ("edge", 140.0)
    assert 0 < held.error < 20, "what held may have been misread"


@BOTH
def test_a_finer_tower_has_the_limit_in_its_middle_until_the_margin_is_all_that_is_kept_back(
    trial: Any,
) -> None:
    plan = trial.suggest(CONTEXT)
    limit, finer = None, plan
    for _ in range(6):
        plan = finer
        values = [step.value for step in trial.steps(plan)]
        holds = [(value < limit) is (trial is LIFT) if limit is not None else k < 3 for k, value in enumerate(values)]
        result = _seen(trial, plan, holds.index(False))
        limit = limit or result.spreads[0].mean
        if result.extend is None:
            break
        finer = trial.plan_type.read(result.extend, trial.fields(CONTEXT))
        trial.check(finer, CONTEXT)
        assert finer["step"] < plan["step"]
        steps = [step.value for step in trial.steps(finer)]
        assert min(steps) < limit < max(steps)
    assert result.extend is None
    assert result.value is not None
    assert abs(result.value - limit) < trial.margin * limit + 1.5 * plan["step"]


@BOTH
@pytest.mark.parametrize("held", [True, False], ids=["held on all", "failed on all"])
def test_what_is_offered_next_can_be_printed_and_comes_to_an_end(trial: Any, *, held: bool) -> None:
    plan, ends = trial.suggest(CONTEXT), []
    for _ in range(40):
        steps = trial.steps(plan)
        result = _seen(trial, plan, len(steps) if held else 0)
        assert result.state == "edge"
        if result.extend is None:
            break
        values = [step.value for step in steps]
        plan = trial.plan_type.read(result.extend, trial.fields(CONTEXT))
        trial.check(plan, CONTEXT)
        ends = [step.value for step in trial.steps(plan)]
        beyond = ends[-1] - values[-1] if held else values[0] - ends[0]
        assert beyond * (values[1] - values[0]) > 0, "it goes further"
        assert min(ends) < max(values)
        assert max(ends) > min(values), "and overlaps"
    else:
        pytest.fail("it goes on for ever")
    assert ends, "there was something to go on to"
    assert ("another cause" in result.says) is not held


def test_no_rest_is_shorter_than_none() -> None:
    down_to_none = REST.plan_type(first=1.2, step=0.2, storeys=7)
    REST.check(down_to_none, CONTEXT)
    assert REST.steps(down_to_none)[-1].value == 0.0
    with pytest.raises(InvalidInput, match="less than no time"):
        REST.check(REST.plan_type(first=1.0, step=0.4, storeys=5), CONTEXT)


def _counted(pins: list[int], slits: list[int]) -> Readings:
    readings = Readings()
    for key, counts in (("pins", pins), ("slits", slits)):
        for step, count in enumerate(counts):
            readings = readings.with_measure(key, step, "here", count)
    return readings


def test_both_in_one_tower_are_judged_as_each_on_its_own() -> None:
    plan = TOGETHER.plan_type(slowest=60.0, faster_by=20.0, longest=2.0, shorter_by=0.4, storeys=5)
    assert TOGETHER.steps(plan)[1].label == "80 mm/min, 1.6 s"
    readings = _counted([7, 7, 2, 2, 2], [7, 7, 7, 2, 2])
    found = TOGETHER.evaluate(plan, readings)
    lift, rest = LIFT.evaluate(plan.lift, readings), REST.evaluate(plan.rest, readings)
    assert (found.state, found.value, found.error) == ("good", lift.value, lift.error)
    changes = TOGETHER.changes(plan, found, CONTEXT, 4)
    assert lift.value is not None
    assert rest.value is not None
    assert changes["lift_speed_mm_min"].number == round(lift.value)
    assert changes["rest_before_s"].number == round(rest.value, 1)
    assert changes["rest_before_s"].error == rest.error
    assert TOGETHER.evaluate(plan, _counted([7, 7, 2, 2, 2], [])).state == "few"


def test_what_both_do_not_tell_is_asked_for_again_and_what_one_tells_is_kept() -> None:
    plan = TOGETHER.plan_type(slowest=60.0, faster_by=20.0, longest=2.0, shorter_by=0.4, storeys=5)
    found = TOGETHER.evaluate(plan, _counted([2] * 5, [7, 7, 7, 2, 2]))
    assert (found.state, found.value) == ("edge", None)
    assert TOGETHER.keeps(found)
    assert TOGETHER.changes(plan, found, CONTEXT, 4).keys() == {"rest_before_s"}
    slower = TOGETHER.plan_type.read(found.extend, TOGETHER.fields(CONTEXT))
    TOGETHER.check(slower, CONTEXT)
    assert max(step.value for step in LIFT.steps(slower.lift)) < 140
    assert slower.storeys == plan.storeys
    with pytest.raises(InvalidInput) as refused:
        TOGETHER.check(
            TOGETHER.plan_type(slowest=60.0, faster_by=20.0, longest=1.0, shorter_by=0.4, storeys=5), CONTEXT
        )
    assert refused.value.problems.keys() == {"shorter_by"}


def test_lift_and_rest_change_from_storey_to_storey_together() -> None:
    plan = TOGETHER.plan_type(slowest=60.0, faster_by=30.0, longest=2.0, shorter_by=0.5, storeys=4)
    job, height = TOGETHER.job(plan, CONTEXT, ("test",)), CONTEXT.profile.number("layer_um") / 1000
    middles = [job.layers[round((LIFT.foot_mm(CONTEXT) + (k + 0.5) * STOREY) / height)] for k in range(4)]
    assert [(layer.lift.mm_min, layer.rest_before_s) for layer in middles] == [(60, 2), (90, 1.5), (120, 1), (150, 0.5)]


def test_a_way_leads_through_both_at_once() -> None:
    slugs = [each.slug for each in wanted(QUICK, CONTEXT)]
    assert TOGETHER.slug in slugs
    assert not {LIFT.slug, REST.slug} & set(slugs)


@pytest.mark.parametrize("resin", [kin.key for kin in RESIN_CLASSES])
def test_no_tower_of_both_takes_longer_than_forty_minutes_and_none_covers_less(resin: str) -> None:
    """Slow resins have fewer and larger steps. How long it takes is told without a layer being drawn, to the second."""
    context = resin_context(resin)
    label = replace(context.material, exposure_s=None)
    context = replace(context, material=label, profile=start("as is common", label, context.printer))
    plan = TOGETHER.suggest(context)
    assert TOGETHER.minutes(plan, context) == pytest.approx(TOGETHER.job(plan, context, ()).seconds / 60, abs=1e-6)
    assert TOGETHER.minutes(plan, context) < 40
    lift, rest = LIFT.suggest(context), REST.suggest(context)
    speeds, waits = plan.lift, plan.rest
    usual = LIFT.steps(replace(lift, storeys=lift.storeys - 1))
    assert LIFT.steps(speeds)[0].value == pytest.approx(usual[0].value, abs=5)
    assert LIFT.steps(speeds)[-1].value == pytest.approx(usual[-1].value, abs=5)
    assert REST.steps(waits)[0].value == pytest.approx(rest.first - rest.step)
    assert 0 <= REST.steps(waits)[-1].value <= 0.5 * context.profile.number("rest_before_s")
    TOGETHER.check(plan, context)


def test_a_finer_layer_height_takes_as_long_as_it_takes_with_the_fewest_levels() -> None:
    plan = TOGETHER.suggest(resin_context("resin-flexible", 25.0))
    assert plan.storeys == 4
