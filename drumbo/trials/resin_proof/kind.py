"""The resin proof: plan, piece, checklist and the verdict."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from manifold3d import Manifold

from drumbo.core.catalogue import GROUPS
from drumbo.core.fit.ordinal import BIAS_SD, LOOK_SD
from drumbo.core.light.job import LayerJob, LitSolid, job
from drumbo.core.light.leaves import Leaves
from drumbo.core.piece import Piece
from drumbo.core.profile import Status, Value, sectors
from drumbo.trials.pictures import Spread
from drumbo.trials.plan import TrialPlan
from drumbo.trials.readings import Aspect, Readings, Step, ToRead
from drumbo.trials.resin_proof import boathouse
from drumbo.trials.result import Result
from drumbo.trials.toolkit import leaves
from drumbo.trials.toolkit.layered import LayerKind, ResinContext, base_mm, check_room, on_pixels, screen_of

FINE, PASSABLE = 3, 2
"""Scores: from which a point counts as good, and below which it fails the whole part."""
GOOD_PERCENT = 70.0
OFF_PERCENT = 15.0
"""Light that is further off than this spoils what is fine, whether an eye sees it on this part or not."""
USUAL_TIP_MM = 0.5
LEAST_BASE_MM, CLEAR_LAYERS = 0.6, 3


@dataclass(frozen=True, slots=True)
class _Point:
    """One line of the checklist, the group of the profile that it leads back to, and whether it may fail the part."""

    aspect: Aspect
    group: str
    must: bool = True


CHECKLIST: tuple[_Point, ...] = (
    _Point(Aspect("stand", "Fences, digits", ("none stand", "the thickest stand", "half of them", "nearly all",
                                              "all stand, sharp"), "Thin walls and raised digits: straight and whole?"),
           "exposure"),
    _Point(Aspect("open", "Slots, sunk digits", ("all closed", "the widest open", "half of them", "nearly all",
                                                 "all open, crisp"), "Hold the slots against the light."), "exposure"),
    _Point(Aspect("supports", "Slab on tips", ("torn off", "hangs askew", "tips bent", "held, not quite level",
                                               "held, level"), "The slab at the right: do its tips hold it?"), "lift"),
    _Point(Aspect("fit", "Plug in its socket", ("will not go in, or falls out", "only by force, or loose",
                                                "tight, or with play", "goes in, holds a little",
                                                "goes in by hand and holds"), "Break the plug off and press it in."),
           "fit", must=False),
    _Point(Aspect("sticks", "Held to the plate", ("fell off", "hung by a corner", "came off at a touch", "held",
                                                  "held firmly"), "Before you took it off: all round?"), "bottom"),
    _Point(Aspect("clean", "Came off clean", ("chisel, and it broke", "chisel, wide flare", "pried off, some flare",
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
        screen, numbers = screen_of(context), context.profile.numbers()

        def snap(mm: float) -> float:
            return on_pixels(mm, screen.pixels[0], screen.pixel_mm)

        return boathouse.boathouse(
            f"{numbers['exposure_s']:.2f}", self._base_mm(context), numbers.get("tip_mm", USUAL_TIP_MM), snap,
            screen.pixel_mm,
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
        return ToRead(aspects=tuple(point.aspect for point in CHECKLIST), measures=leaves.MEASURES)

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """Good where nothing fails, nearly all is as it should be and the light is right; else what to go back to."""
        scores = {point.aspect.key: readings.score(point.aspect.key, 0) for point in CHECKLIST}
        missing = sum(score is None for score in scores.values())
        if missing:
            return Result("few", says=f"{missing} of {len(CHECKLIST)} points are open.")
        found, told = leaves.wanted(readings, [0.0]), leaves.difference_mm(readings, 0)
        if found is None or told is None:
            return Result("few", says="Measure the leaves and the block.")
        if slip := leaves.slip(readings, self.steps(plan)):
            return Result("few", says=slip)
        given = np.array([score for score in scores.values() if score is not None], float)
        percent = 25 * float(given.mean())
        error = 25 * math.hypot(LOOK_SD, BIAS_SD) / math.sqrt(len(given))
        poor = [point for point in CHECKLIST if point.must and (scores[point.aspect.key] or 0) < PASSABLE]
        off = found.beyond(math.log1p(OFF_PERCENT / 100)) > 0.5
        good = not poor and not off and percent >= GOOD_PERCENT
        weak = [p for p in CHECKLIST if (scores[p.aspect.key] or 0) < FINE]
        says = "It came out as it should: this profile is proven." if good else _says_why(poor, found, off)
        notes = [] if good else _back_to(weak, off)
        notes += [f"Not quite right: {_named(weak)}."] if good and weak else []
        spread = Spread("Leaves over block", "µm", 0, (("the leaves", round(1000 * told[0], 1), True),),
                        1000 * told[0], 1000 * leaves.SCATTER_MM)  # fmt: skip
        return Result(
            "good" if good else "edge", percent, error, percent, percent, says, tuple(notes), spreads=(spread,),
            also={"leaves_mm": told[0], "wants": found.wants},
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
        state = {s.group.key: s for s in sectors(context.profile)}[self.group]
        if state.known == Status.MEASURED:
            return None
        if state.known == Status.RECHECK:
            return f"{state.reason}; print the part once more."
        return "All that comes before it is known: one small part tells whether it holds together."

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


def _says_why(poor: Sequence[_Point], found: Leaves, off: bool) -> str:
    why = [_named(poor)] if poor else []
    if off:
        percent = leaves.in_percent(found.wants)
        why.append(f"the leaves want {abs(percent):.0f} % {'more' if percent > 0 else 'less'} light")
    return f"Not yet: {' and '.join(why)}." if why else "Not yet: too much of it is only passable."


def _named(points: Sequence[_Point]) -> str:
    return ", ".join(point.aspect.name.lower() for point in points)


def _back_to(weak: Sequence[_Point], off: bool) -> list[str]:
    """Which trials to go back to, in trial order."""
    groups = {point.group for point in weak} | ({"exposure"} if off else set())
    names = [group.name.lower() for group in GROUPS if group.key in groups]
    return [f"Go back to {', then '.join(names)}."] if names else []
