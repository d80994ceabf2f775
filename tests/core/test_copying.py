"""Copies for elsewhere: what carries over, wants a recheck, starts anew; and borrowing from another profile."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from drumbo.core.catalogue import BY_KEY, ELSEWHERE
from drumbo.core.copying import CopyOutcome, Surroundings, borrowed, copied, differences, unfit
from drumbo.core.profile import Origin, OriginKind, Profile, Value, changed, proven, start, still_good
from tests.conftest import plain_context

CONTEXT = plain_context("pla")
MATERIAL, PRINTER = CONTEXT.material, CONTEXT.printer
HERE = Surroundings(MATERIAL, PRINTER)
MEASURED = {
    "nozzle_c": 212.0, "flow_ratio": 0.97, "pressure_advance_s": 0.04, "retraction_mm": 0.7, "max_flow_mm3_s": 11.0,
    "fan_percent": 90.0, "shrinkage_percent": 0.21, "offset_mm": 0.03, "clearance_turn_mm": 0.2, "proof_percent": 96.0,
    "z_hop_mm": 0.3,
}  # fmt: skip


def _known() -> Profile:
    origin = Origin(OriginKind.TRIAL, "a trial", 7)
    return changed(start("known", *_of(HERE)), {key: Value(n, origin, 0.01) for key, n in MEASURED.items()})


def _of(place: Surroundings) -> tuple[Any, Any]:
    return place.material, place.printer


def _fates(there: Surroundings, *, layer: bool = False) -> dict[str, CopyOutcome]:
    return {c.key: c.outcome for c in copied(_known(), "copy", HERE, there, layer=layer)[1]}


def test_every_parameter_names_only_what_may_differ() -> None:
    for parameter in BY_KEY.values():
        assert set(parameter.lost_with) | set(parameter.doubted_with) <= set(ELSEWHERE)
        assert not set(parameter.lost_with) & set(parameter.doubted_with)


def test_every_parameter_says_what_too_little_and_too_much_look_like() -> None:
    for parameter in BY_KEY.values():
        if not parameter.aside:
            assert parameter.too_low.endswith("."), parameter.key
            assert parameter.too_high.endswith("."), parameter.key
        assert parameter.low < parameter.high


def test_a_copy_for_the_same_carries_all_but_says_where_it_is_from() -> None:
    made, fates = copied(_known(), "again", HERE, HERE)
    assert {c.outcome for c in fates} == {CopyOutcome.CARRIES}
    assert made.name == "again"
    assert {key: made.number(key) for key in MEASURED} == MEASURED
    assert made.values["flow_ratio"].origin == Origin(OriginKind.COPY, "copied from known")
    assert made.values["flow_ratio"].error == 0.01
    assert not [v for v in made.values.values() if v.recheck]
    assert not proven(made), "the proof was of another profile"


def test_another_nozzle_starts_max_flow_anew_and_doubts_what_the_nozzle_shapes() -> None:
    wide = Surroundings(HERE.material, replace(PRINTER, name="Petrel One, 0.6", machine="Petrel One", nozzle_mm=0.6))
    made, carried = copied(_known(), "wide", HERE, wide)
    fates = {c.key: c.outcome for c in carried}
    assert fates["max_flow_mm3_s"] == fates["proof_percent"] == fates["clearance_turn_mm"] == CopyOutcome.START
    assert fates["pressure_advance_s"] == fates["retraction_mm"] == fates["offset_mm"] == CopyOutcome.RECHECK
    assert fates["nozzle_c"] == fates["flow_ratio"] == fates["shrinkage_percent"] == CopyOutcome.CARRIES
    assert made.number("max_flow_mm3_s") == pytest.approx(12 * 1.5**1.3, abs=0.05), "as wide a nozzle starts"
    assert made.values["retraction_mm"].recheck == "it is for a nozzle of 0.6 mm instead of 0.4"
    assert "proof_percent" not in made.values


def test_another_drive_another_polymer_another_layer_height() -> None:
    bowden = Surroundings(HERE.material, replace(PRINTER, name="Skua", drive="bowden"))
    assert _fates(bowden)["retraction_mm"] == CopyOutcome.START
    assert _fates(bowden)["flow_ratio"] == CopyOutcome.RECHECK
    other = Surroundings(plain_context("petg").material, HERE.printer)
    assert _fates(other)["nozzle_c"] == _fates(other)["shrinkage_percent"] == CopyOutcome.START
    assert _fates(other)["z_hop_mm"] == CopyOutcome.CARRIES
    layers = _fates(HERE, layer=True)
    assert layers["fan_percent"] == CopyOutcome.RECHECK
    assert layers["flow_ratio"] == CopyOutcome.CARRIES


def test_what_carries_over_is_doubted_where_what_it_rests_on_does_not() -> None:
    """Hop aside, nothing of one polymer's heat holds for another; an offset that rests on flow says so."""
    known = changed(_known(), {"flow_ratio": Value(0.93, Origin(OriginKind.TRIAL, "", 9))})
    known = changed(known, {"offset_mm": Value(0.05, Origin(OriginKind.TRIAL, "", 10))})
    other = Surroundings(replace(MATERIAL, family="petg"), HERE.printer)
    _, carried = copied(known, "copy", HERE, other)
    offset = next(c for c in carried if c.key == "offset_mm")
    assert offset.outcome == CopyOutcome.RECHECK
    assert "Flow ratio went from 0.930 to" in offset.why


def test_a_doubt_stays_through_other_changes_until_somebody_says_it_holds_or_measures() -> None:
    skua = Surroundings(HERE.material, replace(PRINTER, name="Skua"))
    made, _ = copied(_known(), "copy", HERE, skua)
    assert made.values["flow_ratio"].recheck
    later = changed(made, {"fan_percent": Value(80.0, Origin(OriginKind.HAND))})
    assert later.values["flow_ratio"].recheck == made.values["flow_ratio"].recheck
    assert not still_good(later, "flow_ratio", "looked at it").values["flow_ratio"].recheck
    again = changed(later, {"flow_ratio": Value(0.98, Origin(OriginKind.TRIAL, "strip", 3))})
    assert not again.values["flow_ratio"].recheck
    assert Profile.from_json(later.to_json()) == later


def test_borrowing_says_from_where_and_doubts_what_was_found_elsewhere() -> None:
    mine = start("mine", *_of(HERE))
    same = borrowed(mine, _known(), ["flow_ratio", "retraction_mm"], HERE, HERE)
    assert same.number("flow_ratio") == 0.97
    assert same.values["retraction_mm"].origin.note == "copied from known"
    assert not same.values["flow_ratio"].recheck, "found at 212 °C, used at 210"
    assert same.values["nozzle_c"] == mine.values["nozzle_c"], "nothing else moves"
    skua = Surroundings(HERE.material, replace(PRINTER, name="Skua", drive="bowden"))
    there = borrowed(start("there", *_of(skua)), _known(), ["retraction_mm"], skua, HERE)
    assert there.number("retraction_mm") == 0.7
    assert there.values["retraction_mm"].recheck == "it is for a Bowden drive instead of a direct one"


@given(st.sets(st.sampled_from(sorted(MEASURED))), st.booleans())
def test_a_copy_never_relies_on_what_nobody_found(keys: set[str], layer: bool) -> None:
    origin = Origin(OriginKind.TRIAL, "", 1)
    profile = changed(start("some", *_of(HERE)), {key: Value(MEASURED[key], origin) for key in keys})
    other = Surroundings(HERE.material, replace(PRINTER, name="Skua", nozzle_mm=0.6))
    made, fates = copied(profile, "copy", HERE, other, layer=layer)
    assert {c.key for c in fates} == keys
    relied = {key for key, value in made.values.items() if value.origin.kind == OriginKind.COPY}
    assert relied == {c.key for c in fates if c.outcome != CopyOutcome.START}
    assert all(made.values[c.key].recheck for c in fates if c.outcome == CopyOutcome.RECHECK)
    assert all(c.why for c in fates if c.outcome != CopyOutcome.CARRIES)


def test_a_printer_that_cannot_run_it_is_told_why() -> None:
    hot = changed(_known(), {"nozzle_c": Value(290.0, Origin(OriginKind.HAND))})
    small = replace(PRINTER, nozzle_max_c=260.0)
    assert unfit(hot, small) == ("Its nozzle wants 290 °C; Petrel One may run 260.",)
    assert unfit(_known(), small) == ()
    assert differences(HERE, HERE) == {}
