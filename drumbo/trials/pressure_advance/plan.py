"""What is asked before Pressure advance is printed."""

from __future__ import annotations

from dataclasses import dataclass

from drumbo.trials.plan import TrialPlan, ask
from drumbo.trials.toolkit.looks import ask_looks

FEWEST, MOST, USUAL = 5, 25, 21


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(TrialPlan):
    """The range, the speeds, and what an earlier sheet says."""

    low_s: float = ask("Least, at the left", "s", low=0, high=2, step=0.005)
    step_s: float = ask(
        "Step",
        "s",
        low=0.0001,
        high=0.2,
        step=0.0001,
        help="Between the first two legs. Direct: 0.001 to 0.005. Bowden: 0.02 to 0.05.",
    )
    grows_percent: float = ask(
        "Each step larger by", "%", low=0, high=50, step=1,
        help="0 for even steps. A small value wants smaller steps than a large one: what is seen goes by its share.",
    )  # fmt: skip
    roads: int = ask("Legs", low=FEWEST, whole=True)
    fast_mm_s: float = ask("Fast", "mm/s", low=20, step=10)
    slow_mm_s: float = ask("Slow", "mm/s", low=5, high=60, step=5)
    known_s: float | None = ask(
        "Known from before",
        "s",
        low=0,
        high=2,
        required=False,
        help="What an earlier sheet found has a say in the result; empty if this one is to speak alone.",
    )
    known_error: float | None = ask("known to ±", "s", low=0.0001, high=0.5, required=False)
    looks: str = ask_looks()
