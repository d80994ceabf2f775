"""What a process that talks to a printer is told from outside: by its orders, or by a signal of the system."""

from __future__ import annotations

import os
import signal
import time
from pathlib import Path

from drumbo.links.runs import GO_ON, ORDER_BYTES, ORDERS, PAUSE, STOP

ORDERS_EVERY_S = 0.1


class StopWanted(Exception):
    """Somebody wants the print to end."""


class Orders:
    """What this process is told from outside: by its orders, or by a signal of the system."""

    def __init__(self, folder: Path) -> None:
        self._file = os.open(folder / ORDERS, os.O_RDONLY)
        self._looked = 0.0
        self.stop = self.go_on = self.pause = False
        self.hand = ""
        self.why = ""
        for number in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP):
            signal.signal(number, self._signalled)

    def _signalled(self, number: int, _frame: object) -> None:
        self.stop = True
        self.why = f"The sending process was told to end ({signal.Signals(number).name})."

    def look(self) -> None:
        """Read them, ten times a second at most."""
        now = time.monotonic()
        if now - self._looked < ORDERS_EVERY_S:
            return
        self._looked = now
        try:
            what = os.pread(self._file, ORDER_BYTES, 0).strip().decode("ascii", "replace")
        except OSError:
            return
        self.stop = self.stop or what == STOP
        self.go_on, self.pause = what == GO_ON, what == PAUSE
        self.hand = what if what[:1].isdigit() else ""

    def done(self, folder: Path) -> None:
        """What was told was done, so that it may be told again. A stop that came meanwhile stays."""
        self.go_on = self.pause = False
        self.hand = ""
        try:
            handle = os.open(folder / ORDERS, os.O_RDWR)
            try:
                if os.pread(handle, ORDER_BYTES, 0).strip() == STOP.encode():
                    self.stop = True
                else:
                    os.pwrite(handle, b" " * ORDER_BYTES, 0)
            finally:
                os.close(handle)
        except OSError:
            pass
