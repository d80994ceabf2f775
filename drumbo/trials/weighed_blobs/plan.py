"""What is asked before Max flow by weight is printed."""

from __future__ import annotations

from dataclasses import dataclass

from drumbo.trials.plan import TrialPlan, ask


@dataclass(frozen=True, slots=True)
class NamedNumber:
    """A number that a maker chooses by name."""

    key: str
    name: str
    share: float


THRESHOLDS = (
    NamedNumber("p97", "97 % still arrive", 0.97),
    NamedNumber("p95", "95 % still arrive", 0.95),
    NamedNumber("p90", "90 % still arrive", 0.90),
)

KEPT = (
    NamedNumber("none", "nothing", 0.0),
    NamedNumber("twentieth", "5 %", 0.05),
    NamedNumber("tenth", "10 %", 0.10),
    NamedNumber("fifth", "20 %", 0.20),
)

FEWEST, MOST = 4, 8


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(TrialPlan):
    """Flows, temperatures, length; what counts as the limit, and what is kept back of it."""

    low_mm3_s: float = ask("Slowest", "mm³/s", low=0.3, high=100, step=0.5)
    high_mm3_s: float = ask("Fastest", "mm³/s", low=1, high=200, step=0.5)
    flows: int = ask("Flows in each row", low=FEWEST, high=MOST, whole=True)
    cold_c: float = ask("Coldest row", "°C", low=150, step=5)
    hot_c: float = ask("Hottest row", "°C", low=150, step=5)
    heats: int = ask("Temperatures", low=1, high=5, whole=True)
    repeats: int = ask("Blobs of each", low=1, high=3, whole=True, help="Two tell how well they repeat.")
    length_mm: float = ask(
        "Filament for a blob",
        "mm",
        low=30,
        high=400,
        step=10,
        help="Longer ones weigh more, and so tell more; but a drive that pushes too hard for long grinds.",
    )
    nozzle_c: float = ask(
        "Limit wanted for", "°C", low=150, step=1, help="The profile's temperature. It need not be one of the rows."
    )
    threshold: str = ask(
        "It counts as the limit where", kind="choice", late=True, choices=tuple((t.key, t.name) for t in THRESHOLDS)
    )
    kept_back: str = ask("Keep back", kind="choice", choices=tuple((k.key, k.name) for k in KEPT), late=True)
