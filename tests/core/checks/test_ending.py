"""In which state a file leaves the printer."""

from __future__ import annotations

from dataclasses import replace

import pytest

from drumbo.core.remark import BAD, NOTE, ODD, Remark
from tests.core.checks.box import box, look, only

PLAIN = box()


def _ended(text: str) -> Remark:
    return only(look(replace(PLAIN, closing=text)))


def _with(old: str, new: str) -> Remark:
    assert old in PLAIN.closing
    return _ended(PLAIN.closing.replace(old, new))


def test_a_good_ending_is_told_in_words() -> None:
    found = look(PLAIN)
    assert found.remarks == ()
    assert found.ends == ("nozzle off", "bed off", "fan off", "motors on", "head at X 5 Y 190 Z 60")


@pytest.mark.parametrize(("old", "new", "weight", "says", "do"), [
    ("M104 S0\n", "", BAD, "the nozzle is left at 210 °C at the end", "M104 S0"),
    ("M140 S0\n", "", BAD, "the bed is left at 60 °C at the end", "M140 S0"),
    ("M140 S0\n", "M140 S40\n", BAD, "the bed is left at 40 °C at the end", "M140 S0"),
    ("M107\n", "", ODD, "the fan is left running at the end", "M107"),
])  # fmt: skip
def test_what_is_left_on_is_named_with_the_word_that_ends_it(
    old: str, new: str, weight: str, says: str, do: str
) -> None:
    told = _with(old, new)
    assert (told.weight, told.text) == (weight, says)
    assert do in told.do


def test_of_two_nozzles_the_hot_one_is_named() -> None:
    both = PLAIN.closing.replace("M104 S0", "M104 T0 S0")
    told = only(look(replace(PLAIN, closing=both).before(9, "M104 T1 S180")))
    assert told.text == "the nozzle of T1 is left at 180 °C at the end"
    assert told.do == "End the file with M104 S0 T1."


def test_a_macro_may_do_what_cannot_be_seen() -> None:
    told = _with("M104 S0\nM140 S0", "PRINT_END")
    assert told.weight == NOTE
    assert "whether nozzle and bed are switched off cannot be seen: PRINT_END may do it" in told.text
    assert look(replace(PLAIN, closing=PLAIN.closing.replace("M104 S0", "PRINT_END"))).ends == ()


@pytest.mark.parametrize(("word", "says", "do"), [
    ("M220 S80", "leaves the speed factor at 80% for the next print", "M220 S100"),
    ("M221 S95", "leaves the flow factor at 95% for the next print", "M221 S100"),
    ("G91", "leaves positions relative, unlike the print", "G90"),
    ("G20", "leaves lengths in inches, unlike the print", "G21"),
])  # fmt: skip
def test_what_the_next_print_would_begin_with_is_named(word: str, says: str, do: str) -> None:
    told = _ended(f"{PLAIN.closing}\n{word}")
    assert (told.weight, told.text) == (ODD, says)
    assert told.do == f"End the file with {do}."
    assert look(replace(PLAIN, closing=f"{PLAIN.closing}\n{word}\n{do}")).remarks == ()


def test_a_lift_in_relative_mode_that_ends_again_is_none() -> None:
    lifted = f"G91\nG1 Z5 F600\nG90\n{PLAIN.closing}"
    assert look(replace(PLAIN, closing=lifted)).remarks == ()


@pytest.mark.parametrize(("away", "stays"), [
    ("", True), ("G0 X81 Y80 F6000", True), ("G0 Z4.1 F600", True),
    ("G0 X90 Y80 F6000", False), ("G0 Z9 F600", False), ("G28 X", False),
])  # fmt: skip
def test_a_head_that_stays_on_the_part_is_named(away: str, stays: bool) -> None:
    found = look(replace(PLAIN, closing=f"M107\nM104 S0\nM140 S0\n{away}"))
    assert [remark.text.startswith("the head stays on the part") for remark in found.remarks] == [True] * stays


@pytest.mark.parametrize("word", ["M0", "M1", "M600", "M226", "M25"])
def test_where_somebody_must_be_there_is_named(word: str) -> None:
    told = only(look(PLAIN.before(9, word)))
    assert (told.weight, told.layer, told.text) == (ODD, 9, f"pauses here ({word})")
