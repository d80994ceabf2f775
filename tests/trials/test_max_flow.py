"""Max volumetric speed: what the wall's and the tray's files ask for, and what their readings say."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from drumbo.core.errors import InvalidInput
from drumbo.core.gcode.reader import read
from drumbo.core.profile import Origin, OriginKind, Value, changed
from drumbo.standins.filament import physics
from drumbo.standins.filament.spool import draw_spool
from drumbo.trials import kind
from drumbo.trials.base import Context
from drumbo.trials.plan import TrialPlan
from drumbo.trials.readings import Readings
from drumbo.trials.trial import all_read
from tests.conftest import plain_context
from tests.readback import exact_readings

WALL, BLOBS = kind("rising-wall"), kind("weighed-blobs")


def _truth(context: Context, seed: int, nozzle_c: float = 210.0) -> float:
    spool = draw_spool(context.material.family, seed)
    return float(physics.capability(spool, np.array(nozzle_c), 0.4)) / physics.fed_share(spool)


def _said(**firsts: int) -> Readings:
    return Readings(firsts=firsts)


def test_the_file_really_asks_for_every_bands_flow(context: Context) -> None:
    plan = WALL.suggest(context)
    program = read(WALL.print_file(plan, context).gcode.encode())
    motion = program.motion(context.printer.accel_mm_s2, context.printer.junction_mm_s)
    volume = program.e_mm * np.pi * 1.75**2 / 4
    for place in WALL.piece(plan, context).places[1:]:
        here = (program.e_mm > 0) & (program.z > place.low[2] + 0.4) & (program.z < place.high[2] - 0.1)
        flow = volume[here].sum() / motion.seconds[here].sum()
        assert flow == pytest.approx(place.value, rel=0.03)


def test_the_wall_is_one_line_that_never_stops_rising(context: Context) -> None:
    path = WALL.print_file(WALL.suggest(context), context).path
    wall = np.flatnonzero((path.z > 1.1) & (path.e_mm > 0))
    assert (np.diff(wall) == 1).all(), "no travel, no retraction within it"
    assert (np.diff(path.z[wall]) >= 0).all()
    assert np.diff(path.z[wall]).max() < 0.05


def test_what_the_printer_cannot_reach_is_said_with_a_way_out() -> None:
    context = plain_context("pla", speed_max_mm_s=80.0)
    assert WALL.check(WALL.suggest(context), context) == {}, "what is suggested can be reached"
    wanted = replace(WALL.suggest(context), low_mm3_s=4.0, high_mm3_s=20.0, step_mm3_s=1.0)
    with pytest.raises(InvalidInput) as refused:
        WALL.check(wanted, context)
    told = refused.value.problems["high_mm3_s"]
    assert "from 13 mm³/s on the top speed of 80 mm/s holds the head back" in told
    assert "End at 1" in told
    slow = plain_context("pla", accel_mm_s2=60.0, junction_mm_s=1.0)
    with pytest.raises(InvalidInput, match=r"acceleration of 60 mm/s² holds the head back"):
        WALL.check(replace(WALL.suggest(context), high_mm3_s=25.0, step_mm3_s=2.0), replace(slow))


@pytest.mark.parametrize("seed", [3, 8, 14])
def test_all_signs_together_find_the_limit(context: Context, seed: int) -> None:
    plan = WALL.suggest(context)
    result = WALL.evaluate(plan, exact_readings(WALL, plan, context, seed))
    assert result.state == "good"
    assert result.value == pytest.approx(_truth(context, seed), rel=0.08)
    kept = WALL.changes(plan, result, context, 3)["max_flow_mm3_s"]
    assert kept.number == round(0.9 * result.value, 1), "a tenth is kept back"
    by_band = WALL.changes(replace(plan, margin="bands"), result, context, 3)["max_flow_mm3_s"].number
    assert by_band == round(result.value - 2 * float(plan["step_mm3_s"]), 1)


def test_a_wall_that_did_not_fail_is_a_ready_plan_for_more(context: Context) -> None:
    plan = replace(WALL.suggest(context), low_mm3_s=3.0, high_mm3_s=6.0, step_mm3_s=0.5)
    none = len(WALL.steps(plan))
    held = WALL.evaluate(plan, _said(matt=none, gaps=none, splits=none))
    assert (held.state, held.value) == ("edge", 6.0)
    assert held.says == "It did not fail up to 6 mm³/s; print 6 to 9 next."
    assert held.extend is not None
    assert WALL.read_plan({k: str(v) for k, v in held.extend.items()}, context)["low_mm3_s"] == 6.0
    assert WALL.evaluate(plan, _said(matt=none)).state == "few", "no gloss lost; what of gaps?"
    early = WALL.evaluate(plan, _said(gaps=0))
    assert early.state == "edge"
    assert early.extend is not None
    assert early.extend["low_mm3_s"] < 3.0


def _measured(readings: Readings, *sizes: float) -> Readings:
    for band, size in enumerate(sizes):
        readings = readings.with_measure("thickness", band, "front", size)
    return readings


FULL, THINNING = (0.58, 0.58, 0.58, 0.57, 0.58, 0.58), (0.57, 0.55, 0.53, 0.5, 0.47, 0.44)


def test_callipers_tell_the_limit_alone_and_outdo_what_was_seen_elsewhere(context: Context) -> None:
    plan = WALL.suggest(context)
    flows = [step.value for step in WALL.steps(plan)]
    assert WALL.evaluate(plan, _measured(Readings(), *FULL[:4])).state == "few", "four bands are no curve"
    below = WALL.evaluate(plan, _measured(Readings(), *FULL))
    assert (below.state, below.value) == ("few", None), "what has not begun is not guessed from its beginning"
    assert f"from {WALL.steps(plan)[6].label} mm³/s up" in below.says
    held = {key: len(flows) for key in ("matt", "gaps", "splits")}
    assert WALL.evaluate(plan, _measured(_said(**held), *FULL)).state == "edge", "it was looked at to its top"
    alone = WALL.evaluate(plan, _measured(Readings(), *FULL, *THINNING))
    assert alone.state == "good"
    assert flows[5] < alone.value < flows[8]
    assert alone.curve is not None
    assert len(alone.curve.points) == 12
    beneath = WALL.evaluate(plan, _measured(_said(matt=1, gaps=1, splits=2), *FULL, *THINNING))
    assert (beneath.value, beneath.state) == (alone.value, "good")
    assert any("the thickness alone counts" in note for note in beneath.notes)
    strict = WALL.evaluate(plan, _measured(_said(matt=5, gaps=5, splits=7), *FULL, *THINNING))
    assert strict.reader == Readings().leaning, "nobody is called strict by it"
    # A lot of numbers and no sign is enough; signs without a number are too.
    assert all_read(WALL, plan, _measured(_said(matt=7, gaps=8, splits=12), 0.58))


def test_a_wall_as_thick_up_there_as_below_leads_higher_and_one_thin_from_the_start_lower(context: Context) -> None:
    plan = WALL.suggest(context)
    held = WALL.evaluate(plan, _measured(Readings(), *[0.58] * len(WALL.steps(plan))))
    assert (held.state, held.value) == ("edge", plan["high_mm3_s"]), "no more is promised than was printed"
    assert held.extend is not None
    assert held.extend["low_mm3_s"] == plan["high_mm3_s"]
    thin = WALL.evaluate(plan, _measured(Readings(), 0.56, 0.53, 0.5, 0.46, 0.42, 0.39, 0.36, 0.33))
    assert thin.state == "edge"
    assert thin.extend is not None
    assert thin.extend["low_mm3_s"] < float(plan["low_mm3_s"])


def test_signs_out_of_order_are_not_believed(context: Context) -> None:
    plan = WALL.suggest(context)
    assert WALL.evaluate(plan, _said(gaps=8, splits=4)).state == "split"
    matt = WALL.evaluate(plan, _said(matt=6, gaps=len(WALL.steps(plan))))
    assert (matt.state, matt.extend is None) == ("edge", False)


def test_the_trays_file_heats_waits_and_pushes_the_same_length_faster_and_faster(context: Context) -> None:
    plan = BLOBS.suggest(context)
    file = BLOBS.print_file(plan, context)
    heats = [line for line in file.gcode.splitlines() if line.startswith("M109 R")]
    assert heats == ["M109 R230", "M109 R215", "M109 R200"], "the hottest row first, and each is waited for"
    path, middle = file.path, context.printer.bed_middle
    for jaw in BLOBS.piece(plan, context).jaws:
        at = jaw.on_bed(middle)
        inside = (path.x > at.a[0]) & (path.x < at.b[0]) & (path.y > at.a[1]) & (path.y < at.b[1])
        pushed = inside & (path.e_mm > 1.5)
        assert path.e_mm[pushed].sum() == pytest.approx(plan["length_mm"])
        flow = BLOBS.steps(plan)[jaw.step].value
        np.testing.assert_allclose(path.speed[pushed] * np.pi * 1.75**2 / 4, flow)


def test_weights_find_the_limit_its_curve_and_what_to_adopt(context: Context) -> None:
    plan = BLOBS.suggest(context)
    result = BLOBS.evaluate(plan, exact_readings(BLOBS, plan, context, 3))
    assert result.state == "good"
    assert result.value == pytest.approx(_truth(context, 3), rel=0.03)
    assert [chart.title for chart in result.charts] == ["What arrives", "What each temperature carries"]
    value = BLOBS.changes(replace(plan, kept_back="tenth"), result, context, 5)["max_flow_mm3_s"]
    assert value.number == round(0.9 * result.value, 1)
    assert value.dependency is not None
    assert value.dependency.of(222) == pytest.approx(0.9 * _truth(context, 3, 222), rel=0.04), (
        "where nothing was weighed"
    )
    loose = BLOBS.evaluate(replace(plan, threshold="p90"), exact_readings(BLOBS, plan, context, 3))
    assert loose.value > result.value


def test_what_is_adopted_is_the_limit_at_the_profiles_heat_by_then(context: Context) -> None:
    plan = BLOBS.suggest(context)
    result = BLOBS.evaluate(plan, exact_readings(BLOBS, plan, context, 3))
    moved = changed(context.profile, {"nozzle_c": Value(222.0, Origin(OriginKind.HAND, ""))})
    value = BLOBS.changes(plan, result, replace(context, profile=moved), 5)["max_flow_mm3_s"]
    after = changed(moved, {"max_flow_mm3_s": value}).values["max_flow_mm3_s"]
    assert after.number == pytest.approx(_truth(context, 3, 222), rel=0.04)
    assert after.recheck is None


def _weights(plan: TrialPlan, context: Context, **changes: float | None) -> Readings:
    readings = exact_readings(BLOBS, plan, context, 3)
    for name, grams in changes.items():
        readings = readings.with_measure("blob", int(name[1:]) - 1, f"row-{name[0].lower()}", grams)
    return readings


def test_blobs_lost_misread_or_never_come_are_named_and_have_no_say(context: Context) -> None:
    plan = BLOBS.suggest(context)
    result = BLOBS.evaluate(plan, _weights(plan, context, A1=None, B3=0.5, C7=0.0))
    assert result.value == pytest.approx(_truth(context, 3), rel=0.03)
    assert any(note.startswith("Nothing came at C7") for note in result.notes)
    assert any(note.startswith("B3 stands apart") for note in result.notes)


def test_blobs_that_all_came_are_a_ready_plan_for_faster_ones(context: Context) -> None:
    plan = replace(BLOBS.suggest(context), low_mm3_s=2.0, high_mm3_s=5.0)
    result = BLOBS.evaluate(plan, exact_readings(BLOBS, plan, context, 3))
    assert result.state == "edge"
    assert result.extend is not None
    assert result.extend["high_mm3_s"] > 9
    assert BLOBS.changes(plan, result, context, 1)["max_flow_mm3_s"].dependency is None, "no curve without a failure"


def test_grams_typed_as_milligrams_do_not_make_a_limit(context: Context) -> None:
    plan = BLOBS.suggest(context)
    readings = Readings()
    for row in "abc":
        for step in BLOBS.steps(plan):
            readings = readings.with_measure("blob", step.index, f"row-{row}", 0.0003)
    assert BLOBS.evaluate(plan, readings).state == "few"
