"""The bottle check: plan, leaves, readings, and what they make of the profile."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

from manifold3d import Manifold

from drumbo.core.light.job import LayerJob, LitSolid, job
from drumbo.core.piece import Piece
from drumbo.core.profile import Dependency, OriginKind, Value
from drumbo.trials.bottle_check import strip
from drumbo.trials.bottle_check.plan import Plan
from drumbo.trials.bottle_check.verdict import verdict
from drumbo.trials.readings import Readings, Step, ToRead
from drumbo.trials.result import Result
from drumbo.trials.toolkit import leaves
from drumbo.trials.toolkit.layered import (
    ONE,
    LayerKind,
    ResinContext,
    as_many,
    base_mm,
    check_room,
    check_way,
    screen_of,
    snapping,
    usual_way,
)

LEAST_BASE_MM, CLEAR_LAYERS = 0.4, 3
SETS = 3
USUAL_PERCENT = 20.0
CONFIRMED = ("exposure_s", "bottom_exposure_s", "critical_s", "critical_mj_cm2", "penetration_um",
             "proof_resin_percent")  # fmt: skip
"""What holds for a bottle that takes the same light."""
COLDER_C = 2.5
"""Another temperature than this tells how exposure follows it."""


class BottleCheck(LayerKind[Plan]):
    """Whether a bottle, or a warmer or colder room, takes the light that the profile has."""

    slug = "bottle-check"
    plan_type = Plan
    title = "Bottle check"
    sets = ("bottle", *CONFIRMED, "leaves_mm", "resin_c")
    group = "light"
    step_unit = "s"
    called = "sets of leaves"
    ends = ("at the left", "at the right")
    about = (
        "Eight thin leaves that are broken off and laid together, beside a block as wide as all of them. What light "
        "adds to one leaf no calliper tells; what it adds to eight it does, and the jaws drop out. It says whether a "
        "new bottle, a topped-up vat or a colder room still takes the same light."
    )
    few = "Lay the leaves together and measure them, then the block, each twice: a number and Enter."

    def suggest(self, context: ResinContext) -> Plan:
        """As the profile has it, and a fifth to either side where one print can."""
        numbers, held = context.profile.numbers(), context.profile.values
        before = held.get("leaves_mm")
        sound = before is not None and not before.recheck
        return Plan(
            bottle=numbers.get("bottle", 1.0),
            resin_c=numbers["resin_c"],
            exposure_s=numbers["exposure_s"],
            by_percent=USUAL_PERCENT,
            before_mm=before.number if before is not None and sound else None,
            way=usual_way(context) if as_many(context, SETS, strip.PITCH, strip.WIDE) == SETS else "several",
        )

    def check(self, plan: Plan, context: ResinContext) -> dict[str, str]:
        """Refuse what has no room; warn where it is not the profile that is checked."""
        count = len(self.steps(plan))
        high = self._base_mm(context) + leaves.HIGH
        check_room(context, "way", (count - 1) * strip.PITCH + strip.WIDE, strip.DEEP, high)
        if plan.way == ONE:
            check_way(plan, context)
        now, warnings = context.profile.number("exposure_s"), {}
        if plan.exposure_s != now:
            warnings["exposure_s"] = f"the profile has {now:g} s: the check is of that"
        if plan.before_mm is None:
            warnings["before_mm"] = "nothing to hold it against: only a large difference can be told"
        return warnings

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """The profile's light between less and more of it; that alone where a print has one light."""
        by = math.log1p(plan.by_percent / 100)
        times = [plan.exposure_s * math.exp(by * k) for k in ((-1, 0, 1) if plan.way == ONE else (0,))]
        return tuple(Step(k, round(t, 2), f"{t:.2f}") for k, t in enumerate(times))

    def _base_mm(self, context: ResinContext) -> float:
        return base_mm(context, context.profile.number("layer_um"), LEAST_BASE_MM, CLEAR_LAYERS)

    def _made(self, plan: Plan, context: ResinContext) -> tuple[Piece, list[Manifold]]:
        return strip.strip(self.steps(plan), self._base_mm(context), snapping(context))

    def piece(self, plan: Plan, context: ResinContext) -> Piece:
        """All sets."""
        return self._made(plan, context)[0]

    def job(self, plan: Plan, context: ResinContext, title: Sequence[str]) -> LayerJob:
        """Each set with its light; all bottoms as the profile has them, nothing compensated."""
        numbers = context.profile.numbers()
        lit = [
            LitSolid(solid, step.value, max(numbers["bottom_exposure_s"], step.value), compensated=False)
            for step, solid in zip(self.steps(plan), self._made(plan, context)[1], strict=True)
        ]
        return job(lit, numbers, screen_of(context), title=title)

    def readings(self, plan: Plan) -> ToRead:
        """Leaves and block, twice each."""
        del plan
        return ToRead(measures=leaves.MEASURES)

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """The same light as before, or how much more or less; see `verdict`."""
        return verdict(plan, self.steps(plan), readings)

    def changes(self, plan: Plan, result: Result, context: ResinContext, trial: int) -> dict[str, Value]:
        """The bottle is known. What is the same keeps its number and where that came from; where the light has moved,
        the exposure does, and what rests on it waits for its own trials.
        """
        held, now = context.profile.values, context.profile.numbers()
        if result.value is None or result.also is None or now.get("bottle", 1.0) != plan.bottle:
            return {}
        origin = self.origin(trial)
        new = {"bottle": Value(plan.bottle, origin)}
        if abs(plan.resin_c - now["resin_c"]) > 1e-9:
            new["resin_c"] = Value(plan.resin_c, origin)
        if result.also["same"] and held["exposure_s"].number == plan.exposure_s:
            note = f"the same light in bottle {plan.bottle:g} at {plan.resin_c:g} °C, trial {trial}"
            new |= {
                key: replace(held[key], recheck=None, basis={}, still_good=note, doubt="")
                for key in CONFIRMED
                if key in held
            }
            if "leaves_mm" not in held and held["exposure_s"].origin.kind == OriginKind.TRIAL:
                new["leaves_mm"] = Value(round(result.also["leaves_mm"], 3), origin, leaves.SCATTER_MM)
        elif not result.also["same"]:
            new["exposure_s"] = self._moved(plan, result, context, trial)
            if "leaves_mm" in held:
                # They were measured while the light was right, and it is so again with the new exposure.
                note = f"holds for the exposure that trial {trial} found"
                new["leaves_mm"] = replace(held["leaves_mm"], recheck=None, basis={}, still_good=note)
        return new

    def _moved(self, plan: Plan, result: Result, context: ResinContext, trial: int) -> Value:
        """The exposure with the light that is wanted; where only the resin is warmer or colder, how it follows that,
        too: another bottle differs in more than its warmth.
        """
        assert result.also is not None
        wants, error = result.also["wants"], result.also["wants_error"]
        number = round(plan.exposure_s * math.exp(wants), 2)
        basis = context.profile.values["exposure_s"].basis
        was_c = basis.get("resin_c", context.profile.number("resin_c"))
        same_bottle = basis.get("bottle", 1.0) == plan.bottle
        law = None
        if abs(plan.resin_c - was_c) >= COLDER_C and plan.before_mm is not None and same_bottle:
            low, high = sorted((was_c, plan.resin_c))
            rate = wants / (plan.resin_c - was_c)
            law = Dependency("resin_c", plan.resin_c, number, rate, low, high, f"trial {trial}")
        return Value(number, self.origin(trial), number * error, dependency=law)

    def wants(self, context: ResinContext) -> str | None:
        """Once a new bottle is in the vat, or the resin's temperature is another one, and nobody has checked it."""
        values = context.profile.values
        held, bottle = values["exposure_s"], values.get("bottle")
        if not held.recheck or held.origin.kind in {OriginKind.START, OriginKind.LABEL}:
            return None
        if bottle is not None and held.basis.get("bottle", bottle.number) != bottle.number:
            return f"Bottle {bottle.number:g} is new: a few minutes tell whether it takes the same light."
        now_c = values["resin_c"].number
        if held.basis.get("resin_c", now_c) != now_c:
            return f"The resin is at {now_c:g} °C now: a few minutes tell whether it takes the same light."
        return None

    def overrides(self, plan: Plan) -> dict[str, str]:
        """Its own lights, and no compensation."""
        steps = self.steps(plan)
        lights = " / ".join(step.label for step in steps)
        return {"exposure_s": lights, "xy_mm": "0"}

    def in_words(self, plan: Plan) -> str:
        """The lights."""
        steps = self.steps(plan)
        if len(steps) == 1:
            return f"One set of leaves, lit for {steps[0].label} s."
        return f"{len(steps)} sets of leaves, lit for {', '.join(step.label for step in steps)} s."

    def instructions(self, plan: Plan, context: ResinContext) -> str:
        """Stir, and take its temperature."""
        del plan, context
        return "Stir the vat and take its temperature. Wash and dry the piece; break the leaves off before any cure."
