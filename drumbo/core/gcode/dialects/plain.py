"""Firmware without pressure advance."""

from drumbo.core.gcode.dialects.dialect import STEPS, Dialect

DIALECT = Dialect("plain", "no pressure advance", None, STEPS, keep="M500", place=4)
