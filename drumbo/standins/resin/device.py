"""The resin printer: takes a package, runs its clock through the layers, and keeps the object."""

from __future__ import annotations

import threading
import time
from collections import OrderedDict
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any
from zlib import crc32

from drumbo.core.errors import DrumboError, NotNow
from drumbo.exchange.layer_package import read_package
from drumbo.standins.earlier import Earlier
from drumbo.standins.resin.bottle import draw_bottle
from drumbo.standins.resin.lamp import Lamp
from drumbo.standins.resin.physics import USUAL_C
from drumbo.standins.resin.thing import Cured, cure

KEPT = 4
SHORTEST_S, LOOKS_S, LONGEST_LIT_S = 0.05, 0.02, 30.0


@dataclass(frozen=True, slots=True)
class Poured:
    """The resin in the vat: its class, which bottle, its colour, and how warm it was while it printed."""

    family: str = "resin-standard"
    seed: int = 1
    colour: str = "#8d8f94"
    resin_c: float = USUAL_C


@dataclass
class _Job:
    number: int
    data: bytes
    seconds: list[float]
    state: str = "printing"
    layer: int = 0
    message: str = ""


class ResinDevice:
    """A printer on its own clock, `pace` times faster than real. Its screen has `pixels`."""

    def __init__(
        self, pixels: tuple[int, int], *, pace: float = 60.0, lamp: Lamp | None = None, resin_c: float = USUAL_C,
        files: Path | None = None,
    ) -> None:  # fmt: skip
        self.earlier = Earlier(files)
        self.pixels, self.pace, self.lamp, self.resin_c = pixels, pace, lamp or Lamp(), resin_c
        self.poured = Poured()
        self.fault_at: int | None = None
        self._job: _Job | None = None
        self._done: OrderedDict[int, tuple[bytes, Poured]] = OrderedDict()
        self._things: OrderedDict[int, Cured] = OrderedDict()
        self._lock = threading.Lock()
        self._stop, self._rests = threading.Event(), threading.Event()
        self._lit_until = 0.0

    def light_up(self, seconds: float) -> None:
        """All pixels for so long, by a clock of its own; 0 puts them out. NotNow while it prints."""
        with self._lock:
            if self._job is not None and self._job.state in {"printing", "paused"}:
                raise NotNow("the printer is at work")
            self._lit_until = time.monotonic() + min(max(seconds, 0.0), LONGEST_LIT_S)

    @property
    def lit_s(self) -> float:
        """How much longer the lamp is lit for somebody who looks at it."""
        return max(self._lit_until - time.monotonic(), 0.0)

    def start(self, data: bytes) -> dict[str, Any]:
        """Take a package and begin. InvalidInput where it cannot be read, NotNow while another one runs."""
        package = read_package(data)
        if package.screen.pixels != self.pixels:
            wide, deep = self.pixels
            raise DrumboError(f"the package is for another screen; this one has {wide} × {deep} pixels")
        with self._lock:
            if self._job is not None and self._job.state in {"printing", "paused"}:
                raise NotNow("the printer is at work")
            if self.lit_s:
                raise NotNow("the lamp is lit to be looked at; wait until it is dark")
            self._stop.clear()
            self._rests.clear()
            self._job = _Job(crc32(data), data, [layer.seconds for layer in package.layers])
        threading.Thread(target=self._run, args=(self._job,), name="resin printer", daemon=True).start()
        return self.progress()

    def _run(self, job: _Job) -> None:
        """Layer by layer on its own clock; short layers are waited for together."""
        owed = 0.0
        for number, seconds in enumerate(job.seconds, start=1):
            if not self._rested(job):
                return
            owed += seconds / self.pace
            if owed > SHORTEST_S:
                began = time.monotonic()
                if self._stop.wait(owed):
                    job.state, job.message = "stopped", "stopped by hand"
                    return
                owed -= time.monotonic() - began
            if self.fault_at is not None and number >= self.fault_at:
                self.fault_at = None
                job.state, job.message = "failed", f"the vat ran dry at layer {number}"
                return
            job.layer = number
        self._done[job.number] = (job.data, replace(self.poured, resin_c=self.resin_c))
        while len(self._done) > KEPT:
            self._done.popitem(last=False)
        job.state = "done"

    def _rested(self, job: _Job) -> bool:
        """Wait with the plate up as long as somebody wants that; False where it is stopped meanwhile."""
        if self._rests.is_set():
            job.state, job.message = "paused", "the plate is up"
            while self._rests.is_set() and not self._stop.wait(LOOKS_S):
                pass
            if self._stop.is_set():
                job.state, job.message = "stopped", "stopped by hand"
                return False
            job.state, job.message = "printing", ""
        return True

    def stop(self) -> None:
        """Light off, plate up."""
        self._stop.set()

    def pause(self) -> None:
        """Rest with the plate up before the next layer. NotNow where nothing prints."""
        if self._job is None or self._job.state not in {"printing", "paused"}:
            raise NotNow("nothing prints that could rest")
        self._rests.set()

    def go_on(self) -> None:
        """Plate down, and on with the next layer. NotNow where nothing rests."""
        if self._job is None or not self._rests.is_set():
            raise NotNow("nothing rests that could go on")
        self._rests.clear()

    def progress(self) -> dict[str, Any]:
        """Where it is."""
        job = self._job
        if job is None:
            job = _Job(0, b"", [], "idle")
        return {"state": job.state, "layer": job.layer, "layers": len(job.seconds), "resin_c": self.resin_c,
                "message": job.message, "lit_s": self.lit_s}  # fmt: skip

    def thing(self, number: int | None = None) -> Cured | None:
        """The object of that number, or the last one; None where it is not here any more."""
        wanted = next(reversed(self._done), None) if number is None else number
        if wanted is not None and wanted not in self._done and (found := self.earlier.find(wanted)) is not None:
            self._done[wanted] = found
            self._done.move_to_end(wanted, last=False)
        if wanted is None or wanted not in self._done:
            return None
        with self._lock:
            if wanted not in self._things:
                data, poured = self._done[wanted]
                bottle = draw_bottle(poured.family, poured.seed)
                self._things[wanted] = cure(data, bottle, self.lamp, poured.resin_c)
                while len(self._things) > KEPT:
                    self._things.popitem(last=False)
            return self._things[wanted]
