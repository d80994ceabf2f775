"""What is asked before Working curve is printed."""

from __future__ import annotations

from dataclasses import dataclass

from drumbo.trials.plan import TrialPlan, ask

FEWEST = 5


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(TrialPlan):
    """Times, rows, and what is to be foretold."""

    shortest_s: float = ask("Shortest light", "s", low=0.2, high=120, step=0.1)
    longest_s: float = ask("Longest light", "s", low=1, high=600, step=1)
    patches: int = ask("Times", low=FEWEST, high=9, whole=True)
    rows: int = ask("Skins of each", low=1, high=3, whole=True, help="Two or three: a torn one shows.")
    layer_um: float = ask("Foretell layers of", "µm", low=10, high=300)
    overcure_percent: float = ask(
        "that hold by", "%", low=0, high=300, help="How much deeper than the layer it sets; 20 to 100 binds layers."
    )
    intensity_mw_cm2: float | None = ask(
        "Light, if known",
        "mW/cm²",
        low=0.05,
        high=200,
        required=False,
        help="Only for the critical energy; times are found without.",
    )
    power_percent: float = ask("Light power", "%", low=5, high=100)
