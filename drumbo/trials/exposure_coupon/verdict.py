"""What leaves, blades, slits and supports say, in numbers and in words."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from drumbo.core.fields import Scalar
from drumbo.core.light.leaves import scatter_mm
from drumbo.core.light.match import Match, Told, fit_match, gap, stacked, stands
from drumbo.core.sure import half_90
from drumbo.trials.exposure_coupon.plan import FACES, LEAVES, Plan
from drumbo.trials.pictures import Axis, Chart, Series
from drumbo.trials.readings import Readings, Step
from drumbo.trials.result import Result
from drumbo.trials.toolkit import leaves
from drumbo.trials.toolkit.wider import holding

SITES = ("narrow", "wide")
SIDES = (("blade", stands), ("slit", gap))
BINDS = 1.2
"""A layer holds when light sets it so many times as deep as it is high."""
HOLDS = 2.5
"""Supports with this score or more are safe."""
UNSURE = 0.25
MISFIT = 2.2
LEAST_ERROR = 0.015
ASKS = {
    LEAVES: "Measure the leaves and blocks of at least two exposures.",
    FACES: "Measure blades and slits of at least three exposures; both sides are needed.",
}
Drawn = Mapping[tuple[int, str, str], float]
"""Width as drawn by step, measure and site, mm."""


@dataclass(frozen=True, slots=True)
class Taken:
    """One reading: of what, at which step, and what it tells."""

    step: Step
    side: str
    name: str
    told: Told


def verdict(plan: Plan, steps: Sequence[Step], drawn: Drawn, readings: Readings) -> Result:
    """Where faces stand as drawn; what that is for layers, supports and sizes."""
    slips = leaves.slips(readings, steps)
    sound = [step for step in steps if step.index not in slips]
    taken = _leaves(sound, readings) if plan.read_by == LEAVES else _faces(steps, drawn, readings)
    found = fit_match([t.told for t in taken])
    if found is None:
        return Result("few", says=next(iter(slips.values()), ASKS[plan.read_by]))
    told = _result(plan, steps, taken, found, readings)
    return replace(told, notes=(*slips.values(), *told.notes))


def _leaves(steps: Sequence[Step], readings: Readings) -> list[Taken]:
    return [
        Taken(step, "leaves", "leaves", stacked(step.value, both[0], scatter_mm(both[1]), leaves.COUNT))
        for step in steps
        if (both := leaves.difference_mm(readings, step.index)) is not None
    ]


def _faces(steps: Sequence[Step], drawn: Drawn, readings: Readings) -> list[Taken]:
    return [
        Taken(step, side, f"{side} {site}", told(step.value, value - drawn[step.index, side, site]))
        for step in steps
        for side, told in SIDES
        for site in SITES
        if (value := readings.measured(side, step.index, site)) is not None
    ]


def _result(plan: Plan, steps: Sequence[Step], taken: Sequence[Taken], found: Match, readings: Readings) -> Result:
    true, log_error = found.exposure_s, holding("exposure-coupon", max(found.log_error, LEAST_ERROR))
    support = _supports_from(steps, readings)
    binding = _binding_s(plan)
    chosen, why = _chosen(plan, true, support, binding)
    grown = found.growth_mm(chosen)
    state, says, extend = _state(plan, steps, found, log_error)
    if state == "good" and why:
        says = why
    error = chosen * log_error
    also = {"true_s": true, "grown_mm": grown, "grown_error_mm": _grown_error(found, chosen, log_error)}
    return Result(
        state=state, value=chosen, error=error, low=chosen - half_90(error), high=chosen + half_90(error), says=says,
        notes=tuple(_notes(plan, found, taken, support, binding, grown, true, log_error)),
        charts=(_chart(steps, taken, found),), also=also, extend=extend,
        extend_says="Plan the next exposures",
    )  # fmt: skip


def _grown_error(found: Match, seconds: float, log_error: float) -> float:
    step = 1.02
    slope = abs(found.growth_mm(seconds * step) - found.growth_mm(seconds / step)) / (2 * math.log(step))
    return max(math.hypot(slope * log_error, abs(found.growth_mm(seconds)) * found.bleed_error_mm / found.bleed_mm),
               0.002)  # fmt: skip


def _state(
    plan: Plan, steps: Sequence[Step], found: Match, log_error: float
) -> tuple[str, str, Mapping[str, Scalar] | None]:
    low, high = steps[0].value, steps[-1].value
    if found.misfit > MISFIT:
        return "split", "The readings contradict each other; measure the ones far from the curves again.", None
    if found.exposure_s > high * 1.02 or found.exposure_s < low / 1.02:
        longer = found.exposure_s > high
        says = f"Right sizes lie beyond the range; print {'longer' if longer else 'shorter'} lights next."
        middle = found.exposure_s if log_error < UNSURE else (high if longer else low)
        return "edge", says, _around(plan, middle)
    if log_error > UNSURE:
        return "flat", f"No clear difference between {low:g} and {high:g} s as far as callipers tell.", None
    return "good", "Here sizes come out as drawn.", None


def _around(plan: Plan, middle: float) -> dict[str, Scalar]:
    count, step = plan.coupons, max(round(middle * 0.12, 2), 0.05)
    return replace(plan, first_s=round(max(middle - step * (count - 1) / 2, 0.1), 2), step_s=step).to_json()


def _supports_from(steps: Sequence[Step], readings: Readings) -> float | None:
    """The exposure from which on supports are safe: half-way between the last that are not and the first that are; inf
    where none are, 0 where all are, None where nobody looked.
    """
    seen = [(step.value, score) for step in steps if (score := readings.score("supports", step.index)) is not None]
    if len(seen) < 3:
        return None
    # The border with the fewest looks on the wrong side of it.
    values = [v for v, _ in seen]
    borders = [0.0, *((a + b) / 2 for a, b in pairwise(values)), math.inf]
    wrong = [sum((score >= HOLDS) != (value > border) for value, score in seen) for border in borders]
    best = [border for border, count in zip(borders, wrong, strict=True) if count == min(wrong)]
    return best[len(best) // 2]


def _binding_s(plan: Plan) -> float | None:
    """The light that binds layers, by the working curve; None where there is none."""
    reach, critical = plan.reach_um, plan.critical_s
    if not isinstance(reach, float) or not isinstance(critical, float):
        return None
    return critical * math.exp(BINDS * plan.layer_um / reach)


def _chosen(plan: Plan, true: float, support: float | None, binding: float | None) -> tuple[float, str]:
    """The exposure to adopt, and why where that is not the one at which sizes come out."""
    if binding is not None and binding > true * 1.02:
        return binding, f"Sizes are right at {true:.2f} s already, but by the working curve layers bind from here on."
    if plan.aim == "supports" and support is not None and math.isfinite(support) and support > true:
        return support, f"Sizes are right at {true:.2f} s; fine supports want this much."
    return true, ""


def _notes(
    plan: Plan, found: Match, taken: Sequence[Taken], support: float | None, binding: float | None, grown: float,
    true: float, log_error: float,
) -> list[str]:  # fmt: skip
    notes = []
    if abs(grown) > 0.0035:
        way = "outwards" if grown > 0 else "inwards"
        notes.append(f"There faces stand {abs(grown) * 1000:.0f} µm {way}: XY compensation {-grown:+.3f} mm.")
    else:
        notes.append("No XY compensation is left over.")
    if support is not None:
        notes.append(_of_supports(support, true))
    if binding is not None:
        depth = float(plan.reach_um) * math.log(true / float(plan.critical_s))  # type: ignore[arg-type]
        share = depth / plan.layer_um - 1
        notes.append(
            f"By the working curve it sets {depth:.0f} µm deep there, {share * 100:.0f} % more than the layer"
            f"{'.' if 0.1 < share < 2.5 else ': that is unusual; check both trials.'}"
        )
    out = [f"{t.name} at {t.step.label} s" for t, kept in zip(taken, found.kept, strict=True) if not kept]
    if out:
        notes.append(f"Left out, far from the others: {', '.join(out)}.")
    if abs(found.offset_mm) > 0.025:
        notes.append(
            f"All sizes share an error of {found.offset_mm * 1000:+.0f} µm that no exposure takes away: shrinkage, "
            "or the calliper's zero."
        )
    if plan.read_by == FACES:
        notes.append(f"Jaws are taken to read {found.jaw_mm * 1000:.0f} µm a side too much; leaves would tell.")
    notes.append(f"Light bleeds {found.bleed_mm * 1000:.0f} ± {half_90(found.bleed_error_mm) * 1000:.0f} µm sideways.")
    return notes


def _of_supports(support: float, true: float) -> str:
    if support == 0:
        return "Fine supports held at every exposure."
    if not math.isfinite(support):
        return "Fine supports held nowhere: make them thicker, or lift more slowly."
    if support > true * 1.02:
        return f"Fine supports are too weak below {support:.2f} s: thicken them, or light longer and compensate."
    return f"Fine supports hold from {support:.2f} s on."


def _chart(steps: Sequence[Step], taken: Sequence[Taken], found: Match) -> Chart:
    """Errors of what was read over the exposure, as jaws read them, and the exposure at which they are right; of leaves
    what one of them has grown by.
    """
    x = np.geomspace(steps[0].value, steps[-1].value, 30)
    grown = np.array([2 * found.growth_mm(t) for t in x]) * 1000
    jaws, offset = 2 * found.jaw_mm * 1000, found.offset_mm * 1000
    series = []
    lines = (("leaves", "leaves", grown), ("blade", "blades", offset + grown + jaws),
             ("slit", "slits", offset - grown - jaws))  # fmt: skip
    for tone, (side, name, line) in enumerate(lines):
        mine = [(t, keep) for t, keep in zip(taken, found.kept, strict=True) if t.side == side]
        if not mine:
            continue
        # Of leaves that lie together each has its share, less the joint.
        each = [max(t.told.joints, 1.0) for t, _ in mine]
        errors = [
            1000 * (t.told.error_mm / of - (found.joint_mm if t.told.joints else 0.0))
            for (t, _), of in zip(mine, each, strict=True)
        ]
        series.append(Series(name, "line", _tuple(x), _tuple(line), tone=tone))
        series.append(
            Series(name, "points", tuple(t.step.value for t, _ in mine), _tuple(errors),
                   _tuple([1000 * t.told.scatter_mm / of for (t, _), of in zip(mine, each, strict=True)]),
                   tuple(keep for _, keep in mine), tone)
        )  # fmt: skip
    if steps[0].value <= found.exposure_s <= steps[-1].value:
        series.append(Series(f"{found.exposure_s:.2f} s", "mark", (found.exposure_s,), (0.0,)))
    return Chart("Measured minus drawn", Axis("Exposure", "s", log=True), Axis("Error", "µm"), tuple(series))


def _tuple(values: object) -> tuple[float, ...]:
    return tuple(round(float(v), 4) for v in np.asarray(values))
