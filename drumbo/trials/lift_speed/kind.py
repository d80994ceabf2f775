"""The lift-speed trial: plan, tower, readings and verdict."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from drumbo.core.fields import Field, Scalar
from drumbo.core.light.job import LayerJob, Lift, Lit, job
from drumbo.core.piece import Piece
from drumbo.core.profile import From, Origin, Value
from drumbo.trials.base import First, Plan, Readings, Result, Step, ToRead, number
from drumbo.trials.layered import LayerKind, ResinContext, base_mm, check_room, screen_of
from drumbo.trials.storeys import DEEP, STOREY, WIDE, last_clean, tower

MARGIN = 0.15
SIGN = "missing"


class LiftSpeed(LayerKind):
    """Lift speed from where fine pins go missing."""

    slug = "lift-speed"
    title = "Lift speed"
    sets = ("lift_speed_mm_min",)
    group = "lift"
    about = (
        "A tower whose storeys are pulled off the film faster from floor to floor; nothing else changes. Where pins "
        "and fins go missing it is too fast. Slower is safe, faster is time won."
    )
    few = "Say from which storey on pins or fins are missing or bent."

    def fields(self, context: ResinContext) -> Sequence[Field]:
        """The sweep."""
        del context
        return (
            Field("first", "Slowest", "mm/min", low=5, high=400, step=5),
            Field("step", "Step", "mm/min", low=5, high=200, step=5),
            Field("storeys", "Storeys", low=4, high=9, whole=True),
        )

    def suggest(self, context: ResinContext) -> dict[str, Scalar]:
        """From below the profile's speed to well over twice as much."""
        now = context.profile.number("lift_speed_mm_min")
        step = float(max(round(now * 0.28 / 5) * 5, 5))
        return {"first": float(max(round((now - 2 * step) / 5) * 5, 10)), "step": step, "storeys": 7.0}

    def check(self, plan: Plan, context: ResinContext) -> dict[str, str]:
        """Refuse what has no room; warn where the profile lifts in two stages."""
        check_room(context, "storeys", WIDE + 2, DEEP + 2, self._base_mm(context) + number(plan, "storeys") * STOREY)
        if "lift_speed_mm_min" in context.printer.ignored():
            return {"first": f"{context.printer.name} is known to ignore what a file says of the lift"}
        if context.profile.number("lift_slow_mm") > 0:
            slow = context.profile.number("lift_slow_mm")
            return {"first": f"only the first {slow:g} mm of each lift change; the rest is lifted fast as before"}
        return {}

    def _base_mm(self, context: ResinContext) -> float:
        return base_mm(context, context.profile.number("layer_um"), 0.8, 3)

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """Speeds that grow by the step, the slowest at the plate."""
        first, step = number(plan, "first"), number(plan, "step")
        return tuple(Step(i, first + i * step, f"{first + i * step:g}") for i in range(int(number(plan, "storeys"))))

    def piece(self, plan: Plan, context: ResinContext) -> Piece:
        """The tower."""
        return tower(self.steps(plan), self._base_mm(context))

    def job(self, plan: Plan, context: ResinContext, title: Sequence[str]) -> LayerJob:
        """Each storey's layers with its own lift."""
        numbers, piece, steps = context.profile.numbers(), self.piece(plan, context), self.steps(plan)
        base = self._base_mm(context)

        def lifting(z_mm: float, lift: Lift) -> Lift:
            storey = min(max(int((z_mm - base) // STOREY), 0), len(steps) - 1)
            speed = steps[storey].value
            return replace(lift, mm_min=speed, fast_mm_min=max(lift.fast_mm_min, speed))

        lit = Lit(piece.solid, numbers["exposure_s"], numbers["bottom_exposure_s"])
        return job([lit], numbers, screen_of(context), title=title, lifting=lifting)

    def readings(self, plan: Plan) -> ToRead:
        """Where it begins."""
        del plan
        look = "From which storey on, counted from the plate, are pins or fins missing, bent or torn?"
        return ToRead(firsts=(First(SIGN, "Pins missing", look),))

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """The last clean storey, with a margin."""
        return last_clean(plan, self.steps(plan), readings, SIGN, MARGIN, ("faster", "slower"))

    def keeps(self, result: Result) -> bool:
        """Whatever held may be used."""
        return result.value is not None

    def changes(self, plan: Plan, result: Result, context: ResinContext, trial: int) -> dict[str, Value]:
        """The lift speed."""
        if result.value is None:
            return {}
        origin = Origin(From.TRIAL, self.title.lower(), trial)
        return {"lift_speed_mm_min": Value(float(round(result.value)), origin, result.error)}
