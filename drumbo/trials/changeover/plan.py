"""What is asked before Changeover is printed."""

from __future__ import annotations

from dataclasses import dataclass

from drumbo.trials.plan import TrialPlan, ask

ROW_MM = 5
"""Filament in a row of a field, mm."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(TrialPlan):
    """How far it goes."""

    most_mm: int = ask(
        "Longest purge that shows", "mm of filament", low=60, high=240, step=30, whole=True,
        help="150 shows most pairs; dark into light takes longer.",
    )  # fmt: skip
    fan_percent: float = ask(
        "Fan", "%", low=0, high=100, step=5, help="For both, while this piece prints."
    )  # fmt: skip
