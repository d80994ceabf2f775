"""A file as columns: its moves, the commands between them, and the state that these set along the way."""

from __future__ import annotations

import math
import re
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from drumbo.core.gcode import kernel
from drumbo.core.gcode.command import Command, Effect, What
from drumbo.core.gcode.dialects import KNOWN, Dialect, meanings
from drumbo.core.motion import Motion, plan_moves

Floats = NDArray[np.float64]

DEFAULT_ACCEL, DEFAULT_JUNCTION = 1500.0, 8.0
"""mm/s² and mm/s where a file sets none and nobody says what the printer has."""
STILL_MM = 1e-9

_TOOL = re.compile(r"T(\d{1,3})")
_SAYS_HOW_HOT = (
    (What.BED, re.compile(r"(?:.*_)?BED(?:_?TEMP(?:ERATURE)?)?"), 15.0, 160.0),
    (What.CHAMBER, re.compile(r"CHAMBER(?:_?TEMP(?:ERATURE)?)?"), 15.0, 120.0),
    (What.NOZZLE, re.compile(r"(?:.*_)?(?:NOZZLE|EXTRUDER|HOTEND|TOOL)(?:_?TEMP(?:ERATURE)?)?"), 130.0, 500.0),
)
"""Names of a macro's arguments, and °C that each can mean."""


def is_known(word: str) -> bool:
    """Whether it is a word that is understood, or chooses a tool."""
    return word in KNOWN or _TOOL.fullmatch(word) is not None


def _unknown(command: Command) -> Iterator[Effect]:
    """A tool is chosen; or a macro of the printer's, which heats as far as its arguments say."""
    tool = _TOOL.fullmatch(command.word)
    if tool:
        yield Effect(What.TOOL, float(tool[1]))
        return
    for name, value in command.values.items() if command.text else ():
        for what, plain, low, high in _SAYS_HOW_HOT:
            if plain.fullmatch(name) and low <= value <= high:
                yield Effect(what, value, waits=True)
                break


@dataclass(frozen=True)
class Program:
    """A file as columns of length n, one row a move, and the commands between them.

    line: (n,) int32; kind: (n,) uint8 (0 to 3 as G0 to G3, 4 a dwell, 10 and 11 firmware retraction, 28 homing);
    x, y, z: (n,) float64, where the move ends, mm; e_mm: (n,) float64, filament fed, mm;
    feed: (n,) float32, mm/min as written. `dialect` is the one that its words are understood by; `exponent_line` the
    first line with a number like 1e-05, 0 without any.
    """

    line: NDArray[np.int32]
    kind: NDArray[np.uint8]
    x: Floats
    y: Floats
    z: Floats
    e_mm: Floats
    feed: NDArray[np.float32]
    commands: tuple[Command, ...]
    lines: int
    dialect: Dialect
    exponent_line: int = 0

    def __len__(self) -> int:
        return len(self.line)

    @cached_property
    def unknown(self) -> dict[str, int]:
        """Words nobody here knows, with how often each stands in the file."""
        return dict(Counter(c.word for c in self.commands if not is_known(c.word)))

    def found(self, *words: str) -> Iterator[Command]:
        """The commands with one of these words, in file order."""
        return (c for c in self.commands if c.word in words)

    @cached_property
    def effects(self) -> tuple[tuple[Command, Effect], ...]:
        """What the commands set, in file order."""
        known = meanings(self.dialect)
        told: list[tuple[Command, Effect]] = []
        for command in self.commands:
            does = known.get(command.word, _unknown)
            if does is not None:
                told += [(command, effect) for effect in does(command)]
        return tuple(told)

    def set_by(self, *what: What) -> Iterator[tuple[Command, Effect]]:
        """The effects on some parts of the state, in file order."""
        return ((c, e) for c, e in self.effects if e.what in what)

    def _steps(self, changes: list[tuple[int, float]], initial: float) -> Floats:
        values = np.array([initial, *(value for _, value in changes)])
        starts = np.array([0, *(row for row, _ in changes), len(self)])
        return np.repeat(values, np.diff(starts))

    def _of_tool(self, what: What, initial: float) -> Floats:
        """(n,) what the tool in use has. Where no tool is ever named, what is set is set for all of them."""
        several = len(self.tools) > 1
        named = several and any(effect.tool is not None for _, effect in self.set_by(what))
        tool, shared, held, changes = 0, initial, dict[int, float](), list[tuple[int, float]]()
        for command, effect in self.set_by(What.TOOL, what):
            if effect.what is What.TOOL:
                tool = int(effect.value)
            elif named:
                held[tool if effect.tool is None else effect.tool] = effect.value
            elif several or effect.tool in {None, tool}:
                shared = effect.value
            changes.append((command.row, held.get(tool, initial) if named else shared))
        return self._steps(changes, initial)

    @property
    def nozzle_c(self) -> Floats:
        """(n,) target of the nozzle in use at every row, °C."""
        return self._of_tool(What.NOZZLE, 0.0)

    @property
    def bed_c(self) -> Floats:
        """(n,) bed target at every row, °C."""
        return self._steps([(c.row, e.value) for c, e in self.set_by(What.BED)], 0.0)

    @property
    def fan(self) -> Floats:
        """(n,) share of the part fan at every row, 0 to 1."""
        changes = [(c.row, e.value) for c, e in self.set_by(What.FAN) if e.tool in {None, 0}]
        return self._steps(changes, 0.0)

    @cached_property
    def tools(self) -> set[int]:
        """Tools that are chosen at some time, 0 among them."""
        return {0} | {int(e.value) for _, e in self.set_by(What.TOOL)}

    @property
    def tool(self) -> NDArray[np.int32]:
        """(n,) which tool is chosen at every row, T0 until another is."""
        return self._steps([(c.row, e.value) for c, e in self.set_by(What.TOOL)], 0.0).astype(np.int32)

    @property
    def speed_factor(self) -> Floats:
        """(n,) M220 at every row, as a share."""
        return self._steps([(c.row, e.value) for c, e in self.set_by(What.SPEED)], 1.0)

    @property
    def flow_factor(self) -> Floats:
        """(n,) M221 at every row, as a share, of the tool in use."""
        return self._of_tool(What.FLOW, 1.0)

    @property
    def pressure_advance(self) -> Floats:
        """(n,) s, of the tool in use, whichever word set it."""
        return self._of_tool(What.PRESSURE, 0.0)

    @cached_property
    def dwells(self) -> dict[int, float]:
        """Row → seconds that the head stands there because the file says so."""
        return {c.row - 1: e.value for c, e in self.set_by(What.DWELL) if c.row}

    @cached_property
    def tool_changes(self) -> list[int]:
        """The rows before which another tool is taken."""
        tool, rows = 0, list[int]()
        for command, effect in self.set_by(What.TOOL):
            if int(effect.value) != tool and (rows or command.row):
                rows.append(command.row)
            tool = int(effect.value)
        return rows

    def motion(self, accel: float | None = None, junction: float | None = None, tool_change_s: float = 0.0) -> Motion:
        """When the head is where, dwells and changes of tools with it. What the file sets counts before `accel`
        (mm/s²) and `junction` (mm/s); nothing goes beyond the most that the file says of each axis.
        """
        homing = self.kind == kernel.HOME
        dx, dy, dz = (np.where(homing, 0.0, np.diff(c, prepend=0.0)) for c in (self.x, self.y, self.z))
        accels, junctions = self._limits(
            DEFAULT_ACCEL if accel is None else accel, DEFAULT_JUNCTION if junction is None else junction
        )
        # A speed below nothing is none.
        asked: Floats | float = np.maximum(np.asarray(self.feed / 60.0, np.float64), 0.0)
        if self._sets(What.SPEED):
            asked = asked * self.speed_factor
        speed = np.asarray(self._within(What.MOST_SPEED, asked, (dx, dy, dz)))
        accels = self._within(What.MOST_ACCEL, accels, (dx, dy, dz))
        planned = plan_moves(dx, dy, dz, self.e_mm, speed, accels, junctions)
        del dx, dy, dz, speed
        rows = [row for row in self.tool_changes if row < len(self)] if tool_change_s else []
        if not self.dwells and not rows:
            return planned
        seconds = planned.seconds.copy()
        for row, wait in self.dwells.items():
            seconds[row] += wait
        for row in rows:
            seconds[row] += tool_change_s
        return replace(planned, seconds=seconds)

    def _sets(self, *what: What) -> bool:
        return any(True for _ in self.set_by(*what))

    def _limits(self, accel: float, junction: float) -> tuple[Floats | float, Floats | float]:
        """Acceleration and junction speed at every row, or one number where the file sets none."""
        accels, travels, junctions = ([(0, start)] for start in (accel, accel, junction))
        for command, effect in self.set_by(What.ACCEL, What.TRAVEL_ACCEL, What.JUNCTION, What.DEVIATION):
            if effect.what is What.ACCEL:
                accels.append((command.row, effect.value))
            elif effect.what is What.TRAVEL_ACCEL:
                travels.append((command.row, effect.value))
            else:
                jump = effect.value
                if effect.what is What.DEVIATION:
                    # As fast round a right angle as a circle that passes its corner at that distance.
                    jump = math.sqrt(2 * accels[-1][1] * effect.value * (1 + math.sqrt(2)))
                junctions.append((command.row, jump))
        both = self._steps(accels, accel) if len(accels) > 1 else accel
        if len(travels) > 1 and travels != accels:
            both = np.where(self.e_mm > 0, both, self._steps(travels, accel))
        return both, self._steps(junctions, junction) if len(junctions) > 1 else junction

    def _within(self, what: What, asked: Floats | float, steps: tuple[Floats, Floats, Floats]) -> Floats | float:
        """What is asked for along a move, no more than the most that the file says of each axis."""
        changes: dict[str, list[tuple[int, float]]] = {}
        for command, effect in self.set_by(what):
            changes.setdefault(effect.axis, []).append((command.row, effect.value))
        if not changes:
            return asked
        dx, dy, dz = steps
        way = np.sqrt(dx**2 + dy**2 + dz**2)
        way = np.where(way > STILL_MM, way, np.abs(self.e_mm))
        share = np.zeros(len(self))
        for axis, step in zip("XYZE", (*steps, self.e_mm), strict=True):
            if axis in changes:
                np.maximum(share, np.abs(step) / self._steps(changes[axis], math.inf), out=share)
        most = np.divide(way, share, out=np.full(len(self), math.inf), where=share > 0)
        return np.asarray(np.minimum(asked, most))
