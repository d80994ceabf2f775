"""Runs one print over a line: numbered, checked lines, a few in flight, sent again when asked for.

A lost line, a printer's error and a stop are states of the print with a message, never exceptions out of here.
"""

from __future__ import annotations

import re
import threading
import time
from collections import deque
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import reduce
from operator import xor
from typing import Any

from drumbo.core.errors import LinkError
from drumbo.links.line import Line, heat_in

WINDOW = 4
"""Lines in flight: enough to keep a printer's buffer full, few enough to stop soon."""
MOST_IN_FLIGHT = 16
"""For printers that say with each `ok` how many lines they have room for (`ok P15 B14`)."""
SILENCE_S = 30.0
_ROOM = re.compile(r"^ok\b.*\bB(\d+)(?!\S)")
_RESEND = re.compile(r"^(?:Resend|rs)[: ]+\s*N?:?\s*(\d+)", re.I)
SAFE_STOP = ("M108", "M524", "M107", "M104 S0", "M140 S0")


@dataclass(frozen=True, slots=True)
class Progress:
    """Where a print is. `state`: sending, paused, done, stopped, failed, lost."""

    state: str
    sent: int
    total: int
    message: str = ""
    heat: Any = None


def clean_lines(gcode: str) -> list[str]:
    """The lines that a printer needs: no comments, no blanks."""
    stripped = (line.split(";", 1)[0].strip() for line in gcode.splitlines())
    return [line for line in stripped if line]


class Sender:
    """One print in a thread of its own; `report` hears of progress about twice a second and at the end."""

    def __init__(
        self, url: str, lines: Sequence[str], report: Callable[[Progress], None], silence_s: float = SILENCE_S
    ) -> None:
        self._url, self._lines, self._report, self._silence_s = url, lines, report, silence_s
        self._stop = threading.Event()
        self._progress = Progress("sending", 0, len(lines))
        self._last_report = 0.0
        self._window = WINDOW
        self._thread = threading.Thread(target=self._run, name="sender", daemon=True)

    @property
    def total(self) -> int:
        """How many lines there are to send."""
        return len(self._lines)

    @property
    def progress(self) -> Progress:
        """The latest state."""
        return self._progress

    def start(self) -> None:
        """Begin to print."""
        self._thread.start()

    def stop(self) -> None:
        """Ask for a stop; heaters and fan are switched off."""
        self._stop.set()

    def join(self, timeout_s: float | None = None) -> None:
        """Wait for the end."""
        self._thread.join(timeout_s)

    def _run(self) -> None:
        try:
            line = Line(self._url)
        except LinkError as error:
            self._end("failed", str(error))
            return
        try:
            self._end(*self._send(line))
        except LinkError:
            self._end("lost", "The link broke. The printer may go on with what it has; look at it now.")
        finally:
            line.close()

    def _end(self, state: str, message: str) -> None:
        self._tell(state=state, message=message, now=True)

    def _send(self, line: Line) -> tuple[str, str]:
        """Send all lines; returns the state and message that the print ends with."""
        flight = _Flight(self._lines)
        line.write(_numbered(0, "M110 N0"))
        flight.waiting.append(0)
        heard = asked_heat = time.monotonic()
        while not flight.finished:
            if self._stop.is_set():
                return self._halt(line)
            out = []
            while flight.may_send(self._window):
                out.append(_numbered(*flight.next()))
            if out:
                line.write("\n".join(out))
            answer = line.read()
            now = time.monotonic()
            while answer:
                heard = now
                failure = self._hear(answer, flight)
                if failure:
                    return failure
                # What came together is heard together, and what it makes room for goes out together.
                answer = line.read() if line.holds else ""
            if now - heard > self._silence_s:
                return "lost", f"The printer has said nothing for {self._silence_s:.0f} s. Look at it now."
            if now - asked_heat > 1.0:
                asked_heat = now
                line.write("M105")
                flight.waiting.append(0)
            self._tell(sent=flight.done)
        return "done", ""

    def _hear(self, answer: str, flight: _Flight) -> tuple[str, str] | None:
        heat = heat_in(answer)
        if heat:
            self._progress = replace(self._progress, heat=heat)
        asked = _RESEND.match(answer)
        if asked:
            if not flight.again(int(asked.group(1))):
                return "failed", "The printer asked for a line that was sent too long ago."
        elif answer.startswith("ok"):
            flight.acknowledged()
            room = _ROOM.match(answer)
            if room:
                self._window = min(max(int(room[1]), WINDOW), MOST_IN_FLIGHT)
        elif answer.lower().startswith(("error", "!!")):
            return "failed", "The printer says: " + answer.split(":", 1)[-1].strip()
        elif answer.startswith("//action:paused"):
            self._tell(state="paused", message="The printer waits: " + answer.removeprefix("//action:paused").strip())
        elif self._progress.state == "paused" and not answer.startswith("busy"):
            self._tell(state="sending", message="")
        return None

    def _halt(self, line: Line) -> tuple[str, str]:
        for word in SAFE_STOP:
            line.write(word)
        until = time.monotonic() + 2.0
        while time.monotonic() < until and line.read():
            pass
        return "stopped", "Stopped; heaters and fan are off."

    def _tell(
        self, *, state: str | None = None, message: str | None = None, sent: int | None = None, now: bool = False
    ) -> None:
        old = self._progress
        self._progress = replace(
            old,
            state=old.state if state is None else state,
            message=old.message if message is None else message,
            sent=old.sent if sent is None else sent,
        )
        at = time.monotonic()
        if now or state is not None or at - self._last_report > 0.5:
            self._last_report = at
            self._report(self._progress)


class _Flight:
    """Which lines are on their way. Numbers count from 1; other words wait for their `ok` as 0."""

    def __init__(self, lines: Sequence[str]) -> None:
        self._lines = lines
        self._next = 1
        self._back_to: int | None = None
        self.done = 0
        self.waiting: deque[int] = deque()

    @property
    def finished(self) -> bool:
        return self.done >= len(self._lines)

    def may_send(self, window: int) -> bool:
        """After a refusal nothing more goes out until all that is in flight was answered."""
        if self._back_to is not None and not self.waiting:
            self._next, self._back_to = self._back_to, None
        return self._back_to is None and self._next <= len(self._lines) and len(self.waiting) < window

    def next(self) -> tuple[int, str]:
        number = self._next
        self._next += 1
        self.waiting.append(number)
        return number, self._lines[number - 1]

    def acknowledged(self) -> None:
        """An `ok` came. Lines from a refused one on were not taken, though they are answered."""
        if self.waiting:
            number = self.waiting.popleft()
            if self._back_to is None or number < self._back_to:
                self.done = max(self.done, number)

    def again(self, number: int) -> bool:
        """The printer wants to go on from `number`; False if that line was never sent."""
        if number < 1 or number > self._next:
            return False
        self._back_to = number
        return True


def _numbered(number: int, text: str) -> str:
    body = f"N{number} {text}"
    return f"{body}*{reduce(xor, body.encode('ascii', 'replace'), 0)}"
