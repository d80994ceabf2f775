"""Firmware that sets pressure advance by M900 K."""

from drumbo.core.gcode.dialects.dialect import STEPS, Dialect, Setting

DIALECT = Dialect(
    "m900",
    "pressure advance by M900 K",
    Setting("M900 K{value:.4f}", "M900", "K"),
    STEPS,
    keep="M500",
    place=1,
    signs=frozenset({"M900", "M205", "M420"}),
)
