"""Temperature: a ladder whose steps are printed ever cooler, scored for five aspects."""

from drumbo.trials.temperature.kind import Temperature

KIND = Temperature()
