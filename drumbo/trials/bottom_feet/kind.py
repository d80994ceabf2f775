"""The bottom trial: plan, feet, readings and verdict."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from drumbo.core.counted import counted
from drumbo.core.fields import Scalar
from drumbo.core.fit.quality import Quality
from drumbo.core.light.job import LayerJob, LitSolid, job
from drumbo.core.piece import Jaw, Piece
from drumbo.core.profile import Value
from drumbo.core.sure import half_90
from drumbo.trials.bottom_feet import feet
from drumbo.trials.bottom_feet.flare import FOOT, Flare, flare
from drumbo.trials.plan import TrialPlan, ask
from drumbo.trials.readings import Aspect, Readings, Step, ToRead
from drumbo.trials.result import Result
from drumbo.trials.toolkit.layered import (
    ONE,
    SEVERAL,
    LayerKind,
    ResinContext,
    as_many,
    as_printed,
    ask_way,
    base_mm,
    check_room,
    check_way,
    screen_of,
    usual_way,
)
from drumbo.trials.toolkit.sweep import even_steps
from drumbo.trials.toolkit.verdict import BestStep, few

ASPECTS = (
    Aspect("sticks", "Holds", ("fell off", "hung by a corner", "came off at a touch", "held", "held firmly"),
           "Before you take it off: does it hold to the plate all round?"),
    Aspect("clean", "Comes off clean", ("chisel, and it broke", "chisel, wide flare", "pried off, some flare",
                                        "pried off easily, a trace", "came off, sharp foot"),
           "Taken off: how hard was it, and how far does the lower edge stand out?"),
)  # fmt: skip
WEIGHTS = np.array([0.5, 0.5])
FEWEST = 4
NO, YES = "no", "yes"
JAWS_Y = 3.0
"""Past the cut corner, mm."""
TELLS = BestStep("s", "feet", ("shorter", "longer"), "ones", least_error=0.5, kind="bottom-feet")


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(TrialPlan):
    """The sweep."""

    first_s: float = ask("Shortest bottom exposure", "s", low=1, high=300, step=1)
    step_s: float = ask("Step", "s", low=1, high=60, step=1)
    feet: int = ask("Feet", low=FEWEST, high=8, whole=True)
    way: str = ask_way()
    normal_s: float | None = ask(
        "Light above the bottom", "s", low=0.1, high=120, step=0.1, required=False, help="As the profile has it."
    )  # fmt: skip
    widths: str = ask(
        "Their widths", kind="choice", choices=((NO, "are not measured"), (YES, "are measured, for the foot's flare")),
        late=True, after=True,
    )  # fmt: skip


class BottomFeet(LayerKind[Plan]):
    """Bottom exposure from how feet hold and come off."""

    slug = "bottom-feet"
    plan_type = Plan
    title = "Bottom exposure"
    version = 2
    sets = ("bottom_exposure_s", "xy_bottom_mm", "transition_layers")
    aspects = ASPECTS
    group = "bottom"
    about = (
        "Low feet side by side, their bottom layers each lit for a time of its own. Too little and it falls off, too "
        "much and it wants a chisel, with a flared foot. Two widths of each foot tell how much to take off below."
    )
    few = "Score how each foot held before you take it off, then how it came off; a curve needs three."

    def suggest(self, context: ResinContext) -> Plan:
        """Around the profile's, from well below: what holds with less is kinder to plate and film."""
        middle = context.profile.number("bottom_exposure_s")
        step = float(max(round(middle * 0.22), 1))
        first = max(round(middle - 2 * step), 2)
        count = max(as_many(context, 7, feet.PITCH, feet.WIDE), FEWEST)
        return Plan(
            first_s=float(first),
            step_s=step,
            feet=count,
            way=usual_way(context),
            widths=NO,
            normal_s=context.profile.number("exposure_s"),
        )

    def lift(self, version: int, plan: Mapping[str, Scalar]) -> Mapping[str, Scalar]:
        """Up to version 1 no widths were asked."""
        return {"widths": NO, "normal_s": None, **plan} if version < 2 else plan

    def check(self, plan: Plan, context: ResinContext) -> dict[str, str]:
        """Refuse what has no room; warn of a shortest light below the normal one."""
        count = plan.feet
        high = self._base_mm(context) + feet.RISE + feet.DIGITS_TALL
        check_room(context, "feet", (count - 1) * feet.PITCH + feet.WIDE, feet.DEEP, high)
        check_way(plan, context)
        normal = plan.normal_s or context.profile.number("exposure_s")
        if plan.first_s < normal:
            return {"first_s": f"is below the normal exposure of {normal:g} s: that foot will fall off"}
        return {}

    def _base_mm(self, context: ResinContext) -> float:
        return base_mm(context, context.profile.number("layer_um"), 0.4, 2)

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """Bottom exposures that grow by the step."""
        return even_steps(plan.first_s, plan.step_s, plan.feet)

    def piece(self, plan: Plan, context: ResinContext) -> Piece:
        """All feet, and where jaws go, if any."""
        made, base = feet.feet(self.steps(plan), self._base_mm(context))[0], self._base_mm(context)
        if plan.widths == NO:
            return made
        layer_mm = context.profile.number("layer_um") / 1000
        heights = {"plate": layer_mm / 2, "above": base + feet.RISE / 2}
        jaws = tuple(
            Jaw(FOOT.key, p.index, site.key, (p.low[0] - 1, JAWS_Y), (p.high[0] + 1, JAWS_Y), heights[site.key])
            for p in made.places for site in FOOT.sites
        )  # fmt: skip
        return replace(made, jaws=jaws)

    def job(self, plan: Plan, context: ResinContext, title: Sequence[str]) -> LayerJob:
        """All feet in one print; above their bottoms all are lit as the profile has it."""
        steps, (_, alone) = self.steps(plan), feet.feet(self.steps(plan), self._base_mm(context))
        # Nothing is taken off below: what stands out is what is asked.
        numbers = {**context.profile.numbers(), "xy_bottom_mm": context.profile.number("xy_mm")}
        times = as_printed(plan, [step.value for step in steps])
        normal_s = plan.normal_s or numbers["exposure_s"]
        lit = [LitSolid(solid, normal_s, bottom) for solid, bottom in zip(alone, times, strict=True)]
        return job(lit, numbers, screen_of(context), title=title)

    def readings(self, plan: Plan) -> ToRead:
        """How it holds, and how it comes off; where that is wanted, how wide each is below and above."""
        measures = (FOOT,) if plan.widths == YES else ()
        return ToRead(aspects=self.aspects, measures=measures, pick="the best foot")

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """The middle between falling off and wanting a chisel."""
        steps = self.steps(plan)
        told = TELLS.of(steps, ASPECTS, WEIGHTS, readings)
        if told is None:
            scores = np.column_stack([readings.column(aspect.key, steps) for aspect in ASPECTS])
            return few(TELLS.seen(scores, WEIGHTS), "foot", "feet")
        result, found = told
        result = replace(result, extend=_further(plan, found, plan.step_s) if result.state == "edge" else None)
        if plan.widths == NO or plan.normal_s is None or result.value is None:
            return result
        out = flare(steps, readings, plan.normal_s, self.adopted(result.value))
        return result if out is None else _with_flare(result, out)

    def changes(self, plan: Plan, result: Result, context: ResinContext, trial: int) -> dict[str, Value]:
        """The exposure; and where feet were measured, what is taken off below and over how many layers it fades."""
        found = super().changes(plan, result, context, trial)
        also = result.also or {}
        if found and "out_mm" in also:
            off = context.profile.number("xy_mm") - also["out_mm"]
            found["xy_bottom_mm"] = Value(round(off, 2) + 0.0, self.origin(trial), also["out_error_mm"])
            found["transition_layers"] = Value(also["layers"], self.origin(trial))
        return found

    def overrides(self, plan: Plan) -> dict[str, str]:
        """The sweep, and nothing taken off below."""
        return {**super().overrides(plan), "xy_bottom_mm": "as above the bottom"}

    def in_words(self, plan: Plan) -> str:
        """The sweep."""
        steps = self.steps(plan)
        one = "in one print" if plan.way == ONE else "one print for each"
        return f"{len(steps)} bottom exposures from {steps[0].label} to {steps[-1].label} s, {one}."

    def instructions(self, plan: Plan, context: ResinContext) -> str:
        """Look before you pry."""
        del context
        words = "Let the plate come up and look before you pry: feet that fell off lie on the film. Fish them out."
        if plan.way == SEVERAL:
            labels = ", ".join(step.label for step in self.steps(plan))
            words += f" Take the solid to your slicer and print it once for each bottom exposure ({labels} s)."
        return words


def _with_flare(result: Result, out: Flare) -> Result:
    half = half_90(out.error_mm)
    note = (
        f"Its foot stands out by {out.out_mm:.2f} ± {half:.2f} mm on every side, which is taken off below; over "
        f"{counted(out.layers, 'layer')} of fading light none stands out plainly beyond the next."
    )
    also = {"out_mm": out.out_mm, "out_error_mm": out.error_mm, "layers": float(out.layers)}
    return replace(result, notes=(*result.notes, note), also=also)


def _further(plan: Plan, found: Quality, step: float) -> dict[str, Scalar]:
    if found.edge > 0:
        return replace(plan, first_s=float(found.x[-1] - step)).to_json()
    return replace(plan, first_s=float(max(found.x[0] - (plan.feet - 2) * step, 1.0))).to_json()
