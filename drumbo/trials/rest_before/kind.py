"""The rest trial: plan, tower, readings and verdict."""

from __future__ import annotations

from collections.abc import Sequence

from drumbo.core.errors import InvalidInput
from drumbo.core.fields import Field, Scalar
from drumbo.core.light.job import LayerJob, Lit, job
from drumbo.core.piece import Piece
from drumbo.core.profile import From, Origin, Value
from drumbo.trials.base import First, Plan, Readings, Result, Step, ToRead, number
from drumbo.trials.layered import LayerKind, ResinContext, base_mm, check_room, screen_of
from drumbo.trials.storeys import DEEP, STOREY, WIDE, last_clean, tower

MARGIN = 0.25
SIGN = "smeared"


class RestBefore(LayerKind):
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

    def fields(self, context: ResinContext) -> Sequence[Field]:
        """The sweep."""
        del context
        return (
            Field("first", "Longest rest", "s", low=0.5, high=30, step=0.5),
            Field("step", "Step", "s", low=0.1, high=5, step=0.1),
            Field("storeys", "Storeys", low=4, high=9, whole=True),
        )

    def suggest(self, context: ResinContext) -> dict[str, Scalar]:
        """From well above the profile's rest down to hardly any."""
        now = context.profile.number("rest_before_s")
        step = max(round(now * 0.4, 1), 0.1)
        return {"first": round(now * 0.4 + 6 * step, 1), "step": step, "storeys": 7.0}

    def check(self, plan: Plan, context: ResinContext) -> dict[str, str]:
        """Refuse what has no room or no rest left; warn where the printer is known to do as it likes."""
        check_room(context, "storeys", WIDE + 2, DEEP + 2, self._base_mm(context) + number(plan, "storeys") * STOREY)
        if number(plan, "first") - (number(plan, "storeys") - 1) * number(plan, "step") < 0:
            raise InvalidInput("step", "is so large that the last storeys would rest less than no time")
        if "rest_before_s" in context.printer.ignored():
            return {"first": f"{context.printer.name} is known to ignore what a file says of rests"}
        return {}

    def _base_mm(self, context: ResinContext) -> float:
        return base_mm(context, context.profile.number("layer_um"), 0.8, 3)

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """Rests that shrink by the step, the longest at the plate."""
        first, step = number(plan, "first"), number(plan, "step")
        rests = [round(first - i * step, 2) for i in range(int(number(plan, "storeys")))]
        return tuple(Step(i, rest, f"{rest:.1f}") for i, rest in enumerate(rests))

    def piece(self, plan: Plan, context: ResinContext) -> Piece:
        """The tower."""
        return tower(self.steps(plan), self._base_mm(context))

    def job(self, plan: Plan, context: ResinContext, title: Sequence[str]) -> LayerJob:
        """Each storey's layers with its own rest."""
        numbers, piece, steps = context.profile.numbers(), self.piece(plan, context), self.steps(plan)
        base = self._base_mm(context)

        def resting(z_mm: float, rest_s: float) -> float:
            del rest_s
            return steps[min(max(int((z_mm - base) // STOREY), 0), len(steps) - 1)].value

        lit = Lit(piece.solid, numbers["exposure_s"], numbers["bottom_exposure_s"])
        return job([lit], numbers, screen_of(context), title=title, resting=resting)

    def readings(self, plan: Plan) -> ToRead:
        """Where it begins."""
        del plan
        look = "From which storey on, counted from the plate, do fine slits that were open lower down run shut?"
        return ToRead(firsts=(First(SIGN, "Slits smeared", look),))

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """The last clean storey, with a margin."""
        return last_clean(plan, self.steps(plan), readings, SIGN, MARGIN, ("shorter", "longer"))

    def keeps(self, result: Result) -> bool:
        """Whatever held may be used."""
        return result.value is not None

    def changes(self, plan: Plan, result: Result, context: ResinContext, trial: int) -> dict[str, Value]:
        """The rest."""
        if result.value is None:
            return {}
        origin = Origin(From.TRIAL, self.title.lower(), trial)
        return {"rest_before_s": Value(round(result.value, 1), origin, result.error)}
