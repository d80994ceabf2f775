"""How printers differ in what they say and do on their line, and what a bad cable does to it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import reduce
from operator import xor
from random import Random

FAULTS: dict[str, str] = {
    "drop-byte": "a line arrives one byte short",
    "drop-connection": "the line breaks, and can be opened again",
    "vanish": "the line breaks, and cannot be opened for a few seconds",
    "power-cut": "the line breaks; the printer forgets all and is cold",
    "stall": "the printer says and does nothing any more",
    "reset": "the printer restarts and says so",
    "silent-reset": "the printer restarts, and its words are lost",
    "runaway": "thermal runaway: the printer stops itself",
    "kill": "the printer stops itself: kill() called",
    "mintemp": "the printer stops itself: a heater is too cold to be true",
    "maxtemp": "the printer stops itself: a heater is too hot",
    "heating-failed": "the printer stops itself: it cannot get warm",
    "soft-error": "an error that stops nothing",
    "run-out": "the filament ends; it waits for somebody",
    "pause": "it wants nothing more sent for a second",
    "prompt": "it asks somebody something, and goes on after a second",
    "cancel": "somebody cancels at the printer",
    "disconnect": "it wants the line closed",
    "busy": "it is busy for three seconds",
    "lost-ok": "an answer is lost",
    "doubled-ok": "an answer comes twice",
    "garbled-ok": "an answer is hurt",
    "resend-ahead": "it asks for a line that was never sent",
    "resend-old": "it asks for the first line",
    "resend-digits": "it asks for a line of 5,000 digits",
    "resend-often": "it asks for the same line six times",
    "resend-forever": "it asks for the same line without end",
}
HALTS = {
    "runaway": "thermal runaway, heaters are off; printer halted",
    "kill": "Printer halted. kill() called!",
    "mintemp": "MINTEMP triggered, system stopped! Heater_ID: 0",
    "maxtemp": "MAXTEMP triggered, system stopped! Heater_ID: bed",
    "heating-failed": "Heating failed, system stopped! Heater_ID: 0",
}


@dataclass(frozen=True, slots=True)
class Manners:
    """Habits of one firmware. `ok` is a pattern with the line's number and the room that is left."""

    greets: bool = True
    boots_s: float = 0.0
    """Restarts when the line is opened, and hears nothing for so long."""
    ok: str = "ok"
    resend: str = "Resend: {number}"
    says_error: bool = True
    ok_after_resend: bool = True
    flushes: bool = False
    """Throws away what it has received when it asks for a line again."""
    repeats_resend: int = 1
    busy_words: bool = True
    wait_every_s: float = 0.0
    emergency: bool = True
    """Hears urgent words while it is busy."""
    targets: bool = True
    splits_reports: bool = False
    """Answers a question for temperatures in two lines."""
    glued: bool = False
    pieces: bool = False
    """Its answers come byte by byte."""
    nuls: bool = False
    receives: int = 0
    """Bytes that it can hold before it takes them up; 0 for any number."""
    reports_s: float = 0.0
    """Tells temperatures unasked, so often."""


class Cable:
    """Hurts one line in so many, each way; 0 for none. Same seed, same lines, same damage."""

    def __init__(self, seed: int = 0, one_in: int = 0) -> None:
        self._random = Random(seed)
        self._one_in = one_in
        self.hurt = 0

    def carry(self, raw: bytes) -> bytes:
        """A line with its end, as it arrives."""
        if not self._one_in or len(raw) < 2 or self._random.randrange(self._one_in):
            return raw
        hurt = self._damaged(raw)
        if hurt and not hurt.endswith(b"\n") and reduce(xor, hurt, 0) == 0:
            # It would run into the next line without a trace in its checksum: nobody who sends could help that.
            return raw
        self.hurt += 1
        return hurt

    def _damaged(self, raw: bytes) -> bytes:
        at = self._random.randrange(len(raw))
        how = self._random.randrange(4)
        if how == 0:
            return raw[:at] + raw[at + 1 :]
        if how == 1:
            return raw[:at] + bytes([raw[at] ^ (1 << self._random.randrange(7))]) + raw[at + 1 :]
        if how == 2:
            return raw[:at] + bytes([self._random.randrange(1, 127)]) + raw[at:]
        return raw[:at]
