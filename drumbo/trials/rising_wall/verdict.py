"""What the signs of a rising wall and its thickness say, in numbers and in words."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from drumbo.core.fields import Scalar
from drumbo.core.fit.onset import THICKNESS, Onset, Seen, Sign, fit_onset
from drumbo.core.fit.ordinal import Leaning
from drumbo.core.fit.thinning import FEWEST, Thickness
from drumbo.core.sure import half_90
from drumbo.trials.pictures import Curve, Spread
from drumbo.trials.readings import Readings, Step
from drumbo.trials.result import LESS, MORE, Result
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
NAMES = {"matt": "by matt", "gaps": "by gaps", "splits": "by split", THICKNESS: "by thickness"}
CONTRADICTION = 2.6


def kept_share(plan: Plan, limit: float) -> float:
    """Share of the limit that goes into the profile."""
    margin = next(m for m in MARGINS if m.key == plan.margin)
    return max(1 - margin.share - margin.bands * plan.step_mm3_s / limit, 0.1)


def verdict(plan: Plan, steps: Sequence[Step], readings: Readings) -> Result:
    """The limit from all signs that began within the wall, and from its thickness; else that it held, or failed from
    the start.
    """
    # In one order, whatever was said first: the same readings have the same answer.
    said = {key: readings.firsts[key] for key in SIGNS if key in readings.firsts}
    wall = _thickness(plan, steps, readings)
    if wall is not None:
        return _measured(plan, steps, said, wall, readings.leaning)
    if not said:
        return Result("few", says="Say where the wall turns matt, gapes or splits; or that it does not.")
    if any(0 < at < len(steps) for at in said.values()):
        return _limit(plan, steps, said, readings.leaning)
    if any(at == 0 for at in said.values()):
        return _failed_at_once(plan, steps)
    if said.get("gaps") == len(steps) or said.get("splits") == len(steps):
        return _held(plan, steps)
    return Result("few", says="Not matt anywhere; does it show gaps anywhere? Say so, then the wall has told all.")


def _thickness(plan: Plan, steps: Sequence[Step], readings: Readings) -> Thickness | None:
    """What callipers said; None where that is too little for a curve."""
    taken = [(s.value, size) for s in steps if (size := readings.measured(THICKNESS, s.index, "front")) is not None]
    if len(taken) < FEWEST:
        return None
    flows, sizes = np.array(taken).T
    return Thickness(flows, sizes, plan.width_mm, plan.layer_mm)


def _seen(plan: Plan, steps: Sequence[Step], said: Mapping[str, int]) -> list[Seen]:
    flows = [step.value for step in steps]
    signs = HIDDEN if plan.looks == HIDING else SIGNS
    return [
        Seen(signs[key], flows[at - 1] if at else 0.0, flows[at] if at < len(flows) else math.inf)
        for key, at in said.items()
    ]


def _measured(
    plan: Plan, steps: Sequence[Step], said: Mapping[str, int], wall: Thickness, reader: Leaning
) -> Result:  # fmt: skip
    """By callipers, and by what was seen where that can be made sense of beside them."""
    found, notes = fit_onset(_seen(plan, steps, said), reader, wall), []
    if found.apart > CONTRADICTION:
        found = fit_onset([], reader, wall)
        notes.append("What you saw begins elsewhere than the thickness says; the thickness alone counts.")
    found = replace(found, error=holding("rising-wall: measured", found.error))
    # What the signs tell beside a thickness is the plastic's as much as the reader's: of twenty proofs, three in which
    # all was right failed where it had a say in them.
    result = replace(_told(plan, found, notes, wall), reader=reader)
    top, measured = steps[-1].value, float(wall.flows.max())
    if not said and measured < min(found.limit, top):
        # A limit out of what has not begun would be no more than a guess.
        above = next(step.label for step in steps if step.value > measured)
        says = f"So far it is hardly thinner anywhere; measure the bands from {above} mm³/s up as well."
        return Result("few", says=says)
    if found.limit >= top:
        # Nobody has printed faster than that: no more is promised, however far up the curve points.
        higher = _higher(plan, steps)
        says = f"It is as thick up there as below; print {higher['low_mm3_s']:g} to {higher['high_mm3_s']:g} next."
        held = (f"{top:g} can be had already; the limit lies higher.", *notes)
        return replace(result, state="edge", value=top, low=top, says=says, notes=held, extend=higher, beyond=MORE)
    if found.limit <= steps[0].value:
        low = _lower(plan, steps)
        says = f"It is thinner than it should be from the start; print from {low['low_mm3_s']:g} mm³/s up."
        return replace(
            result, state="edge", says=says, extend=low, extend_says="Plan a lower range", beyond=LESS,
            high=result.value + half_90(result.error or 0.0) if result.value is not None else None,
        )  # fmt: skip
    return result


def _limit(plan: Plan, steps: Sequence[Step], said: Mapping[str, int], reader: Leaning) -> Result:
    found = fit_onset(_seen(plan, steps, said), reader)
    found = replace(found, error=holding("rising-wall", found.error))
    result = _told(plan, found, ["One sign alone; a second one makes it surer."] if len(found.each) == 1 else [])
    disorder = _disorder(said)
    if found.apart > CONTRADICTION or disorder:
        says = disorder or "The signs contradict each other; look again where the wall turns matt and where it gapes."
        return replace(result, state="split", says=says)
    if {key for key, at in said.items() if 0 < at < len(steps)} == {"matt"}:
        return _only_matt(plan, steps, said, result)
    return result


def _curve(found: Onset, wall: Thickness | None) -> Curve | None:
    """The share that arrives, %, as the wall was measured."""
    if found.arrives is None or wall is None:
        return None
    told = found.arrives
    drawn = Curve.of(told.flows, 100 * told.mean, 100 * told.sd, wall.flows, 100 * told.measured)
    return replace(drawn, name="What arrives, %")


def _told(plan: Plan, found: Onset, notes: Sequence[str], wall: Thickness | None = None) -> Result:
    """The limit in numbers and words."""
    points = tuple((NAMES[key], round(value, 2), True) for key, value, _ in found.each)
    kept = kept_share(plan, found.limit)
    margin = next(m.name for m in MARGINS if m.key == plan.margin)
    return Result(
        "good", found.limit, found.error, found.limit - found.error, found.limit + found.error,
        f"{found.limit:.1f} mm³/s still come in full; past that less and less arrives.",
        (f"With {margin} kept back, {found.limit * kept:.1f} goes into the profile.", *notes,
         *if_strict(found.limit, found.sways, found.error, "mm³/s", 1)),
        spreads=(Spread("Limit by each", "mm³/s", 0, points, found.limit, found.error),), reader=found.reader,
        curve=_curve(found, wall),
    )  # fmt: skip


def _only_matt(plan: Plan, steps: Sequence[Step], said: Mapping[str, int], result: Result) -> Result:
    """Matt, but never gaping: near the limit, and the wall may have ended too early."""
    if "gaps" in said:
        says = (
            f"It turns matt, but holds to {steps[-1].label} mm³/s; the limit is near. Print a higher range to be sure."
        )
        return replace(result, state="edge", says=says, extend=_higher(plan, steps))
    return replace(result, says="By its gloss alone; where it gapes tells more surely.")


def _held(plan: Plan, steps: Sequence[Step]) -> Result:
    """The wall did not fail: the limit lies higher, and what was printed is safe."""
    top, step = steps[-1].value, plan.step_mm3_s
    higher = _higher(plan, steps)
    says = f"It did not fail up to {top:g} mm³/s; print {higher['low_mm3_s']:g} to {higher['high_mm3_s']:g} next."
    note = f"{top:g} can be had already; the limit lies higher."
    return Result("edge", top, step, top, top + step, says, (note,), spreads=_no_sign(top, step), extend=higher,
                  beyond=MORE)  # fmt: skip


def _failed_at_once(plan: Plan, steps: Sequence[Step]) -> Result:
    lower, value = _lower(plan, steps), steps[0].value / 1.2
    says = f"The lowest band fails already; print from {lower['low_mm3_s']:g} mm³/s up."
    note = "If lower flows fail too, it is not the flow: look at heat, the nozzle and the drive."
    return Result(
        "edge", value, 0.2 * value, 0.7 * value, steps[0].value, says, (note,),
        spreads=_no_sign(value, 0.2 * value), extend=lower, extend_says="Plan a lower range", beyond=LESS,
    )  # fmt: skip


def _no_sign(value: float, error: float) -> tuple[Spread, ...]:
    return (Spread("Known so far", "mm³/s", 0, (("this wall", value, True),), value, error),)


def _higher(plan: Plan, steps: Sequence[Step]) -> dict[str, Scalar]:
    """From where this wall ends to twice as much; a step in proportion."""
    step = plan.step_mm3_s
    low = round(steps[-1].value, 3)
    return replace(plan, low_mm3_s=low, high_mm3_s=round(low + (len(steps) - 1) * step, 3)).to_json()


def _lower(plan: Plan, steps: Sequence[Step]) -> dict[str, Scalar]:
    """As many bands from less than half of the lowest flow on."""
    step = plan.step_mm3_s
    low = max(round(steps[0].value * 0.4, 1), step)
    return replace(plan, low_mm3_s=low, high_mm3_s=round(low + (len(steps) - 1) * step, 3)).to_json()


def _disorder(said: Mapping[str, int]) -> str:
    """A wall gapes before it splits."""
    if "gaps" in said and "splits" in said and said["splits"] < said["gaps"]:
        return "It cannot split before it gapes; look again at those two."
    return ""
