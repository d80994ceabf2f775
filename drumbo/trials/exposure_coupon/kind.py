"""The exposure trial: plan, coupons, readings and verdict."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from manifold3d import Manifold

from drumbo.core.errors import InvalidInput
from drumbo.core.fields import Scalar
from drumbo.core.light.job import LayerJob, LitSolid, job
from drumbo.core.piece import Piece
from drumbo.core.profile import Value
from drumbo.trials.exposure_coupon import coupon
from drumbo.trials.exposure_coupon.plan import FACES, FEWEST, LEAVES, Plan
from drumbo.trials.exposure_coupon.verdict import verdict
from drumbo.trials.readings import Aspect, Measure, Readings, Site, Step, ToRead
from drumbo.trials.result import Result
from drumbo.trials.toolkit import leaves
from drumbo.trials.toolkit.layered import (
    ONE,
    SEVERAL,
    LayerKind,
    ResinContext,
    as_many,
    as_printed,
    base_mm,
    check_room,
    check_way,
    screen_of,
    snapping,
    usual_way,
    widest_mm,
)
from drumbo.trials.toolkit.sweep import even_steps

LEAST_BASE_MM = 0.8
CLEAR_LAYERS = 4
"""Layers between the last that is lit longer and the first that is read."""

ASPECTS = (
    Aspect("stand", "Pins and fins", ("none stand", "the thickest stand", "half of them", "nearly all",
                                      "all stand, sharp"), "Pins: how many stand straight and whole?"),
    Aspect("open", "Holes, sunk digits", ("all closed", "the widest open", "half of them", "nearly all",
                                          "all open, crisp"), "Holes: how many does light come through?"),
    Aspect("supports", "Slab on posts", ("torn off", "hangs askew", "posts bent", "held, a mark or two",
                                         "held, posts straight"), "Posts: do they hold the slab level?"),
)  # fmt: skip


class ExposureCoupon(LayerKind[Plan]):
    """Normal exposure from leaves laid together, and from matched blades and slits."""

    slug = "exposure-coupon"
    version = 2
    plan_type = Plan
    title = "Exposure"
    sets = ("exposure_s", "xy_mm")
    aspects = ASPECTS
    group = "exposure"
    about = (
        "Small coupons, each lit for a time of its own that stands on it in digits. Too little light leaves what "
        "stands thin and what is open wide, too much the reverse. Three have leaves to break off and lay together: "
        "eight at once show what jaws cannot see on one. Pins, holes and a slab on thin posts tell the rest by eye."
    )
    few = "Measure what has fields: type a number and Enter, the next field waits. Then score what you see."

    def suggest(self, context: ResinContext) -> Plan:
        """Seven exposures around the profile's, an eighth apart; wider while nobody has measured anything."""
        values = context.profile.values
        middle = values["exposure_s"].number
        known = "penetration_um" in values and "critical_s" in values
        step = max(round(middle * 0.12 / 0.05) * 0.05, 0.05)
        room = as_many(context, 7, coupon.PITCH, coupon.WIDE)
        while room > FEWEST and coupon.size(room, leafy=True)[0] > widest_mm(context):
            room -= 1
        count = int(max(room, FEWEST))
        return Plan(
            first_s=round(max(middle - step * (count - 1) / 2, 0.1), 2),
            step_s=round(step, 2),
            coupons=count,
            read_by=LEAVES,
            layer_um=values["layer_um"].number,
            way=usual_way(context),
            reach_um=values["penetration_um"].number if known else None,
            critical_s=values["critical_s"].number if known else None,
            aim="true",
        )

    def check(self, plan: Plan, context: ResinContext) -> dict[str, str]:
        """Refuse what has no room or cannot be lit; warn of another layer height than the profile's."""
        count, base = plan.coupons, self._base_mm(plan, context)
        check_room(context, "coupons", *coupon.size(count, plan.read_by == LEAVES), base + coupon.HIGH)
        check_way(plan, context)
        if (plan.reach_um is None) != (plan.critical_s is None):
            missing = "reach_um" if plan.reach_um is None else "critical_s"
            raise InvalidInput(missing, "is needed too: a working curve has both")
        warnings = {}
        if abs(plan.layer_um - context.profile.number("layer_um")) > 0.5:
            warnings["layer_um"] = f"the profile is for layers of {context.profile.number('layer_um'):g} µm"
        if plan.step_s * (count - 1) < 0.3 * plan.first_s:
            warnings["step_s"] = "the range is narrow: callipers may see no difference within it"
        return warnings

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """Exposures that grow by the step."""
        return even_steps(plan.first_s, plan.step_s, plan.coupons, least=1)

    def _base_mm(self, plan: Plan, context: ResinContext) -> float:
        return base_mm(context, plan.layer_um, LEAST_BASE_MM, CLEAR_LAYERS)

    def _made(self, plan: Plan, context: ResinContext) -> tuple[Piece, list[Manifold]]:
        leafy, base = plan.read_by == LEAVES, self._base_mm(plan, context)
        return coupon.coupons(self.steps(plan), leafy, base, snapping(context))

    def piece(self, plan: Plan, context: ResinContext) -> Piece:
        """All coupons."""
        return self._made(plan, context)[0]

    def job(self, plan: Plan, context: ResinContext, title: Sequence[str]) -> LayerJob:
        """All coupons in one print, each with its light; as several prints, the middle one's light for all."""
        steps, (_, alone) = self.steps(plan), self._made(plan, context)
        numbers = {**context.profile.numbers(), "layer_um": plan.layer_um, "xy_mm": 0.0}
        bottom = numbers["bottom_exposure_s"]
        times = as_printed(plan, [step.value for step in steps])
        lit = [LitSolid(solid, seconds, max(bottom, seconds)) for solid, seconds in zip(alone, times, strict=True)]
        return job(lit, numbers, screen_of(context), title=title)

    def readings(self, plan: Plan) -> ToRead:
        """Leaves and their block where a coupon has them, or two blades and two slits at every exposure; and what an
        eye sees.
        """
        if plan.read_by == LEAVES:
            heads = coupon.with_leaves(plan.coupons)
            measures = tuple(replace(measure, at=heads) for measure in leaves.MEASURES)
            return ToRead(measures_lead=True, aspects=self.aspects, measures=measures)
        narrow, wide = (f"{width:g} mm" for width in coupon.BLADES)
        sites = (Site("narrow", narrow), Site("wide", wide))
        return ToRead(
            measures_lead=True,
            aspects=self.aspects,
            measures=(
                Measure("blade", "Blade", "mm", sites, 0.2, 5.0, 2, "calliper",
                        "Close the jaws on it, clear of the foot."),
                Measure("slit", "Slit", "mm", sites, 0.1, 5.0, 2, "inside",
                        "Open the inner jaws in the slit; pin gauges are as good."),
            ),
        )  # fmt: skip

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """Where faces stand as drawn; see `verdict`."""
        drawn = {
            (step.index, side, key): width
            for step in self.steps(plan)
            for side in ("blade", "slit")
            for key, width in zip(("narrow", "wide"), coupon.BLADES, strict=True)
        }
        return verdict(plan, self.steps(plan), drawn, readings)

    def changes(self, plan: Plan, result: Result, context: ResinContext, trial: int) -> dict[str, Value]:
        """The exposure, and the XY compensation that is left over at it."""
        if result.value is None or result.error is None or result.also is None:
            return {}
        origin = self.origin(trial)
        left = round(-result.also["grown_mm"], 3)
        if abs(left) < result.also["grown_error_mm"]:
            left = 0.0
        return {
            "exposure_s": Value(round(result.value, 2), origin, result.error),
            "xy_mm": Value(left, origin, result.also["grown_error_mm"]),
        }

    def lift(self, version: int, plan: Mapping[str, Scalar]) -> Mapping[str, Scalar]:
        """Version 1 had no leaves."""
        return {"read_by": FACES, **plan} if version < 2 else plan

    def overrides(self, plan: Plan) -> dict[str, str]:
        """Its own lights, and no compensation."""
        steps = self.steps(plan)
        return {"exposure_s": f"{steps[0].label} to {steps[-1].label}", "xy_mm": "0"}

    def in_words(self, plan: Plan) -> str:
        """The sweep."""
        steps = self.steps(plan)
        one = "in one print" if plan.way == ONE else "one print for each"
        return f"{len(steps)} exposures from {steps[0].label} to {steps[-1].label} s, {one}."

    def instructions(self, plan: Plan, context: ResinContext) -> str:
        """Stir; and what to do where it takes several prints."""
        del context
        words = (
            "Stir or shake the resin, and let it come to its temperature. Wash and dry the coupons; read them uncured."
        )
        if plan.read_by == LEAVES:
            words += " Break the leaves of one coupon off at a time."
        if plan.way == SEVERAL:
            labels = ", ".join(step.label for step in self.steps(plan))
            words += (
                f" Take the solid to your slicer and print it once for each exposure ({labels} s), with nothing else "
                "changed. Of each print read the coupon that carries its seconds."
            )
        return words
