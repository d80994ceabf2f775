"""Cooling: a light gantry of our own in bands of rising fan, scored for bridges, slopes, tips and bond."""

from drumbo.trials.fan_bands.kind import Cooling

KIND = Cooling()
