"""The temperature trial's own refusals, warnings and verdicts."""

from dataclasses import replace

import pytest

from drumbo.core.errors import InvalidInput
from drumbo.core.gcode.reader import read
from drumbo.trials import kind
from drumbo.trials.base import Context
from drumbo.trials.readings import Readings
from drumbo.trials.temperature.plan import Plan
from tests.conftest import plain_context

TRIAL = kind("temperature")
PLAN = Plan(hot_c=230.0, cold_c=190.0, step_c=5.0, step_mm=10.0, first_c=215.0, aim="balanced")


@pytest.mark.parametrize(
    ("typed", "field", "says"),
    [
        ({"hot_c": "190", "cold_c": "230"}, "cold_c", "swap"),
        ({"step_c": "0"}, "step_c", "below 1"),
        ({"step_c": "warm"}, "step_c", "not a number"),
        ({"hot_c": "340"}, "hot_c", "above 300"),
        ({"hot_c": "200", "cold_c": "196"}, "step_c", "a curve needs 3"),
        ({"step_c": "2"}, "step_c", "15 steps of 10 mm fit: a step of 3 °C"),
        ({"step_mm": "20"}, "step_mm", "above 12"),
        ({"aim": "beauty"}, "aim", "must be one of"),
        ({"hot_c": ""}, "hot_c", "needed"),
    ],
)
def test_a_plan_that_cannot_be_printed_is_refused_at_its_field(
    context: Context, typed: dict[str, str], field: str, says: str
) -> None:
    with pytest.raises(InvalidInput) as caught:
        TRIAL.read_plan({**PLAN, **typed}, context)
    assert says in caught.value.problems[field]


def test_a_low_printer_is_told_how_many_steps_fit() -> None:
    with pytest.raises(InvalidInput, match=r"8 steps of 10 mm fit") as caught:
        TRIAL.read_plan({**PLAN}, plain_context(height_mm=90.0))
    assert "a step of 6 °C" in caught.value.problems["step_c"]
    TRIAL.read_plan({**PLAN, "step_c": 6.0}, plain_context(height_mm=90.0))


def test_a_bed_too_small_is_told_the_size_needed() -> None:
    with pytest.raises(InvalidInput, match="needs a bed of 96 × 52 mm"):
        TRIAL.read_plan({**PLAN}, plain_context(bed_x_mm=80.0))


def test_a_low_ladder_is_slender_and_a_high_one_stands_broad(context: Context) -> None:
    low = replace(PLAN, hot_c=231.0, cold_c=199.0, step_c=8.0, step_mm=7.0)
    sizes, files = {}, {}
    for name, plan in {"low": low, "more": replace(low, step_c=4.0), "tall": replace(low, step_mm=9.0)}.items():
        piece, files[name] = TRIAL.piece(plan, context), TRIAL.print_file(plan, context)
        x0, y0, _, x1, y1, high = piece.solid.bounding_box()
        sizes[name] = x1 - x0, y1 - y0
        assert high < 4 * (y1 - y0), "its foot keeps it from falling over"
        mast = next(part.solid.bounding_box() for part in piece.parts if part.look == "mast")
        for digits in (part.solid.bounding_box() for part in piece.parts if part.look == "digits"):
            assert mast[0] < digits[0] < digits[3] < mast[3], "digits stand on the mast"
    assert sizes["more"] == sizes["tall"], "too high, or with larger digits: broad as ever"
    assert sizes["low"][0] < sizes["more"][0]
    assert sizes["low"][1] < sizes["more"][1]
    assert files["low"].grams / 7 < 0.9 * files["tall"].grams / 9, "less for the same height"


def test_unusual_plans_are_warned_of_and_taken(context: Context) -> None:
    warned = TRIAL.check(replace(PLAN, hot_c=240.0, cold_c=220.0, step_c=2.0, step_mm=8.0), context)
    assert "230" in warned["hot_c"]
    assert "look alike" in warned["step_c"]


def test_the_suggestion_is_the_label_within_the_printer() -> None:
    plan = TRIAL.suggest(plain_context("pc", nozzle_max_c=285.0))
    assert (plan["hot_c"], plan["cold_c"]) == (285, 260)
    narrow = TRIAL.suggest(plain_context("pc", nozzle_max_c=260.0))
    assert narrow["cold_c"] == 250, "three steps at least, though the label starts where the printer ends"


def test_every_step_is_printed_at_its_own_heat(context: Context) -> None:
    plan = TRIAL.suggest(context)
    program = read(TRIAL.print_file(plan, context).gcode.encode())
    laid = program.e_mm > 0
    for place in TRIAL.piece(plan, context).places:
        band = laid & (program.z > place.low[2] + 1e-6) & (program.z <= place.high[2] + 1e-6)
        assert set(program.nozzle_c[band]) == {place.value}


def _readings(bridge: str, bond: str, rest: str) -> Readings:
    rows = {"bridge": bridge, "overhang": rest, "strings": bridge, "surface": rest, "bond": bond}
    return Readings({a: {str(i): int(c) for i, c in enumerate(digits)} for a, digits in rows.items()})


def test_a_clear_ladder_reads_like_a_person_would_say_it(context: Context) -> None:
    result = TRIAL.evaluate(PLAN, _readings("001234444", "444443100", "333333333"))
    assert result.state == "good"
    assert result.value == pytest.approx(210, abs=4)
    assert result.low is not None
    assert result.high is not None
    assert result.low < result.value < result.high
    assert "is as good" in result.says
    assert any("Bond falls off below" in note for note in result.notes)
    assert any("above" in note for note in result.notes)
    new = TRIAL.changes(PLAN, result, context, trial=3)
    assert new["nozzle_first_c"].number - new["nozzle_c"].number == 5, "the first layer keeps its distance"


def test_all_alike_says_so(context: Context) -> None:
    result = TRIAL.evaluate(PLAN, _readings("333333333", "333333333", "333333333"))
    assert result.state == "flat"
    assert result.says.startswith("No clear difference between 190 and 230 °C")


def test_better_and_better_plans_the_next_range(context: Context) -> None:
    result = TRIAL.evaluate(PLAN, _readings("432110000", "432100000", "432111000"))
    assert result.state == "edge"
    assert "hotter" in result.says
    assert result.extend is not None
    assert result.extend["cold_c"] == 220
    assert result.extend["hot_c"] == 250
    TRIAL.read_plan(result.extend, context)


def test_noise_all_over_is_called_a_contradiction(context: Context) -> None:
    result = TRIAL.evaluate(PLAN, _readings("404040404", "040404040", "400440044"))
    assert result.state == "split"


def test_the_aim_moves_the_answer(context: Context) -> None:
    readings = _readings("000123444", "444432100", "333333333")
    looks = TRIAL.evaluate(replace(PLAN, aim="looks"), readings).value
    strength = TRIAL.evaluate(replace(PLAN, aim="strength"), readings).value
    assert looks is not None
    assert strength is not None
    assert strength > looks + 3, "heat welds layers; looks want it cooler"
