"""A printer by hand: what a strict one took, what is refused, and that it always ends cold; by the real process."""

from __future__ import annotations

import time
from pathlib import Path

import pytest

from bench.faults import TIMING
from drumbo.core.errors import NotNow
from drumbo.links.hands import Limits, handwork
from drumbo.links.journal import JournalEntry, last_entry
from drumbo.links.runs import GO_ON, HAND, PRINT, STOP, RunOrder, Runs
from drumbo.links.words import HeatReport, Reading
from drumbo.standins.line.session import LineServer
from drumbo.standins.line.strict import StrictPrinter
from tests.conftest import PATIENCE_S

LIMITS = {"nozzle_max_c": 280, "bed_max_c": 110, "low": [0, 0], "high": [220, 220], "highest_mm": 250}
HOT = HeatReport(Reading(208.0, 210.0))


def _done(runs: Runs, name: str, number: int) -> JournalEntry:
    until = time.monotonic() + PATIENCE_S
    while (entry := last_entry(runs.folder(name))) is None or entry.did < number:
        assert time.monotonic() < until, entry
        time.sleep(0.02)
    return entry


def _ready(runs: Runs, name: str) -> None:
    until = time.monotonic() + PATIENCE_S
    while (entry := last_entry(runs.folder(name))) is None or entry.heat is None:
        assert time.monotonic() < until, entry
        time.sleep(0.02)


def test_heated_fed_moved_and_left_cold(runs: Runs, server: LineServer, printer: StrictPrinter) -> None:
    name = runs.begin(RunOrder(HAND, server.link, limits=LIMITS, timing=TIMING))
    _ready(runs, name)
    assert _done(runs, name, runs.hand(name, "feed 20 5")).refused.startswith("The nozzle is at 25 °C; wait until")
    assert "home it first" in _done(runs, name, runs.hand(name, "place 10 10 50")).refused.lower()
    with pytest.raises(NotNow, match="longer than"):
        runs.hand(name, "feed" + " 20 5" * 14)
    assert not _done(runs, name, runs.hand(name, "heat 210")).refused
    until = time.monotonic() + PATIENCE_S
    while (entry := last_entry(runs.folder(name))) is None or (entry.heat or {}).get("nozzle_c", 0.0) < 202:
        assert time.monotonic() < until, entry
        time.sleep(0.02)
    fed = _done(runs, name, runs.hand(name, "feed 8 5 -80 25"))
    assert (fed.refused, fed.fed_mm) == ("", -72.0)
    _done(runs, name, runs.hand(name, "home"))
    assert not _done(runs, name, runs.hand(name, "place 10 10 50")).refused
    assert printer.accepted == [
        "M104 S210", "M83", "G1 E8.000 F300", "G1 E-40.000 F1500", "G1 E-40.000 F1500", "M400", "G28", "M400", "G90",
        "G1 Z50 F600", "G1 X10 Y10 F3000", "M400",
    ]  # fmt: skip
    runs.order(name, GO_ON)
    ended = runs.wait(name, PATIENCE_S)
    assert ended is not None
    assert (ended.state, ended.heaters) == ("done", "off")
    assert not printer.hot
    assert printer.odd == []


def test_where_nobody_comes_back_it_goes_cold_by_itself(runs: Runs, server: LineServer, printer: StrictPrinter) -> None:
    name = runs.begin(RunOrder(HAND, server.link, limits=LIMITS, timing=TIMING, waits_s=4.0))
    _ready(runs, name)
    _done(runs, name, runs.hand(name, "heat 210"))
    _done(runs, name, runs.hand(name, "bed 60"))
    ended = runs.wait(name, PATIENCE_S)
    assert ended is not None
    assert (ended.state, ended.heaters) == ("done", "off")
    assert "No command came for 4 s" in ended.message
    assert not printer.hot


def test_filament_is_fed_while_a_print_pauses_but_its_head_stays(
    tmp_path: Path, runs: Runs, server: LineServer, printer: StrictPrinter
) -> None:
    file = tmp_path / "print.gcode"
    lines = ["M104 S210", "M109 S210", "G90", "M82", "G1 X10 Y10 Z0.2 F3000", "G1 X50 E2", "G1 X10 E4"]
    file.write_text("\n".join(lines) + "\n")
    order = RunOrder(PRINT, server.link, file=str(file), timing=TIMING, rests=(7,), limits=LIMITS)
    name = runs.begin(order)
    until = time.monotonic() + PATIENCE_S
    while (entry := last_entry(runs.folder(name))) is None or entry.state != "paused":
        assert time.monotonic() < until
        time.sleep(0.02)
    assert "stays where it is" in _done(runs, name, runs.hand(name, "home")).refused
    assert _done(runs, name, runs.hand(name, "feed -80 25")).fed_mm == -80
    assert _done(runs, name, runs.hand(name, "feed 100 5")).fed_mm == 20
    runs.order(name, STOP)
    ended = runs.wait(name, PATIENCE_S)
    assert ended is not None
    assert (ended.state, ended.heaters) == ("stopped", "off")


@pytest.mark.parametrize(
    ("what", "why"),
    [
        ("heat 300", "from 0 to 280"),
        ("heat nan", "nothing that a printer is told"),
        ("bed -5", "from 0 to 110"),
        ("feed 20", "lacks a number"),
        ("feed 5000 5", "the length may go"),
        ("place 10 10 400", "Z may go from 0 to 250"),
        ("place 10 300 40", "Y may go from 0 to 220"),
        ("fan 120", "the fan may go"),
        ("M112", "nothing that a printer is told"),
        ("heat 1\nM104 S400", "nothing that a printer is told"),
    ],
)
def test_what_lies_beyond_its_limits_is_refused(what: str, why: str) -> None:
    with pytest.raises(NotNow, match=why):
        handwork(f"1 {what}", Limits.of(LIMITS), HOT, homed=True)


def test_nothing_is_fed_while_the_nozzle_is_cold_or_does_not_say() -> None:
    limits = Limits.of(LIMITS)
    with pytest.raises(NotNow, match="wait until it is at 202"):
        handwork("1 feed 20 5", limits, HeatReport(Reading(190.0, 210.0)), homed=False)
    with pytest.raises(NotNow, match="does not tell"):
        handwork("1 feed 20 5", limits, None, homed=False)
    assert handwork("1 feed 20 5", limits, HOT, homed=False).lines == ("M83", "G1 E20.000 F300", "M400")
