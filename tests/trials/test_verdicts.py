"""Sums and sentences that several kinds share, and some of one kind, by known answers."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from drumbo.core.errors import InvalidInput
from drumbo.core.toolpath import PrintSettings
from drumbo.trials import kind
from drumbo.trials.pictures import Curve
from drumbo.trials.readings import Aspect, Readings, Step
from drumbo.trials.toolkit.roads import check_bed, foot_mm, whole_layers_mm
from drumbo.trials.toolkit.sweep import count_between, decimals_of, even_steps
from drumbo.trials.toolkit.verdict import BestStep, few
from drumbo.trials.toolkit.wider import holding
from tests.conftest import plain_context
from tests.readback import exact_readings

WORDS = ("none", "bad", "fair", "good", "best")
LOOKS = (Aspect("one", "One", WORDS), Aspect("two", "Two", WORDS))
EVEN = np.array([0.5, 0.5])
TELLS = BestStep("mm", "steps", ("shorter", "longer"), "ones", least_error=0.1)


def _scored(**rows: str) -> Readings:
    return Readings({key: {str(i): int(c) for i, c in enumerate(row) if c != "."} for key, row in rows.items()})


def _told(steps: tuple[Step, ...], tells: BestStep = TELLS, **rows: str) -> Any:
    told = tells.of(steps, LOOKS, EVEN, _scored(**rows))
    assert told is not None
    return told[0]


def test_a_peak_in_the_middle_is_found_with_what_is_as_good() -> None:
    steps = even_steps(10, 10, 7)
    result = _told(steps, one="0124210", two="0134310")
    assert result.state == "good"
    assert result.value == pytest.approx(40, abs=2)
    assert result.low < result.value < result.high
    assert result.says == f"{result.low:.0f} to {result.high:.0f} mm is as good."
    assert result.error >= 0.2 * 10, "never surer than a fifth of a step"
    falling = _told(tuple(reversed(steps)), one="0124210", two="0134310")
    assert falling.value == pytest.approx(40, abs=2), "whichever way the steps go"


@pytest.mark.parametrize(("row", "way"), [("0011234", "longer"), ("4321100", "shorter")])
def test_a_peak_at_an_end_says_which_way_to_go_on(row: str, way: str) -> None:
    steps = even_steps(10, 10, 7)
    result = _told(steps, one=row, two=row)
    assert result.state == "edge"
    assert f"print {way} ones next" in result.says
    assert _told(steps, replace(TELLS, ways=None), one=row, two=row).state == "good", "where ends are no edge"


def test_no_difference_contradictions_and_too_few_are_said() -> None:
    steps = even_steps(10, 10, 7)
    flat = _told(steps, one="3333333", two="3333333")
    assert (flat.state, flat.low, flat.high) == ("flat", 10, 70)
    assert "No clear difference between 10 and 70 mm" in flat.says
    assert _told(steps, one="4040404", two="0404040").state == "split"
    assert TELLS.of(steps, LOOKS, EVEN, _scored(one="12.....", two="1......")) is None
    assert few(1, "foot", "feet").says == "Score 2 more feet; a curve needs three."
    assert few(2, "pin", verb="Try", then=".").says == "Try 1 more pin."


def test_what_is_open_widens_the_error_and_is_named() -> None:
    steps = even_steps(10, 10, 7)
    all_of_it = _told(steps, one="0124210", two="0134310")
    half = _told(steps, one="0.2.2.0", two="..1.3..")
    assert half.error > all_of_it.error
    assert any("8 of 14 scores are open" in note for note in half.notes)
    assert not any("open" in note for note in all_of_it.notes)


def test_one_that_stands_apart_is_named() -> None:
    result = _told(even_steps(10, 10, 7), one="0124210", two="0130310")
    assert any(note.startswith("Two at 40 mm stands apart") for note in result.notes)


def test_sweeps_count_both_ends() -> None:
    assert count_between(230, 190, 5) == count_between(190, 230, 5) == 9
    assert count_between(0.1, 0.35, 0.1) == 3
    assert [s.label for s in even_steps(0.9, 0.025, 3)] == ["0.900", "0.925", "0.950"]
    assert [(s.index, s.value) for s in even_steps(230, -5, 3)] == [(0, 230), (1, 225), (2, 220)]
    assert even_steps(0.1, 0.1, 3, least=2)[2].label == "0.30"
    assert decimals_of([0.12345], most=2) == 2


def test_heights_are_whole_layers() -> None:
    settings = PrintSettings(layer_mm=0.2, first_layer_mm=0.24)
    assert whole_layers_mm(10.07, settings) == pytest.approx(10.0)
    assert whole_layers_mm(10.13, settings) == pytest.approx(10.2)
    assert foot_mm(settings, 4) == pytest.approx(0.84)
    context = plain_context(bed_x_mm=100.0, bed_y_mm=80.0)
    check_bed("here", context.printer, 100, 80)
    with pytest.raises(InvalidInput, match="needs a bed of 101 × 80 mm"):
        check_bed("here", context.printer, 101, 80)


def test_widths_and_scores_have_their_say_by_how_sure_each_is() -> None:
    pressure, context = kind("pressure-advance"), plain_context()
    plan = pressure.suggest(context)
    both = exact_readings(pressure, plan, context, seed=5)
    scores, widths = (pressure.evaluate(plan, r) for r in (replace(both, measures={}), replace(both, scores={})))
    result: Any = pressure.evaluate(plan, both)
    low, high = sorted((scores.value or 0.0, widths.value or 0.0))
    assert low <= result.value <= high
    own = scores.error / holding(pressure.slug, 1.0)  # scores alone are told as they hold
    weights = own**-2, widths.error**-2
    mean = (scores.value * weights[0] + widths.value * weights[1]) / sum(weights)
    assert result.value == pytest.approx(mean, abs=1e-6)
    assert (
        result.error <= min(scores.error or 0.0, widths.error or 0.0) + 0.12 * plan.grows_percent / 100 * result.value
    )
    assert any("The widths say" in note for note in result.notes)


@pytest.mark.parametrize(
    ("bond", "tip", "says", "fan"),
    [("444444", "012344", "no better", 65), ("431000", "012344", "can spare", 20)],
)  # fmt: skip
def test_air_is_bound_by_what_it_helps_or_by_what_the_bond_spares(bond: str, tip: str, says: str, fan: float) -> None:
    cooling = kind("fan-bands")
    plan = cooling.suggest(plain_context())
    result = cooling.evaluate(plan, _scored(bridge=tip, overhang=tip, tip=tip, bond=bond))
    assert says in result.says
    assert result.value == pytest.approx(fan, abs=15)
    chart = result.charts[0]
    taken = next(series for series in chart.series if series.name == "taken")
    assert taken.x[0] == pytest.approx(result.value, abs=0.06)


def test_a_stricter_limit_is_a_lower_one_and_what_is_kept_back_is_taken_off() -> None:
    blobs, context = kind("weighed-blobs"), plain_context()
    plan = blobs.suggest(context)
    readings = exact_readings(blobs, plan, context, 3)
    limits = [blobs.evaluate(replace(plan, threshold=t), readings).value or 0.0 for t in ("p97", "p95", "p90")]
    assert limits == sorted(limits)
    assert limits[2] - limits[0] > 0.3
    result = blobs.evaluate(plan, readings)
    kept = {key: blobs.changes(replace(plan, kept_back=key), result, context, 1)["max_flow_mm3_s"].number
            for key in ("none", "twentieth", "tenth", "fifth")}  # fmt: skip
    assert kept["tenth"] == pytest.approx(0.9 * kept["none"], abs=0.1)
    assert kept["fifth"] == pytest.approx(0.8 * kept["none"], abs=0.1)


def test_a_wall_goes_on_with_as_many_bands_above_or_below() -> None:
    wall, context = kind("rising-wall"), plain_context()
    plan = replace(wall.suggest(context), low_mm3_s=6.0, high_mm3_s=12.0, step_mm3_s=0.5)
    bands = len(wall.steps(plan))
    above = wall.evaluate(plan, Readings(firsts={"matt": bands, "gaps": bands, "splits": bands})).extend
    below = wall.evaluate(plan, Readings(firsts={"gaps": 0})).extend
    assert (above["low_mm3_s"], above["high_mm3_s"]) == (12.0, 18.0)
    assert (below["low_mm3_s"], below["high_mm3_s"]) == (2.4, 8.4)
    assert {len(wall.steps(wall.plan_type.of(further))) for further in (above, below)} == {bands}


def test_a_picture_of_a_fit_has_its_error_on_both_sides() -> None:
    grid = np.array([1.0, 2.0, 3.0])
    curve = Curve.of(
        grid, np.array([50.0, 60.0, 70.0]), np.array([5.0, 6.0, 7.0]), grid, np.array([48.0, np.nan, 71.0])
    )
    assert (curve.x, curve.y) == ((1.0, 3.0), (50.0, 70.0)), "every second of the grid"
    assert (curve.low, curve.high) == ((45.0, 63.0), (55.0, 77.0))
    assert curve.points == ((1.0, 48.0), (3.0, 71.0)), "and what was looked at"


def test_pins_go_on_with_as_many_wider_or_narrower_gaps() -> None:
    pins, context = kind("clearance"), plain_context()
    plan = replace(pins.suggest(context), low_mm=0.1, high_mm=0.4, step_gap_mm=0.05)
    count = len(pins.steps(plan))
    tight = pins.evaluate(plan, _scored(fits="0000001"))
    assert tight.state == "edge"
    wider = pins.plan_type.of(tight.extend)
    assert (wider.low_mm, wider.high_mm, len(pins.steps(wider))) == (0.3, 0.6, count), "two gaps are printed again"
    loose = pins.evaluate(plan, _scored(fits="4444444"))
    narrower = pins.plan_type.of(loose.extend)
    assert (narrower.low_mm, narrower.high_mm) == (-0.05, 0.25)
