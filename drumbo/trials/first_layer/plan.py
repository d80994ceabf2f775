"""What is asked before First layer is printed."""

from __future__ import annotations

from dataclasses import dataclass

from drumbo.trials.plan import TrialPlan, ask

LOWEST_MM, MOST_TIMES = 0.08, 2.0
"""The lowest patch, and the highest: so many times the layer that it has filament for."""

FEWEST, MOST = 3, 7


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(TrialPlan):
    """Heights, places, and the plate's heat."""

    middle_mm: float = ask(
        "Height of the middle patch",
        "mm",
        low=LOWEST_MM,
        high=0.6,
        step=0.01,
        help="Of the head over the plate, as the printer believes it is.",
    )
    step_mm: float = ask("Step", "mm", low=0.02, high=0.1, step=0.01, help="0.04 is seen well and told finely.")
    patches: int = ask("Patches in a comb", low=FEWEST, high=MOST, step=2, whole=True, help="3, 5 or 7.")
    across: int = ask(
        "Combs along each side", low=2, high=3, step=1, whole=True, help="2 makes four combs, 3 makes nine."
    )
    bed_c: float = ask("Plate", "°C", low=0, step=1, whole=True, help="Where corners lift, try it warmer.")
    layer_mm: float = ask(
        "First layer, as meant", "mm", low=0.1, high=0.6, step=0.01, help="What is laid fills a layer of this height."
    )
    raise_mm: float = ask(
        "Correction now",
        "mm",
        low=-0.5,
        high=0.5,
        step=0.01,
        help="What the profile corrects by; the heights above are with it.",
    )
