"""Firmware of the shore: advance in hundredths of a second, by a word of its own."""

from drumbo.core.gcode.dialects.dialect import Dialect, Setting

DIALECT = Dialect("shore", "pressure advance by M9601 H", Setting("M9601 H{value:.4f}", "M9601", "H"))
