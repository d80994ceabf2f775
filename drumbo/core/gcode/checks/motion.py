"""How a file moves: factors, crawls, dwells, and limits that it sets."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from drumbo.core.gcode.analysis import FileAnalysis
from drumbo.core.gcode.command import What
from drumbo.core.gcode.move_columns import by_time
from drumbo.core.remark import BAD, NOTE, ODD, Remark

LEAST_TOOL, SAME_SPEED, APART_C = 0.05, 0.03, 4.0
"""A tool that prints for less of the time is not looked at; usual speeds so near each other are one."""
CRAWL_MM_S, LEAST_CRAWL_S = 1.0, 5.0
LEAST_DWELL_S, LONG_DWELL_S, NEAR_MM = 0.4, 5.0, 0.5
SANE = {
    What.ACCEL: (50.0, 100_000.0, "acceleration", "mm/s²"),
    What.JUNCTION: (0.2, 100.0, "junction speed", "mm/s"),
    What.MOST_SPEED: (1.0, 5_000.0, "most speed", "mm/s"),
    What.MOST_ACCEL: (20.0, 200_000.0, "most acceleration", "mm/s²"),
}
"""Between these a printer can do something with a limit."""


def factors(case: FileAnalysis) -> Iterator[Remark]:
    """A speed or flow factor that is not 100 % while lines are laid."""
    for what, word, name in ((What.SPEED, "M220", "speed"), (What.FLOW, "M221", "flow")):
        if all(abs(effect.value - 1) <= 0.005 for _, effect in case.program.set_by(what)):
            continue
        factor = case.program.speed_factor if what is What.SPEED else case.program.flow_factor
        off = case.found.laid & (np.abs(factor - 1) > 0.005)
        if off.any():
            _, layer, share = case.at(off)
            value, row = float(factor[int(off.argmax())]), int(off.argmax())
            setter = [c for c, _ in case.program.set_by(what) if c.row <= row][-1]
            count = off.sum() / case.found.laid.sum()
            text = f"{name} factor {value:.0%} from here on, for {count:.0%} of all lines"
            yield Remark(BAD, setter.line, text, layer, share, f"Put {word} S100 where it should end, or take it out.")


def one_speed(case: FileAnalysis) -> Iterator[Remark]:
    """Two materials, told by their temperatures, that keep to the limits of the softer one. Two colours of one material
    may well print alike.
    """
    if not case.program.tools > {0}:
        return
    tool, laid, seconds = case.program.tool, case.found.laid, case.found.seconds
    usual, nozzle = {}, case.program.nozzle_c
    for each in np.unique(tool[laid]):
        rows = laid & (tool == each) & (case.found.layer > 0)
        if seconds[rows].sum() > LEAST_TOOL * case.laid_s:
            usual[int(each)] = (
                by_time(case.found.speed[rows], seconds[rows], 0.5),
                by_time(case.found.flow[rows], seconds[rows], 0.99),
                case.usual(nozzle, rows),
            )
    if len(usual) < 2:
        return
    (one, first), (other, second) = list(usual.items())[:2]
    alike = all(abs(a - b) < SAME_SPEED * max(a, b) for a, b in zip(first[:2], second[:2], strict=True))
    if alike and abs(first[2] - second[2]) > APART_C:
        text = f"T{one} and T{other} print at one speed ({first[0]:.0f} mm/s) and up to one flow ({first[1]:.1f} mm³/s)"
        do = "Are they two materials? Give each its own limits: the softer one need not slow the other."
        yield case.remark(ODD, laid & (tool == other), text, do)


def crawl(case: FileAnalysis) -> Iterator[Remark]:
    """A layer or a stretch that hardly moves, or a move before any speed is set."""
    program, found = case.program, case.found
    goes = (found.way > 0.02) & (program.kind < 4)
    still = goes & (program.feed <= 0)
    if still.any():
        yield case.remark(BAD, still, "moves without a speed: no F so far, or none above 0",
                          "Put an F on the first move.")  # fmt: skip
    slow = goes & (program.feed > 0)
    if any(True for _ in program.set_by(What.SPEED)):
        slow &= program.feed * program.speed_factor < 60 * CRAWL_MM_S
    else:
        slow &= program.feed < 60 * CRAWL_MM_S
    seconds = float(found.seconds[slow].sum())
    if seconds > max(LEAST_CRAWL_S, 0.005 * found.total_s):
        speed = float(np.median(found.speed[slow]))
        long = f"{seconds / 60:.0f} min" if seconds >= 90 else f"{seconds:.0f} s"
        yield case.remark(BAD, slow, f"crawls at {speed:.1f} mm/s for {long}",
                          "F is in mm/min: was it written in mm/s? Look for an F or M220 above.")  # fmt: skip


def dwells(case: FileAnalysis) -> Iterator[Remark]:
    """The hot nozzle stands on the part."""
    program, laid = case.program, case.found.laid
    on_part = []
    for row, seconds in program.dwells.items():
        if seconds < LEAST_DWELL_S or not case.first < row <= case.last:
            continue
        before = row - 1
        while before > case.first and not laid[before]:
            before -= 1
        away = np.hypot(program.x[row] - program.x[before], program.y[row] - program.y[before])
        level = program.z[row] - program.z[before] < 0.1
        if level and ((laid[before] and away < NEAR_MM) or laid[row + 1]):
            on_part.append((row, seconds))
    if on_part:
        row, seconds = max(on_part, key=lambda each: each[1])
        more = f", {len(on_part)} times in all" if len(on_part) > 1 else ""
        yield case.at_row(BAD if seconds >= LONG_DWELL_S else ODD, row,
                          f"the nozzle waits on the part for {seconds:g} s (G4){more}; it leaves a blob",
                          "Lift and move aside before it waits, or take the dwell out.")  # fmt: skip


def limits(case: FileAnalysis) -> Iterator[Remark]:
    """Accelerations and speeds that no printer means."""
    for what, (low, high, name, unit) in SANE.items():
        off = [
            (command, effect) for command, effect in case.program.set_by(what)
            if not low <= effect.value <= high and command.row <= case.last and effect.axis not in {"Z", "E"}
        ]  # fmt: skip
        if off:
            command, effect = off[0]
            later = [c.row for c, _ in case.program.set_by(what) if c.row > command.row]
            share = case.from_row(command.row) - (case.from_row(later[0]) if later else 0.0)
            how = "low" if effect.value < low else "high"
            yield case.of(BAD if share > 0.01 else ODD, command,
                          f"sets the {name} to {effect.value:g} {unit}, absurdly {how}",
                          f"Check the number: {command.word} may want another unit.", share)  # fmt: skip


def limits_unset(case: FileAnalysis) -> Iterator[Remark]:
    """No limits at all, so that times hang on the printer's page."""
    sets = (What.ACCEL, What.JUNCTION, What.DEVIATION, What.MOST_ACCEL)
    if case.numbers and not case.opening and not any(True for _ in case.program.set_by(*sets)):
        do = "Times here are reckoned with the printer's page. If they differ from the real ones, set M204."
        yield Remark(NOTE, 0, "sets no acceleration and no junction speed; the printer's own hold", do=do)


QUESTIONS = (factors, one_speed, crawl, dwells, limits, limits_unset)
