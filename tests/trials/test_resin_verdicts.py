"""What resin trials say of readings whose answer is known, and what they refuse."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from itertools import pairwise
from typing import Any

import numpy as np
import pytest

from drumbo.core.errors import InvalidInput
from drumbo.core.light.job import exposures
from drumbo.core.light.match import moved
from drumbo.core.profile import Origin, OriginKind, Value, changed
from drumbo.standins.resin import look
from drumbo.standins.resin.bottle import draw_bottle
from drumbo.standins.resin.physics import growth_mm
from drumbo.standins.resin.slung import sloped_safety
from drumbo.trials import kind
from drumbo.trials.exposure_coupon import coupon
from drumbo.trials.readings import Readings
from drumbo.trials.resin_proof.kind import CHECKLIST
from drumbo.trials.toolkit import leaves
from tests.conftest import resin_context
from tests.readback import cured, exact_layers

CONTEXT = resin_context()
PROOF, CHECK, LAMP = kind("resin-proof"), kind("bottle-check"), kind("lamp-map")
TILES, BARS, TIPS = kind("print-through"), kind("cure-shrinkage"), kind("support-tips")
FEET, COUPON = kind("bottom-feet"), kind("exposure-coupon")


def _leaves(readings: Readings, step: int, over_mm: float, second_mm: float = 0.0) -> Readings:
    """A pile so much thicker than the block; the second reading of the pile by so much more."""
    for site, more in (("first", 0.0), ("second", second_mm)):
        readings = readings.with_measure(leaves.STACK, step, site, round(9.6 + over_mm + more, 2))
        readings = readings.with_measure(leaves.BLOCK, step, site, 9.6)
    return readings


def _over_mm(u: float, bleed: float = 0.026) -> float:
    return float(2 * (leaves.COUNT - 1) * (bleed * moved(np.array([u]))[0]) + (leaves.COUNT - 1) * 0.003)


def _proof(score: int, over_mm: float, **others: int) -> Any:
    given = Readings({p.aspect.key: {"0": others.get(p.aspect.key, score)} for p in CHECKLIST})
    return PROOF.evaluate(PROOF.suggest(CONTEXT), _leaves(given, 0, over_mm))


@pytest.mark.parametrize(
    ("result", "state", "says", "back"),
    [
        (_proof(4, 0.02), "good", "It came out as it should: this profile is proven.", ""),
        (_proof(4, _over_mm(0.25)), "edge", "% less light", "Go back to exposure."),
        (_proof(4, _over_mm(-0.3)), "edge", "% more light", "Go back to exposure."),
        (_proof(4, 0.02, supports=1), "edge", "Not yet: slab on tips.", "Go back to lift."),
        (_proof(4, 0.02, clean=0), "good", "proven", "Not quite right: came off clean."),
        (_proof(2, 0.02), "edge", "only passable", "Go back to exposure, then fit, then bottom, then lift."),
    ],
)
def test_a_proof_says_what_to_go_back_to(result: Any, state: str, says: str, back: str) -> None:
    assert result.state == state
    assert says in result.says
    assert back in " ".join(result.notes)
    assert (PROOF.changes(PROOF.suggest(CONTEXT), result, CONTEXT, 3) == {}) is (state != "good")


def test_a_proof_wants_the_list_and_the_leaves() -> None:
    plan = PROOF.suggest(CONTEXT)
    scored = Readings({p.aspect.key: {"0": 4} for p in CHECKLIST})
    assert PROOF.evaluate(plan, Readings()).says == "6 of 6 points are open."
    assert PROOF.evaluate(plan, scored).says == "Measure the leaves and the block."
    slipped = PROOF.evaluate(plan, _leaves(scored, 0, 0.02, second_mm=0.1))
    assert (slipped.state, slipped.value) == ("few", None)
    assert slipped.says == "9.62 and 9.72 mm for 8 leaves cannot both be right: measure it once more."


def test_a_bottle_that_wants_more_light_moves_the_exposure_and_only_warmth_alone_gives_a_law() -> None:
    held = {"exposure_s": Value(3.4, Origin(OriginKind.TRIAL, "exposure", 1)),
            "leaves_mm": Value(0.021, Origin(OriginKind.TRIAL, "proof", 2), 0.012)}  # fmt: skip
    context = replace(CONTEXT, profile=changed(CONTEXT.profile, held))
    plan = replace(CHECK.suggest(context), resin_c=15.0)
    assert plan.before_mm == 0.021
    readings = Readings()
    for step, x in enumerate(np.log([s.value / 3.4 for s in CHECK.steps(plan)])):
        readings = _leaves(readings, step, _over_mm(float(x) - 0.18))
    result = CHECK.evaluate(plan, readings)
    assert result.headline == "moved"
    new = CHECK.changes(plan, result, context, 5)
    assert new["exposure_s"].number == pytest.approx(3.4 * np.exp(0.18), rel=0.03)
    law = new["exposure_s"].dependency
    assert law is not None
    assert law.of(25.0) == pytest.approx(3.4, rel=0.03), "at the old temperature it is what it was"
    assert new["leaves_mm"].number == 0.021
    old = replace(held["exposure_s"], basis={"bottle": 0.0, "resin_c": 25.0})
    other = replace(context, profile=changed(context.profile, {"exposure_s": old}))
    other = replace(other, profile=replace(other.profile, values={**other.profile.values, "exposure_s": old}))
    assert CHECK.changes(plan, result, other, 5)["exposure_s"].dependency is None, "another bottle, not warmth alone"
    assert CHECK.evaluate(plan, _leaves(Readings(), 0, 0.02)).state == "few", "the profile's own light first"


def test_coupons_are_read_by_their_leaves_and_one_that_was_misread_is_left_out() -> None:
    plan = replace(COUPON.suggest(CONTEXT), reach_um=None, critical_s=None)
    (stack, _), steps = COUPON.readings(plan).measures, COUPON.steps(plan)
    assert stack.at == (1, 3, 5)
    assert COUPON.readings(plan).count(len(steps)) == 3 * len(steps) + 12, "numbers where there are leaves alone"
    readings = Readings()
    for step in stack.at:
        readings = _leaves(readings, step, _over_mm(math.log(steps[step].value / 2.5)))
    found = COUPON.evaluate(plan, readings)
    assert (found.state, found.value) == ("good", pytest.approx(2.5, rel=0.02))
    slipped = COUPON.evaluate(plan, readings.with_measure(leaves.STACK, 1, "second", 9.9))
    assert slipped.low < 2.5 < slipped.high, "two sets are left, both far from it"
    assert "cannot both be right" in slipped.notes[0]
    assert slipped.error > 2 * found.error
    for far in (1.0, 10.0):
        thin = Readings()
        for step in stack.at:
            thin = _leaves(thin, step, _over_mm(math.log(steps[step].value / far), 0.02))
        beyond = COUPON.evaluate(plan, thin)
        assert (beyond.state, beyond.low < far < beyond.high) == ("edge", True), "nobody is sure of what lies far away"
        assert (beyond.extend["first_s"] < plan.first_s) is (far < 2), "and the next lights go there"
    few = COUPON.evaluate(plan, _leaves(Readings(), 3, 0.02))
    assert few.says == "Measure the leaves and blocks of at least two exposures."


@pytest.mark.parametrize("coupons", range(3, 10))
def test_however_many_coupons_there_are_their_leaves_tell_the_exposure(coupons: int) -> None:
    plan = replace(COUPON.suggest(CONTEXT), coupons=coupons, reach_um=None, critical_s=None)
    steps, at = COUPON.steps(plan), COUPON.readings(plan).measures[0].at
    (wide, _), piece = coupon.size(coupons, leafy=True), COUPON.piece(plan, CONTEXT)
    left, _, _, right, _, _ = piece.solid.bounding_box()
    assert right - left == pytest.approx(wide, abs=0.1)
    assert abs(left + right) < 0.2, "it lies in the middle of the screen"
    true_s, readings = steps[len(steps) // 2].value, Readings()
    for step in at:
        readings = _leaves(readings, step, _over_mm(math.log(steps[step].value / true_s)))
    found = COUPON.evaluate(plan, readings)
    assert found.low < true_s < found.high


def test_a_plan_from_before_leaves_is_read_by_blades_and_slits() -> None:
    old = {key: value for key, value in COUPON.suggest(CONTEXT).to_json().items() if key != "read_by"}
    plan = COUPON.plan_type.of(COUPON.lift(1, old))
    assert [m.key for m in COUPON.readings(plan).measures] == ["blade", "slit"]
    assert not [jaw for jaw in COUPON.piece(plan, CONTEXT).jaws if jaw.tool == "stack"]


def test_tiles_tell_what_light_adds_and_files_leave_out_layers_of_it() -> None:
    plan = TILES.suggest(CONTEXT)
    readings = Readings().with_measure("tile", 0, "reading-1", 1.10)
    readings = readings.with_measure("pile", 0, "reading-1", 1.10 + 5 * (1.08 + 0.003))
    result = TILES.evaluate(plan, readings)
    assert result.value == pytest.approx(-80, abs=0.5)
    assert "2 of an underside's first layers; −20 µm are left over then" in result.notes[0]
    far = TILES.evaluate(plan, readings.with_measure("pile", 0, "reading-1", 7.1))
    assert far.state == "split", "more than light commonly adds"
    assert TILES.steps(replace(plan, tile_mm=0.98))[0].label == "1.00", "in whole layers"


def test_bars_tell_what_the_cure_takes_and_fit_the_screen_along_x() -> None:
    plan = BARS.suggest(CONTEXT)
    readings = Readings()
    for key, lengths in (("green", (40.02, 80.02)), ("cured", (39.82, 79.62))):
        for step, length in enumerate(lengths):
            readings = readings.with_measure(key, step, "first", length)
    assert BARS.evaluate(plan, readings).value == pytest.approx(0.5, abs=1e-3)
    upright = resin_context(pixels_x=800, pixels_y=1900)
    BARS.check(BARS.suggest(upright), upright)
    with pytest.raises(InvalidInput, match="the screen has room for"):
        BARS.check(replace(plan, longest_mm=150.0), CONTEXT)


def test_tips_that_do_not_hold_lead_to_thicker_ones_until_they_would_touch() -> None:
    plan, seen = TIPS.suggest(CONTEXT), 0
    while True:
        torn = Readings({row: {str(k): 0 for k in range(plan.tables)} for row in ("supports", "slopes")})
        result = TIPS.evaluate(plan, torn)
        assert (result.state, result.value) == ("edge", None)
        if result.extend is None:
            break
        plan, seen = TIPS.read_plan(result.extend, CONTEXT), seen + 1
    assert seen > 1
    assert TIPS.steps(plan)[-1].value <= 1.4
    assert result.says == "None of them holds well enough; lift more slowly."
    with pytest.raises(InvalidInput, match="would touch"):
        TIPS.check(replace(plan, step_mm=0.2, tables=9), CONTEXT)


def _rows(supports: str, slopes: str) -> Readings:
    rows = {"supports": supports, "slopes": slopes}
    return Readings({row: {str(k): int(score) for k, score in enumerate(told)} for row, told in rows.items() if told})


def test_tips_beneath_slopes_are_told_beside_those_beneath_level_tables() -> None:
    plan = TIPS.suggest(CONTEXT)
    both = TIPS.evaluate(plan, _rows("0123444", "1234444"))
    changes = TIPS.changes(plan, both, CONTEXT, 3)
    assert 0.25 < changes["tip_mm"].number < 0.35
    assert 0.02 < changes["tip_mm"].number - changes["tip_slope_mm"].number < 0.1
    assert TIPS.evaluate(plan, _rows("0123444", "12")).state == "few"
    bent = TIPS.evaluate(plan, _rows("0123444", "0000000"))
    assert TIPS.changes(plan, bent, CONTEXT, 3).keys() == {"tip_mm"}
    assert "along the lowest edge" in bent.notes[1]
    none = TIPS.evaluate(plan, _rows("0000000", "1234444"))
    assert none.says.startswith("No level one is held well enough")


def test_tables_of_before_are_all_level() -> None:
    old = {"first_mm": 0.18, "step_mm": 0.06, "tables": 5}
    plan = TIPS.plan_type.of(TIPS.lift(1, old))
    assert [aspect.key for aspect in TIPS.readings(plan).aspects] == ["supports", "marks"]
    result = TIPS.evaluate(plan, _rows("01344", ""))
    assert TIPS.changes(plan, result, CONTEXT, 3).keys() == {"tip_mm"}
    deep = [TIPS.piece(each, CONTEXT).solid.bounding_box() for each in (plan, replace(plan, undersides="both"))]
    assert deep[1][4] - deep[1][1] == pytest.approx(deep[0][4] - deep[0][1] + 5.6, abs=0.01)


def test_a_slope_hangs_on_its_first_row_until_it_has_the_next() -> None:
    plan = TIPS.suggest(CONTEXT)
    thing = cured(TIPS, plan, CONTEXT, 1)
    boxes = [place.box(CONTEXT.printer.bed_middle) for place in TIPS.piece(plan, CONTEXT).places]
    level, slope = (np.array([safe(thing, box) for box in boxes]) for safe in (look.safety, sloped_safety))
    # Six tips carry 24 mm²; three carry 6 · 0.8 ÷ sin 45° = 6.8 mm².
    assert np.median(slope / level) == pytest.approx(24 / 6 / (6.79 / 3), rel=0.12)


def _feet(plan: Any, wider_mm: Callable[[float], float]) -> Readings:
    """Scores that are best in the middle, and widths of jaws that add 0.02 mm."""
    readings = Readings()
    scores = ((0, 4), (1, 4), (3, 4), (4, 3), (4, 2), (4, 1), (4, 0))
    for step, (sticks, clean) in zip(FEET.steps(plan), scores, strict=True):
        readings = readings.with_score("sticks", step.index, sticks).with_score("clean", step.index, clean)
        out = wider_mm(step.value)
        readings = readings.with_measure("foot", step.index, "plate", 11.02 + 2 * out)
        readings = readings.with_measure("foot", step.index, "above", 9.82)
    return readings


def test_widths_of_feet_tell_what_to_take_off_below_and_over_how_many_layers() -> None:
    plan = replace(FEET.suggest(CONTEXT), widths="yes")
    normal = plan.normal_s
    readings = _feet(plan, lambda seconds: 0.02 * math.log(seconds / normal))
    found = FEET.evaluate(plan, readings)
    changes = FEET.changes(plan, found, CONTEXT, 3)
    out = 0.02 * math.log(changes["bottom_exposure_s"].number / normal)
    assert found.also["out_mm"] == pytest.approx(out, abs=1e-6), "what jaws add is in both, and drops out"
    assert changes["xy_bottom_mm"].number == round(-out, 2)
    layers = int(changes["transition_layers"].number)
    lights = exposures(normal, changes["bottom_exposure_s"].number, 5, layers, 20)
    ledges = [0.02 * math.log(a / b) for a, b in pairwise(lights)]
    assert max(ledges) <= 0.015
    fewer = exposures(normal, changes["bottom_exposure_s"].number, 5, layers - 1, 20)
    assert max(0.02 * math.log(a / b) for a, b in pairwise(fewer)) > 0.015
    asked = FEET.changes(plan, FEET.evaluate(replace(plan, widths="no"), readings), CONTEXT, 3)
    assert asked.keys() == {"bottom_exposure_s"}, "nobody has to measure"


def test_feet_of_before_have_no_widths_and_are_read_as_they_were() -> None:
    plan = FEET.plan_type.of(FEET.lift(1, {"first_s": 16.0, "step_s": 6.0, "feet": 7, "way": "one"}))
    assert FEET.readings(plan).measures == ()
    assert FEET.evaluate(plan, _feet(plan, lambda _: 0.0)).also is None
    assert FEET.print_file(plan, CONTEXT).layers[0].lights


def test_what_stands_out_below_is_what_light_makes_it() -> None:
    context = replace(CONTEXT, profile=changed(CONTEXT.profile, {"xy_bottom_mm": Value(-0.2, Origin(OriginKind.HAND))}))
    plan = replace(FEET.suggest(context), widths="yes")
    found = FEET.evaluate(plan, exact_layers(FEET, plan, context, 1))
    assert found.value is not None
    bottle, bottom_s = draw_bottle("resin-standard", 1), FEET.adopted(found.value)
    over = [seconds * 4.0 / bottle.critical_mj_cm2 for seconds in (bottom_s, plan.normal_s)]
    below, above = (growth_mm(each, bottle.bleed_mm, bottle.tail) for each in over)
    assert found.also["out_mm"] == pytest.approx(below - above, abs=0.012), "what was taken off before is not in it"


def test_a_lamp_is_mapped_over_the_screen_that_there_is() -> None:
    plan = LAMP.suggest(CONTEXT)
    with pytest.raises(InvalidInput, match=r"95\.00 mm on Gannet Light"):
        LAMP.check(replace(plan, wide_mm=300.0), CONTEXT)
    with pytest.raises(InvalidInput, match="have no room"):
        LAMP.check(replace(plan, rows=7), CONTEXT)
    middles = np.array(LAMP._middles(plan))
    readings = Readings()
    for step, (x, _) in enumerate(middles):
        skin = 0.36 + plan.reach_um / 1000 * np.log1p(0.1 * x / 47.5) - 0.2 * (step == 4)
        readings = readings.with_measure("skin", step, "once", round(float(skin), 3))
    result = LAMP.evaluate(plan, readings)
    assert result.value == pytest.approx(20, abs=5)
    assert "left: keep fine parts away from there" in result.says
    assert "it stands apart: 5." in " ".join(result.notes)
