"""Firmware whose own commands are words with key=value pairs; extruder steps stand in its configuration file."""

from drumbo.core.gcode.dialects.dialect import Dialect, Setting

DIALECT = Dialect(
    "key-value",
    "pressure advance by a key=value command",
    Setting("SET_PRESSURE_ADVANCE ADVANCE={value:.4f}", "SET_PRESSURE_ADVANCE", "ADVANCE"),
    place=3,
)
