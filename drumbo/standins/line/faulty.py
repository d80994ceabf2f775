"""What all devices on a line share: faults that come once, after so many lines."""

from __future__ import annotations

import time

from drumbo.standins.line.manners import HALTS
from drumbo.standins.line.session import Halted, Reply


class Faulty:
    """A device that may break down. `lines_run` are the lines that it has carried out."""

    def __init__(self) -> None:
        self.faults: dict[str, float] = {}
        self.lines_run = 0

    def due(self, name: str) -> bool:
        """Whether a fault's moment has come; it comes once."""
        at = self.faults.get(name)
        if at is None or self.lines_run < at:
            return False
        del self.faults[name]
        return True

    def break_down(self, say: Reply) -> None:
        """Whatever is due now. Halted when the device stops itself; ConnectionAbortedError when the line breaks."""
        if not self.faults:
            return
        if self.due("stall"):
            time.sleep(3600)
        for name, words in HALTS.items():
            if self.due(name):
                self.halt(words)
                say(f"Error:{words}")
                raise Halted
        if self.due("run-out"):
            say("//action:paused filament run-out")
            self.wait_for_somebody(say)
        if self.due("power-cut"):
            self.reset()
            raise ConnectionAbortedError
        if self.due("drop-connection"):
            raise ConnectionAbortedError

    def halt(self, words: str) -> None:
        """Stop itself, heaters off; it says why to all that comes."""
        raise NotImplementedError

    def wait_for_somebody(self, say: Reply) -> None:
        """Stand still until somebody has done something."""
        raise NotImplementedError

    def reset(self) -> None:
        """Restart: cold, and forgetful of where it was."""
        raise NotImplementedError
