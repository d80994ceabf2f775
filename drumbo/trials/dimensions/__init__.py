"""Dimensions: many sizes in one print, so that shrinkage and a constant offset can be told apart."""

from drumbo.trials.dimensions.kind import Dimensions

KIND = Dimensions()
"""Dimensions: a trial for the callipers."""
