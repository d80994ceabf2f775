"""Proof: a small part that asks for everything, printed with the finished profile and nothing overridden."""

from drumbo.trials.proof_part.kind import Proof

KIND = Proof()
