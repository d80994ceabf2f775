"""The bottom trial: feet side by side, each lit for a time of its own."""

from drumbo.trials.bottom_feet.kind import BottomFeet

KIND = BottomFeet()
