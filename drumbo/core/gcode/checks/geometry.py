"""Where a file prints: beside the bed, into what stands there, in the air, layers that are missing or too high."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from drumbo.core.gcode.analysis import TWICE_AS_HIGH, FileAnalysis
from drumbo.core.heights import CARRIAGE, HEAD, NOZZLE
from drumbo.core.remark import BAD, NOTE, Remark

BESIDE_MM = 0.5
THIN, FLAT = 0.65, 2.0
"""Width of the first layer's lines over the usual one: the nozzle is too high, or too low."""
TALLER, LEAST_FIRST_MM = 1.3, 0.04
STARVED, LEAST_LOST_MM = 0.78, 0.08
"""A step lower than that has lost no layer: two of the thinnest are higher."""
LEAST_ISLAND_MM = 2.0
APART_MM = 1.5


def beside(case: FileAnalysis) -> Iterator[Remark]:
    """Beyond the bed, or too high."""
    printer, program, laid = case.printer, case.program, case.found.laid
    if printer is None:
        return
    (x0, y0), (x1, y1) = printer.bed_low, printer.bed_high
    off = laid & (
        (program.x < x0 - BESIDE_MM) | (program.x > x1 + BESIDE_MM)
        | (program.y < y0 - BESIDE_MM) | (program.y > y1 + BESIDE_MM)
    )  # fmt: skip
    if off.any():
        yield case.remark(BAD, off, f"prints beside the bed of {printer.name}",
                          "Check the slicer's bed size and its zero point.")  # fmt: skip
    high = float(program.z[laid].max())
    if high > printer.height_mm:
        text = f"is {high:.0f} mm high; {printer.name} has {printer.height_mm:g}"
        yield case.remark(BAD, laid & (program.z > printer.height_mm), text, "Lay it down, or cut it.")


def _widths(case: FileAnalysis) -> NDArray[np.float64]:
    """(layers,) mean of what a line's area is over its height, mm."""
    widths, ways = case.by_layer
    return np.asarray((widths * ways).sum(axis=0) / np.maximum(ways.sum(axis=0), 1e-9))


def first_layer(case: FileAnalysis) -> Iterator[Remark]:
    """Too high to stick, or so low that nothing comes out."""
    tops = case.found.tops
    first = case.found.laid & (case.found.layer == 0)
    if tops[0] < LEAST_FIRST_MM:
        text = f"prints at a height of {tops[0]:.2f} mm; the nozzle scrapes over the bed"
        yield case.remark(BAD, first, text, "Check the first layer's height and any Z offset (G92 Z, or the slicer's).")
        return
    if len(tops) < 3:
        return
    widths = _widths(case)
    usual, step = float(np.median(widths[1:])), float(np.median(np.diff(tops)))
    if tops[0] > TALLER * step and widths[0] < THIN * usual:
        text = f"lays its first layer at {tops[0]:.2f} mm, with filament for {tops[0] * widths[0] / usual:.2f} mm"
        yield case.remark(
            BAD, first, text, "The nozzle is too high to press it on: check the first layer and Z offset."
        )
    elif tops[0] < step / TALLER and widths[0] > FLAT * usual:
        text = f"lays its first layer at {tops[0]:.2f} mm, with filament for {tops[0] * widths[0] / usual:.2f} mm"
        yield case.remark(BAD, first, text, "The nozzle is too low: check the first layer's height and the Z offset.")


def missing_layer(case: FileAnalysis) -> Iterator[Remark]:
    """A step twice as high as those around, for whose height the lines have too little."""
    tops, found = case.found.tops, case.found
    if len(tops) < 5:
        return
    steps, widths = np.diff(tops), _widths(case)
    usual = float(np.median(widths))
    for k in (np.flatnonzero(steps[1:] > TALLER * steps[:-1]) + 1).tolist():
        tall = steps[k] > LEAST_LOST_MM and case.tall_step(k + 1) > TWICE_AS_HIGH
        if tall and widths[k + 1] < STARVED * usual and not case.on_raft(k + 1):
            where = found.laid & (found.layer == k + 1)
            text = f"a layer is missing below {tops[k + 1]:.2f} mm: the step is {steps[k]:.2f} mm there"
            yield case.remark(BAD, where, text, "Slice it again; a layer was lost.")
            return


def in_the_air(case: FileAnalysis) -> Iterator[Remark]:
    """Lines with nothing beneath them that hang on nothing."""
    rows = case.islands
    if len(rows) and float(case.found.way[rows].sum()) > LEAST_ISLAND_MM:
        where = np.zeros(len(case.program), bool)
        where[rows] = True
        layers = len(np.unique(case.found.layer[rows]))
        more = f", on {layers} layers" if layers > 1 else ""
        text = f"starts in the air at {float(case.program.z[rows[0]]):.2f} mm: nothing is printed beneath it{more}"
        yield case.remark(BAD, where, text, "It needs a support, or the part was cut or moved off its own base.")


def collisions(case: FileAnalysis) -> Iterator[Remark]:
    """The nozzle, the head or the carriage runs into what stands there."""
    hits = case.runs_into
    nozzle = (hits & NOZZLE) > 0
    if nozzle.any():
        row = int(nozzle.argmax())
        how = "prints" if case.found.laid[row] else "travels"
        text = f"{how} at {float(case.program.z[row]):.2f} mm through what is printed there already"
        yield case.remark(BAD, nozzle, text, "Raise the nozzle over what is printed before it goes there.")
        return
    for bit, text, do in (
        (HEAD, "the head runs into a part that is finished", "Set the parts farther apart, or print them together."),
        (CARRIAGE, "the carriage runs into a part that is finished",
         "Print the highest part last, or all of them together."),
    ):  # fmt: skip
        there = (hits & bit) > 0
        if there.any():
            yield case.remark(BAD, there, text, do)
            return


def one_by_one(case: FileAnalysis) -> Iterator[Remark]:
    """Parts one after another, on a printer whose head nobody measured."""
    printer, found = case.printer, case.found
    if printer is not None and printer.clearance_radius_mm and printer.clearance_height_mm:
        return
    if not (np.diff(case.program.z) < -APART_MM).any():
        return
    rows = np.flatnonzero(found.laid)
    falls = np.flatnonzero((np.diff(case.program.z[rows]) < -APART_MM) & (found.layer[rows[1:]] <= 1))
    if len(falls) and not (case.runs_into & NOZZLE).any():
        row = int(rows[falls[0] + 1])
        text = "prints one part after another; whether the head has room is not known"
        do = "Give the room round the nozzle and below the carriage on the printer's page."
        yield case.at_row(NOTE, row, text, do)


QUESTIONS = (beside, first_layer, missing_layer, in_the_air, collisions, one_by_one)
