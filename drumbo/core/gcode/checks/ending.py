"""In which state a file leaves the printer, and where it stops on its way."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from drumbo.core.gcode.analysis import FileAnalysis
from drumbo.core.gcode.command import Command, Effect, What
from drumbo.core.remark import BAD, NOTE, ODD, Remark

STAYS_MM, LIFTS_MM = 2.0, 0.2


def _macro(case: FileAnalysis) -> Command | None:
    """A word behind the last line that nobody here knows."""
    return case.ending[0] if case.found.laid.any() and case.ending else None


def _left(case: FileAnalysis, what: What) -> list[tuple[Command, Effect]]:
    """The last settings of a part of the state, one a tool, that leave it on."""
    last: dict[int | None, tuple[Command, Effect]] = {}
    named = any(effect.tool is not None for _, effect in case.program.set_by(what))
    tool = 0
    for command, effect in case.program.set_by(what, What.TOOL):
        if effect.what is What.TOOL:
            tool = int(effect.value)
        else:
            last[(tool if effect.tool is None else effect.tool) if named else None] = (command, effect)
    return [(command, effect) for command, effect in last.values() if effect.value > 0]


def end_state(case: FileAnalysis) -> tuple[str, ...]:
    """In which state the file leaves the printer, in a few words each; nothing of what a macro there may change."""
    program, ends = case.program, list[str]()
    if not len(program) or (case.found.laid.any() and case.ending):
        return ()
    for what, name in ((What.NOZZLE, "nozzle"), (What.BED, "bed"), (What.FAN, "fan")):
        left = _left(case, what)
        value = left[0][1].value if left else 0.0
        ends.append(f"{name} {'off' if not left else f'{value:.0%}' if what is What.FAN else f'{value:g} °C'}")
    motors = [effect.value for _, effect in program.set_by(What.MOTORS)]
    ends.append(f"motors {'off' if motors and motors[-1] == 0 else 'on'}")
    for what, name in ((What.SPEED, "speed"), (What.FLOW, "flow")):
        told = [effect.value for _, effect in program.set_by(what)]
        if told and abs(told[-1] - 1) > 0.005:
            ends.append(f"{name} factor {told[-1]:.0%}")
    x, y, z = float(program.x[-1]), float(program.y[-1]), float(program.z[-1])
    ends.append(f"head at X {x:g} Y {y:g} Z {z:g}")
    return tuple(ends)


def left_on(case: FileAnalysis) -> Iterator[Remark]:
    """Heaters and fan at the end; where a macro ends the print it may switch them off, and that cannot be seen."""
    macro = _macro(case)
    hot = [
        (name, off, left)
        for what, name, off in ((What.NOZZLE, "nozzle", "M104 S0"), (What.BED, "bed", "M140 S0"))
        for left in _left(case, what)
    ]
    if macro is not None:
        if hot:
            names = " and ".join(dict.fromkeys(name for name, _, _ in hot))
            text = f"whether {names} are switched off cannot be seen: {macro.word} may do it, and is the printer's own"
            yield case.of(NOTE, macro, text, "Look into the printer's macro if in doubt.")
        return
    for name, off, (command, effect) in hot:
        of = f" of T{effect.tool}" if effect.tool else ""
        yield case.of(BAD, command, f"the {name}{of} is left at {effect.value:g} °C at the end",
                      f"End the file with {off}{f' T{effect.tool}' if effect.tool else ''}.")  # fmt: skip
    for command, _ in _left(case, What.FAN)[:1]:
        yield case.of(ODD, command, "the fan is left running at the end", "End the file with M107.")


def factors_left(case: FileAnalysis) -> Iterator[Remark]:
    """A factor that is set behind the last line stays for the next print."""
    for what, word, name in ((What.SPEED, "M220", "speed"), (What.FLOW, "M221", "flow")):
        told = list(case.program.set_by(what))
        if told and told[-1][0].row > case.last and abs(told[-1][1].value - 1) > 0.005:
            text = f"leaves the {name} factor at {told[-1][1].value:.0%} for the next print"
            yield case.of(ODD, told[-1][0], text, f"End the file with {word} S100.")


def stays(case: FileAnalysis) -> Iterator[Remark]:
    """The head does not leave the part."""
    if _macro(case) is not None:
        return
    program, last = case.program, case.last
    rest = slice(last + 1, None)
    up = program.z[rest] - program.z[last]
    away = np.hypot(program.x[rest] - program.x[last], program.y[rest] - program.y[last])
    if not ((up > LIFTS_MM) | (away > STAYS_MM) | (program.kind[rest] >= 28)).any():
        yield case.at_row(ODD, last, "the head stays on the part at the end, and melts a mark into it",
                          "Lift it and move it aside in the end G-code.")  # fmt: skip


def modes_left(case: FileAnalysis) -> Iterator[Remark]:
    """Another way of understanding positions than the print used."""
    for words, name in ((("G90", "G91"), "positions"), (("G20", "G21"), "lengths")):
        told = list(case.program.found(*words))
        before = [command.word for command in told if command.row <= case.last]
        usual = before[-1] if before else {"G90": "G90", "G20": "G21"}[words[0]]
        if told and told[-1].row > case.last and told[-1].word != usual:
            how = {"G91": "relative", "G90": "absolute", "G20": "in inches", "G21": "in mm"}[told[-1].word]
            yield case.of(ODD, told[-1], f"leaves {name} {how}, unlike the print", f"End the file with {usual}.")


def pauses(case: FileAnalysis) -> Iterator[Remark]:
    """Where somebody must be there."""
    for command, _ in case.program.set_by(What.PAUSE):
        yield case.of(ODD, command, f"pauses here ({command.word})", "Stay near, or take it out.")


QUESTIONS = (left_on, factors_left, stays, modes_left, pauses)
