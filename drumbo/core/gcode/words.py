"""What words do to a machine, where most firmware agrees. A dialect adds its own, and what it means otherwise."""

from __future__ import annotations

from collections.abc import Iterator

from drumbo.core.gcode.command import Command, Effect, Meaning, What, Words

MS = 1000.0
AXES = "XYZE"


def _tool(command: Command, *letters: str) -> int | None:
    """The tool that a command names under one of these letters."""
    return next((int(command.values[k]) for k in letters if 0 <= command.values.get(k, -1) < 100), None)


def heater(what: What, *, waits: bool = False) -> Meaning:
    """A heater's target under S, or R; of a tool under T."""

    def read(command: Command) -> Iterator[Effect]:
        if command.heat is not None:
            yield Effect(what, command.heat, _tool(command, "T"), waits)

    return read


def fan(command: Command) -> Iterator[Effect]:
    """M106: 0 to 255 under S, of the fan under P; all of it without S."""
    share = min(max(command.values.get("S", 255.0), 0.0), 255.0) / 255
    yield Effect(What.FAN, share, _tool(command, "P"))


def fan_off(command: Command) -> Iterator[Effect]:
    """M107."""
    yield Effect(What.FAN, 0.0, _tool(command, "P"))


def percent(what: What) -> Meaning:
    """A factor in per cent under S; of a tool under T."""

    def read(command: Command) -> Iterator[Effect]:
        if "S" in command.values:
            yield Effect(what, max(command.values["S"], 0.0) / 100, _tool(command, "T"))

    return read


def number(what: What, letter: str, tool: str = "T") -> Meaning:
    """A value under a letter; of a tool under another."""

    def read(command: Command) -> Iterator[Effect]:
        if letter in command.values:
            yield Effect(what, command.values[letter], _tool(command, tool))

    return read


def alone(what: What, value: float = 0.0, *, waits: bool = False) -> Meaning:
    """A word that does one thing whatever stands behind it."""

    def read(_command: Command) -> Iterator[Effect]:
        yield Effect(what, value, waits=waits)

    return read


def accelerations(command: Command) -> Iterator[Effect]:
    """M204: P for what prints and T for travels, or S for both, mm/s²."""
    for what, letters in ((What.ACCEL, "SP"), (What.TRAVEL_ACCEL, "ST")):
        said = [command.values[k] for k in letters if command.values.get(k, 0) > 0]
        if said:
            yield Effect(what, said[-1])


def junctions(command: Command) -> Iterator[Effect]:
    """M205: the speed that X may change at once, mm/s, or under J how far a corner may be cut, mm."""
    if command.values.get("X", 0) > 0:
        yield Effect(What.JUNCTION, command.values["X"])
    elif command.values.get("J", 0) > 0:
        yield Effect(What.DEVIATION, command.values["J"])


def by_axis(what: What, scale: float = 1.0) -> Meaning:
    """The most of X Y Z E, each under its letter."""

    def read(command: Command) -> Iterator[Effect]:
        for axis in AXES:
            if command.values.get(axis, 0) > 0:
                yield Effect(what, command.values[axis] * scale, axis=axis)

    return read


def dwell(command: Command) -> Iterator[Effect]:
    """G4: seconds under S, or milliseconds under P."""
    seconds = command.values["S"] if command.values.get("S", 0) > 0 else command.values.get("P", 0.0) / MS
    if seconds > 0:
        yield Effect(What.DWELL, seconds)


def tool_heat(command: Command) -> Iterator[Effect]:
    """G10 and M568 with P and S: the target of a tool, without waiting."""
    if "P" in command.values and "S" in command.values:
        yield Effect(What.NOZZLE, command.values["S"], _tool(command, "P"))


def cold_limit(command: Command) -> Iterator[Effect]:
    """M302: filament may be fed from S °C on, or at any temperature with P1 or without a word."""
    if "S" in command.values:
        yield Effect(What.COLD_LIMIT, command.values["S"])
    elif command.values.get("P", 1) == 1:
        yield Effect(What.COLD_LIMIT, 0.0)


COMMON: Words = {
    "G4": dwell,
    "G10": tool_heat,
    "G28": alone(What.HOME),
    "M0": alone(What.PAUSE),
    "M1": alone(What.PAUSE),
    "M25": alone(What.PAUSE),
    "M226": alone(What.PAUSE),
    "M600": alone(What.PAUSE),
    "M601": alone(What.PAUSE),
    "M17": alone(What.MOTORS, 1.0),
    "M18": alone(What.MOTORS),
    "M84": alone(What.MOTORS),
    "M104": heater(What.NOZZLE),
    "M106": fan,
    "M107": fan_off,
    "M109": heater(What.NOZZLE, waits=True),
    "M116": alone(What.WAIT, waits=True),
    "M140": heater(What.BED),
    "M141": heater(What.CHAMBER),
    "M190": heater(What.BED, waits=True),
    "M191": heater(What.CHAMBER, waits=True),
    "M201": by_axis(What.MOST_ACCEL),
    "M203": by_axis(What.MOST_SPEED),
    "M204": accelerations,
    "M205": junctions,
    "M220": percent(What.SPEED),
    "M221": percent(What.FLOW),
    "M302": cold_limit,
    "M900": number(What.PRESSURE, "K"),
    **dict.fromkeys(
        "G0 G1 G2 G3 G11 G17 G18 G19 G20 G21 G29 G80 G90 G91 G92 M24 M73 M75 M76 M77 M82 M83 M85 M92 M105 M110 M114 "
        "M115 M117 M118 M119 M155 M200 M202 M207 M208 M209 M211 M300 M400 M420 M486 M500 M501 M502 M503 M524".split()
    ),
}
"""By word. Those with None move the head, or are done by the reader, or say something."""
