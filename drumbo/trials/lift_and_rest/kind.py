"""Lift and rest in one tower: plan, piece, readings and the verdict on both.

Each level is pulled off faster and lit sooner than the one below. Pins that go missing tell of the lift, slits that
smear shut of the rest: each is counted, and judged as on a tower of its own.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

from drumbo.core.catalogue import BY_KEY
from drumbo.core.errors import InvalidInput
from drumbo.core.fields import Scalar
from drumbo.core.light.job import LayerJob, LitSolid, exposures, job, lift_of, rest_of
from drumbo.core.piece import Jaw, Piece
from drumbo.core.profile import Value
from drumbo.trials.lift_speed.kind import LiftSpeed
from drumbo.trials.lift_speed.kind import Plan as LiftPlan
from drumbo.trials.plan import TrialPlan, ask
from drumbo.trials.readings import Readings, Step, ToRead
from drumbo.trials.rest_before_light.kind import Plan as RestPlan
from drumbo.trials.rest_before_light.kind import RestBefore
from drumbo.trials.result import Result
from drumbo.trials.toolkit.layered import LayerKind, ResinContext, screen_of
from drumbo.trials.toolkit.storeys import HERE, STOREY, storey_at, tower

LIFT, REST = LiftSpeed(), RestBefore()
FEWEST, MOST_MIN = 4, 40.0
"""Levels; and minutes that a tower may take as long as it has more than these."""
LIFT_NAMES = {"first": "slowest", "step": "faster_by"}
REST_NAMES = {"first": "longest", "step": "shorter_by"}
"""What the towers of one value call a field, and what it is called here."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(TrialPlan):
    """Both sweeps."""

    slowest: float = ask("Slowest lift", "mm/min", low=5, high=400, step=5)
    faster_by: float = ask("Faster by", "mm/min", low=5, high=200, step=5, help="From level to level.")
    longest: float = ask("Longest rest", "s", low=0.5, high=30, step=0.5)
    shorter_by: float = ask("Shorter by", "s", low=0.1, high=5, step=0.1, help="From level to level.")
    storeys: int = ask("Levels", low=4, high=9, whole=True)

    @property
    def lift(self) -> LiftPlan:
        """The lift's sweep alone."""
        return LiftPlan(first=self.slowest, step=self.faster_by, storeys=self.storeys)

    @property
    def rest(self) -> RestPlan:
        """The rest's sweep alone."""
        return RestPlan(first=self.longest, step=self.shorter_by, storeys=self.storeys)


class LiftAndRest(LayerKind[Plan]):
    """Lift speed and rest before light from one print."""

    slug = "lift-and-rest"
    plan_type = Plan
    title = "Lift and rest"
    sets = ("lift_speed_mm_min", "rest_before_s")
    group = "lift"
    step_unit = ""
    called = "levels"
    about = (
        "A tower whose levels are pulled off the film faster, and lit after a shorter rest, from floor to floor. Where "
        "pins go missing it is pulled too fast; where slits smear shut it rests too short. One print tells both."
    )
    few = "Count the pins that stand and the slits that are open on each level, from the plate up."

    def suggest(self, context: ResinContext) -> Plan:
        """What the towers of one value would cover but for a level, as slow lifts and long rests together take time; in
        fewer and larger steps, or begun a little faster, where it would take longer than `MOST_MIN`.
        """
        lift, rest = LIFT.suggest(context), REST.suggest(context)
        most = lift.storeys - 1
        plans = [
            Plan(
                slowest=lift.first, faster_by=float(max(round(lift.step * (most - 1) / (n - 1) / 5) * 5, 5)),
                longest=max(round(rest.first - rest.step, 1), 0.5),
                shorter_by=round(rest.step * (most - 1) / (n - 1), 1), storeys=n,
            )
            for n in range(most, FEWEST - 1, -1)
        ]  # fmt: skip
        brisker = replace(plans[-1], slowest=lift.first + 5)
        return next((plan for plan in (*plans, brisker) if self.minutes(plan, context) < MOST_MIN), plans[-1])

    def minutes(self, plan: Plan, context: ResinContext) -> float:
        """How long a tower takes, without its layers being drawn."""
        numbers, base = context.profile.numbers(), LIFT.foot_mm(context)
        height_mm, bottoms = numbers["layer_um"] / 1000, int(numbers["bottom_layers"])
        lifts, rests = LIFT.steps(plan.lift), REST.steps(plan.rest)
        count = math.ceil(round((base + plan.storeys * STOREY) / height_mm, 6))
        lights = exposures(
            numbers["exposure_s"], numbers["bottom_exposure_s"], bottoms, int(numbers["transition_layers"]), count
        )
        seconds = sum(lights) + count * numbers["rest_after_s"]
        for layer in range(count):
            lift, rest_s = lift_of(numbers, bottom=layer < bottoms), rest_of(numbers, bottom=layer < bottoms)
            if layer >= bottoms:
                z_mm = (layer + 0.5) * height_mm
                lift = LIFT.lifted(lift, storey_at(lifts, z_mm, base).value)
                rest_s = REST.rested(rest_s, storey_at(rests, z_mm, base).value)
            seconds += lift.seconds + rest_s
        return seconds / 60

    def check(self, plan: Plan, context: ResinContext) -> dict[str, str]:
        """Refuse and warn as the towers of one value do."""
        return {
            **_named(LIFT_NAMES, lambda: LIFT.check(plan.lift, context)),
            **_named(REST_NAMES, lambda: REST.check(plan.rest, context)),
        }

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """Both values of each level, the gentlest at the plate."""
        rests = REST.steps(plan.rest)
        return tuple(
            Step(lift.index, lift.value, f"{lift.label} mm/min, {rest.label} s")
            for lift, rest in zip(LIFT.steps(plan.lift), rests, strict=True)
        )

    def piece(self, plan: Plan, context: ResinContext) -> Piece:
        """The tower with the lift's digits in front and the rest's behind, and where there is something to count."""
        lifts, rests = LIFT.steps(plan.lift), REST.steps(plan.rest)
        made = tower(lifts, LIFT.foot_mm(context), [rest.label for rest in rests])
        counted = (LIFT.counted, REST.counted)
        places = tuple(
            replace(place, label=step.label) for place, step in zip(made.places, self.steps(plan), strict=True)
        )
        jaws = tuple(
            Jaw(each.key, p.index, HERE.key, p.low[:2], p.high[:2], (p.low[2] + p.high[2]) / 2, each.tool)
            for p in places for each in counted
        )  # fmt: skip
        return replace(made, places=places, jaws=jaws)

    def job(self, plan: Plan, context: ResinContext, title: Sequence[str]) -> LayerJob:
        """Each level's layers with its own lift and rest."""
        numbers, base = context.profile.numbers(), LIFT.foot_mm(context)
        lifts, rests = LIFT.steps(plan.lift), REST.steps(plan.rest)
        lit = LitSolid(self.piece(plan, context).solid, numbers["exposure_s"], numbers["bottom_exposure_s"])
        return job(
            [lit], numbers, screen_of(context), title=title,
            lifting=lambda z_mm, lift: LIFT.lifted(lift, storey_at(lifts, z_mm, base).value),
            resting=lambda z_mm, rest_s: REST.rested(rest_s, storey_at(rests, z_mm, base).value),
        )  # fmt: skip

    def readings(self, plan: Plan) -> ToRead:
        """Both counts on every level."""
        del plan
        return ToRead(measures=(LIFT.counted, REST.counted))

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """Where each begins to fail."""
        lift, rest = LIFT.evaluate(plan.lift, readings), REST.evaluate(plan.rest, readings)
        if "few" in {lift.state, rest.state}:
            return Result("few", says=self.few)
        more: dict[str, Scalar] = {}
        for found, names, part in ((lift, LIFT_NAMES, plan.lift), (rest, REST_NAMES, plan.rest)):
            told = found.extend or part.to_json()
            more |= {mine: told[its] for its, mine in names.items()}
        also = {} if rest.value is None or rest.error is None else {"rest": rest.value, "rest_error": rest.error}
        both = lift.value is not None and rest.value is not None
        return Result(
            "good" if lift.state == rest.state == "good" else "edge",
            lift.value, lift.error, lift.low, lift.high,
            f"Pins: {_lower(lift.says)} Slits: {_lower(rest.says)}",
            tuple(dict.fromkeys((*lift.notes, *rest.notes))),
            spreads=tuple(
                replace(spread, name=f"{spread.name}, {BY_KEY[key].name.lower()}")
                for found, key in zip((lift, rest), self.sets, strict=True)
                for spread in found.spreads
            ),
            also=also,
            extend={**more, "storeys": plan.storeys} if lift.extend or rest.extend else None,
            extend_says="Plan another tower",
            headline=f"{lift.value:.0f} mm/min and {rest.value:.1f} s" if both else "",
        )  # fmt: skip

    def keeps(self, result: Result) -> bool:
        """Whatever held may be used, of either."""
        return result.value is not None or bool(result.also)

    def changes(self, plan: Plan, result: Result, context: ResinContext, trial: int) -> dict[str, Value]:
        """Both, or the one that was found."""
        del plan, context
        origin, found = self.origin(trial), {}
        for key, value, error in (
            (self.sets[0], result.value, result.error),
            (self.sets[1], (result.also or {}).get("rest"), (result.also or {}).get("rest_error")),
        ):
            if value is not None:
                found[key] = Value(round(value, BY_KEY[key].decimals) + 0.0, origin, error)
        return found

    def overrides(self, plan: Plan) -> dict[str, str]:
        """Both sweeps."""
        return {**LIFT.overrides(plan.lift), **REST.overrides(plan.rest)}


def _named(names: Mapping[str, str], checked: Callable[[], dict[str, str]]) -> dict[str, str]:
    """What a tower of one value says of its fields, under the names that they have here; InvalidInput too."""
    try:
        return {names.get(key, key): said for key, said in checked().items()}
    except InvalidInput as error:
        raise InvalidInput.of({names.get(key, key): said for key, said in error.problems.items()}) from error


def _lower(sentence: str) -> str:
    return sentence[:1].lower() + sentence[1:]
