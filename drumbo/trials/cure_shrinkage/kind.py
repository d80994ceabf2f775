"""Cure shrinkage: plan, bars, readings and verdict."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from drumbo.core.fit.callipers import CALLIPER_SD_MM
from drumbo.core.light.job import LayerJob, LitSolid, job
from drumbo.core.piece import Jaw, Part, Piece, Place, block, raised_text, union
from drumbo.core.sure import half_90
from drumbo.trials.pictures import Spread
from drumbo.trials.plan import TrialPlan, ask
from drumbo.trials.readings import Measure, Readings, Site, Step, ToRead
from drumbo.trials.result import Result
from drumbo.trials.toolkit.layered import MARGIN_MM, LayerKind, ResinContext, base_mm, check_room, screen_of
from drumbo.trials.toolkit.wider import holding

LENGTHS = (25.0, 40.0, 60.0, 80.0)
FEWEST_MM = 25.0
WIDE, APART, TALL = 5.0, 3.0, 2.0
DIGITS_HIGH, STROKE, DIGITS_TALL = 3.0, 0.6, 0.5
JAW_OUT = 0.6
SITES = (Site("first", "once"), Site("second", "and again"))
SPREADS = 0.02
"""What the shrinkage of a post-cure differs by from place to place of a part, in % of its size."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(TrialPlan):
    """How it is going to be cured, and the longest bar."""

    longest_mm: float = ask("Longest bar", "mm", low=FEWEST_MM, high=200, step=5)
    wash_min: float = ask("Wash", "min", low=0, high=120, help="As real parts are washed.")
    cure_min: float = ask("Post-cure", "min", low=1, high=600, help="As real parts are cured.")


class CureShrinkage(LayerKind[Plan]):
    """How much parts shrink in the post-cure."""

    slug = "cure-shrinkage"
    plan_type = Plan
    title = "Cure shrinkage"
    sets = ("cure_shrink_percent",)
    group = "fit"
    step_unit = "mm"
    called = "bars"
    ends = ("in front", "at the back")
    on_demand = True
    about = (
        "Bars that are measured twice: washed and dry, and again after the post-cure. The same bar between the same "
        "jaws: what the calliper adds drops out, and what is left is what the lamp takes."
    )
    few = "Measure the bars before the cure; then cure them, and measure them again."

    def suggest(self, context: ResinContext) -> Plan:
        """As long as the screen allows, up to 80 mm; washed and cured as the profile says."""
        numbers = context.profile.numbers()
        room = context.printer.size_mm[0] - 2 * MARGIN_MM
        return Plan(
            longest_mm=max([length for length in LENGTHS if length <= room - 1], default=FEWEST_MM),
            wash_min=numbers["wash_min"], cure_min=numbers["cure_min"],
        )  # fmt: skip

    def check(self, plan: Plan, context: ResinContext) -> dict[str, str]:
        """Refuse what has no room; warn of another cure than the profile's."""
        wide, deep, high = self.piece(plan, context).size
        check_room(context, "longest_mm", wide, deep, high)
        cure = context.profile.number("cure_min")
        return {} if plan.cure_min == cure else {"cure_min": f"the profile cures for {cure:g} min"}

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """The longest bar, and one half as long."""
        lengths = (plan.longest_mm / 2, plan.longest_mm)
        return tuple(Step(k, length, f"{length:g}") for k, length in enumerate(lengths))

    def piece(self, plan: Plan, context: ResinContext) -> Piece:
        """Both bars, flat on the plate."""
        base = base_mm(context, context.profile.number("layer_um"), 0.8, 3)
        steps = self.steps(plan)
        parts, places, jaws = [], [], []
        y0 = -(len(steps) * WIDE + (len(steps) - 1) * APART) / 2
        for step in steps:
            half, front = step.value / 2, y0 + step.index * (WIDE + APART)
            rear, across, top = front + WIDE, front + WIDE / 2, base + TALL
            parts += [
                Part("foot", block((-half + 1, front + 1, 0), (half - 1, rear - 1, base))),
                Part("wall", block((-half, front, base), (half, rear, base + TALL))),
                Part(
                    "digits",
                    raised_text(
                        step.label, (0.0, across), DIGITS_HIGH, STROKE, step.value - 2, top - 0.2, top + DIGITS_TALL
                    ),
                ),
            ]
            ends = (-half - JAW_OUT, across), (half + JAW_OUT, across)
            jaws += [Jaw(key, step.index, s.key, *ends, base + TALL / 2, tool)
                     for key, tool in (("green", "calliper"), ("cured", "cured")) for s in SITES]  # fmt: skip
            places.append(
                Place(step.index, step.value, step.label, (-half, front, 0.0), (half, rear, base + TALL), axis=1)
            )
        return Piece("bars", union(p.solid for p in parts), tuple(parts), tuple(places), tuple(jaws))

    def job(self, plan: Plan, context: ResinContext, title: Sequence[str]) -> LayerJob:
        """As the profile prints."""
        numbers = context.profile.numbers()
        lit = LitSolid(self.piece(plan, context).solid, numbers["exposure_s"], numbers["bottom_exposure_s"])
        return job([lit], numbers, screen_of(context), title=title)

    def readings(self, plan: Plan) -> ToRead:
        """Every bar before and after."""
        low, high = 0.45 * plan.longest_mm, 1.1 * plan.longest_mm
        return ToRead(measures=(
            Measure("green", "Before the cure", "mm", SITES, low, high, 2, "calliper", "Washed, and quite dry."),
            Measure("cured", "After it", "mm", SITES, low, high, 2, "cured", "Cooled down again, by the same jaws."),
        ))  # fmt: skip

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """What the bars lost, as a share of their length. 79.95 before, 79.55 after, of 80: 0.5 %."""
        rows, length_mm, lost_mm = [], [], []
        for step in self.steps(plan):
            both = [[v for s in SITES if (v := readings.measured(key, step.index, s.key)) is not None]
                    for key in ("green", "cured")]  # fmt: skip
            if not all(both):
                continue
            green, cured = (sum(numbers) / len(numbers) for numbers in both)
            lost_mm.append(green - cured)
            length_mm.append(step.value)
            rows.append((f"{step.label} mm", round(100 * (green - cured) / step.value, 3), True))
        if not rows:
            return Result("few", says="Measure a bar before the cure and after it.")
        length, lost = np.array(length_mm), np.array(lost_mm)
        share = float((length * lost).sum() / (length**2).sum())
        noise = CALLIPER_SD_MM / math.sqrt(float((length**2).sum()))
        value, error = 100 * share, holding(self.slug, math.hypot(100 * noise, SPREADS))
        half = half_90(error)
        says = (
            f"Parts shrink by {value:.2f} ± {half:.2f} % in the cure: draw them that much larger."
            if value > half
            else "No shrinkage that a calliper can tell."
        )
        spread = Spread("Lost in the cure", "%", 2, tuple(rows), value, error, 0.0)
        return Result("good", value, error, value - half, value + half, says, spreads=(spread,))

    def overrides(self, plan: Plan) -> dict[str, str]:
        """Nothing."""
        del plan
        return {}

    def in_words(self, plan: Plan) -> str:
        """Two bars."""
        return f"Two bars of {plan.longest_mm / 2:g} and {plan.longest_mm:g} mm; cured for {plan.cure_min:g} min."

    def instructions(self, plan: Plan, context: ResinContext) -> str:
        """Between the two measurements."""
        del context
        return (
            f"Wash for {plan.wash_min:g} min and let them dry quite; measure. Then cure for {plan.cure_min:g} min, let "
            "them cool, and measure again."
        )
