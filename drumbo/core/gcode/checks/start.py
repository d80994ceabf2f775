"""How a file begins: homing, heating and waiting before the first line, and what a macro of the printer's hides."""

from __future__ import annotations

from collections.abc import Iterator

from drumbo.core.gcode.analysis import FileAnalysis
from drumbo.core.gcode.command import What
from drumbo.core.remark import BAD, NOTE, ODD, Remark

COLD_C = 150.0
HEATERS = ((What.NOZZLE, "nozzle", "M109"), (What.BED, "bed", "M190"))
MOST_NAMED = 4


def _homed(case: FileAnalysis) -> bool:
    return any(command.row <= case.first for command, _ in case.program.set_by(What.HOME))


def homing(case: FileAnalysis) -> Iterator[Remark]:
    """No homing above the first line, and no macro that could."""
    if not _homed(case) and not case.opening:
        yield case.remark(BAD, case.found.laid, "prints before homing (no G28 above)",
                          "Add G28 to the start G-code.")  # fmt: skip


def cold(case: FileAnalysis) -> Iterator[Remark]:
    """Filament is fed through a nozzle that is told to be cold. Where a macro began the print, a temperature that was
    never set is not known.
    """
    nozzle = case.program.nozzle_c
    cold = case.found.laid & (nozzle < COLD_C)
    if case.opening:
        cold &= nozzle > 0
    allowed = [e.value for c, e in case.program.set_by(What.COLD_LIMIT) if c.row <= case.first]
    if cold.any() and not (allowed and nozzle[case.first] >= allowed[-1]):
        yield case.remark(BAD, cold, f"feeds filament with the nozzle below {COLD_C:.0f} °C; the drive will grind",
                          "Heat and wait (M109) before the first line.")  # fmt: skip


def not_waited(case: FileAnalysis) -> Iterator[Remark]:
    """The first line is laid while a heater is still on its way, because nobody waits for it. A word that is not known
    may be a macro that does.
    """
    if case.opening:
        return
    tool = int(case.program.tool[case.first])
    for what, name, word in HEATERS:
        wanted, waited = 0.0, True
        for command, effect in case.program.set_by(what, What.WAIT):
            if command.row > case.first:
                break
            if effect.what is What.WAIT:
                waited = True
            elif effect.tool in {None, tool}:
                waited = effect.waits or (waited and effect.value <= wanted)
                wanted = effect.value
        if not waited:
            text = f"prints before the {name} is at {wanted:g} °C; nothing waits for it"
            yield case.remark(BAD, case.found.laid, text, f"Put {word} S{wanted:g} before the first line.")


def macro(case: FileAnalysis) -> Iterator[Remark]:
    """What a macro at the start hides, once: only where the file does not say it itself."""
    if not case.opening:
        return
    seen = {effect.what: command for command, effect in case.program.effects if command.row <= case.first}
    own = {what for what, command in seen.items() if command not in case.opening}
    missing = [word for what, word in ((What.HOME, "homing"), (What.NOZZLE, "heating")) if what not in own]
    if not missing:
        return
    names = list(dict.fromkeys(c.word for c in case.opening))
    told = ", ".join(names[:MOST_NAMED]) + (" and others" if len(names) > MOST_NAMED else "")
    said = [
        f"{name} {value:g} °C"
        for name, value in (
            ("nozzle", case.program.nozzle_c[case.first]), ("bed", case.program.bed_c[case.first]),
        ) if value > 0
    ]  # fmt: skip
    text = f"{' and '.join(missing)} cannot be seen: {told} may do it, and is the printer's own"
    do = f"Its words say {' and '.join(said)}." if said else "Look into the printer's macro if in doubt."
    yield case.of(NOTE, case.opening[0], text, do)


def unfilled(case: FileAnalysis) -> Iterator[Remark]:
    """Names in braces that nobody filled in."""
    if case.program.dialect.works_out:
        return
    left = [(command, name) for command in case.program.commands for name in command.unfilled]
    if left:
        names = list(dict.fromkeys(name for _, name in left))
        told = ", ".join(f"{{{name}}}" for name in names[:MOST_NAMED])
        more = f" and {len(names) - MOST_NAMED} more" if len(names) > MOST_NAMED else ""
        yield case.of(BAD, left[0][0], f"holds names that were never filled in: {told}{more}",
                      "Check how this name is written in the slicer's start, layer and end G-code.")  # fmt: skip


def exponents(case: FileAnalysis) -> Iterator[Remark]:
    """Numbers like 1e-05."""
    line = case.program.exponent_line
    if line:
        yield Remark(ODD, line, "writes numbers with exponents, like 1e-05; some firmware reads the E as filament",
                     do="Have the program that wrote it write plain numbers.")  # fmt: skip


QUESTIONS = (homing, cold, not_waited, unfilled, exponents, macro)
