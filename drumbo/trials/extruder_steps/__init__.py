"""Extruder steps: how much filament the printer really feeds when it is asked for 100 mm."""

from drumbo.trials.extruder_steps.kind import ExtruderSteps

KIND = ExtruderSteps()
