"""The trial of the retraction speed: too slow comes too late, too fast slips."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from drumbo.core.errors import InvalidInput
from drumbo.core.piece import Piece
from drumbo.core.toolpath import Toolpath
from drumbo.trials.base import Context, Kind
from drumbo.trials.plan import Bounds, TrialPlan, ask
from drumbo.trials.readings import Aspect, Readings, Step, ToRead
from drumbo.trials.result import Result
from drumbo.trials.toolkit import posts
from drumbo.trials.toolkit.sweep import count_between, even_steps
from drumbo.trials.toolkit.verdict import BestStep, few

TELLS = BestStep("mm/s", step_share=0.0, flat_drop=1.2, kind="retraction-speed")

ASPECTS: tuple[Aspect, ...] = (
    Aspect("strings", "Strings", ("a web", "heavy threads", "threads", "a few wisps", "none"),
           "In the air between mast and posts, on both sides."),
)  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(TrialPlan):
    """The range of speeds, the length, the height of a step."""

    slow_mm_s: float = ask("Slowest, at the bottom", "mm/s", low=5, high=80, step=5, whole=True)
    fast_mm_s: float = ask("Fastest, at the top", "mm/s", low=10, high=120, step=5, whole=True)
    step_mm_s: float = ask("Step", "mm/s", low=2, high=20, step=1, whole=True)
    length_mm: float = ask("Length", "mm", low=0.1, high=12, step=0.1)
    step_mm: float = ask("Height of a step", "mm", low=4, high=8, step=0.2)


class RetractionSpeed(Kind[Plan]):
    """How fast to pull back, slowest at the bottom."""

    slug = "retraction-speed"
    plan_type = Plan
    title = "Retraction speed"
    sets = ("retraction_speed_mm_s",)
    aspects = ASPECTS
    group = "retraction"
    on_demand = True
    about = (
        "The posts of the retraction length, retracted by one length at speeds that stand on the mast. Too slow "
        "comes too late, too fast slips; in between all are alike."
    )
    few = "Score the strings of every step; a curve needs three."

    def bounds(self, context: Context) -> dict[str, Bounds]:
        """As far as the printer goes."""
        now = context.profile.number("retraction_mm")
        return {
            "length_mm": Bounds(help=f"The profile retracts {now:g} mm. A tenth shorter shows differences better."),
        }

    def suggest(self, context: Context) -> Plan:
        """20 to 60 mm/s at the profile's length."""
        return Plan(
            slow_mm_s=20.0,
            fast_mm_s=60.0,
            step_mm_s=5.0,
            length_mm=max(0.1, context.profile.number("retraction_mm")),
            step_mm=5.0,
        )

    def check(self, plan: Plan, context: Context) -> dict[str, str]:
        """Refuse what cannot be printed; warn of another length than the profile's."""
        slow, fast = plan.slow_mm_s, plan.fast_mm_s
        if fast <= slow:
            raise InvalidInput("fast_mm_s", f"must be above {slow:g} mm/s: the slowest is at the bottom; swap the two")
        posts.check_room("step_mm_s", _count(plan), plan.step_mm, context.printer)
        warnings = {}
        now = context.profile.number("retraction_mm")
        if plan.length_mm > 1.3 * now + 0.2:
            warnings["length_mm"] = f"far more than the profile's {now:g} mm: every speed will look clean"
        return warnings

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """Slowest first, as printed."""
        return even_steps(plan.slow_mm_s, plan.step_mm_s, _count(plan))

    def piece(self, plan: Plan, context: Context) -> Piece:
        """Mast and posts."""
        return posts.posts(self.steps(plan), *posts.heights(plan.step_mm, context))

    def roads(self, plan: Plan, context: Context, piece: Piece) -> Toolpath:
        """Each step at its own speed."""
        return posts.roads(piece, context, "retraction_speed", {"retraction_mm": plan.length_mm})

    def readings(self, plan: Plan) -> ToRead:
        """Strings alone."""
        del plan
        return ToRead(aspects=self.aspects)

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """The middle of what is as clean as the cleanest."""
        told = replace(TELLS, least_error=0.3 * plan.step_mm_s).of(self.steps(plan), ASPECTS, np.ones(1), readings)
        return told[0] if told else few(int(np.isfinite(readings.column("strings", self.steps(plan))).sum()))

    def overrides(self, plan: Plan) -> dict[str, str]:
        """Speed and length."""
        return {**super().overrides(plan), "retraction_mm": f"{plan.length_mm:g}"}

    def in_words(self, plan: Plan) -> str:
        """From the bottom up."""
        steps, length = self.steps(plan), plan.length_mm
        return (
            f"{len(steps)} steps of {length:g} mm, {steps[0].label} mm/s at the bottom to {steps[-1].label} at the top."
        )


def _count(plan: Plan) -> int:
    return count_between(plan.slow_mm_s, plan.fast_mm_s, plan.step_mm_s)
