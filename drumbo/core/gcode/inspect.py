"""What a file will really do, and what is odd about it."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from drumbo.core.errors import GcodeError
from drumbo.core.gcode.analysis import FileAnalysis
from drumbo.core.gcode.checks import findings
from drumbo.core.gcode.checks.ending import end_state
from drumbo.core.gcode.command import What
from drumbo.core.gcode.move_columns import by_time, move_columns
from drumbo.core.gcode.program import Program
from drumbo.core.gcode.roles import INNER, NAMES, OUTER, ROADS, STILL, TOP, TRAVEL, UNSUPPORTED
from drumbo.core.remark import Remark

if TYPE_CHECKING:
    from drumbo.core.material import Material
    from drumbo.core.printer import Printer

Floats = NDArray[np.float64]

FARTHEST_MM, MOST_FED_MM, FASTEST_MM_MIN = 1e5, 1e7, 1e8
"""Beyond these a number is no position, length of filament or speed of a printer."""


@dataclass(frozen=True, slots=True)
class HeatBand:
    """A stretch of height that is printed at one nozzle temperature, mm and °C."""

    low: float
    high: float
    nozzle_c: float


@dataclass(frozen=True, slots=True)
class RoleSummary:
    """All moves of one role: how long they take, what they lay, and their usual and most flow (99 %), mm³/s, and usual
    speed, mm/s, by time.
    """

    role: int
    name: str
    seconds: float
    grams: float = 0.0
    flow_usual: float = 0.0
    flow_high: float = 0.0
    speed_usual: float = 0.0


@dataclass(frozen=True, slots=True)
class Wait:
    """Where the printer waits for a heater, named in words, to be at a temperature."""

    what: str
    heat_c: float
    line: int


@dataclass(frozen=True, slots=True)
class Inspection:
    """Lengths in mm; usual and most (99 %) flow in mm³/s by the time of roads, of each at its fastest. Seconds are of
    all moves; `parts` has them by role; `layer_mm` and `width_mm` are usual ones. `retraction_mm`, its speed,
    `restart_mm` (how much more is pushed again) and `lift_mm` are usual ones of the `retractions`, 0 where there are
    none; `unretracted_travels` are long ones without, up to `unretracted_most_mm`.
    """

    lines: int
    moves: int
    low: tuple[float, float, float]
    high: tuple[float, float, float]
    seconds: float
    parts: tuple[RoleSummary, ...]
    layers: int
    layer_mm: float
    width_mm: float
    retraction_mm: float
    retraction_mm_s: float
    restart_mm: float
    lift_mm: float
    retractions: int
    unretracted_travels: int
    unretracted_most_mm: float
    waits: tuple[Wait, ...]
    filament_mm: float
    grams: float
    flow_median: float
    flow_high: float
    bands: tuple[HeatBand, ...]
    bed_c: float
    dialect: str
    tools: tuple[int, ...]
    tool_changes: int
    dwell_s: float
    ends: tuple[str, ...]
    unknown: Mapping[str, int]
    remarks: tuple[Remark, ...]

    def seconds_of(self, *roles: int) -> float:
        """Time of all moves of some roles, s."""
        return sum(part.seconds for part in self.parts if part.role in roles)


def analyse(
    program: Program,
    *,
    printer: Printer | None = None,
    numbers: Mapping[str, float] | None = None,
    filament_mm: float = 1.75,
    material: Material | None = None,
) -> FileAnalysis:
    """A file with its columns, held against a printer's limits, a profile's numbers (catalogue keys) and a material
    where given.
    GcodeError where a move is beyond anything that a printer could do: no sum with it would mean a thing.
    """
    for letter, column, most in (
        ("X", program.x, FARTHEST_MM), ("Y", program.y, FARTHEST_MM), ("Z", program.z, FARTHEST_MM),
        ("E", program.e_mm, MOST_FED_MM), ("F", program.feed, FASTEST_MM_MIN),
    ):  # fmt: skip
        if len(column) and not (-most <= column.min() and column.max() <= most):
            row = int(np.argmax(~(np.abs(column) <= most)))
            says = f"{letter} goes to {column[row]:.3g} here, beyond anything that a printer can do"
            raise GcodeError(int(program.line[row]), says)
    motion = program.motion(
        accel=printer.accel_mm_s2 if printer else None,
        junction=printer.junction_mm_s if printer else None,
        tool_change_s=(printer.tool_change_s or 0.0) if printer else 0.0,
    )
    return FileAnalysis(program, move_columns(program, motion, filament_mm), printer, numbers or {}, material)


def inspect(
    program: Program,
    *,
    printer: Printer | None = None,
    numbers: Mapping[str, float] | None = None,
    filament_mm: float = 1.75,
    density_g_cm3: float = 1.24,
    material: Material | None = None,
) -> Inspection:
    """Look a file through, against a printer, a profile's numbers (catalogue keys) and a material where given."""
    case = analyse(program, printer=printer, numbers=numbers, filament_mm=filament_mm, material=material)
    return summary(case, filament_mm, density_g_cm3)


def summary(case: FileAnalysis, filament_mm: float = 1.75, density_g_cm3: float = 1.24) -> Inspection:
    """A case in a few numbers, and what is odd about it."""
    program, found = case.program, case.found
    laid = found.laid
    empty = not laid.any()
    low, high = (0.0, 0.0, 0.0), (0.0, 0.0, 0.0)
    if not empty:
        # One column after the other, so that only one copy is there at a time.
        ends = [(float(of.min()), float(of.max())) for of in (c[laid] for c in (program.x, program.y, program.z))]
        low, high = tuple(e[0] for e in ends), tuple(e[1] for e in ends)  # type: ignore[assignment]
    filament = float(program.e_mm @ program.flow_factor)
    area = math.pi * filament_mm**2 / 4
    between = case.between
    flow_usual, flow_high = _flow(case)
    return Inspection(
        lines=program.lines,
        moves=len(program),
        low=low,
        high=high,
        seconds=found.total_s,
        parts=_parts(case, area * density_g_cm3 / 1000),
        layers=found.layers,
        layer_mm=float(np.median(found.height[laid])) if not empty else 0.0,
        width_mm=float(np.median(found.width[laid])) if not empty else 0.0,
        retraction_mm=between.usual(between.pulled_mm),
        retraction_mm_s=between.usual(between.speed_mm_s),
        restart_mm=between.restart_mm,
        lift_mm=between.usual(between.lift_mm),
        retractions=int(between.pulls.sum()),
        unretracted_travels=int(between.bare.sum()),
        unretracted_most_mm=float(between.way_mm[between.bare].max(initial=0.0)),
        waits=_waits(program),
        filament_mm=filament,
        grams=filament * area * density_g_cm3 / 1000,
        flow_median=flow_usual,
        flow_high=flow_high,
        bands=_bands(program.z[laid], program.nozzle_c[laid]),
        bed_c=float(program.bed_c[laid].max()) if not empty else 0.0,
        dialect=program.dialect.key,
        tools=tuple(np.unique(program.tool[laid]).tolist()) if len(program.tools) > 1 else (0,),
        tool_changes=len(program.tool_changes),
        dwell_s=sum(program.dwells.values()),
        ends=end_state(case),
        unknown=program.unknown,
        remarks=tuple(findings(case)),
    )


def _flow(case: FileAnalysis) -> tuple[float, float]:
    """Usual and most flow of the roads, mm³/s; what is copied for it is let go of before anything else is."""
    flow, seconds = case.found.flow[case.found.laid], case.found.seconds[case.found.laid]
    return by_time(flow, seconds, 0.5), by_time(flow, seconds, 0.99)


def _waits(program: Program) -> tuple[Wait, ...]:
    """Who waits for which heat; waiting again for what is there already takes no time and is left out."""
    at, waits = dict[tuple[str, int | None], float](), list[Wait]()
    for command, effect in program.set_by(What.NOZZLE, What.BED, What.CHAMBER):
        if not effect.waits:
            continue
        heater = (str(effect.what), effect.tool)
        if effect.value and at.get(heater) != effect.value:
            name = str(effect.what) if effect.tool in {None, 0} else f"{effect.what} of T{effect.tool}"
            waits.append(Wait(name, effect.value, command.line))
        at[heater] = effect.value
    return tuple(waits)


def _parts(case: FileAnalysis, grams_each_mm: float) -> tuple[RoleSummary, ...]:
    """What is done by role, roads first; roles that do not occur are left out."""
    found, flow_factor = case.found, case.program.flow_factor
    parts = []
    for role in (OUTER, INNER, TOP, UNSUPPORTED, TRAVEL, STILL):
        rows = np.flatnonzero(case.role == role)
        if not len(rows):
            continue
        seconds = found.seconds[rows]
        part = RoleSummary(role, NAMES[role], float(seconds.sum()))
        if role in ROADS:
            grams = float((case.program.e_mm[rows] * flow_factor[rows]).sum()) * grams_each_mm
            usual, high = by_time(found.flow[rows], seconds, 0.5), by_time(found.flow[rows], seconds, 0.99)
            part = replace(part, grams=grams, flow_usual=usual, flow_high=high)
        if role != STILL:
            part = replace(part, speed_usual=by_time(found.speed[rows], seconds, 0.5))
        parts.append(part)
    return tuple(parts)


def _bands(z: Floats, nozzle: Floats) -> tuple[HeatBand, ...]:
    """Where along z which temperature is set; neighbouring bands of one temperature are one."""
    if not len(z):
        return ()
    cuts = [0, *(np.flatnonzero(np.diff(nozzle)) + 1), len(z)]
    found: list[HeatBand] = []
    for first, last in pairwise(cuts):
        band = HeatBand(float(z[first:last].min()), float(z[first:last].max()), float(nozzle[first]))
        found.append(band)
    return tuple(found)
