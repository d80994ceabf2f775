"""The lift-speed trial: a tower whose storeys are pulled off the film faster and faster."""

from drumbo.trials.lift_speed.kind import LiftSpeed

KIND = LiftSpeed()
