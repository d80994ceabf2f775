"""The stand-in printer itself: machine, planner buffer, faults, and the object on its bed.

Moves go into a small planner buffer, and an answer is held back while it is full. Time runs `pace` times faster than
on a real printer.
"""

from __future__ import annotations

import re
import threading
import time
from collections import OrderedDict, deque
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from pathlib import Path

from drumbo.standins.earlier import Earlier
from drumbo.standins.filament.bed import FLAT, Bed
from drumbo.standins.filament.feeding import FedPrinter, LoadedSpool
from drumbo.standins.filament.geometry import geometry
from drumbo.standins.filament.printing import PrintedObject, melt
from drumbo.standins.filament.spool import draw_spool
from drumbo.standins.line.manners import Manners

BUFFER_MOVES = 16
MANNERS = Manners(ok="ok P0 B{room}")
"""It tells with every answer how many lines there is room for before the planner."""
KEPT_OBJECTS = 6
BUSY_EVERY_S = 1.0
FEEDER_S, TOOL_S = 25.0, 6.0
_TOOL = re.compile(r"T\d")
Reply = Callable[[str], None]


@dataclass
class Clock:
    """Device time in seconds, `pace` times faster than the wall's."""

    pace: float
    began: float = field(default_factory=time.monotonic)
    offset: float = 0.0

    def now(self) -> float:
        return self.offset + (time.monotonic() - self.began) * self.pace

    def change(self, pace: float) -> None:
        """Run faster or slower from now on; device time goes on without a jump."""
        self.offset, self.began, self.pace = self.now(), time.monotonic(), pace

    def sleep_until(self, then: float, stop: threading.Event) -> None:
        wait = (then - self.now()) / self.pace
        if wait > 0.0005:
            stop.wait(wait)


class FilamentPrinter(FedPrinter):
    """The device: machine, buffer, faults, and the object on its bed."""

    def __init__(
        self, *, pace: float = 60.0, drive: str = "direct", nozzle_mm: float = 0.4, bed: Bed = FLAT,
        files: Path | None = None, nozzles: int = 1,
    ) -> None:  # fmt: skip
        super().__init__(nozzles)
        self.earlier = Earlier(files)
        self.clock = Clock(pace)
        self.drive, self.nozzle_mm, self.bed = drive, nozzle_mm, bed
        self.heard_at = time.monotonic()
        """When somebody said something over the line or at its side, by the monotonic clock."""
        self.manners = MANNERS
        self.halted = ""
        self._looked_at: tuple[int, LoadedSpool, PrintedObject] | None = None
        self._bed_done = True
        self._queue: deque[float] = deque()
        self._end = 0.0
        self._settled = 0.0
        self._cancel = threading.Event()
        self._paused = threading.Event()
        self.report_every_s = 0.0
        self._shelf: OrderedDict[int, PrintedObject] = OrderedDict()

    # -- the object on the bed

    def thing(self, number: int | None = None) -> PrintedObject | None:
        """What lies on the bed by now, or None on an empty one; or an object put aside, by its `digest`.

        The last `KEPT_OBJECTS` that somebody looked at are put aside when the bed is cleared; those of an earlier life
        are made anew.
        """
        if number is not None and number in self._shelf:
            return self._shelf[number]
        if number is not None and (found := self.earlier.find(number)) is not None:
            return self._made_again(number, *found)
        with self._lock:
            moves, colours = {name: column[:] for name, column in self.machine.moves.items()}, self.colours[:]
        count = len(moves["x"])
        if count < 10 or not any(fed > 0 for fed in moves["e"]):
            return None
        if self._looked_at is None or self._looked_at[:2] != (count, self.loaded):
            spool = draw_spool(self.loaded.family, self.loaded.seed, self.drive)
            made = melt(
                geometry(moves), spool, nozzle_mm=self.nozzle_mm, bed=self.bed, colours=colours, joint=self._joint
            )
            self._looked_at = (count, replace(self.loaded), made)
            self._put_aside(made)
        thing = self._looked_at[2]
        return thing if number in {None, thing.digest} else None

    def _put_aside(self, made: PrintedObject) -> None:
        self._shelf[made.digest] = made
        while len(self._shelf) > KEPT_OBJECTS:
            self._shelf.popitem(last=False)

    def _made_again(self, number: int, file: bytes, spools: list[LoadedSpool]) -> PrintedObject | None:
        twin = FilamentPrinter(
            drive=self.drive, nozzle_mm=self.nozzle_mm, bed=self.bed, nozzles=len(self.machine.nozzles)
        )
        twin.machine.skew = self.machine.skew
        if len(spools) > 1:
            twin.fill(spools)
        else:
            twin.load(spools[0])
        for line in file.decode().splitlines():
            if _TOOL.fullmatch(line):
                twin.feed_from(int(line[1:]))
            else:
                twin.make(line)
        made = twin.thing()
        if made is None or made.digest != number:
            return None
        self._put_aside(made)
        return made

    # -- one line

    def answer(self, text: str, say: Reply) -> None:
        """Carry out one clean line and answer it, `ok` last."""
        self.heard_at = time.monotonic()
        word = text.split(" ", maxsplit=1)[0].upper().rstrip(";")
        if self.halted and word != "M999":
            say(f"Error:{self.halted}")
            return
        told = _REPORTS.get(word)
        if told is not None:
            say(told(self))
            return
        if word == "M524":
            self._stop("")
            say("ok")
            return
        if word == "M410":
            self._drop_moves()
            say("ok")
            return
        if word == "M155":
            self.report_every_s = float(text.upper().partition("S")[2] or 0)
            say("ok")
            return
        if word == "M999":
            self.halted = ""
            say("ok")
            return
        self._run(word, text, say)
        say("ok")

    def make(self, text: str) -> float:
        """What a line does to the machine and the object, at once; returns how long it takes, s."""
        with self._lock:
            count = len(self.machine.moves["e"])
            _, seconds = self.machine.run(text)
            if len(self.machine.moves["e"]) > count:
                # Heating takes as long as it takes; what oozes meanwhile would not be the same again.
                self._made_s += seconds
            for move in range(count, len(self.machine.moves["e"])):
                self._fed(move)
        return seconds

    def _change_tool(self, slot: int, say: Reply) -> None:
        """What was ordered before is made first; then the feeder takes its time."""
        self._wait(self._end - self.clock.now(), say)
        if slot != self.slot:
            self._wait(TOOL_S if len(self.machine.nozzles) > 1 else FEEDER_S if self.slots else 0.0, say)
        wrong = self.feed_from(slot)
        if wrong:
            self.halted = wrong
            say(f"Error:{wrong}")

    def _run(self, word: str, text: str, say: Reply) -> None:
        self.lines_run += 1
        if self._paused.is_set():
            self._hold(say)
        self.break_down(say)
        self._settle()
        if word == "G28" and self._bed_done:
            with self._lock:
                self.machine.forget_moves()
                del self.colours[:]
                self._looked_at = None
                self._bed_done = False
        if word in {"M600", "M0", "M1", "M226"}:
            self._pause(say)
            return
        if _TOOL.fullmatch(word):
            self._change_tool(int(word[1:]), say)
            return
        seconds = self.make(text)
        if word == "M104" and not any(nozzle.target_c for nozzle in self.machine.nozzles):
            self._bed_done = bool(self.machine.moves["x"])
        if word in {"M109", "M190", "G4", "G28", "M400"}:
            self._wait(self._end - self.clock.now() + seconds, say)
        elif seconds > 0:
            self._queue_move(seconds, say)

    def _queue_move(self, seconds: float, say: Reply) -> None:
        self._end = max(self._end, self.clock.now()) + seconds
        self._queue.append(self._end)
        while len(self._queue) >= BUFFER_MOVES:
            self._until(self._queue.popleft(), say)

    def _wait(self, seconds: float, say: Reply) -> None:
        """Let device time pass after all queued moves; the maker may break a wait off with M108."""
        self._queue.clear()
        self._until(self.clock.now() + max(seconds, 0.0), say)
        self._end = self.clock.now()

    def _until(self, then: float, say: Reply) -> None:
        """Wait for device time, telling the host now and then that the device lives."""
        slice_s = BUSY_EVERY_S * self.clock.pace
        while (left := then - self.clock.now()) > 0 and not self._cancel.is_set():
            self.clock.sleep_until(self.clock.now() + min(left, slice_s), self._cancel)
            self._settle()
            if left > slice_s:
                say("busy: processing")
                say(self.temperatures())
        self._cancel.clear()

    def _pause(self, say: Reply) -> None:
        while not self._cancel.wait(BUSY_EVERY_S):
            say("busy: paused for user")
        self._cancel.clear()

    def _hold(self, say: Reply) -> None:
        """M25 was said: stand still, hot, until M24."""
        say("//action:paused by the host")
        while self._paused.is_set() and not self._cancel.wait(BUSY_EVERY_S / 4):
            say("busy: paused")
        self._cancel.clear()

    def urgent(self, word: str) -> bool:
        """Carry out a word that must not wait in line; False if it may."""
        if word == "M108":
            self._cancel.set()
        elif word == "M25":
            self._paused.set()
        elif word == "M24":
            self._paused.clear()
        elif word == "M410":
            self._drop_moves()
            self._cancel.set()
        elif word == "M112":
            self._stop("halted by M112")
            self._cancel.set()
        else:
            return False
        return True

    def break_wait(self) -> None:
        """M108: end what the device waits for."""
        self._cancel.set()

    def _drop_moves(self) -> None:
        self._queue.clear()
        self._end = self.clock.now()

    def reset(self) -> None:
        """Restart: cold, forgetful of speeds and modes; what lies on the bed stays."""
        self._stop("")
        self.machine.restart()

    def _stop(self, halted: str) -> None:
        self._queue.clear()
        self._paused.clear()
        self._end = self.clock.now()
        for heater in (*self.machine.nozzles, self.machine.bed):
            heater.target_c = 0.0
        self.machine.fan = 0.0
        self.halted = halted
        self._bed_done = True

    def _settle(self) -> None:
        now = self.clock.now()
        passed, self._settled = now - self._settled, now
        if passed > 0:
            for heater in (*self.machine.nozzles, self.machine.bed):
                heater.settle(passed)

    def halt(self, words: str) -> None:
        """It stops itself."""
        self._stop(words)

    def wait_for_somebody(self, say: Reply) -> None:
        """The filament ran out, say."""
        self._pause(say)

    # -- reports

    def temperatures(self) -> str:
        """`T:` and `B:` as hosts expect them; of several nozzles each by its number, too."""
        self._settle()
        several = [(f"T{k}", nozzle) for k, nozzle in enumerate(self.machine.nozzles)]
        told = [("T", self.machine.nozzle), ("B", self.machine.bed), *(several if len(several) > 1 else ())]
        return " ".join(f"{name}:{heater.now_c:.1f} /{heater.target_c:.1f}" for name, heater in told)


_REPORTS: dict[str, Callable[[FilamentPrinter], str]] = {
    "M105": lambda device: f"ok {device.temperatures()}",
    "M114": lambda device: "X:{:.2f} Y:{:.2f} Z:{:.2f} E:{:.2f}\nok".format(*device.machine.position),
    "M115": lambda device: (
        f"FIRMWARE_NAME:stand-in PROTOCOL_VERSION:1.0 EXTRUDER_COUNT:{len(device.machine.nozzles)} "
        f"DRIVE:{device.drive} PACE:{device.clock.pace:g}\nCap:EMERGENCY_PARSER:1\nCap:AUTOREPORT_TEMP:1\nok"
    ),
    "M119": lambda device: (
        "Reporting endstop status\nx_min: open\ny_min: open\nz_min: open\n"
        f"filament: {'TRIGGERED' if device.filament_in else 'open'}\nok"
    ),
    "M503": lambda device: (
        f"echo:; Steps per unit:\necho:  M92 X80.00 Y80.00 Z400.00 E{device.machine.steps_mm:.2f}\n"
        "echo:; Most it allows:\necho:  M201 X3000.00 Y3000.00 Z100.00 E5000.00\n"
        "echo:  M203 X300.00 Y300.00 Z10.00 E60.00\nok"
    ),
    "M110": lambda _: "ok",
}
