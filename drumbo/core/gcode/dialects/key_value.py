"""Firmware whose own commands are words with key=value pairs; extruder steps stand in its configuration file."""

import math
import re
from collections.abc import Iterator

from drumbo.core.gcode.command import Command, Effect, What
from drumbo.core.gcode.dialects.dialect import Dialect, Setting
from drumbo.core.gcode.words import alone

CORNER = math.sqrt(2)
"""A right-angled corner taken at some speed changes the velocity by so many times that."""


def _extruder(name: str) -> int | None:
    """The number of the extruder of some name: the first has none."""
    found = re.fullmatch(r"extruder(\d{0,2})", name.lower())
    return int(found[1] or 0) if found else None


def _limits(command: Command) -> Iterator[Effect]:
    """SET_VELOCITY_LIMIT: all in mm/s and mm/s²."""
    told = command.values
    if told.get("ACCEL", 0) > 0:
        yield Effect(What.ACCEL, told["ACCEL"])
        yield Effect(What.TRAVEL_ACCEL, told["ACCEL"])
    if told.get("SQUARE_CORNER_VELOCITY", 0) > 0:
        yield Effect(What.JUNCTION, told["SQUARE_CORNER_VELOCITY"] * CORNER)
    if told.get("VELOCITY", 0) > 0:
        for axis in "XY":
            yield Effect(What.MOST_SPEED, told["VELOCITY"], axis=axis)


def _heater(command: Command) -> Iterator[Effect]:
    """SET_HEATER_TEMPERATURE HEATER= TARGET=; without a target it is switched off."""
    heater, target = command.names.get("HEATER", "").lower(), command.values.get("TARGET", 0.0)
    if heater == "heater_bed":
        yield Effect(What.BED, target)
    elif _extruder(heater) is not None:
        yield Effect(What.NOZZLE, target, _extruder(heater))


def _wait(command: Command) -> Iterator[Effect]:
    """TEMPERATURE_WAIT SENSOR=."""
    del command
    yield Effect(What.WAIT, waits=True)


def _pressure(command: Command) -> Iterator[Effect]:
    if "ADVANCE" in command.values:
        yield Effect(What.PRESSURE, command.values["ADVANCE"], _extruder(command.names.get("EXTRUDER", "")))


def _activate(command: Command) -> Iterator[Effect]:
    tool = _extruder(command.names.get("EXTRUDER", ""))
    if tool is not None:
        yield Effect(What.TOOL, float(tool))


def _off(_command: Command) -> Iterator[Effect]:
    for tool in range(8):
        yield Effect(What.NOZZLE, 0.0, tool)
    yield Effect(What.BED, 0.0)


DIALECT = Dialect(
    "key-value",
    "pressure advance by a key=value command",
    Setting("SET_PRESSURE_ADVANCE ADVANCE={value:.4f}", "SET_PRESSURE_ADVANCE", "ADVANCE"),
    place=3,
    own={
        "SET_PRESSURE_ADVANCE": _pressure,
        "SET_VELOCITY_LIMIT": _limits,
        "SET_HEATER_TEMPERATURE": _heater,
        "TEMPERATURE_WAIT": _wait,
        "TURN_OFF_HEATERS": _off,
        "ACTIVATE_EXTRUDER": _activate,
        "PAUSE": alone(What.PAUSE),
        **dict.fromkeys(
            "SET_FAN_SPEED SET_RETRACTION SET_GCODE_OFFSET SAVE_GCODE_STATE RESTORE_GCODE_STATE RESPOND "
            "SET_PRINT_STATS_INFO SET_DISPLAY_TEXT EXCLUDE_OBJECT EXCLUDE_OBJECT_DEFINE EXCLUDE_OBJECT_START "
            "EXCLUDE_OBJECT_END CLEAR_PAUSE RESUME SET_INPUT_SHAPER".split()
        ),
    },
    signs=frozenset({
        "SET_PRESSURE_ADVANCE", "SET_VELOCITY_LIMIT", "SET_HEATER_TEMPERATURE", "TEMPERATURE_WAIT", "TURN_OFF_HEATERS",
        "ACTIVATE_EXTRUDER", "SET_RETRACTION", "SET_GCODE_OFFSET", "SAVE_GCODE_STATE", "EXCLUDE_OBJECT_DEFINE",
        "EXCLUDE_OBJECT_START", "SET_PRINT_STATS_INFO", "SET_INPUT_SHAPER",
    }),
    e_apart=True,
)  # fmt: skip
