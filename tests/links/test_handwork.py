"""What is done by hand at a hot printer: whatever somebody asks for, no line goes beyond what the printer may."""

from __future__ import annotations

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from drumbo.core.errors import NotNow
from drumbo.links.hands import (
    CHUNK_MM,
    FACTORS,
    FASTEST_FEED_MM_S,
    LONGEST_FEED_MM,
    MOVES,
    Handwork,
    Limits,
    factors,
    handwork,
    sensed,
    sentence,
)
from drumbo.links.words import HeatReport, Reading

LIMITS = Limits(nozzle_max_c=260.0, bed_max_c=100.0, low=(-5.0, 0.0), high=(180.0, 200.0), highest_mm=150.0)
HOT = HeatReport(Reading(212.0, 215.0), Reading(60.0, 60.0))
WORDS = ("heat", "bed", "feed", "home", "place", "lift", "fan", "off")
LINE = re.compile(r"[GM]\d+(?: [A-Z]-?\d+(?:\.\d+)?)*")

numbers = st.one_of(
    st.floats(-3000, 3000, allow_nan=False), st.floats(-1, 1), st.integers(-300, 300),
    st.sampled_from([0.0, -0.0, 1e-7, 1e-300, 260, 260.0001, 100, 180, 200, 150, 1e9, float("inf")]),
)  # fmt: skip
heats = st.none() | st.builds(
    HeatReport, st.builds(Reading, st.floats(15, 300), st.none() | st.sampled_from([0.0, 170.0, 215.0, 260.0]))
)


def _done(text: str, told: HeatReport | None, *, homed: bool) -> Handwork | None:
    """What is done; None where that is refused, in words."""
    try:
        return handwork(text, LIMITS, told, homed)
    except NotNow as refused:
        said = str(refused)
    assert 0 < len(said.strip()) < 200
    return None


def _numbers(work: Handwork, word: str, letter: str) -> list[float]:
    """What follows a letter in all lines of a word."""
    found = [re.search(rf" {letter}(-?\d+(?:\.\d+)?)", line) for line in work.lines if line.split()[0] == word]
    return [float(each[1]) for each in found if each]


@given(st.integers(1, 10**6), st.sampled_from(WORDS), st.lists(numbers, max_size=6), heats, st.booleans())
def test_no_line_goes_beyond_what_the_printer_may(
    number: int, word: str, values: list[float], told: HeatReport | None, homed: bool
) -> None:
    work = _done(" ".join([str(number), word, *(repr(v) for v in values)]), told, homed=homed)
    if work is None:
        return
    assert work.number == number
    assert work.lines
    for line in work.lines:
        assert LINE.fullmatch(line), f"{line}: firmware reads no exponents"
    for code, most in (("M104", 260.0), ("M140", 100.0), ("M106", 255.0)):
        assert all(0 <= value <= most for value in _numbers(work, code, "S")), work.lines
    fed = _numbers(work, "G1", "E")
    if fed:
        assert told is not None, "nothing is fed by a nozzle of which nobody knows how hot it is"
        assert told.nozzle.now_c >= 170
        assert told.nozzle.now_c >= (told.nozzle.target_c or 0) - 8
        assert all(abs(length) <= CHUNK_MM + 1e-3 for length in fed), "a stop comes through soon"
        assert sum(abs(length) for length in fed) <= LONGEST_FEED_MM * max(len(values) // 2, 1) + 1
        assert all(0 < speed <= 60 * FASTEST_FEED_MM_S for speed in _numbers(work, "G1", "F"))
        assert work.lines[0] == "M83", "as much as is said, not up to there"
    moves = [line for line in work.lines if re.match(r"G1 [XYZ]", line)]
    if moves:
        assert word in MOVES
        assert homed or work.lines[0] == "G28", "it knows where its head is"
        assert "G90" in work.lines
        assert all(0 <= z <= 150 for z in _numbers(work, "G1", "Z"))
        assert all(-5 <= x <= 180 for x in _numbers(work, "G1", "X"))
        assert all(0 <= y <= 200 for y in _numbers(work, "G1", "Y"))
        up, along = moves[0], moves[1]
        assert "Z" in up, "up before it goes along"
        assert "Z" not in along


@given(st.text(max_size=60))
def test_whatever_is_no_order_is_refused_in_words(text: str) -> None:
    work = _done(text, HOT, homed=True)
    if work is not None:
        assert text.split()[1] in WORDS
        assert work.says


@pytest.mark.parametrize(("text", "says"), [
    ("1 heat 261", "the nozzle may go from 0 to 260 °C on this printer, not to 261"),
    ("1 bed 101", "the bed may go from 0 to 100 °C"),
    ("1 feed 0.01 5", "the length may go from 0.1 to 3200 mm"),
    ("1 feed 20 61", "the speed may go from 0.1 to 60 mm/s"),
    ("1 feed 20", "lacks a number"),
    ("1 feed 20 5 30", "lacks a number"),
    ("1 place 181 20 10", "X may go from -5 to 180 mm"),
    ("1 place 20 20", "lacks a number"),
    ("1 fan 101", "the fan may go from 0 to 100 %"),
    ("1 dance 5", "nothing that a printer is told by hand"),
    ("x heat 5", "nothing that a printer is told by hand"),
    ("1 heat nan", "nothing that a printer is told by hand"),
    ("", "nothing that a printer is told by hand"),
])  # fmt: skip
def test_a_refusal_says_what_may_be(text: str, says: str) -> None:
    with pytest.raises(NotNow) as told:
        handwork(text, LIMITS, HOT, homed=True)
    assert says in str(told.value)


@pytest.mark.parametrize(("now", "target", "fed"), [
    (169.0, 0.0, False), (171.0, 0.0, True), (171.0, None, True), (200.0, 215.0, False), (208.0, 215.0, True),
    (215.0, 215.0, True), (215.0, 0.0, True),
])  # fmt: skip
def test_nothing_is_fed_cold(now: float, target: float | None, fed: bool) -> None:
    told = HeatReport(Reading(now, target))
    if fed:
        assert handwork("1 feed 20 5", LIMITS, told, homed=False).lines == ("M83", "G1 E20.000 F300", "M400")
        return
    with pytest.raises(NotNow, match="wait until it is at"):
        handwork("1 feed 20 5", LIMITS, told, homed=False)


def test_a_long_feed_is_cut_into_pieces_that_are_all_of_it() -> None:
    work = handwork("1 feed 90 5 -130 25", LIMITS, HOT, homed=False)
    fed = _numbers(work, "G1", "E")
    assert sum(fed) == pytest.approx(90 - 130, abs=0.01)
    assert len(fed) == 3 + 4
    assert work.says == "Pulling 130 mm back."


@given(st.text(max_size=30) | st.builds("{} factors {} {}".format, st.integers(0, 99), numbers, numbers))
def test_a_pace_is_within_reason_or_none(text: str) -> None:
    try:
        found = factors(text)
    except NotNow:
        return
    if found is not None:
        number, *both = found
        assert number >= 0
        assert all(FACTORS[0] <= value <= FACTORS[1] for value in both)


@pytest.mark.parametrize(("said", "means"), [
    (["filament: TRIGGERED"], "in"), (["Filament_sensor: open"], "out"), (["echo: filament: present"], "in"),
    (["filament1: 0", "filament1: 1"], "in"), (["x_min: TRIGGERED"], ""), ([], ""),
])  # fmt: skip
def test_what_a_sensor_says(said: list[str], means: str) -> None:
    assert sensed(said) == means


def test_a_refusal_becomes_a_sentence() -> None:
    assert sentence("wait for it") == "Wait for it."
    assert sentence("Why?") == "Why?"
    assert sentence("") == "."
