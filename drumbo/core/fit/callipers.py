"""What callipers do to a number: how well they repeat, and what their jaws add.

Jaws are never quite sharp, bear on the ridges of a printed wall, and press what is soft. Nobody knows how much on the
bench at hand; these are the bounds of the trade, for all fits of what callipers say.
"""

from __future__ import annotations

CALLIPER_SD_MM = 0.012
"""What a calliper that repeats to ± 0.02 mm scatters at least."""
JAWS_MM, JAWS_SD_MM = 0.012, 0.012
"""What is read too much over a printed wall, both jaws together: 0.00 to 0.03 mm. In a gap as much too little."""
JAW_MM, JAW_SD_MM = 0.008, 0.006
"""What one jaw adds on a cured face, which has no ridges: a few to fifteen thousandths of a millimetre."""
SKIN_SD_UM = 5.0
"""What a skin of resin on glass scatters between readings."""
PRESSED_UM, PRESSED_SD_UM = 4.0, 3.0
"""Skins are soft: jaws press them by a few thousandths, so that they read too thin, all alike."""
JOINT_MM, JOINT_SD_MM = 0.003, 0.003
"""What one joint of cured faces that are laid together commonly keeps apart."""
DUST_MM = 0.008
"""What a stack of a few leaves scatters between two that are alike."""
