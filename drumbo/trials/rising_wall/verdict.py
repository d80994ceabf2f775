"""What the signs of a rising wall say, in numbers and in words."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

from drumbo.core.fields import Scalar
from drumbo.core.fit.onset import Onset, Seen, Sign, fit_onset
from drumbo.core.fit.ordinal import Leaning
from drumbo.trials.pictures import Spread
from drumbo.trials.readings import Readings, Step
from drumbo.trials.result import Result
from drumbo.trials.rising_wall.plan import MARGINS, Plan
from drumbo.trials.toolkit.looks import HIDING
from drumbo.trials.toolkit.verdict import if_strict
from drumbo.trials.toolkit.wider import holding

SIGNS = {
    "matt": Sign("matt", 0.06, 0.6),
    "gaps": Sign("gaps", 0.08, 0.35),
    "splits": Sign("splits", 0.35, 0.25),
}
"""A wall loses its gloss as it nears the limit; holes are seen once 8 % or so is missing, and layers part when a third
and more is; how well that is known is told by its spread.
"""
HIDDEN = {
    "matt": Sign("matt", 0.12, 0.8),
    "gaps": Sign("gaps", 0.16, 0.5),
    "splits": Sign("splits", 0.5, 0.3),
}
"""The same on plastic that is filled and matt by itself: it hides its faults, and shows them late."""
NAMES = {"matt": "matt", "gaps": "gaps", "splits": "split"}
CONTRADICTION = 2.6


def kept_share(plan: Plan, limit: float) -> float:
    """Share of the limit that goes into the profile."""
    margin = next(m for m in MARGINS if m.key == plan.margin)
    return max(1 - margin.share - margin.bands * plan.step_mm3_s / limit, 0.1)


def verdict(plan: Plan, steps: Sequence[Step], readings: Readings) -> Result:
    """The limit from all signs that began within the wall; else that it held, or failed from the start."""
    # In one order, whatever was said first: the same readings have the same answer.
    said = {key: readings.firsts[key] for key in SIGNS if key in readings.firsts}
    if not said:
        return Result("few", says="Say where the wall turns matt, gapes or splits; or that it does not.")
    within = {key: at for key, at in said.items() if 0 < at < len(steps)}
    if within:
        return _limit(plan, steps, said, within, readings.leaning)
    if any(at == 0 for at in said.values()):
        return _failed_at_once(plan, steps)
    if said.get("gaps") == len(steps) or said.get("splits") == len(steps):
        return _held(plan, steps)
    return Result("few", says="Not matt anywhere; does it show gaps anywhere? Say so, then the wall has told all.")


def _limit(
    plan: Plan, steps: Sequence[Step], said: dict[str, int], within: dict[str, int], reader: Leaning
) -> Result:  # fmt: skip
    flows = [step.value for step in steps]
    signs = HIDDEN if plan.looks == HIDING else SIGNS
    seen = [
        Seen(signs[key], flows[at - 1] if at else 0.0, flows[at] if at < len(flows) else math.inf)
        for key, at in said.items()
    ]
    found = fit_onset(seen, reader)
    found = replace(found, error=holding("rising-wall", found.error))
    points = tuple((f"by {NAMES[key]}", round(value, 2), True) for key, value, _ in found.each)
    spread = Spread("Limit by each sign", "mm³/s", 0, points, found.limit, found.error)
    common = {
        "value": found.limit, "error": found.error, "low": found.limit - found.error, "high": found.limit + found.error,
        "spreads": (spread,), "reader": found.reader,
    }  # fmt: skip
    disorder = _disorder(said)
    if found.apart > CONTRADICTION or disorder:
        says = disorder or "The signs contradict each other; look again where the wall turns matt and where it gapes."
        return Result("split", says=says, notes=_notes(plan, found, steps), **common)  # type: ignore[arg-type]
    if set(within) == {"matt"}:
        return _only_matt(plan, steps, found, said, common)
    says = f"{found.limit:.1f} mm³/s still come in full; past that less and less arrives."
    return Result("good", says=says, notes=_notes(plan, found, steps), **common)  # type: ignore[arg-type]


def _only_matt(
    plan: Plan, steps: Sequence[Step], found: Onset, said: dict[str, int], common: dict[str, object]
) -> Result:
    """Matt, but never gaping: near the limit, and the wall may have ended too early."""
    notes = _notes(plan, found, steps)
    if "gaps" in said:
        says = (
            f"It turns matt, but holds to {steps[-1].label} mm³/s; the limit is near. Print a higher range to be sure."
        )
        return Result("edge", says=says, notes=notes, extend=_higher(plan, steps), **common)  # type: ignore[arg-type]
    says = "By its gloss alone; where it gapes tells more surely."
    return Result("good", says=says, notes=notes, **common)  # type: ignore[arg-type]


def _held(plan: Plan, steps: Sequence[Step]) -> Result:
    """The wall did not fail: the limit lies higher, and what was printed is safe."""
    top, step = steps[-1].value, plan.step_mm3_s
    higher = _higher(plan, steps)
    says = f"It did not fail up to {top:g} mm³/s; print {higher['low_mm3_s']:g} to {higher['high_mm3_s']:g} next."
    note = f"{top:g} can be had already; the limit lies higher."
    return Result("edge", top, step, top, top + step, says, (note,), spreads=_no_sign(top, step), extend=higher)


def _failed_at_once(plan: Plan, steps: Sequence[Step]) -> Result:
    first, step = steps[0].value, plan.step_mm3_s
    low = max(round(first * 0.4, 1), step)
    lower: dict[str, Scalar] = replace(
        plan, low_mm3_s=low, high_mm3_s=round(low + (len(steps) - 1) * step, 3)
    ).to_json()
    value = first / 1.2
    says = f"The lowest band fails already; print from {low:g} mm³/s up."
    note = "If lower flows fail too, it is not the flow: look at heat, the nozzle and the drive."
    return Result("edge", value, 0.2 * value, 0.7 * value, first, says, (note,), spreads=_no_sign(value, 0.2 * value),
                  extend=lower, extend_says="Plan a lower range")  # fmt: skip


def _no_sign(value: float, error: float) -> tuple[Spread, ...]:
    return (Spread("Known so far", "mm³/s", 0, (("this wall", value, True),), value, error),)


def _higher(plan: Plan, steps: Sequence[Step]) -> dict[str, Scalar]:
    """From where this wall ends to twice as much; a step in proportion."""
    step = plan.step_mm3_s
    low = round(steps[-1].value, 3)
    return replace(plan, low_mm3_s=low, high_mm3_s=round(low + (len(steps) - 1) * step, 3)).to_json()


def _disorder(said: dict[str, int]) -> str:
    """A wall gapes before it splits."""
    if "gaps" in said and "splits" in said and said["splits"] < said["gaps"]:
        return "It cannot split before it gapes; look again at those two."
    return ""


def _notes(plan: Plan, found: Onset, steps: Sequence[Step]) -> tuple[str, ...]:
    del steps
    kept = kept_share(plan, found.limit)
    margin = next(m.name for m in MARGINS if m.key == plan.margin)
    notes = [f"With {margin} kept back, {found.limit * kept:.1f} goes into the profile."]
    if len(found.each) == 1:
        notes.append("One sign alone; a second one makes it surer.")
    return (*notes, *if_strict(found.limit, found.sways, found.error, "mm³/s", 1))
