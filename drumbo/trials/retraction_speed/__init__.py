"""Retraction speed: the posts again, each step pulled back at its own speed."""

from drumbo.trials.retraction_speed.kind import RetractionSpeed

KIND = RetractionSpeed()
