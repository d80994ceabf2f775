"""A strict printer for trying out senders: it takes every line by the book and remembers what it accepted, how hot it
is, and whatever should not have come. `python -m drumbo.standins.line.strict` runs it on a port.

It prints nothing, so it is small and quick; a line takes `line_s`, heating `heat_s`.
"""

from __future__ import annotations

import re
import threading
import time

from drumbo.standins.line.faulty import Faulty
from drumbo.standins.line.manners import Manners
from drumbo.standins.line.session import Halted, Reply

_TARGET = re.compile(r"^M(104|109|140|190)(?!\d).*?[SR](\d+(?:\.\d+)?)", re.IGNORECASE)
_TOOL = re.compile(r"\bT(\d)", re.IGNORECASE)
HARMLESS = re.compile(r"^(?:M105|M108|M410|M115|M110.*|M10[49](?: S0)?|M1[49]0(?: S0)?|M107|M155.*)$", re.IGNORECASE)
"""What may come without a number."""


class StrictPrinter(Faulty):
    """`accepted` are the numbered lines of this start, in order, without questions for temperatures."""

    def __init__(self, *, line_s: float = 0.0, heat_s: float = 0.1, manners: Manners | None = None) -> None:
        super().__init__()
        self.line_s, self.heat_s = line_s, heat_s
        self.manners = manners or Manners()
        self.report_every_s = self.manners.reports_s
        self.accepted: list[str] = []
        self.before_reset: list[list[str]] = []
        self.odd: list[str] = []
        self.targets: dict[str, float] = {"T": 0.0, "B": 0.0}
        self.halted = ""
        self.moved_cold = 0
        self._break = threading.Event()
        self._paused = threading.Event()

    @property
    def hot(self) -> bool:
        """Whether any heater is on."""
        return any(target > 0 for target in self.targets.values())

    def accept(self, text: str, counted: bool) -> None:
        """A line that passed all checks."""
        if not counted:
            if not HARMLESS.match(text):
                self.odd.append(text)
        elif not text.upper().startswith(("M105", "M115", "M119", "M503")):
            self.accepted.append(text)

    def answer(self, text: str, say: Reply) -> None:
        word = text.split(" ", 1)[0].upper()
        if self.halted:
            say(f"Error:{self.halted}")
            raise Halted
        self.break_down(say)
        if word == "M105":
            say(f"ok {self.temperatures()}")
            return
        if word == "M115":
            say(f"FIRMWARE_NAME:strict\nCap:EMERGENCY_PARSER:{int(self.manners.emergency)}\nok")
            return
        self.lines_run += 1
        found = _TARGET.match(text)
        if found:
            tool = _TOOL.search(text)
            key = "B" if found[1] in {"140", "190"} else f"T{tool[1]}" if tool and tool[1] != "0" else "T"
            self.targets[key] = float(found[2])
        if found and found[1] in {"109", "190"} and float(found[2]) > 0:
            self._wait(self.heat_s, say)
        elif word in {"M0", "M600"}:
            self._wait(3600.0, say, "busy: paused for user")
        elif word.startswith("G") and self.line_s:
            self._wait(self.line_s, say)
        say("ok")

    def _wait(self, seconds: float, say: Reply, words: str = "busy: processing") -> None:
        until, told = time.monotonic() + seconds, time.monotonic()
        while time.monotonic() < until and not self._break.wait(min(0.1, max(until - time.monotonic(), 0.0))):
            if time.monotonic() - told > 0.5:
                told = time.monotonic()
                say(words)
                say(self.temperatures())
        self._break.clear()

    def halt(self, words: str) -> None:
        self.halted = words
        self.targets = dict.fromkeys(self.targets, 0.0)

    def wait_for_somebody(self, say: Reply) -> None:
        self._wait(1.0, say, "busy: paused for user")

    def urgent(self, word: str) -> bool:
        if word in {"M108", "M410"}:
            self._break.set()
            return True
        return False

    def temperatures(self) -> str:
        tools = "".join(f" {key}:{25 + t / 2:.1f} /{t:.1f}" for key, t in self.targets.items() if len(key) > 1)
        nozzle, bed = self.targets["T"], self.targets["B"]
        return f"T:{25 + nozzle * 0.85:.1f} /{nozzle:.1f} B:{22 + bed * 0.6:.1f} /{bed:.1f}{tools} @:0 B@:0"

    def break_wait(self) -> None:
        self._break.set()

    def reset(self) -> None:
        """Cold again, and what it had accepted is history."""
        self.before_reset.append(self.accepted)
        self.accepted, self.halted = [], ""
        self.targets = dict.fromkeys(self.targets, 0.0)


def main() -> None:
    """Run one on a free port until it is ended; it tells what it knows when its input does."""
    import json  # noqa: PLC0415 - only the program needs them
    import sys  # noqa: PLC0415

    from drumbo.standins.line.session import LineServer  # noqa: PLC0415

    line_s = float(sys.argv[2]) if sys.argv[1:2] == ["--line-s"] else 0.0
    printer = StrictPrinter(line_s=line_s, manners=Manners(ok="ok P0 B{room}"))
    server = LineServer(printer)
    server.start()
    print(server.link, flush=True)
    for line in sys.stdin:
        name, _, at = line.strip().partition(":")
        if name == "tell":
            told = {"accepted": printer.accepted, "odd": printer.odd, "targets": printer.targets}
            print(json.dumps(told), flush=True)
        else:
            printer.faults[name] = float(at or 0)
    server.close()


if __name__ == "__main__":
    main()
