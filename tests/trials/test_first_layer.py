"""First layer: a plate that leans is told, a cold one too; what is adopted raises every file after it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from drumbo.core.errors import InvalidInput
from drumbo.core.fit.plane import fit_plane
from drumbo.core.gcode.reader import read
from drumbo.core.profile import changed
from drumbo.standins import tools
from drumbo.standins.filament.bed import FLAT, Bed, draw_bed
from drumbo.standins.filament.levels import levels
from drumbo.standins.filament.spool import draw_spool
from drumbo.trials import kind
from drumbo.trials.base import Context
from drumbo.trials.plan import TrialPlan
from drumbo.trials.readings import Readings
from tests.conftest import plain_context
from tests.readback import exact_readings, printed

FIRST_LAYER, TOWER = kind("first-layer"), kind("temperature")
AT = np.array([(x, y) for y in (-80.0, 0.0, 80.0) for x in (-70.0, 0.0, 70.0)])
EVEN = draw_spool("pla", 2)


def _low(context: Context) -> TrialPlan:
    """A tower of three steps."""
    plan: TrialPlan = replace(TOWER.suggest(context), hot_c=215.0, cold_c=205.0)
    return plan


def _typed(best: list[float], lifted: int = 0) -> Readings:
    readings = Readings()
    for index, height in enumerate(best):
        readings = readings.with_measure("best", index, "here", height)
        readings = readings.with_measure("lifted", index, "here", lifted)
    return readings


def test_the_worked_number_of_a_plane() -> None:
    found = fit_plane(AT, 0.02 + 0.0003 * AT[:, 0] - 0.0001 * AT[:, 1], 0.04)
    assert (found.middle_mm, *found.slopes) == pytest.approx((0.02, 0.0003, -0.0001))
    assert found.error_mm == pytest.approx(0.04 / 12**0.5 / 3), "told in steps, it is no surer than those"


@given(st.floats(-0.1, 0.1), st.floats(-0.1, 0.1), st.floats(-0.06, 0.06), st.integers(0, 9999))
@settings(derandomize=True)  # noise that is drawn anew each time lies far out once in some thousand runs
def test_leans_come_back_from_readings_in_steps(lean_x: float, lean_y: float, gap: float, seed: int) -> None:
    bed = Bed(gap, lean_x, lean_y, middle=(0.0, 0.0))
    heights = np.round((bed.above(AT) + np.random.default_rng(seed).uniform(-0.02, 0.02, len(AT))) / 0.02) * 0.02
    found = fit_plane(AT, heights, 0.02)
    assert found.middle_mm == pytest.approx(gap, abs=0.02)
    assert 100 * np.array(found.slopes) == pytest.approx([lean_x, lean_y], abs=0.03)


def test_a_slip_has_no_say_and_places_in_a_line_make_no_plane() -> None:
    heights = 0.0002 * AT[:, 0]
    heights[2] += 0.2
    assert np.flatnonzero(~fit_plane(AT, heights, 0.02).kept).tolist() == [2]
    with pytest.raises(ValueError, match="line"):
        fit_plane(AT[:3], np.zeros(3), 0.02)


@pytest.mark.parametrize(("bed", "says", "note"), [
    (Bed(gap_mm=-0.04), "0.04 mm too low", "level and flat"),
    (Bed(gap_mm=0.04), "0.04 mm too high", "level and flat"),
    (Bed(lean_x=0.06), "right height", "higher at the left"),
    (Bed(lean_y=-0.06), "right height", "higher at the back"),
    (Bed(bow_mm=0.10, gap_mm=-0.05), "", "not flat"),
])  # fmt: skip
def test_the_plate_is_told_as_it_lies(bed: Bed, says: str, note: str, context: Context) -> None:
    plan = FIRST_LAYER.suggest(context)
    result = FIRST_LAYER.evaluate(plan, exact_readings(FIRST_LAYER, plan, context, EVEN.seed, bed))
    assert result.state == "good"
    assert says in result.says
    assert note in " ".join(result.notes)
    boxes = [p.box(context.printer.bed_middle) for p in FIRST_LAYER.piece(plan, context).places]
    middles = np.array([((a[0] + b[0]) / 2, (a[1] + b[1]) / 2) for a, b in boxes])
    assert result.value == pytest.approx(-bed.above(middles).mean(), abs=0.012)
    assert len(result.maps[0].spots) == 9


def test_what_lies_beyond_the_patches_is_printed_next(context: Context) -> None:
    plan = FIRST_LAYER.suggest(context)
    result = FIRST_LAYER.evaluate(plan, exact_readings(FIRST_LAYER, plan, context, EVEN.seed, Bed(gap_mm=-0.12)))
    assert result.state == "edge"
    assert result.extend is not None
    further = FIRST_LAYER.plan_type.of(result.extend)
    again = FIRST_LAYER.evaluate(further, exact_readings(FIRST_LAYER, further, context, EVEN.seed, Bed(gap_mm=-0.12)))
    assert again.state == "good"
    assert again.value == pytest.approx(0.12, abs=0.015)


def test_no_lower_patches_are_offered_than_may_be_printed(context: Context) -> None:
    plan = replace(FIRST_LAYER.suggest(context), middle_mm=0.16)
    result = FIRST_LAYER.evaluate(plan, _typed([8.0] * 9))
    assert result.state == "edge"
    assert result.extend is None


def test_a_cold_plate_lifts_corners_and_a_warmer_one_that_holds_is_adopted(context: Context) -> None:
    cold = replace(FIRST_LAYER.suggest(context), bed_c=46.0)
    result = FIRST_LAYER.evaluate(cold, exact_readings(FIRST_LAYER, cold, context, EVEN.seed))
    assert "corners lift" in result.notes[0]
    assert result.extend is not None
    assert result.extend["bed_c"] == 51
    assert set(FIRST_LAYER.changes(cold, result, context, 3)) == {"first_layer_z_mm"}, "what does not hold is not taken"
    warm = replace(cold, bed_c=66.0)
    held = FIRST_LAYER.evaluate(warm, exact_readings(FIRST_LAYER, warm, context, EVEN.seed))
    assert held.extend is None
    new = FIRST_LAYER.changes(warm, held, context, 4)
    assert new["bed_first_c"].number == new["bed_c"].number == 66


def test_corners_that_lift_where_the_nozzle_is_too_high_do_not_blame_the_heat(context: Context) -> None:
    plan = FIRST_LAYER.suggest(context)
    readings = _typed([24, 24, 24, 16, 24, 24, 24, 24, 24])
    for corner in (3,):
        readings = readings.with_measure("lifted", corner, "here", 4)
    assert FIRST_LAYER.evaluate(plan, readings).extend is None


def test_what_is_adopted_raises_every_file_and_fills_the_first_layer(context: Context) -> None:
    plan = FIRST_LAYER.suggest(context)
    low = Bed(gap_mm=-0.04)
    result = FIRST_LAYER.evaluate(plan, exact_readings(FIRST_LAYER, plan, context, EVEN.seed, low))
    raised = replace(context, profile=changed(context.profile, FIRST_LAYER.changes(plan, result, context, 5)))
    up = raised.profile.number("first_layer_z_mm")
    assert up == pytest.approx(0.04, abs=0.015)
    before, after = (TOWER.print_file(_low(c), c).gcode for c in (context, raised))
    heights = [read(text.encode()).z[read(text.encode()).e_mm > 0] for text in (before, after)]
    assert heights[1] - heights[0] == pytest.approx(up, abs=1e-6)
    feet = [printed(text, EVEN, low) for text in (before, after)]
    height = [float(np.median(thing.geometry.height[thing.geometry.layer == 0])) for thing in feet]
    assert height == pytest.approx([0.20, 0.20 + up], abs=1e-6)
    assert np.median(feet[0].width_mm[feet[0].geometry.layer == 0]) > 0.5, "a squashed foot"
    again = FIRST_LAYER.suggest(raised)
    assert again["middle_mm"] == pytest.approx(0.24 + up)
    confirmed = FIRST_LAYER.evaluate(again, exact_readings(FIRST_LAYER, again, raised, EVEN.seed, low))
    assert "right height" in confirmed.says


def test_patches_at_many_heights_are_one_layer_but_a_second_object_is_not() -> None:
    x = np.array([0, 10, 10, 20, 20, 30.0])
    laid = np.array([False, True, False, True, False, True])
    z = np.array([0.24, 0.24, 0.32, 0.32, 0.16, 0.16])
    heights, layer = levels(x, np.zeros(6), z, laid)
    assert layer[laid].tolist() == [0, 0, 0]
    assert heights[laid] == pytest.approx([0.24, 0.32, 0.16])
    x = np.array([0, 10, 10, 0, 40, 50, 50, 40.0])
    z = np.array([0.24, 0.24, 0.44, 0.44, 0.24, 0.24, 0.44, 0.44])
    laid = np.array([False, True, False, True] * 2)
    heights, layer = levels(x, np.zeros(8), z, laid)
    assert layer[laid].tolist() == [0, 1, 0, 1]
    assert heights[laid] == pytest.approx([0.24, 0.2, 0.24, 0.2])


def test_the_height_of_an_object_counts_from_the_plate(context: Context) -> None:
    gcode = TOWER.print_file(_low(context), context).gcode
    jaws = tools.JawsOnBed((95.0, 112.0), (95.5, 112.0), 1.0, "height")
    things = [printed(gcode, EVEN, bed) for bed in (FLAT, Bed(gap_mm=-0.1))]
    tall = [np.mean([tools.height(thing, jaws, np.random.default_rng(k)) for k in range(20)]) for thing in things]
    assert tall[0] - tall[1] == pytest.approx(0.1, abs=0.02)


def test_what_has_no_room_is_refused_with_the_remedy() -> None:
    small = plain_context(bed_x_mm=90.0, bed_y_mm=90.0)
    plan = replace(FIRST_LAYER.suggest(small), patches=5.0)
    with pytest.raises(InvalidInput, match="2 combs along each side take 3"):
        FIRST_LAYER.check(plan, small)
    assert FIRST_LAYER.check(replace(plan, patches=3, across=2), small) == {}
    with pytest.raises(InvalidInput, match="odd"):
        FIRST_LAYER.check(replace(plan, patches=4), small)
    with pytest.raises(InvalidInput, match="lowest patch"):
        FIRST_LAYER.check(replace(plan, patches=3, step_mm=0.1, middle_mm=0.15), small)


def test_a_drawn_plate_is_the_same_again_and_seed_nought_is_flat() -> None:
    assert draw_bed(0) == FLAT
    assert draw_bed(5) == draw_bed(5) != draw_bed(6)
