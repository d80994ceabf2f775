"""Batch check: a quick piece that tells whether a new batch of a known material still wants the same."""

from drumbo.trials.batch_check.kind import BatchCheck

KIND = BatchCheck()
