"""What is asked before Exposure is printed."""

from __future__ import annotations

from dataclasses import dataclass

from drumbo.trials.plan import TrialPlan, ask
from drumbo.trials.toolkit.layered import ask_way

FEWEST = 3
LEAVES, FACES = "leaves", "faces"
BY = ((LEAVES, "leaves laid together"), (FACES, "blades and slits"))
AIMS = (("true", "true sizes"), ("supports", "supports that hold"))


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(TrialPlan):
    """The sweep, how it is printed, what is known of the resin, and what it is for."""

    first_s: float = ask("Shortest exposure", "s", low=0.1, high=120, step=0.1)
    step_s: float = ask("Step", "s", low=0.05, high=30, step=0.05)
    coupons: int = ask("Exposures", low=FEWEST, high=9, whole=True)
    read_by: str = ask(
        "Measured on",
        kind="choice",
        choices=BY,
        help="Leaves are broken off, eight at a time, and tell light from blunt jaws. Blades and slits are less sure.",
    )
    layer_um: float = ask("Layers of", "µm", low=10, high=200)
    way: str = ask_way()
    reach_um: float | None = ask(
        "Penetration depth, if known",
        "µm",
        low=20,
        high=600,
        required=False,
        help="From a working curve: the result is checked against it.",
    )
    critical_s: float | None = ask("and critical time", "s", low=0.01, high=60, required=False)
    aim: str = ask("Judge it for", kind="choice", choices=AIMS, late=True)
