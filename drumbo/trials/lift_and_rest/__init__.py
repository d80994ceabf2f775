"""Lift and rest in one tower: pins tell of the one, slits of the other."""

from drumbo.trials.lift_and_rest.kind import LiftAndRest

KIND = LiftAndRest()
