"""Prints by the real sending process, on a strict printer over a real TCP line or a pseudo-terminal."""

from __future__ import annotations

import os
import shutil
import signal
import socket
import subprocess
import sys
import threading
import time
import tty
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from itertools import pairwise
from pathlib import Path

import pytest

from bench.faults import TIMING, cases, file_lines, run_all
from drumbo.core.errors import LinkError, NotNow
from drumbo.links.greeting import greet, tell
from drumbo.links.journal import JournalEntry, entries, last_entry
from drumbo.links.line import Line
from drumbo.links.runs import ALIVE, GO_ON, LOOK, OFF, PRINT, STOP, RunOrder, Runs
from drumbo.standins.line.manners import FAULTS, Manners
from drumbo.standins.line.session import LineServer
from drumbo.standins.line.strict import StrictPrinter
from tests.conftest import PATIENCE_S


@contextmanager
def _served(printer: StrictPrinter) -> Iterator[LineServer]:
    server = LineServer(printer)
    server.start()
    yield server
    server.close()


@pytest.fixture
def printer() -> StrictPrinter:
    return StrictPrinter(manners=Manners(ok="ok P0 B{room}"))


@pytest.fixture
def server(printer: StrictPrinter) -> Iterator[LineServer]:
    with _served(printer) as made:
        yield made


@pytest.fixture
def runs(tmp_path: Path) -> Runs:
    return Runs(tmp_path)


def _job(folder: Path, url: str, lines: list[str], **more: object) -> RunOrder:
    file = folder / "print.gcode"
    file.write_text("\n".join(lines) + "\n")
    return RunOrder(PRINT, url, file=str(file), timing=TIMING, **more)  # type: ignore[arg-type]


def _hot(printer: StrictPrinter) -> None:
    until = time.monotonic() + PATIENCE_S
    while not printer.hot:
        assert time.monotonic() < until
        time.sleep(0.01)


def _entry(runs: Runs, name: str, wanted: Callable[[JournalEntry], bool]) -> JournalEntry:
    until = time.monotonic() + PATIENCE_S
    while (entry := last_entry(runs.folder(name))) is None or not wanted(entry):
        assert time.monotonic() < until
        time.sleep(0.02)
    return entry


def _ended(runs: Runs, name: str, seconds: float = PATIENCE_S) -> JournalEntry:
    entry = runs.wait(name, seconds)
    assert entry is not None, "it goes on"
    assert not entry.running
    return entry


def test_a_print_goes_through_line_by_line(
    tmp_path: Path, runs: Runs, server: LineServer, printer: StrictPrinter
) -> None:
    lines = file_lines(400)
    name = runs.begin(_job(tmp_path, server.link, lines))
    entry = _ended(runs, name)
    assert (entry.state, entry.heaters, entry.sent, entry.total) == ("done", "off", len(lines), len(lines))
    assert printer.accepted == [*lines, "M400"]
    assert printer.odd == []


def test_a_dozen_lines_that_go_wrong() -> None:
    """Drawn ones; bench/faults.py has hundreds."""
    drawn = [case for case in cases(11, 300) if case.number > len(FAULTS) and case.number % 23 == 3]
    outcomes = run_all(11, drawn)
    assert len(outcomes) >= 11
    assert [outcome for outcome in outcomes if outcome.problems] == []
    assert any(outcome.entry and outcome.entry.state == "done" for outcome in outcomes)


def test_a_file_that_leaves_the_printer_hot_is_followed_by_switching_off(
    tmp_path: Path, runs: Runs, server: LineServer, printer: StrictPrinter
) -> None:
    entry = _ended(runs, runs.begin(_job(tmp_path, server.link, ["G28", "M104 S210", "M140 S60", "G1 X5"])))
    assert (entry.state, entry.heaters) == ("done", "off")
    assert not printer.hot
    assert printer.accepted[:4] == ["G28", "M104 S210", "M140 S60", "G1 X5"]


@pytest.mark.parametrize("how", [signal.SIGTERM, signal.SIGINT, signal.SIGHUP, STOP])
def test_stopped_while_heating_and_the_printer_says_that_it_is_off(
    tmp_path: Path, runs: Runs, how: signal.Signals | str
) -> None:
    printer = StrictPrinter(heat_s=600.0)
    with _served(printer) as server:
        job = _job(tmp_path, server.link, file_lines(50), park=("G91", "G1 Z10 F600", "G90"))
        name = runs.begin(job)
        _hot(printer)
        _entry(runs, name, lambda entry: entry.sent > 2)
        began = time.monotonic()
        if isinstance(how, str):
            runs.order(name, how)
        else:
            os.kill(int((runs.folder(name) / ALIVE).read_text()), how)
        entry = _ended(runs, name)
    assert (entry.state, entry.heaters) == ("stopped", "off")
    assert entry.heat is not None
    assert entry.heat["nozzle_target_c"] == 0
    assert not printer.hot
    assert time.monotonic() - began < PATIENCE_S, "it does not wait until it is warm"
    assert printer.accepted[-4:] == ["G91", "G1 Z10 F600", "G90", "M400"], "the head is lifted, after the heaters"


def test_a_printer_that_hears_nothing_while_it_heats_is_waited_for_and_then_off(tmp_path: Path, runs: Runs) -> None:
    printer = StrictPrinter(heat_s=4.0, manners=Manners(emergency=False))
    with _served(printer) as server:
        name = runs.begin(_job(tmp_path, server.link, file_lines(50)))
        _hot(printer)
        runs.order(name, STOP)
        entry = _ended(runs, name)
    assert (entry.state, entry.heaters) == ("stopped", "off")
    assert not printer.hot


def test_what_is_not_confirmed_is_not_claimed(tmp_path: Path, runs: Runs) -> None:
    printer = StrictPrinter(manners=Manners(targets=False))
    with _served(printer) as server:
        entry = _ended(runs, runs.begin(_job(tmp_path, server.link, file_lines(20))))
    assert (entry.state, entry.heaters) == ("done", "told"), "this one never tells its targets"
    printer = StrictPrinter(line_s=0.01)
    printer.faults["stall"] = 80
    with _served(printer) as server:
        entry = _ended(runs, runs.begin(_job(tmp_path, server.link, file_lines(200))))
    assert (entry.state, entry.heaters) == ("lost", "told")
    assert "said nothing" in entry.message


def test_a_line_that_is_gone_for_good(tmp_path: Path, runs: Runs) -> None:
    printer = StrictPrinter(line_s=0.005)
    server = LineServer(printer)
    server.start()
    name = runs.begin(_job(tmp_path, server.link, file_lines(2000)))
    _hot(printer)
    server.close()
    entry = _ended(runs, name)
    assert (entry.state, entry.heaters) == ("lost", "gone")
    assert "broke" in entry.message
    never = _ended(runs, runs.begin(_job(tmp_path, server.link, file_lines(5))))
    assert (never.state, never.heaters) == ("failed", "untouched")
    assert "is the printer on" in never.message


def test_a_second_tool_and_a_file_that_is_cut_off_while_it_prints(
    tmp_path: Path, runs: Runs, server: LineServer, printer: StrictPrinter
) -> None:
    printer.targets["T1"] = 0.0
    entry = _ended(runs, runs.begin(_job(tmp_path, server.link, ["G28", "M104 T1 S180", "M104 S210", "G1 X5"])))
    assert (entry.state, entry.heaters) == ("done", "off")
    assert printer.targets == {"T": 0.0, "B": 0.0, "T1": 0.0}
    printer.line_s = 0.01
    job = _job(tmp_path, server.link, file_lines(2000))
    name = runs.begin(job)
    _entry(runs, name, lambda entry: entry.sent > 20)
    Path(job.file).write_text("")
    entry = _ended(runs, name)
    assert (entry.state, entry.heaters) == ("lost", "off")
    assert "The file was changed" in entry.message


def test_a_printer_that_waits_goes_on_when_the_maker_says_so(
    tmp_path: Path, runs: Runs, server: LineServer, printer: StrictPrinter
) -> None:
    lines = ["G28", "M600", "G1 X5"]
    name = runs.begin(_job(tmp_path, server.link, lines))
    assert "waits" in _entry(runs, name, lambda entry: entry.state == "paused").message
    runs.order(name, GO_ON)
    assert _ended(runs, name).state == "done"
    assert printer.accepted[:3] == lines


def test_one_that_waits_hot_for_nobody_is_ended_with_its_heaters_off(
    tmp_path: Path, runs: Runs, server: LineServer, printer: StrictPrinter
) -> None:
    lines = ["G28", "M104 S210", "M140 S60", "M600", "G1 X5"]
    name = runs.begin(_job(tmp_path, server.link, lines, waits_s=2.5))
    waits = _entry(runs, name, lambda entry: entry.state == "paused" and "stays hot" in entry.message)
    assert "then the print is ended" in waits.message
    assert printer.hot
    entry = _ended(runs, name)
    assert (entry.state, entry.heaters) == ("failed", "off")
    assert "nobody came" in entry.message
    assert not printer.hot


def test_nobody_starts_a_second_print_and_a_dead_one_lets_go(
    tmp_path: Path, runs: Runs, server: LineServer, printer: StrictPrinter
) -> None:
    printer.line_s = 0.05
    job = _job(tmp_path, server.link, file_lines(400))
    name = runs.begin(job)
    for other in (runs, Runs(tmp_path)):
        with pytest.raises(NotNow, match="busy"):
            other.begin(job)
    _hot(printer)
    os.kill(int((runs.folder(name) / ALIVE).read_text()), signal.SIGKILL)
    until = time.monotonic() + PATIENCE_S
    while runs.alive(name):
        assert time.monotonic() < until
        time.sleep(0.02)
    entry, gone = runs.look(name)
    assert gone
    assert entry is not None
    assert entry.running, "it could not say more"
    asked = _ended(runs, runs.begin(RunOrder(OFF, server.link, switch_off=False, timing=TIMING)))
    assert asked.heaters == "unknown"
    assert "target 210" in asked.message
    assert printer.hot
    asked = _ended(runs, runs.begin(RunOrder(OFF, server.link, timing=TIMING)))
    assert asked.heaters == "off"
    assert not printer.hot


def test_the_sending_process_is_small_and_knows_nothing_of_the_application(
    tmp_path: Path, runs: Runs, server: LineServer, printer: StrictPrinter
) -> None:
    printer.line_s = 0.02
    name = runs.begin(_job(tmp_path, server.link, file_lines(300)))
    _hot(printer)
    pid = int((runs.folder(name) / ALIVE).read_text())
    status = Path(f"/proc/{pid}/status").read_text()
    kilobytes = int(status.split("VmRSS:")[1].split()[0])
    assert kilobytes < 60_000
    mapped = Path(f"/proc/{pid}/maps").read_text()
    assert not any(word in mapped for word in ("numpy", "scipy", "numba", "shapely", "manifold", "sqlalchemy"))
    runs.order(name, STOP)
    assert _ended(runs, name).heaters == "off"
    script = "import sys, drumbo.links.printing; print(sorted(m for m in sys.modules if '.' not in m))"
    loaded = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True).stdout
    assert not any(f"'{word}'" in loaded for word in ("numpy", "flask", "sqlalchemy", "click", "numba", "http"))


# -- disks and clocks


@pytest.fixture
def tiny(tmp_path: Path) -> Iterator[Path]:
    folder = tmp_path / "tiny"
    folder.mkdir()
    mounted = subprocess.run(
        ["mount", "-t", "tmpfs", "-o", "size=1m", "tmpfs", folder], capture_output=True, check=False
    )  # fmt: skip
    if mounted.returncode:
        pytest.skip("only root may mount a small disk")
    yield folder
    subprocess.run(["umount", "-l", folder], check=True)


def _fill(path: Path) -> None:
    def write_on() -> None:
        with path.open("wb", buffering=0) as ballast:
            while ballast.write(b"x" * 4096):
                pass

    with pytest.raises(OSError, match="No space"):
        write_on()


def test_a_full_disk_does_not_end_a_print(
    tiny: Path, tmp_path: Path, server: LineServer, printer: StrictPrinter
) -> None:
    printer.line_s = 0.01
    lines = file_lines(400)
    runs = Runs(tiny)
    name = runs.begin(_job(tmp_path, server.link, lines))
    _hot(printer)
    _fill(tiny / "ballast")
    assert shutil.disk_usage(tiny).free == 0
    entry = _ended(runs, name)
    assert (entry.state, entry.heaters) == ("done", "off")
    assert printer.accepted == [*lines, "M400"]
    _fill(tiny / "more")
    with pytest.raises(LinkError, match="No space"):
        runs.begin(_job(tmp_path, server.link, lines))


def test_a_clock_that_is_set_back_is_not_looked_at(tmp_path: Path, server: LineServer, printer: StrictPrinter) -> None:
    printer.line_s = 0.005
    folder = tmp_path / "run"
    folder.mkdir()
    _job(tmp_path, server.link, file_lines(200)).write(folder)
    (folder / "orders").write_bytes(b" " * 64)
    script = (
        "import sys, time, pathlib; from drumbo.links.printing import main; real, seen = time.time, [];"
        "time.time = lambda: seen.append(real()) or seen[-1] - (86400 if seen[-1] - seen[0] > 0.5 else 0);"
        "main(pathlib.Path(sys.argv[1]))"
    )
    subprocess.run([sys.executable, "-c", script, str(folder)], check=True, timeout=PATIENCE_S)
    told = entries(folder)
    assert (told[-1].state, told[-1].heaters) == ("done", "off")
    assert told[-1].at < told[0].at, "it was set back"
    assert all(a.elapsed_s <= b.elapsed_s for a, b in pairwise(told))


# -- lines


@contextmanager
def _cable(server: LineServer) -> Iterator[str]:
    """A pseudo-terminal whose other end is a printer."""
    ours, theirs = os.openpty()
    tty.setraw(theirs)
    path = os.ttyname(theirs)
    host = socket.create_connection(("127.0.0.1", server.port))

    def pump(take, give) -> None:  # type: ignore[no-untyped-def]
        try:
            while data := take():
                give(data)
        except OSError:
            pass

    for pair in ((lambda: os.read(ours, 4096), host.sendall), (lambda: host.recv(4096), lambda d: os.write(ours, d))):
        threading.Thread(target=pump, args=pair, daemon=True).start()
    yield path
    host.close()
    os.close(theirs)
    os.close(ours)


def test_a_serial_port_is_ours_alone_and_prints(
    tmp_path: Path, runs: Runs, server: LineServer, printer: StrictPrinter
) -> None:
    with _cable(server) as path:
        lines = file_lines(60)
        entry = _ended(runs, runs.begin(_job(tmp_path, path, lines)))
        assert (entry.state, entry.heaters) == ("done", "off")
        assert printer.accepted == [*lines, "M400"]
        held = Line(path)
        with pytest.raises(LinkError, match="another program holds"):
            Line(path)
        held.close()


def test_a_greeting_and_a_few_commands(server: LineServer, printer: StrictPrinter) -> None:
    assert "nozzle 25 °C" in greet(server.link)
    tell(server.link, ["M92 E415.2", "M500"])
    assert printer.accepted == ["M92 E415.2", "M500"]
    printer.faults["soft-error"] = 0
    with pytest.raises(LinkError, match="No media"):
        tell(server.link, ["M500"])


def test_a_port_that_is_open_but_mute() -> None:
    guests: list[socket.socket] = []
    with socket.create_server(("127.0.0.1", 0)) as mute:
        threading.Thread(target=lambda: guests.append(mute.accept()[0]), daemon=True).start()
        with pytest.raises(LinkError, match="no printer answers"):
            greet(f"socket://127.0.0.1:{mute.getsockname()[1]}")
    guests[0].close()


def test_looking_for_a_printer_finds_the_port_where_one_answers(runs: Runs, server: LineServer) -> None:
    ours, mute = os.openpty()
    with _cable(server) as path:
        timing = {"hello_s": 0.4}
        name = runs.begin(RunOrder(LOOK, "look:", ports=(os.ttyname(mute), "/dev/ttyNONE7", path), timing=timing))
        entry = _ended(runs, name)
    os.close(ours)
    os.close(mute)
    assert entry.state == "done"
    ((found, baud, heat),) = entry.found
    assert (found, baud) == (path, 115_200)
    assert "nozzle 25 °C" in heat
    assert "there is no /dev/ttyNONE7" in entry.message
