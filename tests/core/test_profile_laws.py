"""What holds of every profile, over all of the catalogue: what rests on what, where a number comes from, and that
nothing is lost or doubted without a reason.
"""

from __future__ import annotations

import json
from dataclasses import replace
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from drumbo.core.catalogue import BY_KEY, FILAMENT, RESIN, Parameter, process_of
from drumbo.core.errors import InvalidInput
from drumbo.core.families import FAMILIES
from drumbo.core.material import Material
from drumbo.core.printer import Printer
from drumbo.core.profile import (
    Dependency,
    Origin,
    OriginKind,
    Profile,
    Status,
    Value,
    changed,
    difference,
    effective,
    proven,
    sectors,
    start,
    still_good,
)
from drumbo.core.resin import RESIN_CLASSES
from tests.conftest import plain_context, resin_context

FOUND = Origin(OriginKind.TRIAL, "a trial", 7)
HELD = {FILAMENT: plain_context().profile, RESIN: resin_context().profile}
LINKS = [
    pytest.param(process, key, rest, id=f"{key} on {rest}")
    for process, profile in HELD.items()
    for key in profile.values
    if key in BY_KEY
    for rest in BY_KEY[key].rests_on
    if rest in profile.values and rest in BY_KEY and BY_KEY[rest].tolerance is not None
]


def _far(parameter: Parameter, was: float) -> float:
    """The nearest number that is too far from another."""
    step = max(abs(was) * 0.01, 10.0**-parameter.decimals, 1e-3)
    for k in range(1, 4000):
        if parameter.moved_too_far(was, was + k * step):
            return was + k * step
    raise AssertionError(f"{parameter.key} never moves too far from {was}")


@pytest.mark.parametrize(("process", "key", "rest"), LINKS)
def test_what_was_found_is_doubted_once_what_it_rests_on_moves_and_trusted_again_when_that_is_back(
    process: str, key: str, rest: str
) -> None:
    fresh = HELD[process]
    was = fresh.number(rest)
    found = changed(fresh, {key: Value(fresh.number(key), FOUND, 0.01)})
    assert found.values[key].recheck is None
    assert found.values[key].basis[rest] == was
    far = _far(BY_KEY[rest], was)
    by_hand = Origin(OriginKind.HAND, "by hand")
    moved = changed(found, {rest: Value(far, by_hand)})
    reason = moved.values[key].recheck
    assert reason is not None
    assert BY_KEY[rest].name in reason
    assert BY_KEY[rest].show(far) in reason
    assert moved.number(key) == found.number(key), "doubted, not changed"
    back = changed(moved, {rest: Value(was, by_hand)})
    assert back.values[key].recheck is None, "without anybody saying so"
    holds = still_good(moved, key, "looked at one")
    assert holds.values[key].recheck is None
    assert holds.values[key].still_good == "looked at one"
    assert holds.values[key].basis[rest] == far
    twice = changed(holds, {rest: Value(was, by_hand)})
    doubted = twice.values[key].recheck is not None
    assert doubted == BY_KEY[rest].moved_too_far(far, was), "it held for where that was then"


@pytest.mark.parametrize("process", [FILAMENT, RESIN])
def test_what_nobody_found_good_is_never_doubted(process: str) -> None:
    fresh = HELD[process]
    rests = {rest for key in fresh.values if key in BY_KEY for rest in BY_KEY[key].rests_on}
    some = [key for key in fresh.values if key in rests and BY_KEY[key].tolerance is not None][:3]
    far = {key: Value(_far(BY_KEY[key], fresh.number(key)), FOUND) for key in some}
    assert far
    moved = changed(fresh, far)
    starts = [key for key, value in moved.values.items() if value.origin.kind is OriginKind.START]
    assert starts
    assert [key for key in starts if moved.values[key].recheck] == []


def test_a_value_of_the_other_process_is_refused_by_name() -> None:
    with pytest.raises(InvalidInput, match="is not for filament"):
        changed(HELD[FILAMENT], {"exposure_s": Value(3.0, FOUND)})
    with pytest.raises(InvalidInput, match="is not for resin"):
        changed(HELD[RESIN], {"flow_ratio": Value(1.0, FOUND)})


numbers = st.floats(-1e4, 1e4, allow_nan=False)
words = st.text(st.characters(codec="utf-8", exclude_categories=("Cs", "Cc")), max_size=30)
values = st.builds(
    Value,
    number=numbers,
    origin=st.builds(Origin, st.sampled_from(OriginKind), words, st.none() | st.integers(1, 10**6)),
    error=st.none() | st.floats(1e-6, 100),
    recheck=st.none() | words,
    basis=st.dictionaries(st.sampled_from(sorted(BY_KEY)), numbers, max_size=4),
    still_good=words,
    doubt=words,
    alone=st.none() | st.tuples(numbers, st.floats(1e-6, 10)),
)


@given(st.dictionaries(st.sampled_from([*HELD[FILAMENT].values]), values, max_size=8), words)
def test_a_profile_survives_being_written_down(held: dict[str, Value], name: str) -> None:
    profile = Profile(name, held)
    assert Profile.from_json(json.loads(json.dumps(profile.to_json()))) == profile


def test_what_is_not_known_here_is_kept_and_what_is_of_the_other_process_is_not() -> None:
    data: dict[str, Any] = HELD[FILAMENT].to_json()
    odd = Value(3.0, FOUND).to_json()
    data["values"] |= {"of_a_later_version": odd, "exposure_s": odd}
    read = Profile.from_json(data)
    assert read.number("of_a_later_version") == 3.0
    assert "exposure_s" not in read.values
    again = changed(read, {"flow_ratio": Value(0.97, FOUND)})
    assert again.number("of_a_later_version") == 3.0


@given(st.dictionaries(st.sampled_from([*HELD[FILAMENT].values]), st.floats(0.5, 1.5), max_size=5))
def test_a_difference_is_all_that_changed_and_nothing_else(times: dict[str, float]) -> None:
    before = HELD[FILAMENT]
    new = {key: Value(before.number(key) * by, FOUND, 0.1) for key, by in times.items()}
    after = changed(before, new)
    told = difference(before, after)
    assert {change.key for change in told} == {key for key in after.values if after.values[key] != before.values[key]}
    assert set(new) <= {change.key for change in told}
    order = list(BY_KEY)
    places = [order.index(change.key) for change in told]
    assert places == sorted(places), "as the catalogue has them"
    assert difference(after, after) == ()
    back = difference(after, before)
    assert [(change.key, change.after, change.before) for change in back] == [(c.key, c.before, c.after) for c in told]


# -- where a number comes from


@pytest.mark.parametrize("drive", ["direct", "bowden"])
@pytest.mark.parametrize("family", FAMILIES, ids=lambda family: str(family.key))
def test_a_start_is_within_what_the_label_and_the_printer_allow(family: Any, drive: str) -> None:
    for hottest in (250.0, 300.0):
        printer = Printer("Petrel One", drive=drive, nozzle_max_c=hottest, bed_max_c=90.0)
        low, high = family.nozzle_low_c + 5, family.nozzle_high_c - 5
        material = Material("maker", "one", family.key, "grey", "#808080", low, high, bed_low_c=30.0, bed_high_c=80.0)
        profile = start("new", material, printer)
        assert profile.number("nozzle_c") <= hottest
        assert profile.number("bed_c") <= 80
        if high <= hottest:
            assert low <= profile.number("nozzle_c") <= high
        assert {value.origin.kind for value in profile.values.values()} <= {OriginKind.START, OriginKind.LABEL}
        for key, value in profile.values.items():
            assert value.recheck is None
            assert value.error is None
            parameter = BY_KEY[key]
            assert value.number == 0 or parameter.low <= value.number <= parameter.high or value.number in {
                hottest, low, high}, key  # fmt: skip
            (winner,) = [say for say in effective(key, profile, material, printer) if say.wins]
            assert winner.number == value.number, key


@pytest.mark.parametrize("family", RESIN_CLASSES, ids=lambda family: str(family.key))
def test_a_resins_start_says_where_every_number_comes_from(family: Any) -> None:
    context = resin_context(family.key)
    for key, value in context.profile.values.items():
        says = effective(key, context.profile, context.material, context.printer)
        (winner,) = [say for say in says if say.wins]
        assert winner.number == value.number, key
        assert winner.place
    assert context.profile.values["exposure_s"].origin.kind is OriginKind.LABEL


def test_the_strongest_that_says_a_number_wins_and_a_limit_over_all() -> None:
    context = plain_context(nozzle_max_c=235.0)
    profile = changed(context.profile, {"nozzle_c": Value(222.0, Origin(OriginKind.HAND, "by hand"))})

    def told(trial: dict[str, float] | None = None) -> list[tuple[str, float | None, bool]]:
        return [(say.place, say.number, say.wins) for say in
                effective("nozzle_c", profile, context.material, context.printer, trial)]  # fmt: skip

    assert [place for place, _, _ in told()] == ["PLA start", f"label of {context.material.name}", "profile test"]
    assert told()[-1][1:] == (222.0, True)
    assert told({"nozzle_c": 230.0})[-1] == ("this trial", 230.0, True)
    assert told({"nozzle_c": 250.0})[-1] == ("limit of Petrel One", 235.0, True)
    assert sum(wins for *_, wins in told({"nozzle_c": 250.0})) == 1
    assert told({"flow_ratio": 1.1})[-1][0] == "profile test", "another value's sweep has no say"


# -- the drum


def test_a_sector_is_as_well_known_as_its_weakest_claim() -> None:
    fresh = HELD[FILAMENT]
    assert {sector.known for sector in sectors(fresh)} == {Status.START}
    hand = changed(fresh, {"flow_ratio": Value(0.97, Origin(OriginKind.HAND, ""))})
    measured = changed(hand, {"nozzle_c": Value(211.0, FOUND, 2.0)})
    by_group = {sector.group.key: sector.known for sector in sectors(measured)}
    assert by_group["heat"] is Status.MEASURED
    assert by_group["flow"] is Status.HAND
    found = changed(measured, {"flow_ratio": Value(0.96, FOUND, 0.01)})
    hotter = changed(found, {"nozzle_c": Value(_far(BY_KEY["nozzle_c"], 211.0), FOUND, 2.0)})
    doubted = next(sector for sector in sectors(hotter) if sector.group.key == "flow")
    assert doubted.known is Status.RECHECK
    assert "went from 211" in doubted.reason
    assert not proven(hotter)


@pytest.mark.parametrize("process", [FILAMENT, RESIN])
def test_a_proof_holds_only_for_what_was_printed_with_it(process: str) -> None:
    fresh = HELD[process]
    key = next(key for key in BY_KEY if "proof" in key and process_of(key) == process)
    good = changed(fresh, {key: Value(95.0, FOUND, 3.0)})
    assert proven(good)
    rest = next(rest for rest in BY_KEY[key].rests_on if rest in fresh.values and BY_KEY[rest].tolerance is not None)
    other = changed(good, {rest: Value(_far(BY_KEY[rest], fresh.number(rest)), FOUND, 0.1)})
    assert not proven(other)
    assert proven(changed(other, {rest: fresh.values[rest]}))
    assert not proven(changed(fresh, {key: Value(95.0, Origin(OriginKind.COPY, "from elsewhere"))}))


# -- along a curve


@given(st.floats(0.005, 0.03), st.floats(180, 260), st.floats(1, 30), st.floats(-40, 40))
def test_a_value_moves_along_its_curve_and_back(rate: float, at: float, number: float, by: float) -> None:
    curve = Dependency("nozzle_c", at, number, rate, low=at - 15, high=at + 15, note="a curve")
    there = curve.of(at + by)
    assert there > 0
    assert curve.where(there) == pytest.approx(at + by, abs=1e-6)
    moved = curve.through(at + by, there, "the same curve")
    assert moved.of(at) == pytest.approx(number, rel=1e-9)
    assert curve.holds(at)
    assert curve.holds(at + by) or abs(by) > 15
    hotter, cooler = curve.of(at + 10), curve.of(at - 10)
    assert hotter > number > cooler


def test_a_value_with_a_curve_follows_and_says_when_it_leaves_what_was_measured() -> None:
    fresh = HELD[FILAMENT]
    at = fresh.number("nozzle_c")
    curve = Dependency("nozzle_c", at, 12.0, 0.016, low=at - 10, high=at + 20, note="blobs")
    found = changed(fresh, {"max_flow_mm3_s": Value(12.0, FOUND, 0.5, dependency=curve)})
    hotter = changed(found, {"nozzle_c": Value(at + 10, FOUND, 2.0)})
    value = hotter.values["max_flow_mm3_s"]
    assert value.number == pytest.approx(curve.of(at + 10), abs=0.06)
    assert value.error == pytest.approx(0.5 * value.number / 12.0)
    assert "along its curve" in value.origin.note
    assert value.recheck is None
    far = changed(hotter, {"nozzle_c": Value(at + 60, FOUND, 2.0)}).values["max_flow_mm3_s"]
    assert "its curve was measured from" in (far.recheck or "")
    back = changed(hotter, {"nozzle_c": replace(fresh.values["nozzle_c"], origin=FOUND)}).values["max_flow_mm3_s"]
    assert back.number == pytest.approx(12.0, abs=0.06)
