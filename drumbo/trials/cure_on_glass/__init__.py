"""The working curve: skins cured on glass, and how thick they are."""

from drumbo.trials.cure_on_glass.kind import WorkingCurveTrial

KIND = WorkingCurveTrial()
