"""What is asked before Flow by surface is printed."""

from __future__ import annotations

from dataclasses import dataclass

from drumbo.trials.plan import TrialPlan, ask
from drumbo.trials.toolkit.looks import ask_looks

FEWEST_PADS, MOST_PADS, USUAL_PADS = 5, 13, 9
USUAL_BENEATH, QUICK_BENEATH = 3, 2
USUAL_PAD_MM, QUICK_PAD_MM, LEAST_PAD_MM = 20.0, 15.0, 10.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(TrialPlan):
    """The range in absolute flow ratios, and what an earlier strip says."""

    low_ratio: float = ask("Least flow, at the left", low=0.6, high=1.4, step=0.005)
    step_ratio: float = ask(
        "Step",
        low=0.0025,
        high=0.05,
        step=0.0025,
        help="0.025 is coarse, 0.005 fine. Each pad differs by so much from the last.",
    )
    pads: int = ask("Pads", low=FEWEST_PADS, whole=True)
    beneath: int = ask(
        "Layers beneath the pads", low=2, high=6, whole=True, help="3 even out a poor first layer; 2 are quicker."
    )
    pad_mm: float = ask(
        "Length of a pad", "mm", low=LEAST_PAD_MM, high=30, help="20 shows more of each; 15 is quicker and takes less."
    )
    known_ratio: float | None = ask(
        "Known from before",
        low=0.6,
        high=1.4,
        required=False,
        help="What an earlier strip found has a say in the result; empty if this strip is to speak alone.",
    )
    known_error: float | None = ask("known to ±", low=0.0005, high=0.2, required=False)
    looks: str = ask_looks()
