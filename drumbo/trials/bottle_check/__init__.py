"""The bottle check: leaves in some ten minutes, to tell whether a bottle or a cold room still takes the same light."""

from drumbo.trials.bottle_check.kind import BottleCheck

KIND = BottleCheck()
