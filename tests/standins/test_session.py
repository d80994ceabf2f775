"""The simulated printer's line, byte by byte: numbers, checksums, what must not wait, and what does not fit."""

from __future__ import annotations

import itertools
import socket
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager

import pytest

from drumbo.links.flight import numbered
from drumbo.standins.line import session
from drumbo.standins.line.manners import Cable, Manners
from drumbo.standins.line.session import LineServer, parsed
from drumbo.standins.line.strict import StrictPrinter
from tests.conftest import PATIENCE_S


class Host:
    """A bare connection: what is sent, and the lines that come back."""

    def __init__(self, port: int) -> None:
        self.line = socket.create_connection(("127.0.0.1", port), timeout=PATIENCE_S)
        self._lines = self.line.makefile("rb")

    def send(self, raw: bytes) -> None:
        self.line.sendall(raw)

    def until(self, word: str, count: int = 1) -> list[str]:
        """All that is said up to the `count`-th line that begins so."""
        said: list[str] = []
        while sum(line.startswith(word) for line in said) < count:
            raw = self._lines.readline()
            assert raw, said
            said.append(raw.decode().strip())
        return said

    def close(self) -> None:
        self._lines.close()
        self.line.close()


@contextmanager
def _served(
    manners: Manners | None = None, cable: Cable | None = None, line_s: float = 0.0
) -> Iterator[tuple[Host, StrictPrinter]]:
    printer = StrictPrinter(line_s=line_s, manners=manners or Manners(greets=False))
    server = LineServer(printer, cable=cable)
    server.start()
    host = Host(server.port)
    yield host, printer
    host.close()
    server.close()


def _batch(first: int, *texts: str) -> bytes:
    return b"".join(numbered(first + k, text) for k, text in enumerate(texts))


MOVES = [f"G1 X{k} F3000" for k in range(40)]


@pytest.mark.parametrize("pieces", [1, 7, 100_000])
def test_lines_are_carried_out_in_order_however_their_bytes_come(pieces: int) -> None:
    raw = numbered(0, "M110 N0") + _batch(1, *MOVES)
    with _served() as (host, printer):
        for at in range(0, len(raw), pieces):
            host.send(raw[at : at + pieces])
        said = host.until("ok", 41)
    assert printer.accepted == MOVES
    assert not printer.odd
    assert set(said) == {"ok"}


def test_a_hurt_line_and_all_after_it_are_asked_for_again() -> None:
    good = _batch(1, *MOVES[:5])
    hurt = good.replace(b"X2", b"X7")
    with _served() as (host, printer):
        host.send(numbered(0, "M110 N0") + hurt)
        said = host.until("Resend", 3)
        assert "checksum mismatch" in " ".join(said)
        assert {line for line in said if line.startswith("Resend")} == {"Resend: 3"}
        host.send(_batch(3, *MOVES[2:5]))
        deadline = time.monotonic() + PATIENCE_S
        while len(printer.accepted) < 5:
            assert time.monotonic() < deadline
            time.sleep(0.01)
    assert printer.accepted == MOVES[:5], "each once, in order"


def test_what_must_not_wait_is_done_before_what_came_with_it() -> None:
    with _served(line_s=0.3) as (host, printer):
        host.send(numbered(0, "M110 N0") + _batch(1, "M109 S210"))
        host.until("ok")
        printer.heat_s = 30.0
        host.send(_batch(2, "M190 S60") + b"M108\n" + _batch(3, "M107"))
        began = time.monotonic()
        host.until("ok", 3)
        assert time.monotonic() - began < 15, "the wait was broken off"
    assert printer.accepted[-1] == "M107"


def test_a_small_buffer_loses_what_does_not_fit_and_says_so_by_asking() -> None:
    with _served(Manners(greets=False, receives=128), line_s=0.05) as (host, printer):
        host.send(numbered(0, "M110 N0"))
        host.until("ok")
        host.send(_batch(1, *MOVES))
        host.until("ok")
        time.sleep(0.6)
        # What was lost at the end is missed once something follows.
        host.send(_batch(41, "M107"))
        said = host.until("Resend")
        wanted = int(said[-1].split(":")[1])
        assert 1 < wanted < 40
        deadline = time.monotonic() + PATIENCE_S
        while len(printer.accepted) < wanted - 1:
            assert time.monotonic() < deadline
            time.sleep(0.01)
    assert printer.accepted[: wanted - 1] == MOVES[: wanted - 1], "up to there nothing is missing"


@pytest.mark.parametrize(("raw", "why"), [
    (b"N1 G28\n", "No Checksum with line number"),
    (b"G28*12\n", "No Line Number with checksum"),
    (b"N7 G28*27\n", "checksum mismatch"),
    (numbered(9, "G28"), "Line Number is not Last Line Number+1"),
])  # fmt: skip
def test_a_line_that_does_not_fit_is_refused_with_the_reason(raw: bytes, why: str) -> None:
    with _served() as (host, printer):
        host.send(raw)
        said = host.until("Resend")
    assert why in said[0]
    assert said[-1] == "Resend: 1"
    assert printer.accepted == []


def test_damage_is_the_same_for_the_same_seed() -> None:
    lines = [f"N{k} G1 X{k}*99\n".encode() for k in range(200)]
    one, again, other = ([cable.carry(raw) for raw in lines] for cable in (Cable(3, 10), Cable(3, 10), Cable(4, 10)))
    assert one == again != other
    changed = sum(a != b for a, b in zip(one, lines, strict=True))
    assert 5 < changed < 45
    assert [Cable(3, 0).carry(raw) for raw in lines] == lines


def test_no_damage_slips_past_a_checksum_by_running_into_the_next_line() -> None:
    """One cut in some hundred would: what is left of a line adds nothing to the sum over both."""
    lines = [numbered(k, f"G1 X{k % 50} Y{k % 7} E0.05") for k in range(1, 400)]
    hurt = taken = 0
    for seed in range(30):
        cable = Cable(seed, 1)
        for raw, following in itertools.pairwise(lines):
            told = cable.carry(raw) + following
            hurt += told != raw + following
            for number, text, why_not in (parsed(each.strip()) for each in told.split(b"\n")):
                if number and not why_not:
                    taken += 1
                    assert numbered(number, text) in {raw, following}, f"{told!r} passed for a line"
    assert hurt > 11_000
    assert taken > 8_000, "the next line mostly comes through"


def test_closed_while_it_comes_back_nothing_listens(monkeypatch: pytest.MonkeyPatch) -> None:
    server = LineServer(StrictPrinter())
    opened: list[socket.socket] = []
    closing = threading.Thread(target=server.close)
    real = socket.create_server

    def slow(where: tuple[str, int]) -> socket.socket:
        closing.start()
        closing.join(0.2)
        opened.append(real(where))
        return opened[0]

    monkeypatch.setattr(session, "VANISHED_S", 0.0)
    monkeypatch.setattr(socket, "create_server", slow)
    server.vanish()
    closing.join(PATIENCE_S)
    assert opened[0].fileno() == -1, "what came up last is closed too"
    with pytest.raises(OSError, match="refused"):
        socket.create_connection(("127.0.0.1", server.port), timeout=PATIENCE_S)
