"""What is asked before Max flow by a wall is printed."""

from __future__ import annotations

from dataclasses import dataclass

from drumbo.trials.plan import TrialPlan, ask
from drumbo.trials.toolkit.looks import ask_looks


@dataclass(frozen=True, slots=True)
class Margin:
    """What is kept back of the limit: a share of it, or so many bands."""

    key: str
    name: str
    share: float = 0.0
    bands: int = 0


MARGINS = (
    Margin("tenth", "10 %", share=0.10),
    Margin("more", "15 %", share=0.15),
    Margin("fifth", "20 %", share=0.20),
    Margin("band", "one band", bands=1),
    Margin("bands", "two bands", bands=2),
    Margin("none", "nothing"),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(TrialPlan):
    """The range, the bands, the road, and how much of the limit is kept back."""

    low_mm3_s: float = ask("Flow at the bottom", "mm³/s", low=0.5, high=150, step=0.5)
    high_mm3_s: float = ask("Flow at the top", "mm³/s", low=1, high=200, step=0.5)
    step_mm3_s: float = ask("Step", "mm³/s", low=0.05, high=10, step=0.1)
    band_mm: float = ask("Height of a band", "mm", low=3, high=10, step=0.5)
    layer_mm: float = ask("Layer height", "mm", step=0.02, help="Thick layers reach more flow at the same speed.")
    width_mm: float = ask("Width of a line", "mm", step=0.02)
    margin: str = ask("Keep back", kind="choice", choices=tuple((m.key, m.name) for m in MARGINS), late=True)
    looks: str = ask_looks()
