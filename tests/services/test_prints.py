"""Prints over the link, as an application begins, loses and finds them again; on a real stand-in and real processes."""

from __future__ import annotations

import os
import signal
import sqlite3
import subprocess
import sys
import time
from collections.abc import Callable

import pytest
from flask.testing import FlaskClient

from drumbo.core.errors import InvalidInput, NotNow
from drumbo.links.runs import ALIVE
from drumbo.services import bench, looking, trials, workshop
from drumbo.services.prints import PrintManager
from drumbo.store.database import Workshop
from drumbo.store.models import PrintRow
from tests.conftest import PATIENCE_S, QUICK, Begun, Standin

SMALL = {"hot_c": "220", "cold_c": "200", "step_c": "10", "step_mm": "8", "first_c": "215", "aim": "balanced"}


def _plan(house: Workshop, begun: Begun) -> int:
    return trials.create(house, begun.profile, "temperature", SMALL)


def _run(house: Workshop, trial: int) -> trials.Run:
    run = trials.sheet(house, trial).run
    assert run is not None
    return run


def _until(true: Callable[[], bool], seconds: float = PATIENCE_S) -> None:
    until = time.monotonic() + seconds
    while not true():
        assert time.monotonic() < until, "it did not happen in time"
        time.sleep(0.05)


def _moves(standin: Standin) -> dict[str, bytes]:
    """All that was moved, to the byte. How long it stood before it was warm is the clock's."""
    moves = standin.device.machine.moves
    return {name: bytes(column) for name, column in moves.items() if name != "wait_s"}


def _kill(room: PrintManager, house: Workshop, run_id: int) -> None:
    with house.reading() as session:
        name = session.get(PrintRow, run_id).run
    os.kill(int((room.runs.folder(name) / ALIVE).read_text()), signal.SIGKILL)


def test_a_print_that_is_slow_to_begin_is_not_taken_for_one_that_did_not(
    house: Workshop, begun: Begun, room: PrintManager, monkeypatch: pytest.MonkeyPatch
) -> None:
    launch = room.runs.launch

    def slowly(*what: object) -> None:
        # Whoever follows prints looks several times before its process is there.
        time.sleep(2.5)
        launch(*what)  # type: ignore[arg-type]

    monkeypatch.setattr(room.runs, "launch", slowly)
    trial = _plan(house, begun)
    run = room.start(trial)
    room.join(run, PATIENCE_S)
    assert _run(house, trial).state == "done"
    assert trials.sheet(house, trial).state == "printed"


def test_a_line_that_breaks_is_a_state_with_a_message_and_stays_on_the_bench(
    house: Workshop, begun: Begun, room: PrintManager, standin: Standin
) -> None:
    trial = _plan(house, begun)
    standin.device.faults["drop-connection"] = 900
    number = room.start(trial)
    room.join(number, PATIENCE_S)
    sheet = trials.sheet(house, trial)
    assert sheet.run is not None
    assert (sheet.run.state, sheet.run.heaters) == ("lost", "off"), "the line came back, and all was switched off"
    assert "after line" in sheet.run.message
    assert 0 < sheet.run.share < 0.2
    assert standin.device.machine.nozzle.target_c == 0
    assert sheet.state == "planned", "it can be printed again; nothing is half done"
    assert [t.run.id for t in bench.bench(house).troubles] == [number]
    room.deal(number)
    assert bench.bench(house).troubles == ()
    room.join(room.start(trial), PATIENCE_S)
    assert trials.sheet(house, trial).state == "printed"


def test_stop_keeps_the_trial_and_reads_back_that_the_printer_is_off(
    house: Workshop, begun: Begun, room: PrintManager, standin: Standin
) -> None:
    standin.device.clock.change(200.0)
    trial = _plan(house, begun)
    run = room.start(trial)
    _until(lambda: standin.device.machine.nozzle.target_c > 0)
    assert [g.run.id for g in bench.bench(house).going] == [run]
    room.stop(run, wait_s=20)
    ended = _run(house, trial)
    assert (ended.state, ended.heaters) == ("stopped", "off")
    assert ended.heat is not None
    assert ended.heat["nozzle_target_c"] == 0
    assert standin.device.machine.nozzle.target_c == standin.device.machine.bed.target_c == 0
    assert trials.sheet(house, trial).state == "planned"
    assert bench.bench(house).troubles == (), "it is known to be cold, so it wants nobody"
    with pytest.raises(NotNow):
        room.stop(run)


def test_a_sending_process_that_is_killed_is_told_and_the_printer_looked_after(
    house: Workshop, begun: Begun, room: PrintManager, standin: Standin
) -> None:
    standin.device.clock.change(200.0)
    trial = _plan(house, begun)
    run = room.start(trial)
    _until(lambda: standin.device.machine.nozzle.target_c > 0)
    _kill(room, house, run)
    _until(lambda: _run(house, trial).heaters == "off")
    ended = _run(house, trial)
    assert ended.state == "lost"
    assert "has ended in the middle" in ended.message
    assert "It answers: nozzle" in ended.told
    assert standin.device.machine.nozzle.target_c == standin.device.machine.bed.target_c == 0
    assert [t.run.id for t in bench.bench(house).troubles] == [run], "cold, but somebody should know"


def test_where_the_maker_wants_to_be_asked_nothing_is_switched_off_unasked(
    house: Workshop, begun: Begun, room: PrintManager, standin: Standin
) -> None:
    standin.device.clock.change(200.0)
    workshop.save_printer(house, {**workshop.as_typed(house, begun.printer), "after_crash": "ask"}, begun.printer)
    trial = _plan(house, begun)
    run = room.start(trial)
    _until(lambda: standin.device.machine.nozzle.target_c > 0)
    _kill(room, house, run)
    _until(lambda: _run(house, trial).heaters == "unknown" and bool(_run(house, trial).told))
    assert standin.device.machine.nozzle.target_c > 0
    room.look_after(run)
    _until(lambda: _run(house, trial).heaters == "off")
    assert standin.device.machine.nozzle.target_c == 0


def test_a_print_that_an_older_version_left_behind_is_looked_after_too(
    house: Workshop, begun: Begun, room: PrintManager, standin: Standin
) -> None:
    standin.device.machine.nozzle.target_c = 210
    trial = _plan(house, begun)
    with house.writing() as session:
        session.add(PrintRow(trial_id=trial, printer_id=begun.printer, state="sending", total=10, sent=4))
    _until(lambda: _run(house, trial).heaters == "off")
    assert _run(house, trial).state == "lost"
    assert standin.device.machine.nozzle.target_c == 0


APPLICATION = """
import sys, time
from pathlib import Path
from drumbo.services.prints import PrintManager
from drumbo.store.database import Workshop
room = PrintManager(Workshop(Path(sys.argv[1])))
if sys.argv[2] != "0":
    room.start(int(sys.argv[2]))
print("here", flush=True)
time.sleep(60)
"""


def test_an_application_may_be_killed_and_the_print_goes_on_true_to_the_line(
    house: Workshop, begun: Begun, room: PrintManager, standin: Standin
) -> None:
    trial = _plan(house, begun)
    room.join(room.start(trial), PATIENCE_S)
    undisturbed = _moves(standin)
    number = standin.device.thing().digest
    room.close()
    standin.device.clock.change(150.0)
    for begins in (trial, 0):
        command = [sys.executable, "-c", APPLICATION, str(house.folder), str(begins)]
        application = subprocess.Popen(command, stdout=subprocess.PIPE)
        assert application.stdout is not None
        assert application.stdout.readline() == b"here\n"
        assert _run(house, trial).running, "the print is found again"
        application.kill()
        application.wait()
        application.stdout.close()
    second = PrintManager(house, QUICK)
    third = PrintManager(house, QUICK)
    with pytest.raises(NotNow, match="is printing"):
        second.start(trial)
    standin.device.clock.change(1e6)
    third.join(_run(house, trial).id, PATIENCE_S)
    second.follow()
    sheet = trials.sheet(house, trial)
    assert sheet.runs == ("done", "done")
    assert len(sheet.pictures) == 2, "two applications looked, and one wrote it down"
    assert _moves(standin) == undisturbed
    assert standin.device.thing().digest == number
    second.close()
    third.close()


def test_a_database_that_somebody_locks_does_not_touch_the_print(
    house: Workshop, begun: Begun, room: PrintManager, standin: Standin
) -> None:
    trial = _plan(house, begun)
    standin.device.clock.change(2000.0)
    run = room.start(trial)
    other = sqlite3.connect(house.folder / "drumbo.sqlite", isolation_level=None)
    other.execute("BEGIN EXCLUSIVE")
    standin.device.clock.change(1e6)
    _until(lambda: _run(house, trial).message == "It is through.")
    assert standin.device.machine.nozzle.target_c == 0
    other.execute("COMMIT")
    other.close()
    _until(lambda: trials.sheet(house, trial).state == "printed")
    assert run == _run(house, trial).id


def test_addresses_that_are_none_of_a_printer_are_refused(house: Workshop, begun: Begun) -> None:
    typed = workshop.as_typed(house, begun.printer)
    for link in ("spy:///dev/ttyUSB0?file=/tmp/x", "http://127.0.0.1:8000", "/etc/passwd", "file:///etc/passwd",
                 "socket://127.0.0.1", "/dev/../etc/passwd", "socket://a b:1", "socket://h:99999"):  # fmt: skip
        with pytest.raises(InvalidInput) as refused:
            workshop.save_printer(house, {**typed, "link_url": link}, begun.printer)
        assert list(refused.value.problems) == ["link_url"], link
    with pytest.raises(InvalidInput):
        workshop.save_printer(house, {**typed, "camera_url": "file:///etc/passwd"}, begun.printer)
    for link in ("/dev/ttyUSB0", "/dev/serial/by-id/usb-1a86_Serial-if00", "COM3", "socket://printer.local:8080"):
        workshop.save_printer(house, {**typed, "link_url": link}, begun.printer)


def test_a_line_that_no_printer_takes_is_refused_before_anything_is_sent(
    house: Workshop, begun: Begun, room: PrintManager, standin: Standin
) -> None:
    from drumbo.core.errors import GcodeError

    trial = _plan(house, begun)
    digest = house.files.put(b"G28\nM117 " + b"x" * 100 + b"\nG1 X5\n")
    with house.writing() as session:
        from drumbo.store.models import TrialRow

        session.get(TrialRow, trial).file_digest = digest
    with pytest.raises(GcodeError, match="line 2: is too long"):
        room.start(trial)
    assert trials.sheet(house, trial).run is None
    assert standin.device.lines_run == 0


def test_looking_for_a_printer_goes_on_by_itself_and_can_be_stopped(house: Workshop, client: FlaskClient) -> None:
    ours, mute = os.openpty()
    began = looking.begin(house, [os.ttyname(mute)])
    assert began.running
    with pytest.raises(NotNow, match="busy"):
        looking.begin(house, [os.ttyname(mute)])
    _until(lambda: "Trying" in looking.look(house, began.run).said)
    assert "Stop looking" in client.get(f"/printers/look-for/{began.run}").text
    client.post(f"/printers/look-for/{began.run}/stop")
    _until(lambda: not looking.look(house, began.run).running)
    assert "No printer answered" in client.get(f"/printers/look-for/{began.run}").text
    assert client.get("/printers/look-for/..%2F..%2Fetc").status_code == 404
    with pytest.raises(NotNow, match="no serial port"):
        looking.begin(house, [])
    os.close(ours)
    os.close(mute)
