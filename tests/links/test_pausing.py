"""A print that pauses and goes on: what a strict printer took, line by line, by the real sending process."""

from __future__ import annotations

import time
from dataclasses import asdict
from pathlib import Path

from bench.faults import TIMING
from drumbo.links.journal import JournalEntry, last_entry
from drumbo.links.modal import Modal
from drumbo.links.resting import Excerpt, Resting
from drumbo.links.runs import GO_ON, PAUSE, PRINT, STOP, RunOrder, Runs
from drumbo.standins.line.session import LineServer
from drumbo.standins.line.strict import StrictPrinter
from tests.conftest import PATIENCE_S

PATIENT = {**TIMING, "silence_s": 20.0}
"""None of this is about a line that falls silent, and a machine may be slow."""
RESTING = Resting(aside=(5.0, 215.0), highest_mm=250.0)
HEAD = ["G21", "G90", "M82", "M140 S60", "M104 S210", "G28", "M190 S60", "M109 S210", "G92 E0"]


def _file(layers: int = 4) -> list[str]:
    """Layers of two lines each; the third word of the file's fan is on."""
    lines = [*HEAD, "M106 S128"]
    fed = 0.0
    for k in range(layers):
        lines.append(f"G1 X10 Y10 Z{0.2 * (k + 1):.1f} F6000")
        for y in (10, 20):
            fed += 0.5
            lines += [f"G1 X60 Y{y} E{fed:.2f} F1800", f"G0 X10 Y{y + 5}"]
    return [*lines, "M107", "M104 S0", "M140 S0"]


def _begin(runs: Runs, folder: Path, server: LineServer, lines: list[str], **more: object) -> str:
    file = folder / "print.gcode"
    file.write_text("\n".join(lines) + "\n")
    order = RunOrder(PRINT, server.link, file=str(file), timing=PATIENT, resting=asdict(RESTING), **more)  # type: ignore[arg-type]
    return runs.begin(order)


def _wait(runs: Runs, name: str, state: str, saying: str = "") -> JournalEntry:
    until = time.monotonic() + PATIENCE_S
    while (entry := last_entry(runs.folder(name))) is None or entry.state != state or saying not in entry.message:
        assert time.monotonic() < until, entry
        time.sleep(0.02)
    return entry


def _goes_on(printer: StrictPrinter) -> None:
    """Until it is well into the file."""
    until = time.monotonic() + PATIENCE_S
    while len(printer.accepted) < 60:
        assert time.monotonic() < until
        time.sleep(0.01)


def test_a_planned_pause_leaves_the_piece_and_takes_it_up_where_it_was(
    tmp_path: Path, runs: Runs, server: LineServer, printer: StrictPrinter
) -> None:
    lines = _file()
    stop = lines.index("G1 X10 Y10 Z0.6 F6000")
    name = _begin(runs, tmp_path, server, lines, rests=(stop + 1,))
    entry = _wait(runs, name, "paused", "as planned")
    assert entry.sent == stop
    assert printer.accepted[:stop] == lines[:stop]
    away = [
        "M400", "G21", "M83", "G1 E-1.5 F1800", "G21", "G90", "G1 Z10.40 F600", "G1 X5 Y215 F6000", "M400"
    ]  # fmt: skip
    assert printer.accepted[stop:] == away
    assert printer.hot, "a pause alone switches nothing off"
    time.sleep(0.5)
    assert printer.accepted[stop:] == away, "nothing is sent while nobody comes"
    runs.order(name, GO_ON)
    ended = runs.wait(name, PATIENCE_S)
    assert ended is not None
    assert (ended.state, ended.heaters, ended.sent) == ("done", "off", len(lines))
    back = [
        "M140 S60", "M104 S210", "M190 S60", "M109 S210", "G21", "G90", "G1 X10.0000 Y25.0000 F6000",
        "G1 Z0.4000 F600", "M83", "G1 E1.5 F1800", "G90", "M82", "G92 E2.00000", "M106 S128", "G1 F1800",
    ]  # fmt: skip
    rest = printer.accepted[stop + len(away) :]
    assert rest[: len(back)] == back
    assert rest[len(back) :] == [*lines[stop:], "M400"]
    assert printer.odd == []


def test_somebody_pauses_at_the_next_travel_and_no_line_is_lost(
    tmp_path: Path, runs: Runs, server: LineServer, printer: StrictPrinter
) -> None:
    lines = _file(400)
    name = _begin(runs, tmp_path, server, lines)
    _wait(runs, name, "sending")
    _goes_on(printer)
    runs.order(name, PAUSE)
    paused = _wait(runs, name, "paused", "Paused.")
    assert 0 < paused.sent < len(lines)
    assert "E" not in lines[paused.sent], "a travel comes next, not the rest of a wall"
    runs.order(name, GO_ON)
    ended = runs.wait(name, PATIENCE_S)
    assert ended is not None
    assert (ended.state, ended.heaters) == ("done", "off")
    taken = [text for text in printer.accepted if text in set(lines)]
    of_the_file = iter(taken)
    assert all(line in of_the_file for line in lines), "all of the file came, in order"


def test_one_that_waits_too_long_goes_cold_is_read_back_and_heats_again(
    tmp_path: Path, runs: Runs, server: LineServer, printer: StrictPrinter
) -> None:
    lines = _file()
    name = _begin(runs, tmp_path, server, lines, rests=(len(HEAD) + 8,), waits_s=0.5)
    entry = _wait(runs, name, "paused", "heaters are off; the printer confirms it")
    assert not printer.hot
    assert entry.heat is not None
    assert entry.heat["nozzle_target_c"] == 0
    runs.order(name, GO_ON)
    ended = runs.wait(name, PATIENCE_S)
    assert ended is not None
    assert ended.state == "done"
    later = printer.accepted[printer.accepted.index("M104 S0") :]
    assert later.index("M109 S210") < next(k for k, text in enumerate(later) if text.startswith("G1 X")), "hot first"


def test_heated_by_hand_after_it_went_cold_it_goes_cold_again(
    tmp_path: Path, runs: Runs, server: LineServer, printer: StrictPrinter
) -> None:
    limits = {"nozzle_max_c": 280, "bed_max_c": 110, "low": [0, 0], "high": [220, 220], "highest_mm": 250}
    name = _begin(runs, tmp_path, server, _file(), rests=(len(HEAD) + 8,), waits_s=1.5, limits=limits)
    _wait(runs, name, "paused", "heaters are off; the printer confirms it")
    number = runs.hand(name, "heat 200")
    until = time.monotonic() + PATIENCE_S
    while (entry := last_entry(runs.folder(name))) is None or entry.did < number:
        assert time.monotonic() < until
        time.sleep(0.02)
    assert printer.targets["T"] == 200
    _wait(runs, name, "paused", "It stays hot for")
    _wait(runs, name, "paused", "heaters are off; the printer confirms it")
    assert not printer.hot
    runs.order(name, STOP)
    ended = runs.wait(name, PATIENCE_S)
    assert ended is not None
    assert ended.heaters == "off"


def test_stopped_while_it_pauses_it_is_switched_off(
    tmp_path: Path, runs: Runs, server: LineServer, printer: StrictPrinter
) -> None:
    name = _begin(runs, tmp_path, server, _file(), rests=(len(HEAD) + 8,))
    _wait(runs, name, "paused")
    runs.order(name, STOP)
    ended = runs.wait(name, PATIENCE_S)
    assert ended is not None
    assert (ended.state, ended.heaters) == ("stopped", "off")
    assert not printer.hot


def test_what_a_file_has_set_is_followed() -> None:
    at = Modal()
    at.follow(["G20", "G91", "G1 X1 Y1 Z0.1 F60", "G1 X0.5 E0.2", "G90", "G92 X0 E1", "G1 X2", "M83", "G1 E0.5"])
    assert at.place == {"X": 2.0, "Y": 1.0, "Z": 0.1, "E": 1.5}
    assert (at.inches, at.relative, at.relative_e, at.feed) == (True, False, True, 60.0)
    at.follow(["T1", "M104 S220", "M104 T0 S0", "M140 S70", "M106 S127.5"])
    assert (at.nozzle, at.nozzles, at.bed, at.fan) == (220.0, {1: 220.0, 0: 0.0}, 70.0, 127.5)
    assert not Modal().moved
    back = RESTING.back(at)
    assert "M109 T1 S220" in back
    assert back[back.index("G20") :] == ["G20", "G90", "M83", "G92 E1.50000", "M106 S127.5", "G1 F60"]


def test_a_print_that_has_not_moved_yet_is_only_held() -> None:
    at = Modal()
    at.follow(["G28", "M104 S200"])
    assert RESTING.away(at) == ["M400", "M400"]
    assert not any(line.startswith("G1 X") for line in RESTING.back(at))


def test_a_part_ends_at_the_next_travel_or_where_it_was_cut() -> None:
    lines = ["G1 X1 E1", "G1 X2 E2", "G1 X3 E3", "G0 X0 Y0", "G1 X1 E4"]
    part = Excerpt(lines, 1)
    part.cut(1)
    assert [part[k] for k in range(len(part))] == ["G1 X2 E2", "G1 X3 E3"]
    without = Excerpt(["G1 X1 E1"] * 5, 0)
    without.cut(2)
    assert len(without) == 2


def test_speed_and_flow_are_changed_on_the_way_told_and_set_back(
    tmp_path: Path, runs: Runs, server: LineServer, printer: StrictPrinter
) -> None:
    lines = _file(300)
    name = _begin(runs, tmp_path, server, lines)
    _wait(runs, name, "sending")
    _goes_on(printer)
    runs.hand(name, "factors 80 105")
    ended = runs.wait(name, PATIENCE_S)
    assert ended is not None
    assert (ended.state, ended.heaters, ended.refused) == ("done", "off", "")
    ((line, speed, flow),) = ended.factors
    assert (speed, flow) == (80, 105)
    at = printer.accepted.index("M220 S80")
    assert printer.accepted[at + 1] == "M221 S105"
    assert 0 <= at - line < 60, "told with the line after which it was asked for"
    assert [text for text in printer.accepted if not text.startswith(("M220", "M221", "M400"))] == lines
    assert printer.accepted[-3:] == ["M220 S100", "M221 S100", "M400"]


def test_what_is_beyond_reason_or_wants_a_pause_is_refused_while_it_prints(
    tmp_path: Path, runs: Runs, server: LineServer, printer: StrictPrinter
) -> None:
    name = _begin(runs, tmp_path, server, _file(400))
    _wait(runs, name, "sending")
    for what, why in (("factors 5 100", "The speed may go from 10 to 300 %"), ("feed 20 5", "pause it first")):
        number = runs.hand(name, what)
        until = time.monotonic() + PATIENCE_S
        while (entry := last_entry(runs.folder(name))) is None or entry.did < number:
            assert time.monotonic() < until
            time.sleep(0.02)
        assert why in entry.refused
    runs.order(name, STOP)
    ended = runs.wait(name, PATIENCE_S)
    assert ended is not None
    assert not ended.factors
    assert not any(text.startswith(("M220", "M221", "G1 E20")) for text in printer.accepted)
