"""What is in the stand-in's nozzles: spools that are loaded, by a feeder or in nozzles of their own; what mixes at a
change, and what oozes from one that waits.
"""

from __future__ import annotations

import math
import threading
from array import array
from dataclasses import dataclass

from drumbo.standins.filament.interpreter import Machine, hot_end
from drumbo.standins.filament.joint import Joint, draw_joint
from drumbo.standins.filament.mixing import MixedMelt, draw_mixing
from drumbo.standins.line.faulty import Faulty

DRIVE_MM = 65.0
"""From the drive to the nozzle."""
LONGEST_RETRACTION_MM = 10.0
PAST_MM = 15.0
"""Fed past the nozzle before a change is done."""
MOST_OOZE_MM, OOZES_S, OOZES_FROM_C, OOZES_OVER_C = 4.0, 90.0, 130.0, 80.0
"""What runs out of a nozzle that waits, hot, for long; how soon; and from which heat on, more and more."""


@dataclass
class LoadedSpool:
    """The spool on the holder: what anyone can see of it, and the seed of what nobody can."""

    family: str = "pla"
    seed: int = 1
    colour: str = "#b9b1a2"


@dataclass(slots=True)
class Waiting:
    """What is in a nozzle that waits for its turn, and from when on, by what was made since its start."""

    melt: MixedMelt
    since: float


def oozed_mm(nozzle_c: float, seconds: float) -> float:
    """How much filament runs out of a nozzle that waits: less the cooler, and less and less."""
    warm = min(max((nozzle_c - OOZES_FROM_C) / OOZES_OVER_C, 0.0), 1.5)
    return MOST_OOZE_MM * warm * (1 - math.exp(-seconds / OOZES_S))


class FedPrinter(Faulty):
    """A machine and what feeds it."""

    def __init__(self, nozzles: int) -> None:
        super().__init__()
        self.loaded = LoadedSpool()
        self.slots: dict[int, LoadedSpool] = {}
        """What its feeder holds, by the number of a T word; without any it has no feeder and hears no such word."""
        self.slot = 0
        self._made_s = 0.0
        self._left: dict[int, Waiting] = {}
        """Nozzles that wait: what is in each, and from when on."""
        self.melt = MixedMelt(self.loaded.colour, self.loaded.colour)
        self._pulled_mm = 0.0
        self._joint: Joint | None = None
        self.colours = array("L")
        """What came out in every move, packed."""
        self.machine = Machine(nozzles=[hot_end() for _ in range(nozzles)])
        self._lock = threading.Lock()

    def fill(self, slots: list[LoadedSpool]) -> None:
        """Put spools into its feeder, T0 first, which is then what comes."""
        self.load(slots[0])
        self.slots, self.slot = dict(enumerate(slots)), 0

    def load(self, loaded: LoadedSpool, *, clean: bool = True) -> None:
        """A spool; nothing where it is in there already. One that nobody has pushed through yet has to come all the way
        from the drive, and then pushes out bit by bit what is in the nozzle.
        """
        if loaded == self.loaded:
            self.slots = {}
            return
        if clean:
            self.melt = MixedMelt(loaded.colour, loaded.colour)
        elif loaded.colour != self.loaded.colour:
            spools = (self.loaded.family, self.loaded.seed), (loaded.family, loaded.seed)
            self.melt = MixedMelt(self.melt.colour, loaded.colour, -DRIVE_MM, draw_mixing(*spools))
            self._forget_pull()
            self._joint = draw_joint(*spools)
        self.loaded, self.slots = loaded, {}
        self._pulled_mm = 0.0

    def feed_from(self, slot: int) -> str:
        """Its feeder pulls out what is in and feeds from another slot until that comes; one with several nozzles takes
        the other one. Says what is wrong, if any.
        """
        if not self.slots or slot == self.slot:
            return ""
        if slot not in self.slots:
            return f"T{slot} holds no filament"
        old, new = self.loaded, self.slots[slot]
        spools = (old.family, old.seed), (new.family, new.seed)
        with self._lock:
            if len(self.machine.nozzles) > 1:
                self._take_nozzle(slot, new)
            else:
                self.melt = MixedMelt(self.melt.colour, new.colour, PAST_MM, draw_mixing(*spools))
            self._joint = draw_joint(*spools)
        self.loaded, self.slot = new, slot
        return ""

    def _take_nozzle(self, slot: int, new: LoadedSpool) -> None:
        """The other nozzle prints from now on. What oozed from it while it waited lacks at first."""
        self._left[self.slot] = Waiting(self.melt, self._made_s)
        waited = self._left.pop(slot, None)
        self.machine.tool = min(slot, len(self.machine.nozzles) - 1)
        self.melt = MixedMelt(new.colour, new.colour) if waited is None else waited.melt
        seconds = self._made_s - (0.0 if waited is None else waited.since)
        self.melt.pushed_mm = -oozed_mm(self.machine.nozzle.target_c, seconds)

    @property
    def filament_in(self) -> bool:
        """What its sensor says: pulled back from the nozzle past the drive, it is out."""
        return self._pulled_mm < DRIVE_MM

    def _forget_pull(self) -> None:
        """What was pulled all the way out lacks nowhere in the print: the head stood aside meanwhile."""
        moves = self.machine.moves
        with self._lock:
            for k in range(len(moves["e"]) - 1, -1, -1):
                if (moves["x"][k], moves["y"][k]) != (moves["x"][-1], moves["y"][-1]):
                    return
                if abs(moves["e"][k]) > LONGEST_RETRACTION_MM:
                    moves["e"][k] = 0.0

    def _fed(self, move: int) -> None:
        """A move fed filament: the colour of what comes out; nothing does before it has come to the nozzle."""
        fed = self.machine.moves["e"][move]
        before = self.melt.pushed_mm
        self.colours.append(self.melt.push(fed))
        if fed > 0 and before < 0:
            self.machine.moves["e"][move] = max(self.melt.pushed_mm, 0.0)
        self._pulled_mm = max(self._pulled_mm - fed, 0.0)
