"""What is asked before Bond of two is printed."""

from __future__ import annotations

from dataclasses import dataclass

from drumbo.trials.plan import TrialPlan, ask

FEWEST, MOST = 4, 8


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(TrialPlan):
    """Temperatures of the layers where the two meet, and the fan there."""

    cold_c: float = ask("Coolest joint, at the left", "°C", low=150, step=5, whole=True)
    hot_c: float = ask("Hottest joint, at the right", "°C", low=150, step=5, whole=True)
    step_c: float = ask("Step", "°C", low=3, high=15, step=1, whole=True, help="8 is usual: a joint is a coarse thing.")
    joint_fan_percent: float = ask(
        "Fan at the joint", "%", low=0, high=100, step=5, help="In the layers where the two meet; the less the better."
    )
