"""What printers say, told apart."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from drumbo.links.words import Fact, hear, heats_in


@pytest.mark.parametrize(
    ("line", "facts"),
    [
        ("ok", ["ok"]),
        ("okok", ["ok", "ok"]),
        ("ok T:210.1 /210.0 B:60.0 /60.0 @:64", ["ok"]),
        ("o\0k\r", ["ok"]),
        ("okResend: 12", ["ok", "resend"]),
        ("Resend: 12ok", ["resend", "ok"]),
        ("rs N12", ["resend"]),
        ("Error:checksum mismatch, Last Line: 11", ["refused"]),
        ("Error:No Line Number with checksum, Last Line: 3", ["refused"]),
        ("Error:No media", ["warning"]),
        ("Error:Printer halted. kill() called!", ["halt"]),
        ("Error:MINTEMP triggered, system stopped! Heater_ID: 0", ["halt"]),
        ("Error:Heating failed, system stopped! Heater_ID: bed", ["halt"]),
        ("!! thermal", ["halt"]),
        ("echo:busy: processing", ["busy"]),
        ("busy: paused for user", ["paused"]),
        ("wait", ["wait"]),
        ("start", ["boot"]),
        ("echo: External Reset", ["boot"]),
        ("//action:paused filament run-out", ["paused"]),
        ("//action:pause", ["hold"]),
        ("//action:resumed", ["resumed"]),
        ("//action:cancel", ["cancel"]),
        ("//action:prompt_begin Change it?", ["prompt"]),
        ("T:21.0 /0.0 B:20.0 /0.0", ["heat"]),
        ("echo:books are ok here", ["text"]),
        ("", []),
    ],
)
def test_one_line_means(line: str, facts: list[str]) -> None:
    assert [said.fact.value for said in hear(line)] == facts


def test_numbers_that_answers_carry() -> None:
    assert (hear("ok N12 P15 B3")[0].number, hear("ok N12 P15 B3")[0].room) == (12, 3)
    assert hear("Resend: 417")[0].number == 417
    assert hear("Resend: " + "9" * 5000)[0].number is None, "no number of a line has so many digits"
    assert hear("//action:paused filament run-out")[0].text == "filament run-out"


def test_temperatures_with_targets_of_several_tools_and_without() -> None:
    heats = heats_in("T:210.1 /210.0 B:60.0 /60.0 T0:210.1 /210.0 T1:30.5 /0.0 C:35.0 /40.0 @:64 B@:10")
    assert heats is not None
    assert heats.nozzle.target_c == 210
    assert heats.bed is not None
    assert heats.chamber is not None
    assert (heats.bed.target_c, heats.chamber.target_c) == (60, 40)
    assert [(number, reading.now_c) for number, reading in heats.tools] == [(0, 210.1), (1, 30.5)]
    assert heats.all_off is False
    assert heats_in("ok T:24 /0 B:23 /0").all_off is True
    assert heats_in("ok T:24 B:23").all_off is None, "who does not tell targets has not said that it is off"
    assert heats_in("echo:busy") is None


@given(st.text(max_size=300) | st.binary(max_size=300).map(lambda raw: raw.decode("utf-8", "replace")))
def test_whatever_comes_is_heard_without_an_exception(line: str) -> None:
    assert all(isinstance(said.fact, Fact) for said in hear(line))
