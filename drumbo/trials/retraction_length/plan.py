"""What is asked before Retraction length is printed."""

from __future__ import annotations

from dataclasses import dataclass

from drumbo.trials.plan import TrialPlan, ask


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(TrialPlan):
    """The range of lengths and the height of a step."""

    short_mm: float = ask("Shortest, at the bottom", "mm", low=0, high=12, step=0.1)
    long_mm: float = ask("Longest, at the top", "mm", low=0.1, high=15, step=0.1)
    step_length_mm: float = ask(
        "Step", "mm", low=0.05, high=2, step=0.05, help="0.1 is usual for a direct drive, 0.5 for a Bowden tube."
    )
    step_mm: float = ask("Height of a step", "mm", low=4, high=8, step=0.2)
