"""Pressure advance: a line that goes slow, fast and slow again, each leg with its own value."""

from drumbo.trials.pressure_advance.kind import PressureAdvance

KIND = PressureAdvance()
