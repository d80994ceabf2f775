"""A print over a real TCP line, and every way in which it can go wrong."""

from __future__ import annotations

import socket
import threading
import time

import pytest

from drumbo.core.errors import LinkError
from drumbo.links.line import Line, heat_in
from drumbo.links.sender import Progress, Sender, clean_lines
from drumbo.standins.filament.device import FilamentPrinter
from tests.conftest import Standin

HEAT = ["G28", "M140 S60", "M104 S210", "M109 S210", "M83"]
ROADS = [f"G1 X{10 + i % 50} Y{20 + i % 7} Z0.2 E0.05 F3000" for i in range(400)]
LINES = [*HEAT, *ROADS, "M104 S0", "M140 S0"]


def _run(
    standin: Standin, lines: list[str] = LINES, wait_s: float = 20, **more: float
) -> tuple[Progress, list[Progress]]:
    heard: list[Progress] = []
    sender = Sender(standin.link, lines, heard.append, **more)
    sender.start()
    sender.join(wait_s)
    return sender.progress, heard


def test_a_print_goes_through_line_by_line(standin: Standin) -> None:
    last, heard = _run(standin)
    assert last.state == "done"
    assert last.sent == len(LINES)
    assert heard[-1] == last
    assert len(standin.device.machine.moves["x"]) == len(ROADS)
    assert standin.device.machine.nozzle.target_c == 0


def test_a_damaged_line_is_sent_again_and_none_is_lost_or_doubled(standin: Standin) -> None:
    standin.device.faults["drop-byte"] = 150
    last, _ = _run(standin)
    assert last.state == "done"
    assert list(standin.device.machine.moves["x"]) == [10 + i % 50 for i in range(400)]


@pytest.mark.parametrize("fault", ["drop-connection", "power-cut"])
def test_a_lost_link_is_a_state_with_a_message(standin: Standin, fault: str) -> None:
    standin.device.faults[fault] = 200
    last, _ = _run(standin)
    assert last.state == "lost"
    assert "Look at it now" in last.message or "look at it now" in last.message
    assert 150 < last.sent < 250


def test_a_silent_printer_is_not_waited_for_forever(standin: Standin) -> None:
    standin.device.faults["stall"] = 100
    began = time.monotonic()
    last, _ = _run(standin, silence_s=1.5)
    assert last.state == "lost"
    assert "said nothing" in last.message
    assert time.monotonic() - began < 10


def test_a_printers_error_ends_the_print_in_its_words(standin: Standin) -> None:
    standin.device.faults["runaway"] = 100
    last, _ = _run(standin)
    assert last.state == "failed"
    assert "thermal runaway" in last.message
    assert standin.device.machine.nozzle.target_c == 0


def test_run_out_pauses_and_m108_goes_on(standin: Standin) -> None:
    standin.device.faults["run-out"] = 100
    heard: list[Progress] = []
    sender = Sender(standin.link, LINES, heard.append)
    sender.start()
    for _ in range(100):
        if sender.progress.state == "paused":
            break
        time.sleep(0.05)
    assert "run-out" in sender.progress.message
    standin.device.break_wait()
    sender.join(20)
    assert sender.progress.state == "done"


def test_stop_switches_everything_off_even_while_heating() -> None:
    """At real pace, heating takes minutes; a stop may not wait for it."""
    device = FilamentPrinter(pace=1.0)
    from drumbo.standins.filament.server import LineServer

    server = LineServer(device)
    server.start()
    sender = Sender(f"socket://127.0.0.1:{server.port}", ["M104 S210", "M109 S210", *ROADS], lambda _: None)
    sender.start()
    time.sleep(1.0)
    assert device.machine.nozzle.target_c == 210
    sender.stop()
    sender.join(6)
    for _ in range(40):
        if device.machine.nozzle.target_c == 0:
            break
        time.sleep(0.05)
    assert sender.progress.state == "stopped"
    assert device.machine.nozzle.target_c == 0
    server.close()


def _talk(standin: Standin, wait_s: float, *lines: str) -> str:
    port = int(standin.link.rsplit(":", 1)[1])
    with socket.create_connection(("127.0.0.1", port), timeout=wait_s) as host:
        host.sendall("".join(f"{line}\n" for line in lines).encode())
        heard = b""
        until = time.monotonic() + wait_s
        while time.monotonic() < until:
            try:
                host.settimeout(0.1)
                heard += host.recv(4096)
            except TimeoutError:
                continue
        return heard.decode()


def test_the_protocol_in_plain_words(standin: Standin) -> None:
    heard = _talk(standin, 0.6, "M115", "G1 X5 Y6 F6000", "M114", "M105", "N9 G28*1", "M155 S0.1")
    assert heard.startswith("start\n")
    assert "FIRMWARE_NAME:stand-in" in heard
    assert "X:5.00 Y:6.00" in heard
    assert "Resend: 1" in heard
    assert heard.count("T:21.0") >= 3, "reports come unasked after M155"


def test_pause_resume_and_emergency_do_not_wait_in_line(standin: Standin) -> None:
    heard = _talk(standin, 0.8, "M25", "G1 X5 F6000", "G1 X6")
    assert "paused" in heard
    assert list(standin.device.machine.moves["x"]) == []
    _talk(standin, 0.5, "M24", "G1 X7")
    assert standin.device.machine.moves["x"][-1] == 7
    heard = _talk(standin, 0.5, "M104 S200", "M112", "G1 X9")
    assert "Error:halted by M112" in heard
    assert standin.device.machine.nozzle.target_c == 0


def test_nobody_at_the_other_end() -> None:
    with socket.create_server(("127.0.0.1", 0)) as taken:
        port = taken.getsockname()[1]
    with pytest.raises(LinkError, match="nothing answers"):
        Line(f"socket://127.0.0.1:{port}")
    sender = Sender(f"socket://127.0.0.1:{port}", LINES, lambda _: None)
    sender.start()
    sender.join(10)
    assert sender.progress.state == "failed"
    with pytest.raises(LinkError):
        Line("/dev/no-such-port")


def test_a_port_that_is_open_but_mute() -> None:
    guests: list[socket.socket] = []
    with socket.create_server(("127.0.0.1", 0)) as mute:
        threading.Thread(target=lambda: guests.append(mute.accept()[0]), daemon=True).start()
        with pytest.raises(LinkError, match="no printer answers"):
            Line(f"socket://127.0.0.1:{mute.getsockname()[1]}", wait_s=0.3)
    guests[0].close()


def test_temperatures_are_read_as_printers_write_them() -> None:
    heat = heat_in("ok T:210.1 /210.0 B:60.0 /60.0 @:64")
    assert heat is not None
    assert (heat.nozzle_c, heat.bed_target_c) == (210.1, 60.0)
    assert heat_in("ok T:24 /0").bed_c is None  # type: ignore[union-attr]
    assert heat_in("echo:busy") is None


def test_only_what_a_printer_needs_is_sent() -> None:
    assert clean_lines("; hello\n\nG28 ; home\n  \nM104 S0\n") == ["G28", "M104 S0"]
