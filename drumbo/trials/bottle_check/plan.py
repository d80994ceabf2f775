"""What is asked before Bottle check is printed."""

from __future__ import annotations

from dataclasses import dataclass

from drumbo.trials.plan import TrialPlan, ask
from drumbo.trials.toolkit.layered import ask_way


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(TrialPlan):
    """What the profile has, how far to either side, and what is different."""

    bottle: float = ask("Bottle in the vat", low=1, high=99, step=1, whole=True)
    resin_c: float = ask("Resin now", "°C", low=5, high=80, step=0.5, help="Measured in the vat, stirred.")
    exposure_s: float = ask("Exposure, as it is", "s", low=0.1, high=120, step=0.01)
    by_percent: float = ask("Less and more by", "%", low=10, high=40, step=1)
    before_mm: float | None = ask(
        "Leaves over block, before",
        "mm",
        low=-1,
        high=1,
        required=False,
        help="What the leaves came to while the light was right. Empty: what is usual.",
    )
    way: str = ask_way()
