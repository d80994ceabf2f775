"""Which lines are in flight: against a model of a printer that takes lines by the book over a line that loses some."""

from __future__ import annotations

from functools import reduce
from operator import xor
from random import Random

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from drumbo.core.errors import GcodeError
from drumbo.links.flight import MARK, MOST_LINES, OPENING_MARKS, Flight, numbered
from drumbo.links.lines import FileLines, clean
from drumbo.links.words import Fact, Said, hear

HEAT = "ok T:21.0 /0.0 B:20.0 /0.0"


class Printer:
    """Takes a line if number and checksum are right, else asks for the one that it wants."""

    def __init__(self, *, ok_after_resend: bool, flushes: bool) -> None:
        self.expected, self.taken = 1, list[str]()
        self._ok_after_resend, self._flushes = ok_after_resend, flushes

    def answers(self, lines: list[bytes]) -> list[str]:
        said: list[str] = []
        for raw in lines:
            body, star, told = raw.strip().rpartition(b"*")
            number = body.split(b" ")[0].removeprefix(b"N")
            good = star and number.isdigit() and told.isdigit() and reduce(xor, body, 0) == int(told)
            if raw.strip() == MARK.encode():
                said.append(HEAT)
            elif good and int(number) == self.expected:
                self.expected += 1
                text = body.partition(b" ")[2].decode()
                if text != MARK:
                    self.taken.append(text)
                said.append(HEAT if text == MARK else "ok")
            else:
                said.append(f"Resend: {self.expected}")
                said += ["ok"] if self._ok_after_resend else []
                if self._flushes:
                    break
        return said


class Restarting(Printer):
    """One that restarts as it takes a line, and forgets what it has taken; what came with that line is lost."""

    def __init__(self, after: int, *, ok_after_resend: bool, flushes: bool) -> None:
        super().__init__(ok_after_resend=ok_after_resend, flushes=flushes)
        self._after, self.before = after, list[str]()

    def answers(self, lines: list[bytes]) -> list[str]:
        said: list[str] = []
        for raw in lines:
            said += super().answers([raw])
            if not self.before and len(self.taken) >= self._after:
                self.before, self.taken, self.expected = self.taken, [], 1
                return []
        return said


def _converse(source: list[str], printer: Printer, random: Random, worst: int) -> Flight:
    """Send everything, with each line of either side lost, hurt or doubled one time in `worst`."""
    flight = Flight(source)
    for _ in range(20_000):
        if flight.finished:
            return flight
        _exchange(flight, printer, random, worst)
        assert not flight.worn_out
    pytest.fail("it never came to an end")


def _exchange(flight: Flight, printer: Printer, random: Random, worst: int) -> None:
    """All that may go out now, and what is answered."""
    out = [line for line in flight.batch().split(b"\n") if line]
    if not out:
        if flight.holds:
            flight.settle()
        else:
            out = [flight.probe(plain=random.random() < 0.2).strip()]
    lines = [line for raw in out for line in _hurt(raw, random, worst)]
    for told in printer.answers(lines):
        for line in _hurt(told.encode(), random, worst):
            for said in hear(line.decode("utf-8", "replace")):
                _heed(flight, said)


def _hurt(raw: bytes, random: Random, worst: int) -> list[bytes]:
    if random.randrange(worst):
        return [raw]
    how, at = random.randrange(3), random.randrange(len(raw))
    return [[], [raw[:at] + raw[at + 1 :]], [raw, raw]][how]


def _heed(flight: Flight, said: Said) -> None:
    if said.fact is Fact.OK:
        flight.ok(said)
    elif said.fact is Fact.RESEND:
        flight.again(said.number)


@example(seed=360, count=13, worst=5, ok_after_resend=False, flushes=True)
@given(
    seed=st.integers(0, 10**6), count=st.integers(0, 120), worst=st.sampled_from((5, 20, 100)),
    ok_after_resend=st.booleans(), flushes=st.booleans(),
)  # fmt: skip
@settings(max_examples=300)
def test_every_line_arrives_once_and_in_order_whatever_is_lost(
    seed: int, count: int, worst: int, ok_after_resend: bool, flushes: bool
) -> None:
    source = [f"G1 X{n} E0.1" for n in range(count)]
    printer = Printer(ok_after_resend=ok_after_resend, flushes=flushes)
    flight = _converse(source, printer, Random(seed), worst)
    assert printer.taken == source
    assert flight.places == count


@given(
    seed=st.integers(0, 10**6), after=st.integers(1, 60), worst=st.sampled_from((3, 5, 20, 100)),
    ok_after_resend=st.booleans(), flushes=st.booleans(),
)  # fmt: skip
@settings(max_examples=400)
def test_one_that_restarts_without_a_word_gets_no_line_a_second_time(
    seed: int, after: int, worst: int, ok_after_resend: bool, flushes: bool
) -> None:
    source, random = [f"G1 X{n} E0.1" for n in range(70)], Random(seed)
    printer = Restarting(after, ok_after_resend=ok_after_resend, flushes=flushes)
    flight = Flight(source)
    for _ in range(400):
        _exchange(flight, printer, random, worst)
    assert printer.before == source[:after]
    assert printer.taken == []


def _opened(source: list[str]) -> Flight:
    """A flight whose printer has shown that it counts."""
    flight = Flight(source)
    for _ in range(OPENING_MARKS):
        assert flight.batch().count(MARK.encode()) == 1, "each alone"
        assert not flight.batch()
        flight.ok(hear(HEAT)[0])
    return flight


def test_only_as_much_is_in_flight_as_a_small_buffer_holds() -> None:
    flight = _opened([f"G1 X{n}.123 Y{n}.456 E0.12345 F3000" for n in range(50)])
    assert 0 < len(flight.batch()) <= 128
    roomy = _opened([f"G1 X{n}" for n in range(50)])
    before = roomy.batch().count(b"\n")
    roomy.ok(hear(HEAT + " P0 B16")[0])
    assert roomy.batch().count(b"\n") + before - 1 == MOST_LINES > before, "as many as it says that it has room for"


def test_requests_that_cannot_be_meant_are_not_followed() -> None:
    flight = Flight([f"G1 X{n}" for n in range(500)])
    printer = Printer(ok_after_resend=True, flushes=False)
    for _ in range(70):
        for told in printer.answers([line for line in flight.batch().split(b"\n") if line]):
            _heed(flight, hear(told)[0])
    before = len(printer.taken)
    assert 120 < before < 500
    for number in (flight.last + 2, flight.last + 5000, flight.proven, 1, 0, None):
        assert not flight.again(number), number
    assert flight.again(flight.last)


def test_a_printer_that_insists_is_heard() -> None:
    """An answer that came twice has proven one mark too many."""
    flight = _opened(["G1 X1"])
    sent = flight.batch() or flight.probe(plain=False)
    flight.ok(hear(HEAT)[0])
    sent = flight.batch() or flight.probe(plain=False)
    assert sent
    flight.ok(hear(HEAT)[0])
    wanted = flight.proven
    assert [flight.again(wanted) for _ in range(3)] == [False, False, True]
    assert flight.proven == wanted - 1


def test_a_numbered_line_is_as_the_trade_writes_it() -> None:
    assert numbered(0, "M110 N0") == b"N0 M110 N0*125\n"
    assert numbered(1, "G28") == b"N1 G28*18\n"


def test_only_what_a_printer_needs_is_sent_and_each_line_is_known_by_its_number(tmp_path) -> None:  # type: ignore[no-untyped-def]
    path = tmp_path / "a.gcode"
    path.write_bytes("\ufeff; hello\r\n\r\nG28 ; home\r\n  \nN7 M104 S0*97\nM110 N0\ng1 x5".encode())
    lines = FileLines(path)
    assert list(lines) == ["G28", "M104 S0", "g1 x5"]
    assert [lines.number(place) for place in range(len(lines))] == [3, 5, 7]
    lines.close()
    assert clean("; only a comment") == ""
    path.write_bytes(b"G28\nM117 " + b"a" * 90 + b"\n")
    with pytest.raises(GcodeError, match="line 2: is too long"):
        FileLines(path)
    path.write_bytes("G28\nM117 fünf\n".encode())
    with pytest.raises(GcodeError, match="line 2: holds signs"):
        FileLines(path)
