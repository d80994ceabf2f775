"""Retraction length: two posts a long travel from a mast, each step pulled back by its own length."""

from drumbo.trials.retraction_length.kind import RetractionLength

KIND = RetractionLength()
