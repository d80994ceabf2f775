"""Typed values, and profiles that know where their values came from."""

import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from drumbo.core.catalogue import BY_KEY, FILAMENT, GROUPS, PARAMETERS, RESIN, groups_of, of_process, process_of
from drumbo.core.errors import InvalidInput
from drumbo.core.families import FAMILIES
from drumbo.core.fields import Field, number, read_all
from drumbo.core.material import Material, read_material
from drumbo.core.printer import Printer
from drumbo.core.processes import PROCESSES
from drumbo.core.profile import (
    Origin,
    OriginKind,
    Profile,
    Status,
    Value,
    changed,
    difference,
    effective,
    sectors,
    start,
)
from drumbo.core.resin import RESIN_CLASSES, Resin, ResinPrinter
from tests.conftest import LABEL, plain_context


@pytest.mark.parametrize(
    ("typed", "value"),
    [("1,75", 1.75), ("1.75 mm", 1.75), (" 1,75MM ", 1.75), ("−0.3", -0.3), (".5", 0.5), ("210", 210), (3, 3)],
)
def test_a_number_is_read_as_makers_type_it(typed: str | float, value: float) -> None:
    assert number("x", typed, "mm") == value


@pytest.mark.parametrize(("typed", "unit", "value"), [
    ("1750 µm", "mm", 1.75), ("1750 um", "mm", 1.75), ("1750 \u03bcm", "mm", 1.75),
    ('0.5"', "mm", 12.7), ("0.5 in", "mm", 12.7), ("22 cm", "mm", 220),
    ("0.05 mm", "µm", 50), ("1200 mm/min", "mm/s", 20), ("3 mm/s", "mm/min", 180),
    ("12 mm3/s", "mm³/s", 12), ("720 mm³/min", "mm³/s", 12), ("1500 mm/s2", "mm/s²", 1500), ("40 ms", "s", 0.04),
    ("6 hours", "h", 6), ("90 min", "h", 1.5), ("1 kg", "g", 1000), ("0,5 l", "ml", 500), ("97 %", "× flow", 0.97),
    ("1240 kg/m3", "g/cm³", 1.24), ("4 mw/cm2", "mW/cm²", 4), ("2560 pixels", "pixels", 2560), ("215 °C", "°C", 215),
    ("215c", "°C", 215), ("45°", "° from upright", 45), ("80 mm", "mm of filament", 80), ("60 %", "%", 60),
])  # fmt: skip
def test_a_unit_behind_a_number_is_turned_into_ours(typed: str, unit: str, value: float) -> None:
    assert number("x", typed, unit) == value


@pytest.mark.parametrize(("typed", "unit", "remedy"), [
    ("419 °F", "°C", "write it in °C"), ("488 K", "°C", "write it in °C"), ("5 s", "mm", "write it in mm"),
    ("3 mm", "", "write the number alone"), ("2 kg", "pixels", "write it in pixels"),
    ("8 mm", "mm/s", "write it in mm/s"),
])  # fmt: skip
def test_a_unit_that_cannot_be_is_refused_and_never_taken_for_ours(typed: str, unit: str, remedy: str) -> None:
    with pytest.raises(InvalidInput, match=remedy):
        number("x", typed, unit)


def test_every_field_takes_its_own_unit() -> None:
    asked = [f for p in PROCESSES.values() for f in (*p.printer_fields, *p.material_fields) if f.kind == "number"]
    assert len(asked) >= 40
    for field in asked:
        assert number(field.key, f"7 {field.unit}", field.unit) == 7, field.key


@pytest.mark.parametrize("typed", ["", "abc", "1,234.5", "1.2.3", "12 34", "nan", "inf", float("nan"), "--3"])
def test_what_is_no_number_is_refused_with_the_field(typed: str | float) -> None:
    with pytest.raises(InvalidInput) as caught:
        number("diameter_mm", typed)
    assert "diameter_mm" in caught.value.problems


def test_all_problems_of_a_label_are_told_at_once() -> None:
    with pytest.raises(InvalidInput) as caught:
        read_material({**LABEL, "nozzle_low_c": "warm", "colour": "", "family": "cheese"})
    assert set(caught.value.problems) == {"nozzle_low_c", "colour", "family"}
    with pytest.raises(InvalidInput) as caught:
        read_material({**LABEL, "nozzle_low_c": "230", "nozzle_high_c": "200"})
    assert "swap" in caught.value.problems["nozzle_high_c"]


def test_a_field_says_its_bounds_and_wholeness() -> None:
    field = Field("step_c", "Step", "°C", low=1, high=10, whole=True)
    for typed, word in (("0", "below 1"), ("11", "above 10"), ("2.5", "whole")):
        with pytest.raises(InvalidInput, match=word):
            field.read(typed)
    assert read_all([field, Field("note", "Note", kind="text", required=False)], {"step_c": "5"}) == {
        "step_c": 5, "note": None,
    }  # fmt: skip


def test_the_catalogue_hangs_together() -> None:
    groups = {group.key for group in GROUPS}
    for parameter in PARAMETERS:
        assert parameter.group in groups
        assert set(parameter.rests_on) <= set(BY_KEY), parameter.key
        assert parameter.low < parameter.high
    for kin in FAMILIES:
        for drive in ("direct", "bowden"):
            values = kin.starting_values(drive, 0.4)
            held = _starting(FILAMENT)
            assert set(values) == held, "every parameter of a profile has a starting value"
            unusual = {key for key, value in values.items() if BY_KEY[key].warn(value)}
            assert not unusual, f"{kin.key}: starting values are usual ones"


def _starting(process: str) -> set[str]:
    groups = {group.key for group in groups_of(process)}
    return {p.key for p in PARAMETERS if p.scope == "profile" and not p.found and p.group in groups}


def test_resin_classes_start_with_every_parameter_of_a_resin_profile() -> None:
    for kin in RESIN_CLASSES:
        bottle = Resin("m", "p", kin.key, "grey", "#888888")
        profile = start("x", bottle, ResinPrinter("lit"), {"layer_um": 50.0})
        assert set(profile.values) == _starting(RESIN)
        unusual = {key for key, value in profile.numbers().items() if BY_KEY[key].warn(value)}
        assert not unusual, f"{kin.key}: starting values are usual ones"


def test_a_resin_profile_starts_from_its_label_at_the_chosen_layer_height() -> None:
    bottle = Resin("m", "p", "resin-standard", "grey", "#888888", exposure_s=2.4, exposure_layer_um=50)
    half, whole = (start("x", bottle, ResinPrinter("lit"), {"layer_um": um}) for um in (25.0, 50.0))
    assert whole.number("exposure_s") == 2.4
    assert whole.values["exposure_s"].origin.kind == OriginKind.LABEL
    assert half.number("exposure_s") == pytest.approx(2.4 * math.exp(-0.75 * 25 / 130), abs=0.005)
    assert {s.group.key for s in sectors(whole)} == {"light", "exposure", "fit", "bottom", "lift", "proof-resin"}
    assert Profile.from_json(whole.to_json()) == whole


def test_a_start_is_bounded_by_label_and_printer() -> None:
    material = Material("m", "p", "pa", "natural", "#ffffff", 240, 255)
    profile = start("x", material, Printer("cold", nozzle_max_c=250, bed_max_c=80))
    assert profile.number("nozzle_c") == 250
    assert profile.values["nozzle_c"].origin.note == "as hot as cold may run"
    assert profile.number("bed_c") == 80
    assert profile.values["density_g_cm3"].origin.kind == OriginKind.LABEL


def _measured(value: float, trial: int = 7) -> Value:
    return Value(value, Origin(OriginKind.TRIAL, "tower", trial), 2.0)


def test_a_moved_temperature_marks_what_was_relied_on() -> None:
    profile = plain_context().profile
    by_hand = Origin(OriginKind.HAND)
    relied = changed(profile, {"flow_ratio": Value(0.97, by_hand), "retraction_mm": Value(1.0, by_hand)})
    small = changed(relied, {"nozzle_c": _measured(profile.number("nozzle_c") + 5)})
    assert not any(v.recheck for v in small.values.values()), "5 °C is within the tolerance"
    large = changed(relied, {"nozzle_c": _measured(profile.number("nozzle_c") + 10)})
    marked = {key for key, value in large.values.items() if value.recheck}
    assert marked == {"flow_ratio", "retraction_mm"}, "starting values need no recheck: nobody relied on them"
    assert large.values["flow_ratio"].recheck == "Nozzle, other layers went from 210 to 220 °C"
    state = {s.group.key: s.known for s in sectors(large)}
    assert state["heat"] is Status.MEASURED
    assert state["flow"] is Status.RECHECK
    assert state["cooling"] is Status.START
    assert {c.key for c in difference(relied, large)} == {"nozzle_c", "flow_ratio", "retraction_mm"}
    assert relied.values["flow_ratio"].recheck is None, "the older revision is untouched"


def test_why_220_has_an_answer() -> None:
    context = plain_context(nozzle_max_c=225.0)
    says = effective("nozzle_c", context.profile, context.material, context.printer)
    assert [s.place for s in says if s.wins] == ["profile test"]
    swept = effective("nozzle_c", context.profile, context.material, context.printer, {"nozzle_c": 230})
    assert [(s.place, s.number) for s in swept if s.wins] == [("limit of Petrel One", 225)]


numbers = st.floats(-1e6, 1e6, allow_nan=False)
origins = st.builds(Origin, st.sampled_from(OriginKind), st.text(max_size=20), st.none() | st.integers(1, 99))
values = st.builds(Value, numbers, origins, st.none() | st.floats(0, 10), st.none() | st.text(max_size=20))


own_keys = st.sampled_from([p.key for p in of_process(FILAMENT)])
later_keys = st.text(max_size=8).filter(lambda key: process_of(key) is None)


@given(st.dictionaries(own_keys | later_keys, values, max_size=12))
def test_a_profile_survives_json(held: dict[str, Value]) -> None:
    profile = Profile("any", held)
    assert Profile.from_json(profile.to_json()) == profile


def test_a_difference_is_empty_only_for_equals() -> None:
    profile = plain_context().profile
    assert difference(profile, profile) == ()
    other = replace(profile, values={**profile.values, "bed_c": _measured(61)})
    assert [c.key for c in difference(profile, other)] == ["bed_c"]
