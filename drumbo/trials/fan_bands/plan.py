"""What is asked before Cooling is printed."""

from __future__ import annotations

from dataclasses import dataclass

from drumbo.trials.plan import TrialPlan, ask


@dataclass(frozen=True, slots=True)
class Aim:
    """What the part is for: how much of a score its bond may lose to the fan."""

    key: str
    name: str
    spends: float


AIMS: tuple[Aim, ...] = (
    Aim("balanced", "looks and strength", 0.5),
    Aim("looks", "looks", 1.0),
    Aim("strength", "strength", 0.25),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(TrialPlan):
    """Range and step of the fan, time of a layer, and what the part is for."""

    low_percent: float = ask("Least fan, at the bottom", "%", low=0, high=90, step=5, whole=True)
    high_percent: float = ask("Most fan, at the top", "%", low=10, high=100, step=5, whole=True)
    step_percent: float = ask("Step", "%", low=5, high=30, step=5, whole=True, help="20 shows enough in one print.")
    layer_s: float = ask(
        "Time of a layer",
        "s",
        low=6,
        high=30,
        step=1,
        help="No layer of the piece is quicker. What comes out clean becomes the minimum layer time.",
    )
    step_mm: float = ask("Height of a band", "mm", low=6.5, high=12, step=0.5)
    aim: str = ask("Judged for", kind="choice", choices=tuple((a.key, a.name) for a in AIMS), late=True)
