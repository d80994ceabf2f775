"""The rest trial: a tower that rests shorter from level to level."""

from __future__ import annotations

from dataclasses import dataclass

from drumbo.core.errors import InvalidInput
from drumbo.trials.plan import ask
from drumbo.trials.readings import Measure, Step
from drumbo.trials.toolkit.layered import ResinContext
from drumbo.trials.toolkit.storeys import HERE, SLITS, StoreyKind, StoreyPlan


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(StoreyPlan):
    """The sweep."""

    first: float = ask("Longest rest", "s", low=0.5, high=30, step=0.5)
    step: float = ask("Step", "s", low=0.1, high=5, step=0.1)


class RestBefore(StoreyKind[Plan]):
    """Rest before light from where fine slits smear."""

    slug = "rest-before-light"
    plan_type = Plan
    title = "Rest before light"
    sets = ("rest_before_s",)
    group = "lift"
    about = (
        "A tower whose levels rest shorter and shorter before their light; nothing else changes. Resin that still "
        "flows when it is lit smears fine slits shut. Longer is safe, shorter is time won on every layer."
    )
    few = "Count the slits that are open on each level, from the plate up: hold them against the light."
    counted = Measure(
        "slits", "Slits open", f"of {len(SLITS)}", (HERE,), 0, len(SLITS), 0, "slits",
        "How many of the slits does light come through? Start from the widest.",
    )  # fmt: skip
    margin = 0.25
    ways = ("shorter", "longer")

    def suggest(self, context: ResinContext) -> Plan:
        """From well above the profile's rest down to hardly any."""
        now = context.profile.number("rest_before_s")
        step = max(round(now * 0.4, 1), 0.1)
        return Plan(first=round(now * 0.4 + 6 * step, 1), step=step, storeys=7)

    def check(self, plan: Plan, context: ResinContext) -> dict[str, str]:
        """Refuse what has no rest left, too."""
        if plan.first - (plan.storeys - 1) * plan.step < -1e-9:
            raise InvalidInput("step", "is so large that the last levels would rest less than no time")
        return super().check(plan, context)

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """Rests that shrink by the step, the longest at the plate."""
        first, step = plan.first, plan.step
        rests = [max(round(first - i * step, 2), 0.0) for i in range(plan.storeys)]
        return tuple(Step(i, rest, f"{rest:.1f}") for i, rest in enumerate(rests))

    def rested(self, rest_s: float, value: float) -> float:
        """The level's rest."""
        del rest_s
        return value
