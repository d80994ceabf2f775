"""How a file moves: factors, crawls, dwells, limits; each named where it begins and for as long as it lasts."""

from __future__ import annotations

import pytest

from drumbo.core.remark import BAD, NOTE, ODD
from tests.core.checks.box import Box, box, heights, layer, look, only

PLAIN = box()


@pytest.mark.parametrize(("word", "name"), [("M220", "speed"), ("M221", "flow")])
def test_a_factor_that_ends_again_is_told_for_the_lines_it_holds(word: str, name: str) -> None:
    told = only(look(PLAIN.before(10, f"{word} S70").before(15, f"{word} S100")))
    assert told.text == f"{name} factor 70% from here on, for 25% of all lines"
    assert (told.weight, told.layer) == (BAD, 11)
    assert word in told.do


@pytest.mark.parametrize("word", ["M220", "M221"])
def test_a_factor_that_nothing_is_printed_with_is_none(word: str) -> None:
    assert look(PLAIN.before(10, f"{word} S70\n{word} S100")).remarks == ()
    assert look(PLAIN.before(10, f"{word} S100.4")).remarks == ()


def test_a_layer_in_mm_a_second_that_was_meant_in_mm_a_minute_crawls() -> None:
    told = only(look(PLAIN.but(9, layer(2.0, feed=40))))
    assert (told.weight, told.layer) == (BAD, 10)
    # 346 mm of line at two thirds of a millimetre a second.
    assert told.text == "crawls at 0.7 mm/s for 9 min"
    assert told.share > 0.7


def test_a_slow_first_layer_is_no_crawl() -> None:
    slow = PLAIN.but(0, layer(0.2, feed=600))
    assert look(slow).remarks == ()
    assert look(slow).seconds > look(PLAIN).seconds + 20


def test_a_move_before_any_speed_is_named() -> None:
    bare = Box(tuple(text.replace(" F2400", "").replace(" F9000", "").replace(" F2100", "").replace(" F600", "")
                     for text in PLAIN.layers), PLAIN.opening)  # fmt: skip
    told = look(bare).remarks
    assert (told[0].weight, told[0].layer) == (BAD, 1)
    assert told[0].text.startswith("moves without a speed")


@pytest.mark.parametrize(("word", "weight", "says"), [
    ("G4 P600", ODD, "the nozzle waits on the part for 0.6 s (G4); it leaves a blob"),
    ("G4 S7", BAD, "the nozzle waits on the part for 7 s (G4); it leaves a blob"),
])  # fmt: skip
def test_a_wait_on_the_part_is_named(word: str, weight: str, says: str) -> None:
    told = only(look(PLAIN.but(9, f"{PLAIN.layers[9]}\n{word}")))
    assert (told.weight, told.layer, told.text) == (weight, 10, says)


def test_of_many_waits_the_longest_is_named_and_they_are_counted() -> None:
    many = PLAIN
    for at, seconds in ((5, 1), (9, 2), (12, 1)):
        many = many.but(at, f"{PLAIN.layers[at]}\nG4 S{seconds}")
    told = only(look(many))
    assert told.layer == 10
    assert "for 2 s (G4), 3 times in all" in told.text


@pytest.mark.parametrize("aside", [
    "G1 E-0.8 F2100\nG0 Z3 F600\nG4 S7\nG0 Z2 F600\nG1 E0.8 F2100",
    "G1 E-0.8 F2100\nG0 X20 Y20 F9000\nG4 S7\nG0 X80 Y80 F9000\nG1 E0.8 F2100",
    "G4 P200",
])  # fmt: skip
def test_a_wait_above_or_beside_the_part_or_a_short_one_is_none(aside: str) -> None:
    assert look(PLAIN.but(9, f"{PLAIN.layers[9]}\n{aside}")).remarks == ()


@pytest.mark.parametrize(("word", "says"), [
    ("M204 S7", "sets the acceleration to 7 mm/s², absurdly low"),
    ("M204 S500000", "sets the acceleration to 500000 mm/s², absurdly high"),
    ("M205 X0.01", "sets the junction speed to 0.01 mm/s, absurdly low"),
    ("M203 X0.5", "sets the most speed to 0.5 mm/s, absurdly low"),
    ("M201 X5", "sets the most acceleration to 5 mm/s², absurdly low"),
])  # fmt: skip
def test_a_limit_that_nobody_means_is_named_with_its_unit(word: str, says: str) -> None:
    told = only(look(PLAIN.before(5, word)))
    assert (told.weight, told.text) == (BAD, says)
    assert word.split(maxsplit=1)[0] in told.do


def test_limits_of_z_and_e_may_be_what_they_like() -> None:
    assert look(PLAIN.before(5, "M203 Z0.5 E0.9\nM201 Z5 E9")).remarks == ()


def test_a_file_that_sets_no_limits_says_whose_hold() -> None:
    bare = Box(PLAIN.layers, PLAIN.opening.replace("M204 S1500\nM205 X8 Y8\n", ""), PLAIN.closing)
    assert look(bare).remarks == (), "nobody asked for a profile's times"
    told = only(look(bare, numbers={"nozzle_c": 210.0}))
    assert (told.weight, told.layer) == (NOTE, 0)


def _two_tools(*, second_c: float, second_feed: float) -> Box:
    texts = [layer(z) for z in heights(20)]
    for k in range(10, 20):
        texts[k] = layer(0.2 * (k + 1), feed=second_feed)
    opening = PLAIN.opening.replace("M109 S215", "M109 S215\nM104 T1 S0")
    closing = PLAIN.closing.replace("M104 S0", "M104 T0 S0\nM104 T1 S0")
    made = Box(tuple(texts), opening, closing).before(1, "M104 T0 S210\nM106 S255")
    return made.before(10, f"T1\nM109 T1 S{second_c:g}")


def test_two_materials_that_keep_to_one_speed_are_asked_about() -> None:
    told = [remark for remark in look(_two_tools(second_c=240, second_feed=2400)).remarks if "one speed" in remark.text]
    assert len(told) == 1
    assert "T0 and T1 print at one speed (40 mm/s)" in told[0].text


@pytest.mark.parametrize(("second_c", "second_feed"), [(210, 2400), (240, 1500)])
def test_two_colours_of_one_or_two_with_limits_of_their_own_are_not(second_c: float, second_feed: float) -> None:
    found = look(_two_tools(second_c=second_c, second_feed=second_feed))
    assert not any("one speed" in remark.text for remark in found.remarks)
    assert found.tools == (0, 1)
