"""Clearance: pins and holes with rising gaps; which one presses in, which one turns freely."""

from drumbo.trials.clearance.kind import Clearance

KIND = Clearance()
