"""The proof: plan, piece, checklist and the verdict."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from drumbo.core.errors import InvalidInput
from drumbo.core.fields import Scalar
from drumbo.core.piece import Piece
from drumbo.core.profile import Value
from drumbo.core.toolpath import Toolpath, settings_for
from drumbo.trials.base import Context, Kind
from drumbo.trials.pictures import Spread
from drumbo.trials.plan import TrialPlan
from drumbo.trials.proof_part import trestle
from drumbo.trials.readings import Aspect, Measure, Readings, Site, Step, ToRead
from drumbo.trials.result import Result
from drumbo.trials.toolkit.checklist import ONCE, Point, ask_looked, judged, open_points, wanted, with_looked
from drumbo.trials.toolkit.roads import on_bed

GOOD_PERCENT = 65.0
SIZES = {"x": trestle.LONG, "y": trestle.BROAD}
TRUE_MM = 0.15
"""How far a size may be from what was meant."""


CHECKLIST: tuple[Point, ...] = (
    Point(Aspect("bridge", "Bridge", ("hangs in loops", "sags plainly", "sags a little", "almost flat",
                                       "flat, no sag"), "The deck's underside between the legs."), "cooling"),
    Point(Aspect("overhang", "Overhang", ("collapsed or curled", "rough, droops", "uneven edge", "small flaws",
                                        "clean edge"), "The wing at the right, from below."), "cooling"),
    Point(Aspect("tip", "Tips", ("melted blobs", "bent and thick", "soft edges", "almost sharp", "sharp, straight"),
                  "The two slim tips on the deck's right end."), "cooling"),
    Point(Aspect("strings", "Strings", ("a web", "many threads", "some threads", "a few wisps", "none"),
                  "Between the tips and the tall post."), "retraction"),
    Point(Aspect("gaps", "Top closed", ("open lines", "many pin-holes", "some pin-holes", "a few", "closed"),
                  "The deck's top around the digits: look through it against the light."), "flow"),
    Point(Aspect("ridges", "Top flat", ("plough marks", "plain ridges", "felt with a nail", "just felt", "flat"),
                  "The deck's top: draw a fingernail over it."), "flow"),
    Point(Aspect("corners", "Corners", ("blobs or thin", "bulge plainly", "bulge a little", "just seen", "true"),
                  "The square corners of plate and legs."), "pressure", must=False),
    Point(Aspect("surface", "Walls", ("gaps or burnt", "patchy", "uneven sheen", "even, slightly dull", "even"),
                  "All plain faces, and the thin wall with its window."), "heat"),
    Point(Aspect("bond", "Bond", ("falls apart", "splits at a touch", "splits easily", "holds well", "will not part"),
                  "Bend the thin wall, press the wing down by hand."), "heat"),
)  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(TrialPlan):
    """Nothing to choose before it is printed: the profile prints it."""

    looked: str = ask_looked()


class Proof(Kind[Plan]):
    """A small real part as the profile prints it."""

    slug = "proof-part"
    version = 2
    plan_type = Plan
    title = "Proof"
    sets = ("proof_percent",)
    aspects = tuple(point.aspect for point in CHECKLIST)
    group = "proof"
    layers_wait = False
    step_unit = ""
    about = (
        "A small part that asks for everything at once: a bridge, an overhang, slim tips a long travel apart, a closed "
        "top with digits, sharp corners, a bore, a thin wall. It is printed as the profile says; nothing is overridden."
    )
    few = "Go down the list: how did each come out?"

    def suggest(self, context: Context) -> Plan:
        """The digits on its deck."""
        del context
        return Plan(looked=ONCE)

    def lift(self, version: int, plan: Mapping[str, Scalar]) -> Mapping[str, Scalar]:
        """Version 1 did not ask to look again."""
        return with_looked(plan) if version < 2 else plan

    def check(self, plan: Plan, context: Context) -> dict[str, str]:
        """Refuse a bed that is too small."""
        del plan
        why_not = self.hindered(context)
        if why_not:
            raise InvalidInput("bed", why_not)
        return {}

    def hindered(self, context: Context) -> str | None:
        """A bed that is too small."""
        wide, deep = trestle.WIDTH + 30, trestle.DEPTH + 40
        if context.printer.bed_x_mm >= wide and context.printer.bed_y_mm >= deep:
            return None
        return f"the part needs a bed of {wide:.0f} × {deep:.0f} mm; prove the profile on another printer"

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """The part as a whole."""
        del plan
        return (Step(0, 0.0, "the part"),)

    def piece(self, plan: Plan, context: Context) -> Piece:
        """The trestle with the profile's temperature on it."""
        del plan
        made = trestle.trestle(f"{context.profile.number('nozzle_c'):.0f}")
        return replace(made, places=(replace(made.places[0], label="the part"),))

    def roads(self, plan: Plan, context: Context, piece: Piece) -> Toolpath:
        """As the profile prints, sizes made up for: larger by what shrinks, outlines drawn in by half the offset."""
        del plan
        numbers = context.profile.numbers()
        settings = replace(settings_for(numbers, context.printer), outline_mm=-numbers.get("offset_mm", 0.0) / 2)
        larger = 1 / (1 - numbers.get("shrinkage_percent", 0.0) / 100)
        return on_bed(piece.solid.scale((larger, larger, 1.0)), context, settings,
        )  # fmt: skip

    def readings(self, plan: Plan) -> ToRead:
        """The checklist, and two sizes."""
        del plan
        sites = (Site("x", f"along X, meant {SIZES['x']:g}"), Site("y", f"along Y, meant {SIZES['y']:g}"))
        size = Measure("size", "Size", "mm", sites, 10, 60, 2, "calliper", "Of the plate, at its square end.")
        return ToRead(aspects=self.aspects, measures=(size,))

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """Good where nothing fails and nearly all is as it should be; else what to look at again or to go back to."""
        missing = open_points(CHECKLIST, readings)
        if missing:
            return Result("few", says=f"{missing} of {len(CHECKLIST)} points are open.")
        wrong = _wrong_sizes(readings)
        part = judged(CHECKLIST, readings, GOOD_PERCENT, wrong, ("size",) if wrong else (), looked=plan.looked)
        return Result(
            "good" if part.good else "edge", part.percent, part.error, part.percent, part.percent, part.says,
            part.notes, spreads=_spreads(readings),
        )  # fmt: skip

    def keeps(self, result: Result) -> bool:
        """Only a good part proves a profile."""
        return result.state == "good"

    def changes(self, plan: Plan, result: Result, context: Context, trial: int) -> dict[str, Value]:
        """How much came out well."""
        del plan, context
        if result.value is None or not self.keeps(result):
            return {}
        origin = self.origin(trial, "proof")
        return {self.sets[0]: Value(float(round(result.value)), origin, result.error)}

    def overrides(self, plan: Plan) -> dict[str, str]:
        """Nothing at all."""
        del plan
        return {}

    def wants(self, context: Context) -> str | None:
        """Once the rest is measured or set, or what it proved has changed."""
        return None if self.hindered(context) else wanted(context.profile, self.group)

    def in_words(self, plan: Plan) -> str:
        """What it is."""
        del plan
        return f"One part of {trestle.LONG:g} × {trestle.BROAD:g} mm, {len(CHECKLIST)} points to look at and two sizes."


def _wrong_sizes(readings: Readings) -> list[str]:
    wrong = []
    for site, meant in SIZES.items():
        found = readings.measured("size", 0, site)
        if found is not None and abs(found - meant) > TRUE_MM:
            wrong.append(
                f"{abs(found - meant):.2f} mm too {'large' if found > meant else 'small'} along {site.upper()}"
            )
    return wrong


def _spreads(readings: Readings) -> tuple[Spread, ...]:
    """How far the sizes that were measured are off."""
    off = [
        (s.upper(), v - meant, True) for s, meant in SIZES.items() if (v := readings.measured("size", 0, s)) is not None
    ]
    if not off:
        return ()
    points = tuple((where, round(value, 2), kept) for where, value, kept in off)
    mean = float(np.mean([value for _, value, _ in off]))
    return (Spread("How far sizes are off", "mm", 2, points, mean, 0.02 / math.sqrt(len(off)), 0.0),)
