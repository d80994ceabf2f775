"""Firmware that sets pressure advance by M572 D S, for the drive D."""

from drumbo.core.gcode.dialects.dialect import STEPS, Dialect, Setting

DIALECT = Dialect("m572", "pressure advance by M572 D S", Setting("M572 D0 S{value:.4f}", "M572", "S"), STEPS, place=2)
