"""A toolpath as columns: one row a move, in the order of printing."""

from __future__ import annotations

from dataclasses import dataclass
from enum import IntEnum, StrEnum

import numpy as np
from numpy.typing import NDArray

from drumbo.core.motion import Motion, plan_moves

Floats = NDArray[np.float64]


class Role(IntEnum):
    """What a move is for."""

    TRAVEL = 0
    RETRACT = 1
    RESTART = 2
    PURGE = 3
    SKIRT = 4
    OUTER = 5
    INNER = 6
    SOLID = 7
    TOP = 8
    INFILL = 9
    BRIDGE = 10
    OVERHANG = 11


class Set(StrEnum):
    """What an event sets."""

    NOZZLE = "nozzle"
    HEAT = "heat"
    FAN = "fan"
    BED = "bed"
    PRESSURE = "pressure"
    NOTE = "note"
    TOOL = "tool"
    STANDBY = "standby"
    WARM = "warm"


@dataclass(frozen=True, slots=True)
class Event:
    """Before the move in `row`: set something. Nozzle, heat (the nozzle too, and wait for it) and bed in °C, fan as a
    share 0..1, pressure advance in s, the tool by its number; standby is the °C at which a nozzle `of` that number
    waits from here on, warm that at which it waited from the start of the file; a note is text.
    """

    row: int
    what: Set
    value: float = 0.0
    text: str = ""
    of: int = 0


@dataclass(frozen=True, slots=True)
class Toolpath:
    """Columns of length n. The head starts at `start` (x, y, z in mm).

    x, y, z: (n,) float64, end of the move, mm, rounded to 1 µm
    e_mm:    (n,) float64, filament fed by the move, mm; negative pulls back
    speed:   (n,) float64, asked for, mm/s; of the filament where nothing else moves
    role:    (n,) uint8, `Role`
    layer:   (n,) int32, counted from 0
    height:  (n,) float64, road height, mm
    """

    start: tuple[float, float, float]
    x: Floats
    y: Floats
    z: Floats
    e_mm: Floats
    speed: Floats
    role: NDArray[np.uint8]
    layer: NDArray[np.int32]
    height: Floats
    events: tuple[Event, ...]
    width_mm: float
    accel_mm_s2: float
    junction_mm_s: float

    def __len__(self) -> int:
        return len(self.x)

    def lengths(self) -> Floats:
        """Way of the head in every move, mm; 0 where only filament moves."""
        return np.sqrt(
            np.diff(self.x, prepend=self.start[0]) ** 2
            + np.diff(self.y, prepend=self.start[1]) ** 2
            + np.diff(self.z, prepend=self.start[2]) ** 2
        )

    def share_of_tool(self, tool: int) -> float:
        """How much of the filament a tool feeds; T0 does until another is chosen."""
        changes = [event for event in self.events if event.what == Set.TOOL]
        rows = np.array([event.row for event in changes], np.int64)
        tools = np.array([0.0, *(event.value for event in changes)])
        feeds = tools[np.searchsorted(rows, np.arange(len(self)), "right")] == tool
        return float(self.e_mm[feeds].sum() / self.e_mm.sum())

    def grams(self, density_g_cm3: float, filament_mm: float) -> float:
        """Filament used up, g: what is fed less what is pulled back."""
        return float(self.e_mm.sum() * np.pi * filament_mm**2 / 4 * density_g_cm3 / 1000)


def path_motion(path: Toolpath) -> Motion:
    """When the head is where, from the path's own acceleration and junction speed."""
    return plan_moves(
        np.diff(path.x, prepend=path.start[0]),
        np.diff(path.y, prepend=path.start[1]),
        np.diff(path.z, prepend=path.start[2]),
        path.e_mm,
        path.speed,
        path.accel_mm_s2,
        path.junction_mm_s,
    )
