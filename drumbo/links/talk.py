"""Talks to a printer over an open line: greets it, gets lines across, and finds out when it does not answer.

What cannot go on ends in `Ended`, with the state and the words for the maker. A broken line is a LinkError.
"""

from __future__ import annotations

import re
import time
from collections import deque
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from drumbo.core.errors import LinkError
from drumbo.core.run import RunState
from drumbo.links.flight import MARK, Flight, numbered
from drumbo.links.line import Line
from drumbo.links.lines import LineSource
from drumbo.links.words import Fact, HeatReport, Said, hear

MOST_IMPOSSIBLE = 4
"""Requests for lines that it cannot mean, in a row, before a printer is believed to have lost its way."""
LONGEST_ASK_S = 16.0
MOST_TEXTS = 200
BREAK_OFF, HURRY_S = b"\nM108\n", 0.5


class Mute(LinkError):
    """The line is open, but nobody answers there."""


class Ended(Exception):
    """The print cannot go on: in which state it ends, and what to tell the maker."""

    def __init__(self, state: RunState, message: str) -> None:
        super().__init__(message)
        self.state, self.message = state, message


@dataclass(frozen=True, slots=True)
class Timing:
    """How long things may take, s."""

    hello_s: float = 15.0
    probe_s: float = 2.0
    quiet_s: float = 0.15
    told_s: float = 10.0
    """From when on a silence is told."""
    silence_s: float = 30.0
    slow_s: float = 900.0
    heat_every_s: float = 1.0
    reopen_s: float = 30.0
    answer_s: float = 10.0
    look_s: float = 0.1


class Talk:
    """One conversation. `tick` is called at least ten times a second; what it raises ends the conversation."""

    def __init__(self, line: Line, timing: Timing, tick: Callable[[], None]) -> None:
        self.line = line
        self._timing, self._tick = timing, tick
        self.heats: HeatReport | None = None
        self.most: HeatReport | None = None
        """The report that told of most heaters: one that tells of fewer was hurt on its way."""
        self.reports: deque[HeatReport] = deque(maxlen=2)
        """The last temperatures that were answered, not told unasked."""
        self.waits_for = ""
        self.note = ""
        self.texts: deque[str] = deque(maxlen=MOST_TEXTS)
        """What it told that means nothing here, the last lines of it: its settings, say."""
        self.halted = False
        self.slow = False
        """Whether what was sent last may keep it silent for minutes."""
        self.breaks_waits = False
        """Whether it hears urgent words while it is busy."""
        self._hurry = False
        self._held = False
        self._plain_marks = False
        self._apart: HeatReport | None = None
        self._greeting = True
        self._impossible = self._proven = 0
        self._heard = self._answered = self._sent = self._lives = time.monotonic()
        self._wait_said = False

    def calm(self, timing: Timing, tick: Callable[[], None], *, hurry: bool = False) -> None:
        """From now on other times hold, and something else is called meanwhile. In a `hurry` whatever the printer waits
        for is broken off.
        """
        self._timing, self._tick, self._hurry = timing, tick, hurry and self.breaks_waits
        self._held, self.waits_for = False, ""

    @property
    def silence_s(self) -> float:
        """For how long nothing was heard, s."""
        return time.monotonic() - self._heard

    # -- to begin with

    def greet(self) -> None:
        """Wait until the printer answers, as some boards restart when the line opens; agree on numbers. Mute where
        nobody answers.
        """
        until = time.monotonic() + self._timing.hello_s
        while not (answer := self.ask(b"\n" + MARK.encode() + b"\n", min(1.0, self._timing.hello_s))):
            if time.monotonic() > until:
                raise Mute("the line is open but no printer answers there; is it on, and is the speed right?")
        self._plain_marks = all(said.heats is None for said in answer if said.fact is Fact.OK)
        self.deliver(["M115", "M503"])
        self.number()
        self._greeting = False

    def number(self) -> None:
        """Have it count from 1, for sure: an `ok` alone may be another's. Mute where it does not answer."""
        self._heard = self._lives = began = time.monotonic()
        patience_s = self._timing.silence_s * (4 if self.slow else 1)
        wait_s = 0.5
        while time.monotonic() - self._lives < patience_s and time.monotonic() - began < self._timing.slow_s:
            # Ever more patiently, as one that heats in silence but for temperatures answers all of it later.
            wait_s = min(2 * wait_s, LONGEST_ASK_S)
            self.ask(numbered(0, "M110 N0"), wait_s)
            answer = self.ask(numbered(1, MARK), wait_s)
            good = any(said.fact is Fact.OK and (said.heats or self._plain_marks) for said in answer)
            if good and not any(said.fact in {Fact.RESEND, Fact.REFUSED} for said in answer):
                self.ask(numbered(0, "M110 N0"))
                return
        raise Mute("the printer does not answer any more")

    def ask(self, raw: bytes, wait_s: float = 1.0) -> list[Said]:
        """Send something and collect all facts up to its `ok` and the quiet after it; nothing where none came."""
        self.line.write(raw)
        began = since = hurried = time.monotonic()
        found: list[Said] = []
        answered = False
        while time.monotonic() - since < wait_s and time.monotonic() - began < self._timing.slow_s:
            lines = self.line.read(self._timing.quiet_s / 3 if answered else self._timing.look_s)
            self._tick()
            if lines:
                self._heard = time.monotonic()
            for said in (said for text in lines for said in hear(text)):
                self._general(said)
                found.append(said)
                if said.fact in {Fact.BUSY, Fact.HEAT}:
                    # It lives. An urgent word is answered by dead ones too.
                    self._lives = time.monotonic()
                if said.fact is Fact.BUSY:
                    # Whatever keeps it busy may take its time. Temperatures alone come unasked from idle ones as well.
                    since = time.monotonic()
                answered = answered or said.fact is Fact.OK
            if answered and not lines:
                return found
            if self._hurry and not answered and time.monotonic() - hurried > HURRY_S:
                # One wait is broken off by one word; another one may have been queued behind it.
                hurried = time.monotonic()
                self.line.write(BREAK_OFF)
        return found if answered else []

    def deliver(self, lines: Sequence[str]) -> None:
        """Get a few lines across, and two reports of temperatures behind them."""
        self.number()
        self.reports.clear()
        self.send(self.flight(list(lines)))

    def go_on(self) -> None:
        """The maker wants it to go on from where it waits."""
        self.line.write(BREAK_OFF)
        self._held, self.waits_for = False, ""

    # -- lines

    def send(self, flight: Flight) -> None:
        """Get every line across, however long it takes."""
        now = time.monotonic()
        self._heard = self._answered = self._sent = asked = now
        probes, stale = 0, True
        while not flight.finished:
            self._tick()
            out = b"" if self._held else flight.batch()
            if out:
                self.line.write(out)
                self._sent = time.monotonic()
                stale = True
            lines = self.line.read(self._timing.quiet_s if flight.holds else self._timing.look_s)
            now = time.monotonic()
            for text in lines:
                self._heard = now
                for said in hear(text):
                    self._hear(said, flight)
            if lines and self._answered == now:
                probes = 0
            if stale and now - self._answered > 1.0:
                self.slow, stale = _slow(flight), False
            if now - asked >= self._timing.heat_every_s:
                asked = now
                flight.want_mark()
            probes = self._look_after(flight, now, probes)

    def flight(self, source: LineSource) -> Flight:
        """Lines to send, as this printer answers."""
        return Flight(source, plain_marks=self._plain_marks)

    def _look_after(self, flight: Flight, now: float, probes: int) -> int:
        """What silences mean. Returns how often the printer was probed since it last answered."""
        quiet = now - self._answered
        settled = not flight.waits or quiet >= self._timing.quiet_s
        if flight.holds and settled and now - self._sent >= self._timing.quiet_s:
            flight.settle()
            return probes
        if self._wait_said and flight.waits and now - self._sent > self._timing.quiet_s:
            # It has nothing to do, so all that was sent is dealt with or lost.
            self._wait_said = False
            flight.settle()
            return probes
        if self.waits_for:
            return probes
        slow = self.slow
        silence = now - self._heard
        if silence > (self._timing.slow_s if slow else self._timing.silence_s):
            raise Ended(RunState.LOST, f"The printer has said nothing for {silence:.0f} s.")
        # Ever longer between probes: a printer that is busy answers all of them later.
        due = self._timing.probe_s * 2 ** min(probes, 4) * (5 if slow and silence < quiet else 1)
        if flight.waits and min(quiet, now - self._sent) > due:
            self.line.write(flight.probe(plain=probes % 3 == 2))
            self._sent = now
            return probes + 1
        return probes

    def _hear(self, said: Said, flight: Flight) -> None:
        self._general(said)
        if said.fact is Fact.RESEND:
            self._resend(said, flight)
        elif said.fact is Fact.OK:
            flight.ok(said)
        elif said.fact is not Fact.BUSY:
            return
        self._answered = self._heard
        if flight.worn_out:
            wanted = flight.asked_for
            raise Ended(RunState.FAILED, f"The printer did not get “{wanted}” though it was sent many times. "
                                "Something disturbs the line: look at cable and plugs.")  # fmt: skip

    def _resend(self, said: Said, flight: Flight) -> None:
        if flight.again(said.number):
            self._impossible = 0
            return
        self._impossible = self._impossible + 1 if flight.proven == self._proven else 1
        self._proven = flight.proven
        if self._impossible < MOST_IMPOSSIBLE:
            return
        if said.number is not None and said.number <= flight.last:
            asks = f"The printer asks for line {said.number}, which it had long taken"
            raise Ended(RunState.LOST, f"{asks}: it has restarted, or lost count. Nothing was sent again.")
        raise Ended(RunState.LOST, "The printer asks for a line that was never sent. Nothing was sent again.")

    def _general(self, said: Said) -> None:
        """What counts at any time."""
        self._wait_said = said.fact is Fact.WAIT
        if said.heats is not None:
            self.heats = said.heats
            if self.most is None or len(said.heats.all) > len(self.most.all):
                self.most = said.heats
        if said.fact is Fact.OK and (told := said.heats or (self._apart if self._plain_marks else None)):
            self.reports.append(told)
        # Some tell temperatures in a line of their own, and the `ok` in the next one.
        self._apart = said.heats if said.fact is Fact.HEAT else None
        if said.fact is Fact.HALT:
            self.halted = True
            raise Ended(RunState.FAILED, f"The printer has stopped itself: {said.text}.")
        if said.fact is Fact.BOOT and not self._greeting:
            raise Ended(RunState.LOST, "The printer has restarted.")
        if said.fact is Fact.CANCEL:
            raise Ended(RunState.STOPPED, "Cancelled at the printer.")
        if said.fact in {Fact.PAUSED, Fact.PROMPT, Fact.HOLD}:
            self._held = self._held or said.fact is Fact.HOLD
            self.waits_for = f"The printer waits: {said.text or 'press its button, or go on from here'}"
        elif said.fact is Fact.RESUMED or (said.fact in {Fact.OK, Fact.RESEND} and not self._held):
            self._held, self.waits_for = False, ""
        elif said.fact is Fact.TEXT:
            self.texts.append(said.text)
            self.breaks_waits = self.breaks_waits or _BREAKS_WAITS.search(said.text) is not None
        elif said.fact is Fact.WARNING:
            self.note = f"The printer says: {said.text}"


_BREAKS_WAITS = re.compile(r"EMERGENCY_PARSER:\s*1")
_LONG = re.compile(r"^(?:G2[89]|G3[034]|G4|M0|M1|M1[09]9|M190|M191|M226|M303|M400|M600)(?!\d)", re.IGNORECASE)
_MOVE = re.compile(r"^G[0-3](?!\d)", re.IGNORECASE)
_SPEED = re.compile(r"F(\d+(?:\.\d+)?)", re.IGNORECASE)
SLOW_MM_MIN = 600.0


def _slow(flight: Flight) -> bool:
    """Whether a printer may be silent for minutes: over heating, homing or waiting that it has not answered yet, or a
    slow move, which it answers before it makes it.
    """
    if any(_LONG.match(text) for text in flight.unanswered):
        return True
    speeds = (_SPEED.search(text) for text in flight.latest if _MOVE.match(text))
    return any(speed is not None and float(speed[1]) < SLOW_MM_MIN for speed in speeds)
