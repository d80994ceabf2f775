"""How numbers, moments and words are written on pages: each with worked answers, and what must hold of all of them."""

from __future__ import annotations

import re
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from drumbo.core.catalogue import BY_KEY
from drumbo.core.fit.ordinal import USUAL, Leaning
from drumbo.core.piece import Jaw
from drumbo.core.profile import Dependency, Origin, OriginKind, Value
from drumbo.core.run import Heaters
from drumbo.web import filters


@pytest.mark.parametrize(("seconds", "says"), [
    (0, "0 s"), (29.4, "29 s"), (31, "1 min"), (60, "1 min"), (3569, "59 min"), (3570, "1 h 00"), (5400, "1 h 30"),
    (86_400, "24 h 00"),
])  # fmt: skip
def test_a_duration_is_as_coarse_as_it_is_long(seconds: float, says: str) -> None:
    assert filters.duration(seconds) == says


@pytest.mark.parametrize(("seconds", "says"), [
    (12.4, "12 s"), (59.6, "1 min 00 s"), (316, "5 min 16 s"), (3599.4, "59 min 59 s"), (3600, "1 h 00 min"),
    (3725, "1 h 02 min"),
])  # fmt: skip
def test_times_that_are_compared_have_seconds(seconds: float, says: str) -> None:
    assert filters.clock(seconds) == says


@given(st.floats(0, 360_000), st.floats(0, 360_000))
def test_a_longer_time_never_reads_as_a_shorter_one(one: float, other: float) -> None:
    def read(text: str) -> int:
        found = {unit: int(number) for number, unit in re.findall(r"(\d+) (h|min|s)", text)}
        bare = re.search(r"h (\d+)$", text)
        return found.get("h", 0) * 3600 + found.get("min", int(bare[1]) if bare else 0) * 60 + found.get("s", 0)

    short, long = sorted((one, other))
    for written in (filters.duration, filters.clock):
        assert read(written(short)) <= read(written(long))
        assert abs(read(written(short)) - short) <= (60 if short >= 30 else 1)


def test_money_grams_and_plain_numbers() -> None:
    assert filters.money(0.3, "€") == "€ 0.30"
    assert filters.money(12.345, "£") == "£ 12.35"
    assert filters.money(None, "€") == "no price"
    assert filters.grams(1.25) == "1.2 g"
    assert filters.plain(None) == ""
    assert filters.plain(215.0) == "215"
    assert filters.plain(0.04) == "0.04"
    assert str(filters.as_choice('a "b" <c>')) == "a &#34;b&#34; &lt;c&gt;"
    assert str(filters.as_choice(0.2)) == "0.2"
    assert str(filters.as_choice(None)) == ""


def test_days_are_told_from_here() -> None:
    now = datetime.now(UTC)
    noon = now.astimezone().replace(hour=12, minute=5)
    assert filters.day(None) == ""
    assert filters.day(noon) == "today 12:05"
    assert filters.day(noon - timedelta(days=1)) == "yesterday"
    long_ago = datetime(2019, 3, 9, 12, tzinfo=UTC)
    assert filters.day(long_ago) == "9 Mar 2019"


@given(st.datetimes(datetime(2026, 1, 1), datetime(2027, 1, 1)), st.floats(60, 40 * 3600))
def test_what_begins_before_it_says_is_done_by_midnight(now: datetime, seconds: float) -> None:
    said = filters.done_by(seconds, now)
    found = re.search(r"done at about (\d\d):(\d\d)( tomorrow| in (\d+) days)?", said)
    assert found is not None
    days = 0 if not found[3] else 1 if found[3] == " tomorrow" else int(found[4])
    told = datetime(now.year, now.month, now.day) + timedelta(days=days, hours=int(found[1]), minutes=int(found[2]))
    end = now + timedelta(seconds=seconds + filters.HEATING_S)
    assert timedelta(0) <= told - end <= timedelta(minutes=5), "rounded up, never to before it is done"
    before = re.search(r"begun before (\d\d):(\d\d), by midnight", said)
    assert (before is not None) == (told.date() == now.date())
    if before is not None:
        begun = datetime(now.year, now.month, now.day, int(before[1]), int(before[2]))
        midnight = datetime(now.year, now.month, now.day) + timedelta(days=1)
        assert begun + timedelta(seconds=seconds + filters.HEATING_S) <= midnight


def _value(number: float, error: float | None = None, kind: OriginKind = OriginKind.TRIAL, **more: object) -> Value:
    return Value(number, Origin(kind), error, **more)  # type: ignore[arg-type]


def test_a_value_is_written_as_its_parameter_is() -> None:
    assert filters.shown(None, "nozzle_c") == "none"
    assert filters.shown(_value(215.4), "nozzle_c") == "215"
    assert filters.shown(_value(0.9634), "flow_ratio") == "0.963"
    assert filters.shown(_value(2.5), "of another package") == "2.5"
    zero = next(key for key, parameter in BY_KEY.items() if parameter.zero)
    assert filters.shown(_value(0.0), zero) == BY_KEY[zero].zero
    assert filters.shown(_value(1.0), zero) != BY_KEY[zero].zero


def test_after_plus_minus_stands_half_of_the_interval_that_holds_in_90_of_100() -> None:
    assert filters.plus_minus(_value(215.0), "nozzle_c") == ""
    assert filters.plus_minus(_value(215.0, 2.0), "nozzle_c") == "± 3"
    assert filters.plus_minus(_value(215.0, 0.01), "nozzle_c") == "± 1", "never surer than the last digit shown"
    assert filters.plus_minus(_value(0.964, 0.004), "flow_ratio") == "± 0.007"
    assert filters.plus_minus(_value(2.0, 0.3), "of another package") == "± 0.5"


@pytest.mark.parametrize(("value", "mark"), [
    (_value(1.0), "measured"),
    (_value(1.0, recheck="the nozzle is another"), "recheck"),
    (_value(1.0, kind=OriginKind.HAND), "hand"),
    (_value(1.0, kind=OriginKind.HAND, recheck="for a reason"), "recheck"),
    (_value(1.0, kind=OriginKind.COPY), "hand"),
    (_value(1.0, kind=OriginKind.START), "start"),
    (_value(1.0, kind=OriginKind.LABEL), "start"),
])  # fmt: skip
def test_every_state_has_its_own_shape(value: Value, mark: str) -> None:
    assert filters.state_of(value) == mark


def test_how_somebody_scores_is_told_once_it_is_more_than_chance() -> None:
    assert filters.runs(USUAL) == ""
    assert filters.runs(Leaning(0.1, 0.2)) == "scores as most do"
    assert filters.runs(Leaning(-0.44, 0.2)) == "scores about 0.4 lower than most, by earlier trials"
    assert filters.runs(Leaning(0.81, 0.2)) == "scores about 0.8 higher than most, by earlier trials"


def test_nothing_is_told_as_off_that_was_not_read_back() -> None:
    confirmed = {state for state in Heaters if "confirms it" in filters.heaters(state, "filament")}
    assert confirmed == {Heaters.OFF}
    unsure = (Heaters.TOLD, Heaters.UNKNOWN)
    for process in ("filament", "resin"):
        assert all("look" in filters.heaters(state, process) for state in unsure)
        assert "connection is gone" in filters.heaters(Heaters.GONE, process)
    assert filters.heaters(Heaters.OPEN, "filament") == ""


def test_a_law_is_shown_at_its_ends_and_half_way() -> None:
    law = Dependency("nozzle_c", 210.0, 12.0, 0.018, 200.0, 230.0)
    assert filters.along(law) == [200.0, 215.0, 230.0]


def test_a_line_of_the_ledger_is_found_by_all_its_words() -> None:
    words = filters.words_of(BY_KEY["pressure_advance_s"])
    assert BY_KEY["pressure_advance_s"].name.lower() in words
    assert words == words.lower()
    assert all(other.lower() in words for other in BY_KEY["pressure_advance_s"].also_called)


def test_a_plan_as_an_address_leaves_out_what_is_empty() -> None:
    assert filters.query({"from": 190.0, "note": "a & b", "to": None}) == "from=190.0&note=a+%26+b"


def test_jaws_are_lines_and_what_lies_on_a_scale_is_a_box() -> None:
    jaw = Jaw("wall", 2, "left", (1.0, 2.0), (3.0, 5.0), 4.2004)
    assert filters.jaw_path(jaw) == "M1.00 -2.00L3.00 -5.00"
    assert filters.jaw_path(replace(jaw, tool="scale")) == "M1.00 -2.00H3.00V-5.00H1.00Z"
    assert filters.jaw_heights([jaw]) == {"wall 2 left": (4.2, "calliper")}
