"""The working curve: skins cured on glass, and how thick they are."""

from drumbo.trials.working_curve.kind import WorkingCurveTrial

KIND = WorkingCurveTrial()
