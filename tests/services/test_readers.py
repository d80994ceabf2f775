"""Who reads is kept with the readings, learned over the workshop's trials, and counted in."""

from __future__ import annotations

import pytest

from drumbo.core.errors import InvalidInput
from drumbo.core.fit.ordinal import USUAL, Leaning, known_of
from drumbo.services import reading, trials
from drumbo.store.database import Workshop
from tests.conftest import Begun

STRICT = {"gaps": [0, 1, 2, 3, 3, 3, 3, 3, 3], "ridges": [3, 3, 3, 3, 3, 2, 1, 0, 0]}


def _strip(house: Workshop, begun: Begun) -> int:
    number = trials.create(
        house, begun.profile, "flow-surface", trials.draft(house, begun.profile, "flow-surface").plan
    )
    trials.printed_by_hand(house, number)
    return number


def _score(house: Workshop, number: int) -> None:
    rows = {(aspect, step): score for aspect, scores in STRICT.items() for step, score in enumerate(scores)}
    reading.score_all(house, number, rows)


def test_one_who_never_gives_full_marks_is_found_strict_and_the_next_trial_knows(house: Workshop, begun: Begun) -> None:
    first, second = _strip(house, begun), _strip(house, begun)
    assert trials.sheet(house, first).readings.leaning == USUAL, "nothing is known of anybody yet"
    reading.set_reader(house, first, "  Ansa  of the hut ")
    _score(house, first)
    sheet = trials.sheet(house, first)
    assert sheet.readings.reader == "Ansa of the hut"
    assert sheet.result is not None
    assert sheet.result.reader is not None
    assert sheet.result.reader.mean < -0.4
    following = trials.sheet(house, second).readings
    assert following.reader == "Ansa of the hut", "who read last reads again, unless they say otherwise"
    assert following.leaning.mean < -0.3
    assert following.leaning.sd < USUAL.sd
    _score(house, second)
    assert trials.sheet(house, second).readings.leaning == following.leaning, "kept as it was when reading began"
    assert trials.sheet(house, first).readings.leaning == USUAL


def test_another_reader_is_another_person(house: Workshop, begun: Begun) -> None:
    first, second = _strip(house, begun), _strip(house, begun)
    _score(house, first)
    reading.set_reader(house, second, "Odd")
    _score(house, second)
    sheet = trials.sheet(house, second)
    assert (sheet.readings.reader, sheet.readings.leaning) == ("Odd", USUAL)
    assert sheet.readers == ("Odd",)
    reading.set_reader(house, second, "")
    assert trials.sheet(house, second).readings.leaning.mean < -0.3, "with no name it is whoever gave none before"
    with pytest.raises(InvalidInput, match="longer"):
        reading.set_reader(house, second, "x" * 41)


def test_what_trials_tell_adds_up_and_what_was_known_before_is_not_counted_twice() -> None:
    told = (USUAL, Leaning(-0.6, 0.42))
    once, twice = known_of([told]), known_of([told, told])
    assert once.mean == pytest.approx(-0.6, abs=0.05)
    assert twice.mean < once.mean
    assert twice.sd < once.sd
    assert known_of([(Leaning(-0.6, 0.3), Leaning(-0.6, 0.3))]) == USUAL, "what taught nothing says nothing"
    assert known_of([told] * 50).sd >= 0.2
