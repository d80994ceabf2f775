"""Lamp map: skins over the whole screen, all lit alike; how thick each is tells how even the light is."""

from drumbo.trials.lamp_map.kind import LampMapTrial

KIND = LampMapTrial()
