"""Dimensions: shrinkage told from offset, the printer's scale from the plastic, a slip from both."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from drumbo.core.errors import DrumboError, InvalidInput
from drumbo.core.fit.callipers import JAWS_MM
from drumbo.core.fit.sizes import fit_height, fit_sizes, fit_square
from drumbo.standins import tools
from drumbo.standins.filament.spool import draw_spool
from drumbo.trials import kind
from drumbo.trials.base import Context
from drumbo.trials.readings import Readings
from tests.conftest import plain_context
from tests.readback import exact_readings, printed

DIMENSIONS = kind("dimensions")
MEANT = np.array([20.0, 50.0, 100.0, 8.0, 24.0, 44.0] * 2)
AXIS = np.array(["x"] * 6 + ["y"] * 6)
SIDE = np.array([1.0, 1.0, 1.0, -1.0, -1.0, -1.0] * 2)


def test_the_worked_number_of_the_formula() -> None:
    found = fit_sizes(np.array([100.0, 20.0, 50.0]), np.array([99.85, 20.01, 49.95]), np.array(["x"] * 3), np.ones(3))
    assert (found.shrink, found.offset_mm) == (pytest.approx(0.002), pytest.approx(0.05 - JAWS_MM))
    assert found.gap_mm is None


@given(st.floats(0, 0.02), st.floats(0, 0.02), st.floats(-0.1, 0.1), st.floats(-0.1, 0.1), st.integers(0, 9999))
@settings(derandomize=True)  # noise that is drawn anew each time lies far out once in some thousand runs
def test_slope_and_constants_come_back_from_noisy_readings(x: float, y: float, c: float, g: float, seed: int) -> None:
    noise = np.random.default_rng(seed).uniform(-0.02, 0.02, len(MEANT))
    shrink = np.where(AXIS == "x", x, y)
    found = fit_sizes(MEANT, MEANT * (1 - shrink) + np.where(SIDE > 0, c, -g) + noise, AXIS, SIDE)
    for line, truth in zip(found.axes, (x, y), strict=True):
        assert line.shrink == pytest.approx(truth, abs=0.0009)
        assert abs(line.shrink - truth) < 5 * line.error
    assert found.offset_mm == pytest.approx(c, abs=0.05)
    assert found.gap_mm == pytest.approx(g, abs=0.05)


def test_a_slip_has_no_say_and_axes_that_differ_are_told() -> None:
    read = MEANT * 0.997
    read[2] += 1.0
    found = fit_sizes(MEANT, read, AXIS, SIDE)
    assert found.shrink == pytest.approx(0.003, abs=2e-4)
    assert np.flatnonzero(~found.kept).tolist() == [2]
    assert fit_sizes(MEANT, MEANT * np.where(AXIS == "x", 0.997, 1.002), AXIS, SIDE).apart > 3
    with pytest.raises(ValueError, match="differ"):
        fit_sizes(np.array([20.0, 20.0, 21.0]), np.ones(3), np.array(["x"] * 3), np.ones(3))
    up = fit_height(np.array([8.0, 20.0]), np.array([8.01, 19.97]))
    assert up is not None
    assert up.shrink == pytest.approx(0.04 / 12)
    assert fit_height(np.array([8.0]), np.array([8.0])) is None


@pytest.mark.parametrize("family", ["pla", "pa"])
def test_a_printed_rake_tells_how_its_spool_shrinks(family: str) -> None:
    context = plain_context(family)
    plan = DIMENSIONS.suggest(context)
    result = DIMENSIONS.evaluate(plan, exact_readings(DIMENSIONS, plan, context, 3))
    assert result.state == "good"
    assert result.value == pytest.approx(100 * draw_spool(family, 3).shrink, abs=0.05)
    new = DIMENSIONS.changes(plan, result, context, 4)
    assert set(new) == {"shrinkage_percent", "offset_mm"}


def test_the_worked_number_of_the_diagonals() -> None:
    found = fit_sizes(np.array([100.0, 20.0, 50.0]), np.array([99.8, 19.96, 49.9]), np.array(["x"] * 3), np.ones(3))
    square = fit_square(np.array([110.0, 10.0]), np.array([109.725, 9.975]), found)
    assert square is not None
    assert square.skew == pytest.approx(0.001, abs=1e-6)
    assert square.degrees == pytest.approx(0.0573, abs=1e-3)
    assert fit_square(np.array([110.0]), np.array([109.7]), found) is None


@pytest.mark.parametrize("skew", [0.003, -0.002, 0.0])
def test_a_frame_out_of_square_is_told_from_plastic_that_shrinks(skew: float, context: Context) -> None:
    plan = DIMENSIONS.suggest(context)
    readings = exact_readings(DIMENSIONS, plan, context, 3, skew=skew)
    result = DIMENSIONS.evaluate(plan, readings)
    assert result.value == pytest.approx(100 * draw_spool("pla", 3).shrink, abs=0.05)
    told = next(note for note in result.notes if "square" in note)
    assert ("out of square" in told) == bool(skew)
    if skew:
        assert abs(float(told.split("by ")[1].split(" ")[0]) - 1000 * abs(skew)) < 0.8
        assert ("less than a right angle" in told) == (skew > 0)


def _all(context: Context, scale: dict[str, float], over: float) -> Readings:
    plan = DIMENSIONS.suggest(context)
    readings = Readings()
    for step, gap in zip(DIMENSIONS.steps(plan), (8.0, 24.0, 44.0), strict=True):
        for site in ("x", "y"):
            readings = readings.with_measure("outside", step.index, site, round(step.value * scale[site] + over, 3))
            readings = readings.with_measure("gap", step.index, site, round(gap * scale[site] - over, 3))
    return readings


def test_an_axis_that_was_hardly_measured_says_nothing_of_its_own(context: Context) -> None:
    plan = DIMENSIONS.suggest(context)
    readings = Readings().with_measure("gap", 2, "y", 43.8)
    for step, value in enumerate((19.96, 49.9, 99.8)):
        readings = readings.with_measure("outside", step, "x", value)
    result = DIMENSIONS.evaluate(plan, readings)
    assert result.value == pytest.approx(0.2, abs=0.01), "one gap cannot tell its shrinkage from its offset"
    assert not any("axes differ" in note for note in result.notes)


def test_sizes_too_much_alike_are_few(context: Context) -> None:
    plan = replace(DIMENSIONS.suggest(context), short_mm=16.0, middle_mm=28.0, long_mm=46.0)
    readings = Readings().with_measure("gap", 0, "y", 4.0)
    for step, value in enumerate((4.0, 6.0, 12.0)):
        readings = readings.with_measure("gap", step, "x", value)
    assert DIMENSIONS.evaluate(plan, readings).state == "few"
    alike = Readings()
    for site in ("x", "y"):
        alike = alike.with_measure("outside", 0, site, 16.0).with_measure("gap", 2, site, 12.0)
    assert DIMENSIONS.evaluate(plan, alike).state == "few"


def test_what_is_not_the_plastics_doing_is_said(context: Context) -> None:
    plan = DIMENSIONS.suggest(context)
    wide = DIMENSIONS.evaluate(plan, _all(context, {"x": 0.998, "y": 0.998}, 0.15))
    assert wide.value == pytest.approx(0.2, abs=0.01)
    assert any("point back to flow" in note for note in wide.notes)
    steps = DIMENSIONS.evaluate(plan, _all(context, {"x": 0.998, "y": 1.003}, 0.0))
    assert any(note.startswith("The axes differ") for note in steps.notes)


def test_jaws_open_in_gaps_and_find_none_where_there_is_none(context: Context) -> None:
    plan = DIMENSIONS.suggest(context)
    thing = printed(DIMENSIONS.print_file(plan, context).gcode, draw_spool("pla", 3))
    gap = next(j for j in DIMENSIONS.piece(plan, context).jaws if j.measure == "gap").on_bed(context.printer.bed_middle)
    rng = np.random.default_rng(0)
    assert tools.measure(thing, tools.JawsOnBed(gap.a, gap.b, gap.z, "inside"), rng) == pytest.approx(8.0, abs=0.12)
    shifted = tools.JawsOnBed((gap.a[0] - 4.0, gap.a[1]), (gap.b[0] - 8.0, gap.b[1]), gap.z, "inside")
    with pytest.raises(DrumboError, match="no gap"):
        tools.measure(thing, shifted, rng)


def test_teeth_keep_clear_of_each_other_and_of_the_beds_edge(context: Context) -> None:
    plan = DIMENSIONS.suggest(context)
    with pytest.raises(InvalidInput, match="32 mm or more"):
        DIMENSIONS.check(replace(plan, middle_mm=30.0), context)
    small = plain_context("pla", bed_x_mm=90.0, bed_y_mm=90.0)
    suggested = DIMENSIONS.suggest(small)
    assert math.isclose(float(suggested["long_mm"]), 60.0)
    assert "long_mm" in DIMENSIONS.check(suggested, small), "it warns, and lets you"
    with pytest.raises(InvalidInput, match="needs a bed"):
        DIMENSIONS.check(replace(suggested, long_mm=84.0), small)
