"""The rest trial: a tower that rests shorter from storey to storey."""

from __future__ import annotations

from drumbo.core.errors import InvalidInput
from drumbo.core.fields import Field, Scalar
from drumbo.trials.base import First, Plan, Step, number
from drumbo.trials.layered import ResinContext
from drumbo.trials.storeys import StoreyKind


class RestBefore(StoreyKind):
    """Rest before light from where fine slits smear."""

    slug = "rest-before-light"
    title = "Rest before light"
    sets = ("rest_before_s",)
    group = "lift"
    about = (
        "A tower whose storeys rest shorter and shorter before their light; nothing else changes. Resin that still "
        "flows when it is lit smears fine slits shut. Longer is safe, shorter is time won on every layer."
    )
    few = "Say from which storey on fine slits are smeared or closed."
    sweep = (
        Field("first", "Longest rest", "s", low=0.5, high=30, step=0.5),
        Field("step", "Step", "s", low=0.1, high=5, step=0.1),
    )
    sign = First(
        "smeared", "Slits smeared",
        "From which storey on, counted from the plate, do fine slits that were open lower down run shut?",
    )  # fmt: skip
    margin = 0.25
    misread = 0.8
    ways = ("shorter", "longer")

    def suggest(self, context: ResinContext) -> dict[str, Scalar]:
        """From well above the profile's rest down to hardly any."""
        now = context.profile.number("rest_before_s")
        step = max(round(now * 0.4, 1), 0.1)
        return {"first": round(now * 0.4 + 6 * step, 1), "step": step, "storeys": 7.0}

    def check(self, plan: Plan, context: ResinContext) -> dict[str, str]:
        """Refuse what has no rest left, too."""
        if number(plan, "first") - (number(plan, "storeys") - 1) * number(plan, "step") < -1e-9:
            raise InvalidInput("step", "is so large that the last storeys would rest less than no time")
        return super().check(plan, context)

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """Rests that shrink by the step, the longest at the plate."""
        first, step = number(plan, "first"), number(plan, "step")
        rests = [max(round(first - i * step, 2), 0.0) for i in range(int(number(plan, "storeys")))]
        return tuple(Step(i, rest, f"{rest:.1f}") for i, rest in enumerate(rests))

    def rested(self, rest_s: float, value: float) -> float:
        """The storey's rest."""
        del rest_s
        return value
