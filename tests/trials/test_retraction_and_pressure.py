"""Retraction, restarts and pressure advance: what their files set, and what their readings say."""

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest

from drumbo.core.errors import InvalidInput
from drumbo.core.gcode.reader import read
from drumbo.core.prior import before
from drumbo.core.profile import Origin, OriginKind, Value, changed
from drumbo.standins.filament.physics import lag_seconds
from drumbo.standins.filament.spool import draw_spool
from drumbo.trials import kind
from drumbo.trials.base import Context, SomeKind
from drumbo.trials.plan import TrialPlan
from drumbo.trials.pressure_advance import sheet
from drumbo.trials.pressure_advance.kind import FEWEST_KNOWN
from drumbo.trials.readings import Readings
from tests.conftest import plain_context
from tests.readback import exact_readings

LENGTH, SPEED, RESTART, PRESSURE = (
    kind(slug) for slug in ("retraction-length", "retraction-speed", "retraction-restart", "pressure-advance")
)


def _scores(kind: SomeKind, plan: TrialPlan, *rows: str, picked: int | None = None) -> Readings:
    aspects = [a.key for a in kind.readings(plan).aspects]
    return Readings(
        {a: {str(i): int(c) for i, c in enumerate(row) if c != "-"} for a, row in zip(aspects, rows, strict=False)},
        picked=picked,
    )


def test_every_step_pulls_back_by_the_length_on_its_mast(context: Context) -> None:
    plan = LENGTH.suggest(context)
    program = read(LENGTH.print_file(plan, context).gcode.encode())
    still = (program.x == np.roll(program.x, 1)) & (program.y == np.roll(program.y, 1))
    pulls = still & (program.e_mm < 0)
    for place in LENGTH.piece(plan, context).places[1:]:
        here = pulls & (program.z > place.low[2] + 0.25) & (program.z < place.high[2] - 1e-6)
        assert here.sum() > 20
        np.testing.assert_allclose(program.e_mm[here], -place.value, atol=1e-5)


def test_the_sweep_follows_the_drive() -> None:
    direct, bowden = LENGTH.suggest(plain_context("pla")), LENGTH.suggest(plain_context("pla", drive="bowden"))
    assert (direct["step_length_mm"], bowden["step_length_mm"]) == (0.1, 0.5)
    assert 0 <= direct["short_mm"] < direct["long_mm"] <= 2
    assert 1 <= bowden["short_mm"] < bowden["long_mm"] <= 8


def test_the_shortest_clean_length_from_all_steps_and_by_a_pick(context: Context) -> None:
    plan = LENGTH.suggest(context)
    full = LENGTH.evaluate(plan, _scores(LENGTH, plan, "0011223444444", "4444444444444"))
    assert full.state == "good"
    assert full.value == pytest.approx(0.9, abs=0.12)
    new = LENGTH.changes(plan, full, context, 3)["retraction_mm"].number
    assert new >= full.value - 0.021
    assert new * 10 == pytest.approx(round(new * 10)), "rounded up to a tenth"
    quick = LENGTH.evaluate(plan, _scores(LENGTH, plan, picked=7))
    assert quick.value == pytest.approx(0.9)


def test_what_length_cannot_cure_is_said(context: Context) -> None:
    plan = LENGTH.suggest(context)
    wet = LENGTH.evaluate(plan, _scores(LENGTH, plan, "1111211112111", "4444444444444"))
    assert (wet.state, wet.value) == ("flat", None)
    assert any("dry the spool" in note for note in wet.notes)
    clean = LENGTH.evaluate(plan, _scores(LENGTH, plan, "4444444444444"))
    assert clean.value == plan["short_mm"]
    assert clean.extend is not None
    short = LENGTH.evaluate(plan, _scores(LENGTH, plan, "0000000111122"))
    assert short.state == "edge"
    assert short.extend is not None
    assert short.extend["short_mm"] > plan["short_mm"]
    LENGTH.read_plan(short.extend, context)
    torn = LENGTH.evaluate(plan, _scores(LENGTH, plan, "0123444444444", "4444444421110"))
    assert any("starts have gaps" in note for note in torn.notes)


def test_speeds_that_are_alike_are_called_alike(context: Context) -> None:
    plan = SPEED.suggest(context)
    assert SPEED.evaluate(plan, _scores(SPEED, plan, "333333333")).state == "flat"
    found = SPEED.evaluate(plan, _scores(SPEED, plan, "013444310"))
    assert found.state == "good"
    assert found.value == pytest.approx(38, abs=5)


def test_restart_extra_and_coasting_are_in_the_file(context: Context) -> None:
    plan = replace(RESTART.suggest(context), low_mm=-0.2, step_mm=0.1, count=4)
    program = read(RESTART.print_file(plan, context).gcode.encode())
    pulled = context.profile.number("retraction_mm")
    way = np.hypot(program.x - np.roll(program.x, 1), program.y - np.roll(program.y, 1))
    pushed = program.e_mm[(program.e_mm > 0) & (way == 0) & (program.z > 2)]
    assert set(np.round(pushed, 4)) == {round(pulled + extra, 4) for extra in (-0.2, -0.1, 0.0, 0.1)}
    coasting = replace(plan, what="coasting", low_mm=0.0)
    program = read(RESTART.print_file(coasting, context).gcode.encode())
    y, length = program.y, np.hypot(program.x - np.roll(program.x, 1), program.y - np.roll(program.y, 1))
    coasts = (program.e_mm == 0) & (length > 0.01) & (length < 0.5) & (program.z > 2)
    assert set(np.round(length[coasts], 3)) == {0.1, 0.2, 0.3}
    assert np.ptp(y[coasts]) < 1e-6, "all at the feet"


def test_ends_come_after_starts(context: Context) -> None:
    assert RESTART.suggest(context)["what"] == "restart"
    value = Value(-0.1, Origin(OriginKind.TRIAL, "", 1), 0.02)
    started = Context(context.printer, context.material, changed(context.profile, {"restart_extra_mm": value}))
    plan = RESTART.suggest(started)
    assert plan["what"] == "coasting"
    found = RESTART.evaluate(plan, _scores(RESTART, plan, "112344444", "444443210"))
    assert RESTART.changes(plan, found, started, 2).keys() == {"coasting_mm"}
    with pytest.raises(InvalidInput, match="begins at 0"):
        RESTART.read_plan({**plan, "low_mm": -0.1}, context)
    far = replace(RESTART.suggest(context), low_mm=-0.1, step_mm=0.05, count=7)
    assert "step_mm" not in RESTART.check(far, context)
    assert "0.25 mm" in RESTART.check(replace(far, count=8), context)["step_mm"], "unusually far"


@pytest.mark.parametrize(("dialect", "word"), [("m900", "M900 K"), ("m572", "M572 D0 S"), ("key-value", "ADVANCE=")])
def test_each_road_has_its_value_and_the_profiles_comes_back(dialect: str, word: str) -> None:
    context = plain_context("pla", dialect=dialect)
    plan = PRESSURE.suggest(context)
    lines = PRESSURE.print_file(plan, context).gcode.splitlines()
    values = [float(line.partition(word)[2]) for line in lines if word in line]
    assert values[1:-1] == [step.value for step in PRESSURE.steps(plan)]
    assert values[0] == values[-1] == context.profile.number("pressure_advance_s")
    speeds = {line.split("F")[1] for line in lines[lines.index(next(x for x in lines if f"{word}0.086" in x)) :]
              if "F" in line and " E" in line and " X" in line}  # fmt: skip
    assert len(speeds) >= 2, "slow and fast"


def test_a_firmware_without_a_word_is_told_and_never_offered() -> None:
    context = plain_context("pla", dialect="plain")
    assert "no word for pressure advance" in (PRESSURE.hindered(context) or "")
    assert PRESSURE.wants(context) is None
    with pytest.raises(InvalidInput, match="cannot be set"):
        PRESSURE.read_plan(PRESSURE.suggest(context), context)


def test_a_bowden_tube_is_read_over_its_own_range() -> None:
    context = plain_context("pla", drive="bowden")
    plan = PRESSURE.suggest(context)
    values = [s.value for s in PRESSURE.steps(plan)]
    assert (values[0], len(values)) == (0.15, 21)
    assert values[-1] == pytest.approx(1.2, rel=0.02), "eight times as much"
    spool = draw_spool("pla", 5, "bowden")
    truth = float(lag_seconds(spool, np.array([context.profile.number("nozzle_c")]))[0])
    found = PRESSURE.evaluate(plan, exact_readings(PRESSURE, plan, context, seed=5))
    assert found.value == pytest.approx(truth, rel=0.12)


def test_a_coarse_sheet_leads_to_a_fine_one_that_is_surer(context: Context) -> None:
    plan = replace(PRESSURE.suggest(context), step_s=0.004, grows_percent=30.0, roads=9)
    by_eye = replace(exact_readings(PRESSURE, plan, context, seed=5), measures={})
    coarse = PRESSURE.evaluate(plan, by_eye)
    assert coarse.value is not None
    assert coarse.error is not None
    held = Value(coarse.value, Origin(OriginKind.TRIAL, "", 1), coarse.error)
    measured = Context(context.printer, context.material, changed(context.profile, {"pressure_advance_s": held}))
    assert "fine sheet" in (PRESSURE.wants(measured) or "")
    fine_plan = PRESSURE.suggest(measured)
    assert fine_plan["step_s"] < 0.1 * coarse.value
    fine = PRESSURE.evaluate(fine_plan, exact_readings(PRESSURE, fine_plan, measured, seed=5))
    assert fine.error is not None
    assert fine.error < coarse.error
    assert fine.value == pytest.approx(coarse.value, abs=3 * coarse.error)


@pytest.mark.parametrize("drive", ["direct", "bowden"])
def test_widths_alone_tell_it_too(drive: str) -> None:
    context = plain_context("pla", drive=drive)
    plan = PRESSURE.suggest(context)
    widths = Readings(measures=exact_readings(PRESSURE, plan, context, seed=5).measures)
    found = PRESSURE.evaluate(plan, widths)
    truth = float(lag_seconds(draw_spool("pla", 5, drive), np.array([context.profile.number("nozzle_c")]))[0])
    assert found.state == "good"
    assert found.value is not None
    assert found.error is not None
    assert abs(found.value - truth) < max(3 * found.error, 0.12 * truth)
    level = Readings().with_measure("width", 0, "brakes", 0.45)
    assert PRESSURE.evaluate(plan, level).state == "few"


def test_a_sheet_that_ends_too_early_goes_on(context: Context) -> None:
    plan = PRESSURE.suggest(context)
    found = PRESSURE.evaluate(plan, _scores(PRESSURE, plan, "0" * 19 + "12", "4" * 21))
    assert found.state == "edge"
    assert found.extend is not None
    values, on = (PRESSURE.steps(one) for one in (plan, PRESSURE.plan_type.of(found.extend)))
    assert values[-2].value == on[0].value, "it overlaps by two"
    assert values[-1].value < on[5].value < on[-1].value < 2 * values[-1].value

    other = PRESSURE.evaluate(plan, _scores(PRESSURE, plan, "4" * 21, "21" + "0" * 19))
    assert other.state == "edge"
    assert other.extend is not None
    down = [step.value for step in PRESSURE.steps(PRESSURE.plan_type.of(other.extend))]
    assert down[0] == 0.0
    assert values[1].value <= down[-1] < values[6].value


def test_earlier_spools_narrow_the_sheet_to_where_the_next_one_may_lie(context: Context) -> None:
    told = before([0.036, 0.04, 0.043, 0.041], 0.001)
    assert told is not None
    plan = PRESSURE.quick(replace(context, before={"pressure_advance_s": told}))
    values = [step.value for step in PRESSURE.steps(plan)]
    assert FEWEST_KNOWN <= len(values) < len(PRESSURE.steps(PRESSURE.suggest(context)))
    assert values[0] < told.low < told.high < values[-1], "with room at both ends"
    assert values[0] * values[-1] == pytest.approx(told.low * told.high, rel=0.1), "as much of it on both sides"
    assert all(1.02 < b / a < 1.12 for a, b in pairwise(values))
    for earlier in ([0.0098, 0.01, 0.0101], [0.02, 0.021, 0.022], [0.6, 0.62, 0.64]):
        alike = before(earlier, 0.0002)
        assert alike is not None
        known = replace(context, before={"pressure_advance_s": alike})
        narrow = PRESSURE.quick(known)
        assert PRESSURE.read_plan({**narrow}, known) == narrow, "it is taken as it is proposed"
    differing = before([0.015, 0.05, 0.09], 0.001)
    assert differing is not None
    assert PRESSURE.quick(replace(context, before={"pressure_advance_s": differing})) == PRESSURE.suggest(context)


def test_every_leg_goes_slow_fast_slow_the_next_one_the_other_way(context: Context) -> None:
    """As printed: what is drawn of a leg lies on one line, and its gables lead from the one before to the next."""
    count = 6
    for index in range(count):
        points = [stretch.points for stretch in sheet.leg(index, count)]
        assert [stretch.fast for stretch in sheet.leg(index, count)] == [True, False, True, False, True]
        assert all(np.array_equal(a[-1], b[0]) for a, b in pairwise(points)), "without a travel"
        middle = np.vstack(points[1:-1])
        assert np.ptp(middle[:, 0]) == 0
        assert np.all(np.diff(middle[:, 1]) * (-1) ** index >= 0)
        if index:
            assert np.allclose(points[0][0], sheet.leg(index - 1, count)[-1].points[-1]), "where the last one ended"
    lines = PRESSURE.print_file(replace(PRESSURE.suggest(context), roads=count), context).gcode.splitlines()
    _, first, *_, last, _ = [k for k, line in enumerate(lines) if line.startswith("M900")]
    away = next(k for k in range(first, last) if " E0.8" in lines[k]) + 1
    moves = [line for line in lines[away:last] if line.startswith("G")]
    assert len(moves) == 5 * (count - 1)
    assert all("X" in move and "E" in move for move in moves), "nothing but lines from the first leg to the last"
