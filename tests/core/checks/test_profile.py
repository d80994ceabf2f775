"""Where a file departs from a profile, and where it does not."""

from __future__ import annotations

from dataclasses import replace

import pytest

from drumbo.core.remark import BAD, ODD
from tests.core.checks.box import Box, box, heights, layer, look, only

PLAIN = box()
NUMBERS = {
    "nozzle_c": 210.0, "nozzle_first_c": 215.0, "bed_first_c": 60.0, "max_flow_mm3_s": 12.0, "retraction_mm": 0.8,
    "fan_percent": 100.0, "fan_off_layers": 1.0,
}  # fmt: skip


def _against(made: Box = PLAIN, /, **changed: float) -> tuple[str, ...]:
    return tuple(remark.text for remark in look(made, numbers=NUMBERS | changed).remarks)


def test_a_file_that_keeps_to_its_profile_has_no_finding() -> None:
    assert _against() == ()


@pytest.mark.parametrize(("key", "near", "far", "says"), [
    ("nozzle_c", 212.5, 213.0, "prints mostly at 210 °C; the profile says 213 °C"),
    ("nozzle_first_c", 212.5, 218.0, "lays its first layer at 215 °C; the profile says 218 °C"),
    ("bed_first_c", 62.5, 55.0, "lays its first layer on a bed of 60 °C; the profile says 55 °C"),
    ("retraction_mm", 0.99, 1.05, "retracts 0.8 mm; the profile says 1.05 mm"),
    ("retraction_mm", 0.61, 0.55, "retracts 0.8 mm; the profile says 0.55 mm"),
])  # fmt: skip
def test_a_value_is_odd_once_it_is_farther_off_than_rounding(key: str, near: float, far: float, says: str) -> None:
    assert _against(PLAIN, **{key: near}) == ()
    assert _against(PLAIN, **{key: far}) == (says,)


def test_a_long_retraction_may_differ_by_more() -> None:
    long = Box(tuple(layer(z, retract=5.0) for z in heights(20))).before(1, "M104 S210\nM106 S255")
    assert _against(long, retraction_mm=5.6) == ()
    assert _against(long, retraction_mm=6.0) == ("retracts 5 mm; the profile says 6 mm",)


def test_flow_above_the_limit_is_told_with_where_it_is() -> None:
    # 0.0814 mm² at 40 mm/s are 3.26 mm³/s.
    assert _against(max_flow_mm3_s=3.3) == ()
    told = only(look(PLAIN, numbers=NUMBERS | {"max_flow_mm3_s": 3.0}))
    assert told.weight == BAD
    assert told.text.startswith("asks for up to 3.3 mm³/s, for ")
    assert told.text.endswith("in outer walls; the profile's limit is 3")
    assert _against(max_flow_mm3_s=0.0) == (), "nobody knows a limit"


def test_only_the_lines_above_it_count() -> None:
    quick = PLAIN.but(9, layer(2.0, feed=6000))
    told = only(look(quick, numbers=NUMBERS | {"max_flow_mm3_s": 5.0}))
    assert told.layer == 10
    assert 0.01 < told.share < 0.05


@pytest.mark.parametrize(("layers", "percent", "says"), [
    (3.0, 100.0, "the fan runs at 100% on layer 2; the profile leaves it off for the first 3"),
    (1.0, 40.0, "the fan runs at 100%; the profile never goes above 40 %"),
])  # fmt: skip
def test_a_fan_that_runs_too_early_or_too_hard(layers: float, percent: float, says: str) -> None:
    told = only(look(PLAIN, numbers=NUMBERS | {"fan_off_layers": layers, "fan_percent": percent}))
    assert (told.weight, told.text) == (ODD, says)


def test_a_fan_may_be_stronger_where_the_profile_has_it_so_somewhere() -> None:
    assert _against(fan_percent=40.0, fan_bridge_percent=100.0) == ()


@pytest.mark.parametrize(("set_s", "wanted", "says"), [
    (0.04, 0.045, ()),
    (0.04, 0.06, ("runs with a pressure advance of 0.04 s; the profile says 0.06 s",)),
    (None, 0.04, ("never sets a pressure advance; the profile says 0.04 s",)),
    (0.4, 0.45, ()),
])  # fmt: skip
def test_pressure_advance(set_s: float | None, wanted: float, says: tuple[str, ...]) -> None:
    word = "" if set_s is None else f"M900 K{set_s}"
    assert _against(replace(PLAIN, opening=f"{PLAIN.opening}\n{word}"), pressure_advance_s=wanted) == says


def test_steps_with_height_are_a_tests() -> None:
    tall = box(60)
    for k, nozzle_c in enumerate((205, 200, 195)):
        tall = tall.before(15 * (k + 1), f"M104 S{nozzle_c}")
    told = only(look(tall, numbers=NUMBERS))
    assert (told.weight, told.layer) == (BAD, 16)
    assert told.text == "the nozzle steps with height (210, 205, 200, 195 … °C)"
    up_and_down = box(60).before(15, "M104 S206").before(30, "M104 S214").before(45, "M104 S208")
    assert not any("steps with height" in text for text in _against(up_and_down))
