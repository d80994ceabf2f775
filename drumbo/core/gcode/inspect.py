"""What a file will really do, and what is odd about it."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from drumbo.core.gcode.kernel import HOME
from drumbo.core.gcode.reader import PAUSES, Program
from drumbo.core.workshop import Printer

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Remark:
    """Something odd. `weight` is "bad" (may spoil a print or a printer) or "odd"; `line` 0 is the whole file."""

    weight: str
    line: int
    text: str


@dataclass(frozen=True, slots=True)
class Band:
    """A stretch of height that is printed at one nozzle temperature, mm and °C."""

    low: float
    high: float
    nozzle_c: float


@dataclass(frozen=True, slots=True)
class Inspection:
    """Lengths in mm; flow in mm³/s at cruising speed, over the moves that lay a road."""

    lines: int
    moves: int
    low: tuple[float, float, float]
    high: tuple[float, float, float]
    seconds: float
    filament_mm: float
    grams: float
    flow_median: float
    flow_high: float
    bands: tuple[Band, ...]
    bed_c: float
    unknown: Mapping[str, int]
    remarks: tuple[Remark, ...]


def inspect(
    program: Program,
    *,
    printer: Printer | None = None,
    numbers: Mapping[str, float] | None = None,
    filament_mm: float = 1.75,
    density_g_cm3: float = 1.24,
) -> Inspection:
    """Look a file through, against a printer's limits and a profile's numbers (catalogue keys) where given."""
    laid = (program.e_mm > 0) & (_ways(program) > 0.02) & (program.kind != HOME)
    motion = program.motion(
        accel=printer.accel_mm_s2 if printer else None, junction=printer.junction_mm_s if printer else None
    )
    area = math.pi * filament_mm**2 / 4
    fed = program.e_mm * program.flow_factor
    ways = _ways(program)
    with np.errstate(divide="ignore", invalid="ignore"):
        flow = np.where(laid, fed * area / ways * motion.cruise, 0.0)[laid]
    points = [column[laid] for column in (program.x, program.y, program.z)]
    empty = not laid.any()
    filament = float(fed.sum())
    nozzle = program.nozzle_c
    bands = _bands(program.z[laid], nozzle[laid])
    return Inspection(
        lines=program.lines,
        moves=len(program),
        low=(0.0, 0.0, 0.0) if empty else tuple(float(p.min()) for p in points),  # type: ignore[arg-type]
        high=(0.0, 0.0, 0.0) if empty else tuple(float(p.max()) for p in points),  # type: ignore[arg-type]
        seconds=motion.total_s,
        filament_mm=filament,
        grams=filament * area * density_g_cm3 / 1000,
        flow_median=0.0 if empty else float(np.median(flow)),
        flow_high=0.0 if empty else float(np.quantile(flow, 0.99)),
        bands=bands,
        bed_c=float(program.bed_c[laid].max()) if not empty else 0.0,
        unknown=program.unknown,
        remarks=tuple(_remarks(program, laid, nozzle, flow, printer, numbers)),
    )


def _ways(program: Program) -> Floats:
    return np.asarray(np.hypot(np.diff(program.x, prepend=0.0), np.diff(program.y, prepend=0.0)))


def _bands(z: Floats, nozzle: Floats) -> tuple[Band, ...]:
    """Where along z which temperature is set; neighbouring bands of one temperature are one."""
    if not len(z):
        return ()
    cuts = [0, *(np.flatnonzero(np.diff(nozzle)) + 1), len(z)]
    found: list[Band] = []
    for first, last in pairwise(cuts):
        band = Band(float(z[first:last].min()), float(z[first:last].max()), float(nozzle[first]))
        found.append(band)
    return tuple(found)


def _remarks(
    program: Program,
    laid: NDArray[np.bool_],
    nozzle: Floats,
    flow: Floats,
    printer: Printer | None,
    numbers: Mapping[str, float] | None,
) -> list[Remark]:
    remarks = [*_start_and_end(program, laid, nozzle), *_factors(program, laid)]
    if printer is not None:
        remarks += _limits(program, laid, printer)
    if numbers:
        remarks += _against_profile(nozzle[laid], flow, numbers)
    remarks += [Remark("odd", c.line, f"pauses here ({c.word})") for c in program.found(*PAUSES)]
    return sorted(remarks, key=lambda r: (r.weight != "bad", r.line))


def _start_and_end(program: Program, laid: NDArray[np.bool_], nozzle: Floats) -> list[Remark]:
    remarks = []
    if not laid.any():
        return [Remark("odd", 0, "lays no road at all")]
    first = int(laid.argmax())
    if not any(c.word == "G28" and c.row <= first for c in program.commands):
        remarks.append(Remark("bad", int(program.line[first]), "prints before homing (no G28 above)"))
    cold = laid & (nozzle < 150)
    if cold.any():
        line = int(program.line[int(cold.argmax())])
        remarks.append(Remark("bad", line, "feeds filament with the nozzle below 150 °C; the drive will grind"))
    for words, what in ((("M104", "M109"), "nozzle"), (("M140", "M190"), "bed")):
        last = [(c.line, c.heat) for c in program.found(*words) if c.heat is not None]
        if last and last[-1][1] > 0:
            remarks.append(Remark("bad", last[-1][0], f"the {what} is left at {last[-1][1]:g} °C at the end"))
    fan = list(program.found("M106", "M107"))
    if fan and fan[-1].word == "M106" and fan[-1].values.get("S", 255) > 0:
        remarks.append(Remark("odd", fan[-1].line, "the fan is left running at the end"))
    return remarks


def _factors(program: Program, laid: NDArray[np.bool_]) -> list[Remark]:
    """Speed and flow factors that are in force while roads are laid."""
    remarks = []
    for word, name, factor in (("M220", "speed", program.speed_factor), ("M221", "flow", program.flow_factor)):
        off = laid & (np.abs(factor - 1) > 0.005)
        if off.any():
            share, value = off.sum() / laid.sum(), float(factor[int(off.argmax())])
            setter = [c for c in program.found(word) if c.row <= int(off.argmax())][-1]
            text = f"{name} factor {value:.0%} from here on, for {share:.0%} of all roads"
            remarks.append(Remark("bad", setter.line, text))
    return remarks


def _limits(program: Program, laid: NDArray[np.bool_], printer: Printer) -> list[Remark]:
    remarks = []
    (x0, y0), (x1, y1) = printer.bed_low, printer.bed_high
    off = laid & ((program.x < x0 - 0.5) | (program.x > x1 + 0.5) | (program.y < y0 - 0.5) | (program.y > y1 + 0.5))
    if off.any():
        remarks.append(Remark("bad", int(program.line[int(off.argmax())]), f"prints beside the bed of {printer.name}"))
    if laid.any() and program.z[laid].max() > printer.height_mm:
        remarks.append(
            Remark("bad", 0, f"is {program.z[laid].max():.0f} mm high; {printer.name} has {printer.height_mm:g}")
        )
    for words, limit, what in (
        (("M104", "M109"), printer.nozzle_max_c, "nozzle"), (("M140", "M190"), printer.bed_max_c, "bed")
    ):  # fmt: skip
        over = [(c.line, c.heat) for c in program.found(*words) if c.heat is not None and c.heat > limit]
        if over:
            text = f"sets the {what} to {over[0][1]:g} °C; {printer.name} may run {limit:g} °C"
            remarks.append(Remark("bad", over[0][0], text))
    return remarks


def _against_profile(nozzle: Floats, flow: Floats, numbers: Mapping[str, float]) -> list[Remark]:
    remarks = []
    if len(nozzle):
        values, counts = np.unique(nozzle, return_counts=True)
        usual = float(values[counts.argmax()])
        wanted = numbers.get("nozzle_c")
        if wanted is not None and abs(usual - wanted) > 0.5:
            remarks.append(Remark("odd", 0, f"prints mostly at {usual:g} °C; the profile says {wanted:g} °C"))
    limit = numbers.get("max_flow_mm3_s")
    if limit and len(flow) and np.quantile(flow, 0.99) > limit * 1.02:
        text = f"asks for up to {np.quantile(flow, 0.99):.1f} mm³/s; the profile's limit is {limit:g}"
        remarks.append(Remark("bad", 0, text))
    return remarks
