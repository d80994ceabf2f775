"""What the leaves say of the light: the same as before, or more, or less."""

from __future__ import annotations

import math
from collections.abc import Sequence

from drumbo.core.sure import half_90
from drumbo.trials.bottle_check.plan import Plan
from drumbo.trials.pictures import Spread
from drumbo.trials.readings import Readings, Step
from drumbo.trials.result import Result
from drumbo.trials.toolkit import leaves
from drumbo.trials.toolkit.wider import holding

MOVED_PERCENT = 7.5
"""A light that is off by more than this is another one: half of what spoils fine features."""


def verdict(plan: Plan, steps: Sequence[Step], readings: Readings) -> Result:
    """Same or moved, by how much, and how sure that is."""
    offsets = [math.log(step.value / plan.exposure_s) for step in steps]
    found = leaves.wanted(readings, offsets, plan.before_mm)
    told = {step.index: leaves.difference_mm(readings, step.index) for step in steps}
    middle = next((told[s.index] for s, x in zip(steps, offsets, strict=True) if abs(x) < 1e-3), None)
    if found is None or middle is None:
        return Result("few", says="Measure the leaves and the block of the set with the profile's own light first.")
    if slip := leaves.slip(readings, steps):
        return Result("few", says=slip)
    wants, error = found.wants, holding("bottle-check", found.error)
    moved = found.beyond(math.log1p(MOVED_PERCENT / 100)) > 0.5
    percent, half = leaves.in_percent(wants), 100 * half_90(error) * math.exp(wants)
    value = plan.exposure_s * math.exp(wants)
    points = tuple(
        (f"{step.label} s", round(1000 * both[0], 1), True) for step in steps if (both := told[step.index]) is not None
    )
    before = None if plan.before_mm is None else 1000 * plan.before_mm
    spread = Spread(
        "Leaves over block", "µm", 0, points, 1000 * middle[0], 1000 * leaves.SCATTER_MM, before
    )  # fmt: skip
    return Result(
        "edge" if moved else "good", value, value * error, value - half_90(value * error),
        value + half_90(value * error), _says(moved, percent, half), _notes(plan, moved, len(points), len(steps)),
        spreads=(spread,), headline="moved" if moved else "the same",
        also={"same": float(not moved), "wants": wants, "wants_error": error, "leaves_mm": middle[0]},
    )  # fmt: skip


def _says(moved: bool, percent: float, half: float) -> str:
    way = "more" if percent > 0 else "less"
    if moved:
        return f"It wants {abs(percent):.0f} ± {half:.0f} % {way} light than the profile gives it."
    return f"It takes the same light, as far as leaves can tell: {abs(percent):.0f} ± {half:.0f} % {way}."


def _notes(plan: Plan, moved: bool, read: int, of: int) -> tuple[str, ...]:
    notes = []
    if moved:
        notes.append("Adopting it moves the exposure; coupons tell it closer.")
    if plan.before_mm is None:
        notes.append("Nothing to hold it against yet: a proof, or this check once the exposure is right, gives that.")
    if read < of:
        notes.append(f"{of - read} of {of} sets are open; the error counts that in.")
    return tuple(notes)
