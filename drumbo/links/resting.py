"""A print that rests between two lines of its file: lifted and aside, warm or cold, until somebody has it go on."""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import dataclass

from drumbo.core.run import RunState
from drumbo.links.flight import MARK
from drumbo.links.lines import LineSource
from drumbo.links.modal import Modal
from drumbo.links.talk import Ended, Talk, Timing

RETRACT_MM, RETRACT_MM_MIN = 1.5, 1800
LIFT_MM, LIFT_MM_MIN, AWAY_MM_MIN = 10.0, 600, 6000
HELD_EVERY_S = 20.0
"""Firmware lets go of its motors after a while without a move, and would not know any more where the head is."""
LOOK_AHEAD = 200
"""So many lines on, the next travel is waited for: nothing rests in the middle of a wall if it need not."""


@dataclass(frozen=True, slots=True)
class Resting:
    """Where a printer's head waits (mm, None to stay over the piece), how high it may go, and how warm its nozzle is
    kept meanwhile, °C; None as it is.
    """

    aside: tuple[float, float] | None = None
    highest_mm: float = 250.0
    standby_c: float | None = None

    def away(self, at: Modal) -> list[str]:
        """Lines that leave the piece."""
        lines = ["M400"]
        if at.nozzle > 0 and at.moved:
            lines += ["G21", "M83", f"G1 E-{RETRACT_MM:g} F{RETRACT_MM_MIN}"]
        if at.moved:
            high = min(at.place["Z"] * at.mm + LIFT_MM, max(self.highest_mm, at.place["Z"] * at.mm))
            lines += ["G21", "G90", f"G1 Z{high:.2f} F{LIFT_MM_MIN}"]
            if self.aside is not None:
                lines.append(f"G1 X{self.aside[0]:g} Y{self.aside[1]:g} F{AWAY_MM_MIN}")
        if self.standby_c is not None and at.nozzle > self.standby_c:
            lines.append(f"M104 S{self.standby_c:g}")
        return [*lines, "M400"]

    def back(self, at: Modal) -> list[str]:
        """Lines that take the print up where it was left."""
        lines = []
        if at.bed > 0:
            lines += [f"M140 S{at.bed:g}"]
        if at.nozzle > 0:
            lines += [f"M104{_of(tool)} S{target:g}" for tool, target in at.nozzles.items() if target > 0]
        if at.bed > 0:
            lines += [f"M190 S{at.bed:g}"]
        if at.nozzle > 0:
            lines += [f"M109{_of(at.tool)} S{at.nozzle:g}"]
        if at.moved:
            x, y, z = (at.place[axis] * at.mm for axis in "XYZ")
            lines += ["G21", "G90", f"G1 X{x:.4f} Y{y:.4f} F{AWAY_MM_MIN}", f"G1 Z{z:.4f} F{LIFT_MM_MIN}"]
        if at.nozzle > 0 and at.moved:
            lines += ["M83", f"G1 E{RETRACT_MM:g} F{RETRACT_MM_MIN}"]
        return lines + _modes(at)


class RestWatch:
    """A printer that rests, looked at again and again. Past `waits_s` its heaters are switched off, and it waits on."""

    def __init__(self, talk: Talk, timing: Timing, waits_s: float | None) -> None:
        self._talk, self._timing, self._waits_s = talk, timing, waits_s
        self._since = self._held = time.monotonic()
        self._cold = False

    @property
    def says(self) -> str:
        """How it waits."""
        if self._cold:
            return "It waited long, so its heaters are off; the printer confirms it. To go on heats it up again: see " \
                   "first whether the piece still holds."  # fmt: skip
        if self._waits_s is None:
            return ""
        left = max(self._since + self._waits_s - time.monotonic(), 0.0)
        return f"It stays hot for {span(left)} more; then its heaters go off."

    def look(self) -> None:
        """One look at it, which takes as long as it takes to answer. Ended where it does not answer any more, or is not
        off after it was told to be.
        """
        self._talk.ask(f"{MARK}\n".encode(), self._timing.answer_s)
        if self._talk.silence_s > self._timing.silence_s:
            raise Ended(RunState.LOST, f"The printer has said nothing for {self._talk.silence_s:.0f} s.")
        now = time.monotonic()
        if now - self._held > HELD_EVERY_S:
            self._held = now
            self._talk.deliver(["M17"])
        if self._waits_s is not None and not self._cold and now - self._since > self._waits_s:
            self._cool()

    def _cool(self) -> None:
        self._talk.deliver(["M104 S0", "M140 S0"])
        if len(self._talk.reports) < 2 or not all(heats.all_off for heats in self._talk.reports):
            raise Ended(RunState.FAILED, "It waited long for somebody, and does not confirm that its heaters are off.")
        self._cold = True


def span(seconds: float) -> str:
    """A time to wait: 2 h, 45 min, 30 s."""
    if seconds >= 5400:
        return f"{seconds / 3600:.0f} h"
    return f"{seconds / 60:.0f} min" if seconds >= 90 else f"{seconds:.0f} s"


def _of(tool: int | None) -> str:
    return "" if tool is None else f" T{tool}"


def _modes(at: Modal) -> list[str]:
    """What numbers mean from here on, as the file had it."""
    lines = ["G20"] if at.inches else []
    lines.append("G91" if at.relative else "G90")
    lines.append("M83" if at.relative_e else "M82")
    lines.append(f"G92 E{at.place['E']:.5f}")
    lines.append(f"M106 S{at.fan:g}" if at.fan else "M107")
    if at.feed > 0:
        lines.append(f"G1 F{at.feed:g}")
    return lines


class Excerpt:
    """Lines of a source from a place on, up to its end or to where it is cut."""

    def __init__(self, lines: LineSource, first: int) -> None:
        self._lines, self.first, self.stop = lines, first, len(lines)

    def __len__(self) -> int:
        return self.stop - self.first

    def __getitem__(self, place: int) -> str:
        return self._lines[self.first + place]

    def cut(self, drawn: int) -> None:
        """End it behind the lines that were drawn, at the next travel where one is near."""
        stop = self.first + drawn
        near = range(stop, min(stop + LOOK_AHEAD, self.stop))
        self.end(next((place for place in near if _travels(self._lines[place])), stop))

    def end(self, stop: int) -> None:
        """End it before a place of the source, unless it ends before that."""
        self.stop = min(self.stop, max(stop, self.first))


def _travels(text: str) -> bool:
    head = text[:3].upper()
    return head in {"G0 ", "G1 "} and "E" not in text.upper() and ("X" in text.upper() or "Y" in text.upper())


def until(stops: Sequence[int], first: int) -> int | None:
    """The first of some places that lies behind another."""
    return min((stop for stop in stops if stop > first), default=None)
