"""What is asked before Batch check is printed."""

from __future__ import annotations

from dataclasses import dataclass

from drumbo.trials.plan import TrialPlan, ask
from drumbo.trials.toolkit.checklist import ask_looked

LEAST_HEAT_C, COLDEST_C = 4.0, 150.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(TrialPlan):
    """What the profile has, and how far to either side."""

    batch: float = ask("Batch on the holder", low=1, high=99, step=1, whole=True)
    nozzle_c: float = ask("Nozzle, as it is", "°C", low=150, step=1, whole=True)
    heat_c: float = ask("Hotter and cooler by", "°C", low=LEAST_HEAT_C, high=14, step=1, whole=True)
    flow_ratio: float = ask("Flow ratio, as it is", low=0.7, high=1.3, step=0.005)
    flow_percent: float = ask("Less and more by", "%", low=2, high=8, step=0.5)
    retraction_mm: float = ask("Retraction, as it is", "mm", low=0, high=12, step=0.1)
    pull_mm: float = ask("Longer and shorter by", "mm", low=0.1, high=2, step=0.1)
    looked: str = ask_looked("What differs")
