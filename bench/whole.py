"""A whole profile, start to proof: every trial in the order of work, each on what the ones before have left."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from bench.rig import Drawn, Tally, go, one_reader
from bench.sequences import SEQUENCES
from drumbo.core.profile import changed
from drumbo.trials import kind

ORDER = (
    "nozzle_c", "flow_ratio", "pressure_advance_s", "retraction_mm", "max_flow_mm3_s", "fan_percent",
    "shrinkage_percent",
)  # fmt: skip
PROOF = "proof-part"


@dataclass(frozen=True)
class Whole:
    """One spool's way: what each trial found, and what the proof says of it all."""

    tallies: dict[str, Tally]
    proof: str
    percent: float
    prints: int
    grams: float
    hours: float


def whole(spool: Drawn) -> Whole:
    """Adopt every result as it comes, then print the proof; one person reads them all."""
    with one_reader():
        return _whole(spool)


def _whole(spool: Drawn) -> Whole:
    tallies: dict[str, Tally] = {}
    context = spool.context
    for key in ORDER:
        tally = tallies[key] = SEQUENCES[key](replace(spool, context=context), 1)
        context = replace(context, profile=changed(context.profile, tally.new))
    trial = kind(PROOF)
    files: list[Any] = []
    _, result, _ = go(trial, replace(spool, context=context), trial.suggest(context), 0, files)
    cost = Tally()
    cost.cost(files)
    everything = [*tallies.values(), cost]
    assert result.value is not None
    return Whole(
        tallies,
        result.says if result.state == "edge" else "good",
        result.value,
        sum(sum(t.prints) for t in everything),
        sum(sum(t.grams) for t in everything),
        sum(sum(t.minutes) for t in everything) / 60,
    )
