"""Switching off, on many kinds of firmware and in the middle of whatever goes wrong: what is told as off is off."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from random import Random

import pytest

from bench.faults import FIRMWARE, TIMING
from drumbo.core.errors import LinkError
from drumbo.core.run import Heaters
from drumbo.links.closing import Closing, connect
from drumbo.links.talk import Talk, Timing
from drumbo.links.words import HeatReport, Reading
from drumbo.standins.line.manners import Cable
from drumbo.standins.line.session import LineServer
from drumbo.standins.line.strict import StrictPrinter

QUICK = Timing(**{**TIMING, "hello_s": 2.0, "reopen_s": 2.0, "slow_s": 8.0})
WRONG = ("", "lost-ok", "garbled-ok", "doubled-ok", "drop-byte", "resend-old", "reset", "silent-reset", "power-cut",
         "drop-connection", "vanish", "stall", "runaway", "kill", "cancel", "prompt", "busy", "soft-error")  # fmt: skip
KINDS = ("roomy", "plain, flushing", "small buffer", "told by number", "no ok after a request", "short words")
HARMLESS = frozenset({"", "doubled-ok", "drop-byte", "soft-error", "lost-ok", "garbled-ok", "resend-old"})
ONE_TOOL, THREE_TOOLS = {"T": 215.0, "B": 60.0}, {"T": 215.0, "B": 60.0, "T1": 240.0, "T2": 230.0}


def _nothing() -> None:
    pass


def _ended(
    firmware: str, fault: str, at: int, targets: dict[str, float], noise: int = 0
) -> tuple[Heaters, bool, HeatReport | None]:
    """Switch a hot printer off: what is told of its heaters, whether it is still hot, and its last report."""
    printer = StrictPrinter(heat_s=0.05, manners=FIRMWARE[firmware])
    printer.targets = dict(targets)
    if fault:
        printer.faults[fault] = at
    server = LineServer(printer, cable=Cable(at, noise))
    server.start()

    def again() -> Talk:
        return connect(server.link, 115200, QUICK, _nothing, off=True)

    try:
        seen = HeatReport(Reading(200.0, 215.0), Reading(55.0, 60.0), tools=tuple(
            (int(key[1:]), Reading(200.0, target)) for key, target in targets.items() if len(key) > 1))  # fmt: skip
        told, report = Closing(again, QUICK, _nothing, seen if len(targets) == 2 else None).finish(None, quick=True)
        return told, printer.hot, report
    finally:
        server.close()


@pytest.mark.parametrize("firmware", KINDS)
def test_what_is_told_as_off_is_off(firmware: str) -> None:
    drawn = Random(firmware)
    cases = [(fault, drawn.randint(1, 6)) for fault in WRONG]
    with ThreadPoolExecutor(len(cases)) as pool:
        ends = list(pool.map(lambda case: _ended(firmware, case[0], case[1], ONE_TOOL), cases))
    for (fault, at), (told, hot, report) in zip(cases, ends, strict=True):
        where = f"{fault or 'nothing'} at {at}"
        assert told in {Heaters.OFF, Heaters.TOLD, Heaters.GONE}, where
        assert not (told is Heaters.OFF and hot), f"{where}: told as off, and hot"
        if told is Heaters.OFF:
            assert report is not None, where
            assert report.all_off, where
        if fault in HARMLESS:
            assert told is Heaters.OFF, f"{where}: it could have been switched off"
    assert sum(told is Heaters.OFF for told, *_ in ends) >= len(HARMLESS)


def test_every_nozzle_is_switched_off_and_read_back() -> None:
    told, hot, report = _ended("roomy", "", 1, THREE_TOOLS)
    assert (told, hot) == (Heaters.OFF, False)
    assert report is not None
    assert len(report.all) >= 4


@pytest.mark.parametrize("noise", [4, 9])
def test_on_a_bad_line_it_is_off_or_not_told_to_be(noise: int) -> None:
    with ThreadPoolExecutor(6) as pool:
        ends = list(pool.map(lambda seed: _ended("plain", "", seed, ONE_TOOL, noise), range(1, 7)))
    assert all(not (told is Heaters.OFF and hot) for told, hot, _ in ends)
    assert sum(told is Heaters.OFF for told, *_ in ends) >= 3, "patience pays"


def test_where_nobody_answers_nothing_is_claimed() -> None:
    server = LineServer(StrictPrinter())
    link = server.link
    server.close()

    def again() -> Talk:
        return connect(link, 115200, replace(QUICK, hello_s=0.3), _nothing, off=True)

    with pytest.raises(LinkError):
        again()
    told, report = Closing(again, replace(QUICK, reopen_s=0.3), _nothing).finish(None, quick=True)
    assert (told, report) == (Heaters.GONE, None)


def test_a_report_that_lacks_a_heater_proves_nothing() -> None:
    seen = HeatReport(Reading(200.0, 215.0), Reading(55.0, 60.0), tools=((1, Reading(180.0, 240.0)),))
    closing = Closing(lambda: pytest.fail("nothing is opened"), QUICK, _nothing, seen)
    off, less = HeatReport(Reading(30.0, 0.0), Reading(25.0, 0.0), tools=((1, Reading(25.0, 0.0)),)), HeatReport(
        Reading(30.0, 0.0), Reading(25.0, 0.0))  # fmt: skip
    untold = HeatReport(Reading(30.0, None), Reading(25.0, None), tools=((1, Reading(25.0, None)),))
    for reports, is_off in (([off, off], True), ([off], False), ([off, less], False), ([untold, untold], False)):
        talk = Talk.__new__(Talk)
        talk.reports = reports  # type: ignore[assignment]
        assert closing.is_off(talk) == is_off, reports
