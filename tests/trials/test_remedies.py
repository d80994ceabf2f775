"""Plans that cannot be: the field is named, the words say what to do, and who does that has a plan that prints."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import pytest

from drumbo.core.catalogue import RESIN
from drumbo.core.errors import InvalidInput
from drumbo.core.fields import Scalar
from drumbo.trials import kind, kinds
from drumbo.trials.base import SomeKind
from tests.conftest import plain_context, resin_context


@dataclass(frozen=True)
class Refused:
    """A plan: what is suggested on a printer, but for what somebody typed; what is said of it, at which field; and what
    to type instead, by those words.
    """

    slug: str
    typed: dict[str, Scalar]
    field: str
    says: str
    instead: dict[str, Scalar]
    printer: dict[str, Any]


def refused(
    slug: str, field: str, says: str, typed: dict[str, Scalar], instead: dict[str, Scalar], **printer: Any
) -> Any:
    """A case with its name."""
    name = f"{slug}: {field} {says}"
    return pytest.param(Refused(slug, typed, field, says, instead, printer), id=name[:90])


CASES = [
    # The two ends of a sweep, the wrong way round.
    refused(
        "temperature",
        "cold_c",
        "must be below 230 °C: the hottest step is at the bottom; swap the two",
        {"hot_c": 230.0, "cold_c": 235.0},
        {"hot_c": 235.0, "cold_c": 230.0, "step_c": 1.0},
    ),
    refused(
        "retraction-length",
        "long_mm",
        "must be above 1.4 mm: the shortest is at the bottom; swap the two",
        {"short_mm": 1.4, "long_mm": 0.6},
        {"short_mm": 0.6, "long_mm": 1.4},
    ),
    refused(
        "retraction-speed",
        "fast_mm_s",
        "must be above 70 mm/s: the slowest is at the bottom; swap the two",
        {"slow_mm_s": 70.0, "fast_mm_s": 30.0},
        {"slow_mm_s": 30.0, "fast_mm_s": 70.0},
    ),
    refused(
        "fan-bands",
        "high_percent",
        "must be above 100 %: the least is at the bottom; swap the two",
        {"low_percent": 100.0, "high_percent": 20.0},
        {"low_percent": 20.0, "high_percent": 100.0},
    ),
    refused(
        "clearance",
        "high_mm",
        "must be above 0.4 mm: the tightest is at the left; swap the two",
        {"low_mm": 0.4, "high_mm": 0.1},
        {"low_mm": 0.1, "high_mm": 0.4},
    ),
    refused(
        "bond-of-two",
        "hot_c",
        "must be above 230 °C, the coolest joint",
        {"cold_c": 230.0, "hot_c": 225.0},
        {"hot_c": 260.0},
    ),
    refused(
        "pressure-advance",
        "slow_mm_s",
        "must be well below 100 mm/s; a fifth of it is usual",
        {"slow_mm_s": 90.0},
        {"slow_mm_s": 20.0},
    ),
    refused(
        "pressure-advance",
        "grows_percent",
        "leads to 9 s at the right, which no printer needs; 11 % is usual",
        {"grows_percent": 50.0},
        {"grows_percent": 11.0},
    ),
    refused(
        "pressure-advance",
        "step_s",
        "leads to 6 s at the right, which no printer needs; 0.02 s is usual",
        {"low_s": 2.0, "step_s": 0.2, "grows_percent": 0.0},
        {"step_s": 0.02},
    ),
    # Too many steps, or too few to tell anything.
    refused("temperature", "step_c", "a step of 3 °C", {"step_c": 1.0}, {"step_c": 3.0}),
    refused("temperature", "step_c", "or a range of 14 °C", {"step_c": 1.0}, {"cold_c": 216.0}),
    refused("temperature", "step_c", "5 steps of 10 mm fit: a step of 10 °C", {}, {"step_c": 10.0}, height_mm=60.0),
    refused("temperature", "step_c", "or a range of 20 °C", {}, {"cold_c": 210.0}, height_mm=60.0),
    refused(
        "retraction-length",
        "step_length_mm",
        "gives 2 steps; 4 are the fewest",
        {"step_length_mm": 0.8},
        {"step_length_mm": 0.4},
    ),
    refused(
        "retraction-length",
        "step_length_mm",
        "gives 29 steps; 21 of 5 mm fit: a wider step",
        {"long_mm": 3.0},
        {"step_length_mm": 0.14},
    ),
    refused("retraction-length", "step_length_mm", "or a narrower range", {"long_mm": 3.0}, {"long_mm": 2.2}),
    refused(
        "retraction-length", "step_length_mm", "gives 8 steps; 7 of 5 mm fit", {}, {"short_mm": 0.4}, height_mm=40.0
    ),
    refused(
        "rising-wall",
        "high_mm3_s",
        "must be 8 mm³/s or more, for three bands",
        {"high_mm3_s": 6.5},
        {"high_mm3_s": 8.0},
    ),
    refused(
        "rising-wall",
        "step_mm3_s",
        "makes 66 bands; 24 is the most. Take a larger step",
        {"step_mm3_s": 0.2},
        {"step_mm3_s": 0.6},
    ),
    refused(
        "fan-bands",
        "step_percent",
        "gives 2 bands; 4 to 11 will do: 33 % or less",
        {"step_percent": 60.0},
        {"step_percent": 33.0},
    ),
    refused("clearance", "step_gap_mm", "gives 2 holes; 4 to 12 fit", {"step_gap_mm": 0.3}, {"step_gap_mm": 0.1}),
    refused("bond-of-two", "step_c", "makes 23 pegs; 4 to 8 can be told apart", {"step_c": 2.0}, {"step_c": 7.0}),
    refused(
        "weighed-blobs",
        "high_mm3_s",
        "must be 9.0 mm³/s or more, half as much again",
        {"high_mm3_s": 6.1},
        {"high_mm3_s": 9.0},
    ),
    refused(
        "weighed-blobs", "hot_c", "must be 210 °C or more for 3 rows 5 °C apart", {"hot_c": 205.0}, {"hot_c": 210.0}
    ),
    refused("weighed-blobs", "repeats", "makes 15 rows; 9 is the most", {"repeats": 5}, {"repeats": 3}),
    refused(
        "cure-on-glass",
        "longest_s",
        "must be at least 7.8 s: the skins would be alike",
        {"longest_s": 3.3},
        {"longest_s": 7.8},
    ),
    refused(
        "first-layer", "patches", "must be odd, so that one is in the middle: 3, 5 or 7", {"patches": 4}, {"patches": 3}
    ),
    refused("changeover", "most_mm", "goes in steps of 30 mm, as the digits do", {"most_mm": 151}, {"most_mm": 180}),
    # What would not come out, or hurt something.
    refused(
        "flow-surface",
        "step_ratio",
        "takes the last pad to 1.620; at most 1.6 can be printed",
        {"step_ratio": 0.09},
        {"step_ratio": 0.08},
    ),
    refused(
        "rising-wall",
        "layer_mm",
        "is too high for a line of 0.36 mm",
        {"width_mm": 0.36, "layer_mm": 0.35},
        {"layer_mm": 0.25, "high_mm3_s": 13.0},
    ),
    refused("rising-wall", "high_mm3_s", "End at 12.6", {"width_mm": 0.36, "layer_mm": 0.2}, {"high_mm3_s": 12.6}),
    refused(
        "rising-wall",
        "high_mm3_s",
        "or print thicker layers or a wider line",
        {"width_mm": 0.36, "layer_mm": 0.2},
        {"width_mm": 0.6, "layer_mm": 0.35},
    ),
    refused(
        "first-layer",
        "step_mm",
        "puts the lowest patch at -0.06 mm; 0.08 is the least",
        {"step_mm": 0.15},
        {"step_mm": 0.05},
    ),
    refused("first-layer", "middle_mm", "it would not touch. Go lower", {"middle_mm": 0.5}, {"middle_mm": 0.3}),
    refused(
        "extruder-steps",
        "mark_mm",
        "must be at least 110 mm: the mark must not reach the drive",
        {"mark_mm": 100.0},
        {"mark_mm": 110.0},
    ),
    refused(
        "clearance",
        "high_mm",
        "in a hole of 7 mm; stay below 2.5",
        {"high_mm": 5.0, "step_gap_mm": 0.7},
        {"high_mm": 2.45, "step_gap_mm": 0.3},
    ),
    refused(
        "dimensions",
        "middle_mm",
        "must be 32 mm or more, for a gap before its tooth",
        {"middle_mm": 20.0},
        {"middle_mm": 32.0},
    ),
    refused("batch-check", "heat_c", "makes 304 °C; Petrel One may run 300", {"nozzle_c": 296.0}, {"heat_c": 4.0}),
    refused(
        "batch-check",
        "nozzle_c",
        "makes 147 °C on the cooler stair; below 150 nothing flows",
        {"nozzle_c": 155.0},
        {"heat_c": 5.0},
    ),
    refused(
        "bond-of-two",
        "hot_c",
        "is more than the 300 °C that the printer may run",
        {"hot_c": 320.0, "step_c": 16.0},
        {"hot_c": 300.0},
    ),
    refused(
        "support-tips",
        "step_mm",
        "makes tips of 2.95 mm; beyond 1.4 they would touch: 0.17 or less would do",
        {"step_mm": 0.4},
        {"step_mm": 0.17},
    ),
    refused("rest-before-light", "step", "the last levels would rest less than no time", {"step": 1.0}, {"step": 0.4}),
    refused(
        "lift-and-rest",
        "shorter_by",
        "the last levels would rest less than no time",
        {"shorter_by": 1.0},
        {"shorter_by": 0.4},
    ),
    # Two things that go together.
    refused("flow-wall", "known_error", "is needed too", {"known_ratio": 0.98}, {"known_error": 0.01}),
    refused(
        "exposure-coupon",
        "critical_s",
        "is needed too: a working curve has both",
        {"reach_um": 120.0},
        {"critical_s": 1.6},
    ),
    refused(
        "exposure-coupon",
        "way",
        "takes one light a layer; print one for each",
        {"way": "one"},
        {"way": "each"},
        lights_apart="no",
    ),
    refused(
        "bottom-feet",
        "way",
        "takes one light a layer; print one for each",
        {"way": "one"},
        {"way": "each"},
        lights_apart="no",
    ),
    # No room.
    refused("pressure-advance", "roads", "11 fit side by side", {"roads": 12}, {"roads": 11}, bed_x_mm=100.0),
    refused("retraction-restart", "count", "14 arches fit on this bed", {"count": 15}, {"count": 14}),
    refused(
        "rising-wall",
        "band_mm",
        "makes a wall higher than the 40 mm of Petrel One",
        {},
        {"band_mm": 2.0},
        height_mm=40.0,
    ),
    refused(
        "first-layer",
        "patches",
        "2 combs along each side take 3",
        {"patches": 7},
        {"patches": 3, "across": 2},
        bed_x_mm=100.0,
    ),
    refused("first-layer", "across", "have no room from front to back: 2 do", {}, {"across": 2}, bed_y_mm=80.0),
    refused("exposure-coupon", "coupons", "the screen has room for", {"coupons": 20}, {"coupons": 5}),
    refused(
        "cure-shrinkage",
        "longest_mm",
        "the screen has room for 92 × 37 mm",
        {"longest_mm": 200.0},
        {"longest_mm": 92.0},
    ),
    refused("bottom-feet", "feet", "the screen has room for", {"feet": 14}, {"feet": 6}),
    refused("lamp-map", "columns", "have no room on 95 mm; 9 do", {"columns": 40}, {"columns": 9}),
    refused(
        "lamp-map",
        "wide_mm",
        "is 95.00 mm on Gannet Light: the map is of its whole screen",
        {"wide_mm": 80.0},
        {"wide_mm": 95.0},
    ),
]


def _planned(trial: SomeKind, printer: dict[str, Any], *typed: dict[str, Scalar]) -> tuple[Any, Any]:
    context: Any = resin_context(**printer) if trial.process == RESIN else plain_context(**printer)
    plan = trial.suggest(context)
    for changes in typed:
        for key, value in changes.items():
            plan = plan.with_value(key, value)
    return plan, context


@pytest.mark.parametrize("case", CASES)
def test_the_remedy_is_one(case: Refused) -> None:
    trial = kind(case.slug)
    plan, context = _planned(trial, case.printer, case.typed)
    with pytest.raises(InvalidInput) as told:
        trial.check(plan, context)
    assert list(told.value.problems) == [case.field]
    assert case.says in told.value.problems[case.field]
    assert case.field in {field.key for field in trial.fields(context)}, "it is said beside a field that there is"
    plan, context = _planned(trial, case.printer, case.typed, case.instead)
    trial.check(plan, context)
    assert len(trial.steps(plan)) >= 1
    assert trial.piece(plan, context).places, "and it can be drawn"


REFUSED_ALONE = [
    ("weighed-blobs", "flows", {"bed_x_mm": 80.0, "bed_y_mm": 80.0}),
    ("clearance", "high_mm", {"bed_y_mm": 60.0}),
    ("pressure-advance", "roads", {"bed_y_mm": 100.0}),
    ("first-layer", "patches", {"bed_x_mm": 70.0}),
    ("first-layer", "across", {"bed_y_mm": 60.0}),
    ("clearance", "high_mm", {"bed_x_mm": 60.0}),
    ("batch-check", "heat_c", {"nozzle_max_c": 212.0}),
    ("print-through", "tile_mm", {"height_mm": 1.5}),
]


@pytest.mark.parametrize(("slug", "field", "printer"), REFUSED_ALONE)
def test_what_a_printer_cannot_do_at_all_is_told_with_what_it_would_need(
    slug: str, field: str, printer: dict[str, float]
) -> None:
    trial = kind(slug)
    plan, context = _planned(trial, printer)
    with pytest.raises(InvalidInput) as told:
        trial.check(plan, context)
    assert list(told.value.problems) == [field]
    needs = told.value.problems[field]
    assert any(character.isdigit() for character in needs), needs
    plan, context = _planned(trial, {})
    trial.check(plan, context)


WARNED = [
    ("temperature", {"hot_c": 231.0}, "hot_c", "the label says no more than 230 °C"),
    ("retraction-restart", {"what": "coast", "low_mm": -0.1}, "step_mm", "more than 0.2 is unusual"),
    ("batch-check", {"flow_ratio": 0.9}, "flow_ratio", "the profile has 1.000: the check is of that"),
    ("cure-on-glass", {"rows": 1}, "rows", "a torn one cannot be told from a thin one"),
]


@pytest.mark.parametrize(("slug", "typed", "field", "says"), WARNED)
def test_what_is_unusual_is_said_and_not_refused(slug: str, typed: dict[str, Scalar], field: str, says: str) -> None:
    trial = kind(slug)
    plan, context = _planned(trial, {}, typed)
    assert says in trial.check(plan, context)[field]
    usual, context = _planned(trial, {})
    assert field not in trial.check(usual, context)


def test_every_kind_that_can_be_planned_wrongly_is_here() -> None:
    """What refuses nothing has nothing that could be wrong but its bounds, or no choice at all."""
    told = {case.values[0].slug for case in CASES} | {slug for slug, *_ in REFUSED_ALONE}
    assert {slug for slug in kinds() if slug not in told} == {"proof-part", "bottle-check", "lift-speed", "resin-proof"}
