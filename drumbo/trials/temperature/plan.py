"""What is asked before Temperature tower is printed."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from drumbo.trials.plan import TrialPlan, ask


@dataclass(frozen=True, slots=True)
class Aim:
    """What the part is for, as weights of the aspects."""

    key: str
    name: str
    weights: Mapping[str, float]


AIMS: tuple[Aim, ...] = (
    Aim(
        "balanced",
        "looks and strength",
        {"bridge": 0.2, "overhang": 0.2, "strings": 0.15, "surface": 0.2, "bond": 0.25},
    ),
    Aim("looks", "looks", {"bridge": 0.25, "overhang": 0.25, "strings": 0.2, "surface": 0.25, "bond": 0.05}),
    Aim(
        "strength",
        "strength",
        {"bridge": 0.1, "overhang": 0.1, "strings": 0.05, "surface": 0.2, "bond": 0.55},
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(TrialPlan):
    """Range, step, the steps' height, the first layer's temperature, and what the part is for."""

    hot_c: float = ask("Hottest, at the bottom", "°C", low=150, step=5, whole=True)
    cold_c: float = ask("Coolest, at the top", "°C", low=150, step=5, whole=True)
    step_c: float = ask("Step", "°C", low=1, high=10, step=1, whole=True, help="5 is usual.")
    step_mm: float = ask("Height of a step", "mm", low=7, high=12, step=0.5)
    first_c: float = ask(
        "First layer", "°C", low=150, step=5, whole=True, help="Held for the plate's first layer only."
    )
    aim: str = ask("Judged for", kind="choice", choices=tuple((a.key, a.name) for a in AIMS), late=True)
