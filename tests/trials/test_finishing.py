"""Proof, batch check and clearance: what closes a profile, and what keeps it true."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from drumbo.core.errors import InvalidInput
from drumbo.core.fit.ordinal import USUAL, Leaning
from drumbo.core.profile import Origin, OriginKind, Status, Value, changed, proven, sectors
from drumbo.standins import eye, fits
from drumbo.standins.filament.spool import draw_spool
from drumbo.trials import kind
from drumbo.trials.base import Context
from drumbo.trials.batch_check.verdict import balance
from drumbo.trials.readings import Readings
from drumbo.trials.result import Result
from tests.conftest import plain_context
from tests.readback import exact_readings, printed

PROOF, BATCH, CLEARANCE = kind("proof-part"), kind("batch-check"), kind("clearance")
ONE_LOOK, TWO_LOOKS = (kind("proof-part").plan_type(looked=looked) for looked in ("once", "twice"))


def _list(score: int, **others: int) -> Readings:
    given = {a.key: others.get(a.key, score) for a in PROOF.readings(ONE_LOOK).aspects}
    return Readings({key: {"0": value} for key, value in given.items()})


def _group(profile: object, key: str) -> Status:
    return next(s.known for s in sectors(profile) if s.group.key == key)  # type: ignore[arg-type]


def test_a_good_part_proves_until_something_moves(context: Context) -> None:
    result = PROOF.evaluate(ONE_LOOK, _list(3, strings=4))
    assert result.state == "good"
    assert PROOF.keeps(result)
    closed = changed(context.profile, PROOF.changes(ONE_LOOK, result, context, trial=9))
    assert proven(closed)
    hand = Value(context.profile.number("nozzle_c") + 12, Origin(OriginKind.HAND))
    moved = changed(closed, {"nozzle_c": hand})
    assert not proven(moved)
    assert _group(moved, "proof") is Status.RECHECK
    back = changed(moved, {"nozzle_c": closed.values["nozzle_c"]})
    assert proven(back), "it holds again when what it rests on comes back"


@pytest.mark.parametrize(
    ("readings", "says", "back_to"),
    [
        (_list(4, strings=1), "Not yet: strings.", "retraction"),
        (_list(4, bridge=0, gaps=1), "Not yet: bridge, top closed.", "flow, then cooling"),
        (_list(2), "Not yet: too much of it is only passable.", "heat, then flow, then pressure"),
        (_list(4).with_measure("size", 0, "x", 44.4), "Not yet: 0.40 mm too large along X.", "size"),
    ],
)
def test_a_poor_part_says_what_to_go_back_to(readings: Readings, says: str, back_to: str, context: Context) -> None:
    result = PROOF.evaluate(TWO_LOOKS, readings)
    assert result.says == says
    assert back_to in " ".join(result.notes)
    assert PROOF.changes(TWO_LOOKS, result, context, trial=1) == {}
    assert not PROOF.keeps(result)


def test_one_or_two_poor_points_are_looked_at_again_before_they_send_anybody_back(context: Context) -> None:
    poor = _list(4, bond=1, tip=0)
    result = PROOF.evaluate(ONE_LOOK, poor)
    assert result.says == "Look again: tips, bond."
    assert not PROOF.keeps(result)
    assert PROOF.changes(ONE_LOOK, result, context, trial=1) == {}
    assert PROOF.evaluate(ONE_LOOK, _list(4, tip=3)).state == "good", "it was a slip"
    assert PROOF.evaluate(TWO_LOOKS, poor).says == "Not yet: tips, bond."
    many = _list(4, bond=1, tip=0, strings=1)
    assert PROOF.evaluate(ONE_LOOK, many).says == "Not yet: tips, strings, bond.", "three are no slips"
    assert PROOF.plan_type.of(PROOF.lift(1, {})) == TWO_LOOKS, "one of earlier says what it said"


def test_marks_count_as_most_people_would_give_them() -> None:
    strict = replace(_list(3, bond=1, bridge=2), leaning=Leaning(-1.0, 0.2))
    usual = replace(strict, leaning=USUAL)
    assert PROOF.evaluate(ONE_LOOK, usual).says == "Look again: bond."
    assert PROOF.evaluate(TWO_LOOKS, usual).says == "Not yet: bond."
    assert PROOF.evaluate(ONE_LOOK, strict).says == "Look again: bond.", "who is known to be strict meant a 2"
    assert PROOF.evaluate(TWO_LOOKS, strict).state == "good"
    mild = replace(_list(3), leaning=Leaning(1.0, 0.2))
    assert PROOF.evaluate(TWO_LOOKS, mild).says == "Not yet: too much of it is only passable."
    unsure = replace(_list(3), leaning=Leaning(0.3, 0.4))
    assert PROOF.evaluate(TWO_LOOKS, unsure).state == "good", "only what is sure of it is taken off"


def test_the_best_points_of_a_part_tell_how_strictly_it_was_scored() -> None:
    plain, strict = (_list(score, bond=2, tip=2) for score in (4, 3))
    known = [replace(strict, leaning=Leaning(0.0, sd)) for sd in (0.6, 0.2)]
    value = [PROOF.evaluate(TWO_LOOKS, readings).value or 0.0 for readings in (plain, strict, *known)]
    assert value[0] == pytest.approx(25 * (7 * 4 + 2 * 2) / 9), "who gives full marks is not strict"
    assert value[1] == value[2] > value[3] > 25 * (7 * 3 + 2 * 2) / 9, "the less, the better a reader is known"
    assert PROOF.evaluate(TWO_LOOKS, _list(2)).state == "edge", "mediocre all over is not strictness"


@given(st.lists(st.integers(0, 4), min_size=9, max_size=9), st.integers(0, 8), st.floats(-1, 1), st.floats(0.2, 0.6))
def test_a_point_that_is_scored_better_and_is_not_among_the_best_makes_the_part_better(
    scores: list[int], at: int, mean: float, sd: float
) -> None:
    third_best = sorted(scores)[-3]
    assume(scores[at] < third_best)

    def told(given: list[int]) -> Result:
        rows = {aspect.key: {"0": score} for aspect, score in zip(PROOF.aspects, given, strict=True)}
        return PROOF.evaluate(TWO_LOOKS, Readings(rows, leaning=Leaning(mean, sd)))

    before, after = told(scores), told([score + (k == at) for k, score in enumerate(scores)])
    assert (after.value or 0.0) >= (before.value or 0.0)
    assert after.state == "good" or before.state == "edge"


def test_corners_alone_do_not_fail_a_printer_without_pressure_advance() -> None:
    assert PROOF.evaluate(ONE_LOOK, _list(4, corners=0)).state == "good"


def test_the_proof_makes_up_for_what_shrinks_and_for_the_offset() -> None:
    """Nylon shrinks by a per cent: 44 mm would come out half a millimetre short."""
    context = plain_context("pa")
    spool = draw_spool("pa", 3)
    numbers = {
        "shrinkage_percent": 100 * spool.shrink,
        "offset_mm": 0.2,
        "flow_ratio": 1 / (spool.grip * (spool.diameter_mm / 1.75) ** 2),
    }
    values = {key: Value(number, Origin(OriginKind.TRIAL, "", 1)) for key, number in numbers.items()}
    told = replace(context, profile=changed(context.profile, values))
    sizes = {}
    nothing = changed(context.profile, {"shrinkage_percent": Value(0.0, Origin(OriginKind.HAND))})
    for name, here in (("plain", replace(context, profile=nothing)), ("told", told)):
        readings = exact_readings(PROOF, ONE_LOOK, here, seed=3)
        sizes[name] = [readings.measured("size", 0, site) for site in ("x", "y")]
    assert abs(sizes["plain"][0] - 44) > 0.25
    assert sizes["told"] == pytest.approx([43.8, 21.8], abs=0.06), "the offset was not there, so it is missing now"


def test_a_new_batch_marks_what_rests_on_it_and_the_check_clears_what_is_the_same(context: Context) -> None:
    found = {
        key: Value(context.profile.number(key), Origin(OriginKind.TRIAL, "found", 4))
        for key in ("nozzle_c", "flow_ratio", "retraction_mm", "fan_percent")
    }
    known = changed(context.profile, found)
    fresh = changed(known, {"batch": Value(2.0, Origin(OriginKind.HAND, "a new batch"))})
    marked = {key for key, value in fresh.values.items() if value.recheck}
    assert marked == {"nozzle_c", "flow_ratio", "retraction_mm"}
    here = replace(context, profile=fresh)
    assert "Batch 2 is new" in (BATCH.wants(here) or "")
    plan = BATCH.suggest(here)
    same = Readings({
        "bridge": {"0": 3, "1": 4, "2": 4}, "surface": {"0": 4, "1": 3, "2": 3}, "bond": {"0": 4, "1": 3, "2": 2},
        "gaps": {"0": 2, "1": 4, "2": 4}, "ridges": {"0": 4, "1": 4, "2": 2}, "strings": {"0": 4, "1": 4, "2": 3},
    })  # fmt: skip
    result = BATCH.evaluate(plan, same)
    assert result.headline == "3 of 3"
    after = changed(fresh, BATCH.changes(plan, result, here, trial=7))
    assert not [key for key, value in after.values.items() if value.recheck]
    assert after.values["nozzle_c"].origin == found["nozzle_c"].origin, "why this value? still the trial that found it"
    assert BATCH.wants(replace(context, profile=after)) is None
    stringy = replace(same, scores={**same.scores, "strings": {"0": 4, "1": 1, "2": 0}})
    once = BATCH.evaluate(plan, stringy)
    assert once.says == "Look again: strings, tunnel.", "a slip of the eye sends nobody to a trial"
    assert once.headline == "2 of 3"
    result = BATCH.evaluate(replace(plan, looked="twice"), stringy)
    assert result.says == "Not the same: repeat retraction."
    after = changed(fresh, BATCH.changes(plan, result, here, trial=7))
    assert {key for key, value in after.values.items() if value.recheck} == {"retraction_mm"}
    assert BATCH.wants(replace(context, profile=after)) is None, "it was checked; the retraction trial comes next"


def test_a_check_holds_only_for_the_batch_and_the_values_that_were_printed(context: Context) -> None:
    plan = BATCH.suggest(context)
    result = BATCH.evaluate(plan, exact_readings(BATCH, plan, context, seed=2))
    assert result.headline == "3 of 3"
    later = changed(context.profile, {"batch": Value(2.0, Origin(OriginKind.HAND))})
    assert BATCH.changes(plan, result, replace(context, profile=later), trial=1) == {}
    hotter = changed(context.profile, {"nozzle_c": Value(225.0, Origin(OriginKind.HAND))})
    new = BATCH.changes(plan, result, replace(context, profile=hotter), trial=1)
    assert set(new) == {"batch", "flow_ratio", "retraction_mm"}


def test_what_a_printer_cannot_do_is_told_with_what_would() -> None:
    small = plain_context("pla", bed_x_mm=50.0, bed_y_mm=50.0)
    assert "74 × 62 mm" in (PROOF.hindered(small) or "")
    with pytest.raises(InvalidInput, match="62 mm wide"):
        CLEARANCE.check(CLEARANCE.suggest(small), small)
    limit = plain_context("pc", nozzle_max_c=270.0)
    assert "270 at most" in (BATCH.hindered(limit) or "")
    with pytest.raises(InvalidInput, match="45 % or more, for 4 bands"):
        kind("fan-bands").check(replace(kind("fan-bands").suggest(limit), low_percent=30.0, high_percent=40.0), limit)


def test_the_same_spool_is_the_same_and_one_that_needs_other_flow_is_not(context: Context) -> None:
    """Known answers on the stand-in: 0.994 fills with flow 1.00, 1.048 would be needed by another."""
    plan = BATCH.suggest(context)
    same, other = (BATCH.evaluate(plan, exact_readings(BATCH, plan, context, seed)) for seed in (2, 1))
    assert same.says.startswith("The same as before")
    assert other.also is not None
    assert not other.also["flow_ratio"]


def test_pins_tell_both_gaps_and_the_next_row(context: Context) -> None:
    plan = CLEARANCE.suggest(context)

    def row(scores: str) -> Readings:
        return Readings({"fits": {str(i): int(c) for i, c in enumerate(scores)}})

    result = CLEARANCE.evaluate(plan, row("01233444"))
    assert result.value == pytest.approx(0.27, abs=0.03)
    assert result.also is not None
    assert result.also["clearance_press_mm"] == pytest.approx(0.14, abs=0.03)
    tight = CLEARANCE.evaluate(plan, row("00000112"))
    assert tight.state == "edge"
    assert tight.extend is not None
    assert tight.extend["high_mm"] > plan["high_mm"]
    CLEARANCE.read_plan(tight.extend, context)
    loose = CLEARANCE.evaluate(plan, row("44444444"))
    assert loose.state == "edge"
    assert loose.extend["low_mm"] < plan["low_mm"]


def test_more_flow_takes_its_gap_from_pins_and_holes(context: Context) -> None:
    """8 % more makes a road of 0.407 mm wider by 0.034; half of that grows out of the pin and half into the hole."""
    plan, gaps = replace(CLEARANCE.suggest(context), high_mm=0.2), []
    for flow in (1.0, 1.08):
        values = {"flow_ratio": Value(flow, Origin(OriginKind.HAND))}
        here = replace(context, profile=changed(context.profile, values))
        thing = printed(CLEARANCE.print_file(plan, here).gcode, draw_spool("pla", 3))
        shape = thing.geometry
        middle = np.column_stack([(shape.a + shape.b) / 2, shape.z])
        boxes = [p.box(here.printer.bed_middle) for p in CLEARANCE.piece(plan, here).places]
        gaps.append([fits.gap_round(thing, eye.within(middle, box)) for box in boxes])
    assert np.diff(gaps[0]) == pytest.approx(0.05, abs=0.02), "each pin is thinner by a step"
    wider = float(np.mean(np.array(gaps[0]) - gaps[1]))
    assert wider == pytest.approx(0.034, abs=0.012)


def test_the_balance_of_the_docstring_and_what_it_takes_to_call_heat_moved() -> None:
    scores = {"bridge": (4, 3, 3), "strings": (3, 4, 4), "surface": (4, 4, 3), "bond": (4, 4, 3)}
    columns = {key: np.array(each, float) for key, each in scores.items()}
    assert balance(columns) == -0.5
    milder = {key: each - 1 for key, each in columns.items()}
    assert balance(milder) == balance(columns), "whoever scores everything lower says the same"


@pytest.mark.parametrize(("off_c", "way"), [(-14, "cooler"), (0, ""), (14, "hotter")])
def test_a_spool_that_wants_other_heat_is_called_and_one_that_does_not_is_not(off_c: float, way: str) -> None:
    """Known answers on the stand-in: the profile stands at what one spool wants, the next wants more or less."""
    spool = draw_spool("pla", 3)
    context = plain_context("pla")
    right = Value(float(round(spool.centre_c - 2)), Origin(OriginKind.TRIAL, "", 1))
    context = replace(context, profile=changed(context.profile, {"nozzle_c": right}))
    plan = BATCH.suggest(context)
    heats = ("centre_c", "bond_c", "curl_c", "sheen_c", "damage_c")
    other = replace(spool, **{key: getattr(spool, key) + off_c for key in heats})
    thing = printed(BATCH.print_file(plan, context).gcode, other)
    keys = [a.key for a in BATCH.readings(plan).aspects]
    boxes = [place.box(context.printer.bed_middle) for place in BATCH.piece(plan, context).places]
    exact = np.clip(np.rint(eye.exact_scores(thing, boxes, keys)), 0, 4).astype(int)
    readings = Readings({key: {str(i): int(exact[i, k]) for i in range(3)} for k, key in enumerate(keys)})
    told = [note for note in BATCH.evaluate(replace(plan, looked="twice"), readings).notes if "wants to be" in note]
    assert bool(told) == bool(way)
    assert not way or way in told[0]


def test_strings_are_held_against_bridges_of_the_same_reader(context: Context) -> None:
    plan = replace(BATCH.suggest(context), looked="twice")
    fine = {key: {str(i): 4 for i in range(3)} for key in ("surface", "bond", "gaps", "ridges")}

    def moved(bridges: str, strings: str) -> bool:
        scores = {"bridge": bridges, "strings": strings}
        rows = {key: {str(i): int(c) for i, c in enumerate(each)} for key, each in scores.items()}
        result = BATCH.evaluate(plan, Readings({**fine, **rows}))
        assert result.also is not None
        return not result.also["retraction_mm"]

    assert not moved("444", "233"), "the middle stair is clean"
    assert moved("444", "222")
    assert moved("444", "421"), "a longer one does better"
    assert not moved("444", "322"), "a longer one does no better to speak of"
    assert not moved("222", "222"), "somebody strict is strict with bridges too"


def test_a_batch_check_is_short(context: Context) -> None:
    assert BATCH.print_file(BATCH.suggest(context), context).seconds < 11.5 * 60
