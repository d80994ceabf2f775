"""Pressure advance: roads that go slow, fast and slow again, each with its own value."""

from drumbo.trials.pressure_advance.kind import PressureAdvance

KIND = PressureAdvance()
