"""Changeover: how much has to be pushed until a second filament comes clean, in both directions."""

from drumbo.trials.changeover.kind import Changeover

KIND = Changeover()
