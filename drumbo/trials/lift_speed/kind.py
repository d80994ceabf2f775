"""The lift-speed trial: a tower pulled off faster from level to level."""

from __future__ import annotations

from dataclasses import dataclass, replace

from drumbo.core.light.job import Lift
from drumbo.trials.plan import ask
from drumbo.trials.readings import Measure, Step
from drumbo.trials.toolkit.layered import ResinContext
from drumbo.trials.toolkit.storeys import HERE, PINS, StoreyKind, StoreyPlan
from drumbo.trials.toolkit.sweep import even_steps


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(StoreyPlan):
    """The sweep."""

    first: float = ask("Slowest", "mm/min", low=5, high=400, step=5)
    step: float = ask("Step", "mm/min", low=5, high=200, step=5)


class LiftSpeed(StoreyKind[Plan]):
    """Lift speed from where fine pins go missing."""

    slug = "lift-speed"
    plan_type = Plan
    title = "Lift speed"
    sets = ("lift_speed_mm_min",)
    group = "lift"
    about = (
        "A tower whose levels are pulled off the film faster from floor to floor; nothing else changes. Where pins "
        "go missing it is too fast. Slower is safe, faster is time won."
    )
    few = "Count the pins that stand on each level, from the plate up."
    counted = Measure(
        "pins", "Pins standing", f"of {len(PINS)}", (HERE,), 0, len(PINS), 0, "pins",
        "How many of the pins stand, straight and whole? A bent one does not.",
    )  # fmt: skip
    margin = 0.15
    ways = ("faster", "slower")

    def suggest(self, context: ResinContext) -> Plan:
        """From below the profile's speed to well over twice as much."""
        now = context.profile.number("lift_speed_mm_min")
        step = float(max(round(now * 0.28 / 5) * 5, 5))
        return Plan(first=float(max(round((now - 2 * step) / 5) * 5, 10)), step=step, storeys=7)

    def check(self, plan: Plan, context: ResinContext) -> dict[str, str]:
        """Warn where the profile lifts in two stages, too."""
        warned = super().check(plan, context)
        slow = context.profile.number("lift_slow_mm")
        if slow > 0 and not warned:
            return {"first": f"only the first {slow:g} mm of each lift change; the rest is lifted fast as before"}
        return warned

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """Speeds that grow by the step, the slowest at the plate."""
        return even_steps(plan.first, plan.step, plan.storeys)

    def lifted(self, lift: Lift, value: float) -> Lift:
        """At the level's speed; a second stage is never slower."""
        return replace(lift, mm_min=value, fast_mm_min=max(lift.fast_mm_min, value))
