"""One run of a file on a printer: how it stands, and what is known of the heaters after it."""

from __future__ import annotations

from enum import StrEnum


class RunState(StrEnum):
    """How a print stands."""

    SENDING = "sending"
    PAUSED = "paused"
    """The printer waits for somebody."""
    STOPPING = "stopping"
    """It is being closed down, for whatever reason."""
    HANDED = "handed"
    """Its file was put where the printer takes it from; what becomes of it nobody here can see."""
    DONE = "done"
    STOPPED = "stopped"
    FAILED = "failed"
    """The printer, the file or Drumbo itself ended it."""
    LOST = "lost"
    """Nobody could tell any more what the printer does."""

    @property
    def running(self) -> bool:
        """Whether it goes on."""
        return self in RUNNING


RUNNING = frozenset({RunState.SENDING, RunState.PAUSED, RunState.STOPPING})
BROKEN = frozenset({RunState.FAILED, RunState.LOST})


class Heaters(StrEnum):
    """What is known of a printer's heaters once nothing is sent any more."""

    OPEN = ""
    """Still at work."""
    UNTOUCHED = "untouched"
    """Nothing was sent."""
    OFF = "off"
    """The printer says so."""
    TOLD = "told"
    """Told off, and not confirmed."""
    GONE = "gone"
    """The line is gone, so nothing can be told."""
    UNKNOWN = "unknown"
    """Nobody has looked."""
    ASKING = "asking"
    """Somebody is looking."""


SURE = frozenset({Heaters.OFF, Heaters.UNTOUCHED})
UNSURE = frozenset({Heaters.TOLD, Heaters.GONE, Heaters.UNKNOWN, Heaters.ASKING})
