"""Restart extra and coasting: a row of arches whose feet show how roads start and end."""

from drumbo.trials.retraction_restart.kind import RetractionRestart

KIND = RetractionRestart()
