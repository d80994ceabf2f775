"""The resin proof: plan, piece, checklist and the verdict."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from manifold3d import Manifold

from drumbo.core.light.job import LayerJob, LitSolid, job
from drumbo.core.light.leaves import Leaves
from drumbo.core.piece import Piece
from drumbo.core.profile import Value
from drumbo.trials.pictures import Spread
from drumbo.trials.plan import TrialPlan
from drumbo.trials.readings import Aspect, Readings, Step, ToRead
from drumbo.trials.resin_proof import boathouse
from drumbo.trials.result import Result
from drumbo.trials.toolkit import leaves
from drumbo.trials.toolkit.checklist import Point, judged, open_points, wanted
from drumbo.trials.toolkit.layered import LayerKind, ResinContext, base_mm, check_room, screen_of, snapping

GOOD_PERCENT = 70.0
OFF_PERCENT = 15.0
"""Light that is further off than this spoils what is fine, whether an eye sees it on this part or not."""
USUAL_TIP_MM = 0.5
LEAST_BASE_MM, CLEAR_LAYERS = 0.6, 3


CHECKLIST: tuple[Point, ...] = (
    Point(Aspect("stand", "Fences, digits", ("none stand", "the thickest stand", "half of them", "nearly all",
                                              "all stand, sharp"), "Thin walls and raised digits: straight and whole?"),
           "exposure"),
    Point(Aspect("open", "Slots, sunk digits", ("all closed", "the widest open", "half of them", "nearly all",
                                                 "all open, crisp"), "Hold the slots against the light."), "exposure"),
    Point(Aspect("supports", "Slab on tips", ("torn off", "hangs askew", "tips bent", "held, not quite level",
                                               "held, level"), "The slab at the right: do its tips hold it?"), "lift"),
    Point(Aspect("fit", "Plug in its socket", ("will not go in, or falls out", "only by force, or loose",
                                                "tight, or with play", "goes in, holds a little",
                                                "goes in by hand and holds"), "Break the plug off and press it in."),
           "fit", must=False),
    Point(Aspect("sticks", "Held to the plate", ("fell off", "hung by a corner", "came off at a touch", "held",
                                                  "held firmly"), "Before you took it off: all round?"), "bottom"),
    Point(Aspect("clean", "Came off clean", ("chisel, and it broke", "chisel, wide flare", "pried off, some flare",
                                              "pried off easily, a trace", "came off, sharp foot"),
                  "The lower edge of the foot."), "bottom", must=False),
)  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(TrialPlan):
    """Nothing to choose: the profile prints it."""


class ResinProof(LayerKind[Plan]):
    """A small real part as the profile prints it."""

    slug = "resin-proof"
    plan_type = Plan
    title = "Proof"
    sets = ("proof_resin_percent", "leaves_mm")
    aspects = tuple(point.aspect for point in CHECKLIST)
    group = "proof-resin"
    step_unit = ""
    about = (
        "A small part that asks for everything at once: thin walls, digits raised and sunk, a hollow with a drain, a "
        "slab on fine tips, a plug and its socket, a flat bottom. It is printed as the profile says; nothing is "
        "overridden. Leaves that are laid together tell whether the light is right where no eye can."
    )
    few = "Go down the list: how did each come out? Then measure the leaves."

    def suggest(self, context: ResinContext) -> Plan:
        """Nothing to choose."""
        del context
        return Plan()

    def check(self, plan: Plan, context: ResinContext) -> dict[str, str]:
        """Refuse a screen that is too small."""
        del plan
        check_room(context, "screen", boathouse.WIDE, boathouse.DEEP, self._base_mm(context) + boathouse.HUT_HIGH)
        return {}

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """The part as a whole."""
        del plan
        return (Step(0, 0.0, "the part"),)

    def _base_mm(self, context: ResinContext) -> float:
        return base_mm(context, context.profile.number("layer_um"), LEAST_BASE_MM, CLEAR_LAYERS)

    def piece(self, plan: Plan, context: ResinContext) -> Piece:
        """The boathouse."""
        del plan
        made = self._made(context)[0]
        return replace(made, places=(replace(made.places[0], label="the part"),))

    def _made(self, context: ResinContext) -> tuple[Piece, Manifold, Manifold]:
        """With the profile's exposure on it, its tips as wide as the profile knows them to hold."""
        numbers = context.profile.numbers()
        return boathouse.boathouse(
            f"{numbers['exposure_s']:.2f}", self._base_mm(context), numbers.get("tip_mm", USUAL_TIP_MM),
            snapping(context), screen_of(context).pixel_mm,
        )  # fmt: skip

    def job(self, plan: Plan, context: ResinContext, title: Sequence[str]) -> LayerJob:
        """As the profile prints; the leaves without compensation, as they are to tell of light alone."""
        del plan
        numbers, (_, rest, loose) = context.profile.numbers(), self._made(context)
        lit = [
            LitSolid(solid, numbers["exposure_s"], numbers["bottom_exposure_s"], compensated=solid is rest)
            for solid in (rest, loose)
        ]
        return job(lit, numbers, screen_of(context), title=title)

    def readings(self, plan: Plan) -> ToRead:
        """The checklist, and the leaves."""
        del plan
        return ToRead(aspects=self.aspects, measures=leaves.MEASURES)

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """Good where nothing fails, nearly all is as it should be and the light is right; else what to go back to."""
        missing = open_points(CHECKLIST, readings)
        if missing:
            return Result("few", says=f"{missing} of {len(CHECKLIST)} points are open.")
        found, told = leaves.wanted(readings, [0.0]), leaves.difference_mm(readings, 0)
        if found is None or told is None:
            return Result("few", says="Measure the leaves and the block.")
        if slip := leaves.slip(readings, self.steps(plan)):
            return Result("few", says=slip)
        wrong = _wrong_light(found)
        part = judged(CHECKLIST, readings, GOOD_PERCENT, wrong, ("exposure",) if wrong else ())
        spread = Spread("Leaves over block", "µm", 0, (("the leaves", round(1000 * told[0], 1), True),),
                        1000 * told[0], 1000 * leaves.SCATTER_MM)  # fmt: skip
        return Result(
            "good" if part.good else "edge", part.percent, part.error, part.percent, part.percent, part.says,
            part.notes, spreads=(spread,), also={"leaves_mm": told[0], "wants": found.wants},
        )  # fmt: skip

    def keeps(self, result: Result) -> bool:
        """Only a good part proves a profile."""
        return result.state == "good"

    def changes(self, plan: Plan, result: Result, context: ResinContext, trial: int) -> dict[str, Value]:
        """How much came out well, and what later bottles are held against."""
        del plan, context
        if result.value is None or result.also is None or not self.keeps(result):
            return {}
        origin = self.origin(trial, "proof")
        return {
            self.sets[0]: Value(float(round(result.value)), origin, result.error),
            "leaves_mm": Value(round(result.also["leaves_mm"], 3), origin, leaves.SCATTER_MM),
        }

    def overrides(self, plan: Plan) -> dict[str, str]:
        """Nothing at all."""
        del plan
        return {}

    def wants(self, context: ResinContext) -> str | None:
        """Once the rest is measured or set, or what it proved has changed."""
        return wanted(context.profile, self.group)

    def in_words(self, plan: Plan) -> str:
        """What it is."""
        del plan
        return (
            f"One part of {boathouse.WIDE:g} × {boathouse.DEEP:g} mm, {len(CHECKLIST)} points to look at and leaves to "
            "measure."
        )

    def instructions(self, plan: Plan, context: ResinContext) -> str:
        """As real parts are treated."""
        del plan, context
        return "Wash and dry it as you do real parts; measure and press the plug in before the cure."


def _wrong_light(found: Leaves) -> list[str]:
    """What the leaves have against the light; nothing where it is near enough."""
    if found.beyond(math.log1p(OFF_PERCENT / 100)) <= 0.5:
        return []
    percent = leaves.in_percent(found.wants)
    return [f"the leaves want {abs(percent):.0f} % {'more' if percent > 0 else 'less'} light"]
