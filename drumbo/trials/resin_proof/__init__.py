"""Proof for resin: a small part that asks for everything, printed with the finished profile and nothing overridden."""

from drumbo.trials.resin_proof.kind import ResinProof

KIND = ResinProof()
