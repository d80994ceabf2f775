"""Cure shrinkage: bars that are measured before the post-cure and after it."""

from drumbo.trials.cure_shrinkage.kind import CureShrinkage

KIND = CureShrinkage()
