"""Where a file prints: beside the bed, in the air, through what stands there; first and missing layers."""

from __future__ import annotations

from dataclasses import replace

import pytest

from drumbo.core.remark import BAD, NOTE
from tests.core.checks.box import PRINTER, Box, box, heights, layer, look, loop, only

PLAIN = box()
FAN = "M104 S210\nM106 S255"


def _moved(x: float, y: float) -> Box:
    return Box(tuple(layer(z, at=(x, y)) for z in heights(20))).before(1, FAN)


@pytest.mark.parametrize(("x", "y"), [(-0.7, 80), (80, -0.7), (170.8, 80), (80, 170.8)])
def test_lines_beyond_an_edge_of_the_bed_are_named(x: float, y: float) -> None:
    told = look(_moved(x, y)).remarks
    assert (told[0].weight, told[0].layer) == (BAD, 1)
    assert told[0].text == "prints beside the bed of Petrel One"
    assert 0 < told[0].share < 0.5, "one side of it alone"


@pytest.mark.parametrize(("x", "y"), [(0, 80), (80, 0), (170, 80), (80, 170), (170.4, 80)])
def test_lines_up_to_the_edge_are_none(x: float, y: float) -> None:
    assert look(_moved(x, y)).remarks == ()


def test_a_bed_whose_zero_is_its_middle_reaches_as_far_to_both_sides() -> None:
    middle = replace(PRINTER, origin="centre")
    assert look(_moved(-99, -99), printer=middle).remarks == ()
    assert look(_moved(80, 80), printer=middle).remarks[0].text == "prints beside the bed of Petrel One"
    assert look(_moved(-300, 80), printer=None).remarks == (), "whose bed it is, nobody said"


def test_a_part_that_is_too_high_for_the_printer_is_named_from_there_on() -> None:
    low = replace(PRINTER, height_mm=3.0)
    told = only(look(PLAIN, printer=low))
    assert (told.weight, told.layer) == (BAD, 16)
    assert told.text == "is 4 mm high; Petrel One has 3"
    assert told.share == pytest.approx(5 / 20, abs=0.02)
    assert look(PLAIN, printer=replace(PRINTER, height_mm=4.0)).remarks == ()


@pytest.mark.parametrize(("first_z", "fed", "says"), [
    (0.03, 1.0, "prints at a height of 0.03 mm; the nozzle scrapes over the bed"),
    (0.4, 0.5, "lays its first layer at 0.40 mm, with filament for 0.10 mm"),
    (0.08, 2.5, "lays its first layer at 0.08 mm, with filament for 0.20 mm"),
])  # fmt: skip
def test_a_first_layer_at_another_height_than_it_has_filament_for(first_z: float, fed: float, says: str) -> None:
    texts = (layer(first_z, fed=(fed * 0.5 if first_z > 0.3 else fed,) * 3),
             *(layer(first_z + 0.2 * k) for k in range(1, 20)))  # fmt: skip
    told = [remark for remark in look(Box(texts).before(1, FAN)).remarks if remark.layer == 1]
    assert len(told) == 1
    assert told[0].weight == BAD
    assert told[0].text.startswith(says.partition(", with")[0])


@pytest.mark.parametrize(("first_z", "fed"), [(0.3, 1.45), (0.2, 1.3), (0.15, 0.8)])
def test_a_first_layer_that_slicers_mean_is_none(first_z: float, fed: float) -> None:
    texts = (layer(first_z, fed=(fed,) * 3), *(layer(first_z + 0.2 * k) for k in range(1, 20)))
    assert look(Box(texts).before(1, FAN)).remarks == ()


def test_a_layer_that_is_missing_is_named_where_the_step_is() -> None:
    made = Box(PLAIN.layers[:9] + PLAIN.layers[10:])
    told = only(look(made))
    assert told.text == "a layer is missing below 2.20 mm: the step is 0.40 mm there"
    assert (told.weight, told.layer) == (BAD, 10)


def test_layers_of_many_heights_are_none_where_their_lines_have_what_they_need() -> None:
    tops, high = [], 0.0
    for step in (0.2, 0.2, 0.2, 0.3, 0.3, 0.15, 0.1, 0.1, 0.1, 0.3, 0.3, 0.2, 0.2):
        high += step
        tops.append((high, step / 0.2))
    made = Box(tuple(layer(z, fed=(more,) * 3) for z, more in tops)).before(1, FAN)
    assert look(made).remarks == ()


@pytest.mark.parametrize("gap_mm", [0.1, 0.15, 0.2])
def test_the_gap_above_a_raft_is_meant(gap_mm: float) -> None:
    raft = [layer(0.2 * (k + 1), at=(75, 75), wide=40.0, fed=(1.0,) * 44) for k in range(4)]
    part = [layer(0.8 + 0.2 * (k + 1) + gap_mm) for k in range(16)]
    assert look(Box((*raft, *part)).before(1, FAN)).remarks == ()


def _with_island(text: str) -> Box:
    return PLAIN.but(9, f"{PLAIN.layers[9]}\nG1 E-0.8 F2100\nG0 X20 Y20 F9000\nG1 E0.8 F2100\n{text}")


def test_what_begins_in_the_air_is_named_at_its_height() -> None:
    told = only(look(_with_island(loop((20, 20), 10))))
    assert (told.weight, told.layer) == (BAD, 10)
    assert told.text == "starts in the air at 2.00 mm: nothing is printed beneath it"


def test_a_crumb_in_the_air_is_none() -> None:
    assert look(_with_island(loop((20, 20), 0.4))).remarks == ()


def _two(gap: float) -> Box:
    """One box after the other, each from the bed up."""
    left = [layer(z) for z in heights(20)]
    right = [layer(z, at=(110.0 + gap, 80.0)) for z in heights(20)]
    right[0] = f"G0 Z12 F600\nM107\nG0 X{110 + gap} Y80 F9000\n{right[0]}\nM106 S255"
    return Box((*left, *right)).before(1, FAN)


def test_parts_one_after_another_are_held_against_the_room_round_the_nozzle() -> None:
    told = only(look(_two(20)))
    assert told.weight == NOTE
    assert told.text == "prints one part after another; whether the head has room is not known"
    slim = replace(PRINTER, clearance_radius_mm=15.0, clearance_height_mm=40.0)
    assert look(_two(20), printer=slim).remarks == ()
    wide = replace(slim, clearance_radius_mm=30.0)
    hit = only(look(_two(20), printer=wide))
    assert (hit.weight, hit.text) == (BAD, "the head runs into a part that is finished")
    low = replace(slim, clearance_height_mm=3.0)
    under = only(look(_two(20), printer=low))
    assert (under.weight, under.text) == (BAD, "the carriage runs into a part that is finished")


def test_a_way_through_what_stands_there_is_named() -> None:
    way = "G1 E-0.8 F2100\nG0 X20 Y20 F9000\nG0 Z1 F600\nG0 X120 Y95 F9000\nG0 Z5 F600"
    told = only(look(PLAIN.but(19, f"{PLAIN.layers[19]}\n{way}")))
    assert (told.weight, told.text) == (BAD, "travels at 1.00 mm through what is printed there already")
