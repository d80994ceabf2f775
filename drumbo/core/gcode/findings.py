"""What is odd about a file, and what to do: one small function a question, most serious first.

Each says where it begins (line and layer) and how much of the print it touches.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from drumbo.core.gcode.analysis import BAD, ODD, FileAnalysis, Remark
from drumbo.core.gcode.move_columns import by_time
from drumbo.core.gcode.profile_checks import DEPARTS
from drumbo.core.gcode.reader import PAUSES

COLD_C = 150.0
WAIT_ALL = "M116"
GULP_MM = 40.0
"""No road feeds so much filament at once; a file that mixes up its extrusion modes does."""
LEAST_TOOL, SAME_SPEED = 0.05, 0.03
"""A tool that prints for less of the time is not looked at; usual speeds so near each other are one."""


def findings(case: FileAnalysis) -> list[Remark]:
    """All that is odd: bad before odd, then by how much of the print it touches, then by line."""
    told = []
    if not case.found.laid.any() and not (case.program.e_mm > 0).any():
        do = "Is it the right file? A start or end sequence alone is fine."
        told.append(Remark(ODD, 0, "lays no road at all", do=do))
    asked = QUESTIONS if case.found.laid.any() else WITHOUT_ROADS
    told += [remark for ask in asked for remark in ask(case)]
    return sorted(told, key=lambda r: (r.weight != BAD, -round(r.share, 2), r.line))


def _homing(case: FileAnalysis) -> Iterator[Remark]:
    first = int(case.found.laid.argmax())
    if not any(c.word == "G28" and c.row <= first for c in case.program.commands):
        yield case.remark(BAD, case.found.laid, "prints before homing (no G28 above)",
                          "Add G28 to the start G-code.")  # fmt: skip


def _cold(case: FileAnalysis) -> Iterator[Remark]:
    cold = case.found.laid & (case.program.nozzle_c < COLD_C)
    if cold.any():
        yield case.remark(BAD, cold, f"feeds filament with the nozzle below {COLD_C:.0f} °C; the drive will grind",
                          "Heat and wait (M109) before the first road.")  # fmt: skip


def _not_waited(case: FileAnalysis) -> Iterator[Remark]:
    """The first road is laid while a heater is still on its way, because nobody waits for it. A word that is not known
    may be a macro that does.
    """
    first = int(case.found.laid.argmax())
    for sets, waits, what in (("M104", "M109", "nozzle"), ("M140", "M190", "bed")):
        wanted, waited = 0.0, True
        for c in case.program.commands:
            if c.row > first:
                break
            if c.word == WAIT_ALL or c.word in case.program.unknown:
                waited = True
            elif c.word in {sets, waits} and c.heat is not None:
                waited = c.word == waits or (waited and c.heat <= wanted)
                wanted = c.heat
        if not waited:
            text = f"prints before the {what} is at {wanted:g} °C; nothing waits for it"
            yield case.remark(BAD, case.found.laid, text, f"Put {waits} S{wanted:g} before the first road.")


def _left_on(case: FileAnalysis) -> Iterator[Remark]:
    for words, what, off in ((("M104", "M109"), "nozzle", "M104 S0"), (("M140", "M190"), "bed", "M140 S0")):
        last = [c for c in case.program.found(*words) if c.heat is not None]
        if last and (last[-1].heat or 0) > 0:
            yield case.of(BAD, last[-1], f"the {what} is left at {last[-1].heat:g} °C at the end",
                          f"End the file with {off}.")  # fmt: skip
    fan = list(case.program.found("M106", "M107"))
    if fan and fan[-1].word == "M106" and fan[-1].values.get("S", 255) > 0:
        yield case.of(ODD, fan[-1], "the fan is left running at the end", "End the file with M107.")


def _factors(case: FileAnalysis) -> Iterator[Remark]:
    for word, name, factor in (
        ("M220", "speed", case.program.speed_factor), ("M221", "flow", case.program.flow_factor)
    ):  # fmt: skip
        off = case.found.laid & (np.abs(factor - 1) > 0.005)
        if off.any():
            _, layer, share = case.at(off)
            value, row = float(factor[int(off.argmax())]), int(off.argmax())
            setter = [c for c in case.program.found(word) if c.row <= row][-1]
            count = off.sum() / case.found.laid.sum()
            text = f"{name} factor {value:.0%} from here on, for {count:.0%} of all roads"
            yield Remark(BAD, setter.line, text, layer, share, f"Put {word} S100 where it should end, or take it out.")


def _beside(case: FileAnalysis) -> Iterator[Remark]:
    printer, program, laid = case.printer, case.program, case.found.laid
    if printer is None:
        return
    (x0, y0), (x1, y1) = printer.bed_low, printer.bed_high
    off = laid & ((program.x < x0 - 0.5) | (program.x > x1 + 0.5) | (program.y < y0 - 0.5) | (program.y > y1 + 0.5))
    if off.any():
        yield case.remark(BAD, off, f"prints beside the bed of {printer.name}",
                          "Check the slicer's bed size and its zero point.")  # fmt: skip
    high = float(program.z[laid].max())
    if high > printer.height_mm:
        text = f"is {high:.0f} mm high; {printer.name} has {printer.height_mm:g}"
        yield case.remark(BAD, laid & (program.z > printer.height_mm), text, "Lay it down, or cut it.")


def _too_hot(case: FileAnalysis) -> Iterator[Remark]:
    if case.printer is None:
        return
    for words, limit, what in (
        (("M104", "M109"), case.printer.nozzle_max_c, "nozzle"), (("M140", "M190"), case.printer.bed_max_c, "bed")
    ):  # fmt: skip
        over = [c for c in case.program.found(*words) if c.heat is not None and c.heat > limit]
        if over:
            text = f"sets the {what} to {over[0].heat:g} °C; {case.printer.name} may run {limit:g} °C"
            yield case.of(BAD, over[0], text, "Slice it for this printer.")


def _mixed_up(case: FileAnalysis) -> Iterator[Remark]:
    gulp = case.found.laid & (case.program.e_mm > GULP_MM) & (case.program.e_mm > case.found.way)
    if gulp.any():
        row = int(gulp.argmax())
        text = f"feeds {case.program.e_mm[row]:.0f} mm of filament on {case.found.way[row]:.1f} mm of road"
        do = "Absolute and relative extrusion are mixed up: look for M82, M83 and G92 E0 above this line."
        yield case.remark(BAD, gulp, text, do)


def _one_speed(case: FileAnalysis) -> Iterator[Remark]:
    """Two materials that keep to the limits of the softer one."""
    if not any(c.word.startswith("T") and c.word != "T0" for c in case.program.commands):
        return
    tool, laid, seconds = case.program.tool, case.found.laid, case.found.seconds
    whole, usual = float(seconds[laid].sum()), {}
    for each in np.unique(tool[laid]):
        rows = laid & (tool == each) & (case.found.layer > 0)
        if seconds[rows].sum() > LEAST_TOOL * whole:
            usual[int(each)] = (
                by_time(case.found.speed[rows], seconds[rows], 0.5),
                by_time(case.found.flow[rows], seconds[rows], 0.99),
            )
    if len(usual) < 2:
        return
    (one, first), (other, second) = list(usual.items())[:2]
    if all(abs(a - b) < SAME_SPEED * max(a, b) for a, b in zip(first, second, strict=True)):
        text = f"T{one} and T{other} print at one speed ({first[0]:.0f} mm/s) and up to one flow ({first[1]:.1f} mm³/s)"
        do = "Are they two materials? Give each its own limits: the softer one need not slow the other."
        yield case.remark(ODD, laid & (tool == other), text, do)


def _limits_unset(case: FileAnalysis) -> Iterator[Remark]:
    if case.numbers and not any(True for _ in case.program.found("M204", "M205", "M566", "M201")):
        do = "Times here are reckoned with the printer's page. If they differ from the real ones, set M204."
        yield Remark(ODD, 0, "sets no acceleration and no junction speed; the printer's own hold", do=do)


def _pauses(case: FileAnalysis) -> Iterator[Remark]:
    for command in case.program.found(*PAUSES):
        yield case.of(ODD, command, f"pauses here ({command.word})", "Stay near, or take it out.")


QUESTIONS = (
    _homing, _cold, _not_waited, _left_on, _factors, _beside, _too_hot, _mixed_up, *DEPARTS, _one_speed, _limits_unset,
    _pauses,
)  # fmt: skip
WITHOUT_ROADS = (_left_on, _too_hot, _pauses)
"""What can be asked of a file that only feeds filament, or moves."""
