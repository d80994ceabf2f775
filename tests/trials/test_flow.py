"""The flow trials' own files, refusals and verdicts."""

from dataclasses import replace

import numpy as np
import pytest

from drumbo.core.errors import InvalidInput
from drumbo.core.fit.callipers import JAWS_MM
from drumbo.core.gcode.reader import read
from drumbo.core.profile import Origin, OriginKind, Value, changed
from drumbo.trials import kind
from drumbo.trials.base import Context, SomeKind
from drumbo.trials.readings import Readings
from drumbo.trials.result import weighed
from tests.conftest import plain_context

SURFACE, WALL, STEPS = kind("flow-surface"), kind("flow-wall"), kind("extruder-steps")
COARSE = SURFACE.plan_type(
    low_ratio=0.9, step_ratio=0.025, pads=9, beneath=3, pad_mm=20.0, known_ratio=None, known_error=None, looks="plain"
)


def _strip(gaps: str, ridges: str, picked: int | None = None) -> Readings:
    rows = {"gaps": gaps, "ridges": ridges}
    return Readings({a: {str(i): int(c) for i, c in enumerate(d) if c != "-"} for a, d in rows.items()}, picked=picked)


def test_every_pads_top_gets_its_own_flow_and_the_base_one_for_all(context: Context) -> None:
    program = read(SURFACE.print_file(COARSE, context).gcode.encode())
    x, y, before = program.x, program.y, np.roll(program.x, 1)
    length = np.hypot(x - before, y - np.roll(y, 1))
    long = (program.e_mm > 0) & (length > 2)
    per_mm = np.divide(program.e_mm, length, where=long, out=np.zeros_like(length))
    places = SURFACE.piece(COARSE, context).places
    tops = []
    for place in places:
        low, high = place.box(context.printer.bed_middle)
        inside = long & (x > low[0]) & (x < high[0]) & (y > low[1]) & (y < high[1])
        tops.append(np.median(per_mm[inside & (program.z > low[2] + 1e-6)]))
    base = per_mm[long & (np.abs(program.z - places[0].low[2]) < 1e-6)]
    np.testing.assert_allclose(np.array(tops) / tops[4], [p.value / places[4].value for p in places], rtol=2e-3)
    np.testing.assert_allclose(np.quantile(base, [0.1, 0.9]), np.median(base), rtol=2e-3)


def test_scores_name_a_flow_and_the_fine_strip_around_it(context: Context) -> None:
    result = SURFACE.evaluate(COARSE, _strip("001234444", "444443210"))
    assert result.state == "good"
    assert result.value == pytest.approx(1.0, abs=0.015)
    assert result.extend is not None
    fine = SURFACE.read_plan(result.extend, context)
    assert fine["step_ratio"] == 0.005
    assert (fine["known_ratio"], fine["known_error"]) == (
        pytest.approx(result.value, abs=1e-4), pytest.approx(result.error, abs=1e-4),
    )  # fmt: skip
    assert "coarsely" in result.says


def test_the_quick_way_is_less_sure_and_the_scores_overrule_it() -> None:
    quick = SURFACE.evaluate(COARSE, _strip("", "", picked=5))
    full = SURFACE.evaluate(COARSE, _strip("001234444", "444443210", picked=5))
    assert quick.value == 1.025
    assert quick.error is not None
    assert full.error is not None
    assert quick.error > 1.2 * full.error
    assert full.value != quick.value
    end = SURFACE.evaluate(COARSE, _strip("", "", picked=8))
    assert end.state == "edge"
    assert end.extend is not None
    assert end.extend["low_ratio"] == pytest.approx(1.075)


@pytest.mark.parametrize(("gaps", "ridges", "way"), [("000000112", "444444444", 1), ("444444444", "211000000", -1)])
def test_a_strip_that_ends_too_early_plans_its_extension(context: Context, gaps: str, ridges: str, way: int) -> None:
    result = SURFACE.evaluate(COARSE, _strip(gaps, ridges))
    assert result.state == "edge"
    assert result.extend is not None
    assert np.sign(result.extend["low_ratio"] - COARSE["low_ratio"]) == way
    steps = SURFACE.steps(SURFACE.read_plan(result.extend, context))
    assert {0.9, 1.1} & {s.value for s in steps}, "it overlaps, so that both can be laid side by side"


def test_a_coarse_flow_is_followed_by_a_fine_strip_and_then_by_nothing(context: Context) -> None:
    def having(error: float) -> Context:
        value = Value(0.98, Origin(OriginKind.TRIAL, "", 1), error)
        return Context(context.printer, context.material, changed(context.profile, {"flow_ratio": value}))

    assert "not measured yet" in (SURFACE.wants(context) or "")
    assert "fine strip" in (SURFACE.wants(having(0.012)) or "")
    assert SURFACE.suggest(having(0.012))["step_ratio"] == 0.005
    assert SURFACE.wants(having(0.003)) is None


@pytest.mark.parametrize(
    ("typed", "field", "says"),
    [
        ({"pads": "4"}, "pads", "below 5"),
        ({"pads": "13", "low_ratio": "1.2", "step_ratio": "0.05"}, "step_ratio", "at most 1.6"),
        ({"known_ratio": "1.0"}, "known_error", "needed too"),
        ({"step_ratio": "0"}, "step_ratio", "below 0.0025"),
    ],
)
def test_a_strip_that_cannot_be_is_refused(context: Context, typed: dict[str, str], field: str, says: str) -> None:
    with pytest.raises(InvalidInput) as caught:
        SURFACE.read_plan({**COARSE, **typed}, context)
    assert says in caught.value.problems[field]


def test_a_small_bed_is_told_how_many_pads_fit() -> None:
    with pytest.raises(InvalidInput, match="above 7, the highest"):
        SURFACE.read_plan(COARSE, plain_context(bed_x_mm=130.0))


def test_a_bed_that_is_not_deep_enough_is_told_how_long_pads_may_be() -> None:
    shallow = plain_context(bed_y_mm=70.0)
    with pytest.raises(InvalidInput) as caught:
        SURFACE.read_plan(COARSE, shallow)
    assert caught.value.problems == {"pad_mm": "needs a bed 73 mm deep; 17 mm would do"}
    assert SURFACE.read_plan({**COARSE, "pad_mm": "17"}, shallow)["pad_mm"] == 17.0


def test_quick_pads_are_small_many_and_close_and_older_plans_keep_theirs(context: Context) -> None:
    usual, quick = SURFACE.suggest(context), SURFACE.quick(context)
    assert [(p["pads"], p["pad_mm"], p["step_ratio"]) for p in (usual, quick)] == [(9, 20.0, 0.025), (11, 15.0, 0.015)]
    values = [step.value for step in SURFACE.steps(quick)]
    assert values[5] == pytest.approx(context.profile.number("flow_ratio"), abs=0.0026), "about the profile's flow"
    assert SURFACE.quick(plain_context(bed_x_mm=180.0))["pads"] == 9, "what there is room for, with one in the middle"
    made, small = (SURFACE.print_file(plan, context) for plan in (COARSE, COARSE.with_value("pad_mm", 15.0)))
    assert small.grams < 0.85 * made.grams
    older = {key: value for key, value in COARSE.to_json().items() if key != "pad_mm"}
    assert SURFACE.plan_type.of(SURFACE.lift(3, older)) == COARSE


def _walls(plan: dict[str, object], single: float, double: float) -> Readings:
    readings = Readings()
    for step, number in enumerate((single, double)):
        for site in WALL.readings(plan).measures[0].sites:
            readings = readings.with_measure("width", step, site.key, number)
    return readings


def test_a_wall_that_is_right_keeps_the_flow_and_a_wide_one_lowers_it(context: Context) -> None:
    plan = WALL.suggest(context)
    one, two = (step.value + JAWS_MM for step in WALL.steps(plan))
    right = WALL.evaluate(plan, _walls(plan, one, two))
    assert right.value == pytest.approx(plan["flow_ratio"], abs=0.002)
    assert "as wide as they should be" in right.says
    wide = WALL.evaluate(plan, _walls(plan, one + 0.02, two + 0.03))
    assert wide.value is not None
    assert wide.value < right.value - 0.03
    assert "too full" in wide.says
    assert [s.aim for s in wide.spreads] == [pytest.approx(one - JAWS_MM), pytest.approx(two - JAWS_MM)]


def test_a_reading_that_stands_apart_is_named(context: Context) -> None:
    plan = WALL.suggest(context)
    one, two = (step.value + JAWS_MM for step in WALL.steps(plan))
    slip = _walls(plan, one, two).with_measure("width", 1, "rear-low", two + 0.3)
    result = WALL.evaluate(plan, slip)
    assert result.value == pytest.approx(plan["flow_ratio"], abs=0.004)
    assert any("rear, low" in note for note in result.notes)
    assert sum(not kept for _, _, kept in result.spreads[1].points) == 1


@pytest.mark.parametrize(("known", "says"), [(1.0, "agrees"), (1.1, "bulge more"), (0.9, "thinner than tops")])
def test_wall_and_surface_are_held_against_each_other(context: Context, known: float, says: str) -> None:
    plan = replace(WALL.suggest(context), known_ratio=known, known_error=0.004)
    one, two = (step.value + JAWS_MM for step in WALL.steps(plan))
    assert any(says in note for note in WALL.evaluate(plan, _walls(plan, one, two)).notes)


def test_the_result_goes_where_it_was_meant_to(context: Context) -> None:
    plan = WALL.suggest(context)
    one, two = (step.value + JAWS_MM for step in WALL.steps(plan))
    readings = _walls(plan, one - 0.02, two - 0.03)
    changes = {
        into: WALL.changes(replace(plan, into=into), WALL.evaluate(plan, readings), context, 4)
        for into in ("all", "outer", "all-but-first")
    }
    flow = changes["all"]["flow_ratio"].number
    assert flow > 1.02
    assert changes["outer"].keys() == {"flow_outer_share"}
    assert changes["outer"]["flow_outer_share"].number == pytest.approx(flow, abs=1e-3)
    assert changes["all-but-first"]["flow_first_share"].number * flow == pytest.approx(1.0, abs=1e-3)


def _left(*numbers: float) -> Readings:
    readings = Readings()
    for site, number in zip(("first", "second", "third"), numbers, strict=False):
        readings = readings.with_measure("left", 0, site, number)
    return readings


def test_steps_by_the_usual_formula(context: Context) -> None:
    """415 steps, 100 mm asked of a mark at 120, 23 mm left → 97 moved → 427.8."""
    plan = replace(STEPS.suggest(context), steps_now=415.0, asked_mm=100.0, mark_mm=120.0)
    result = STEPS.evaluate(plan, _left(23.0))
    assert result.value == pytest.approx(427.8, abs=0.05)
    assert "3.0 % too little" in result.says
    three = STEPS.evaluate(plan, _left(23.0, 23.2, 22.8))
    assert result.error is not None
    assert three.error == pytest.approx(result.error / 3**0.5, rel=0.02)
    assert STEPS.evaluate(plan, _left(60.0)).state == "split", "the drive slips; no steps make up for that"
    assert STEPS.evaluate(plan, _left(130.0)).state == "few", "nothing moved"


def test_a_mark_that_would_go_into_the_drive_is_refused(context: Context) -> None:
    with pytest.raises(InvalidInput, match="must not reach the drive"):
        STEPS.read_plan({**STEPS.suggest(context), "mark_mm": 100.0}, context)


def test_what_two_trials_say_is_weighed_by_how_sure_each_is() -> None:
    """The docstring's numbers, and a sure one against a vague one."""
    value, error = weighed((1.0, 0.02), (1.1, 0.02))
    assert (value, error) == (pytest.approx(1.05), pytest.approx(0.01414, abs=1e-5))
    value, error = weighed((1.0, 0.01), (1.1, 0.1))
    assert value == pytest.approx(1.001, abs=1e-4)
    assert error < 0.01


@pytest.mark.parametrize("kind_", [SURFACE, WALL])
def test_half_of_what_is_known_is_refused_at_the_other_half(kind_: SomeKind, context: Context) -> None:
    plan = {**kind_.suggest(context), "known_ratio": None, "known_error": "0.01"}
    with pytest.raises(InvalidInput) as caught:
        kind_.read_plan(plan, context)
    assert "is needed too" in caught.value.problems["known_ratio"]
