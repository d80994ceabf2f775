"""The temperature trial: plan, steps, piece, readings; its verdict is in `verdict.py`."""

from __future__ import annotations

import math
from dataclasses import replace

from drumbo.core.errors import InvalidInput
from drumbo.core.piece import Piece
from drumbo.core.printer import Printer
from drumbo.core.profile import Value
from drumbo.core.toolpath import Override, Toolpath
from drumbo.trials.base import Context, Kind
from drumbo.trials.plan import Bounds
from drumbo.trials.readings import Aspect, Readings, Step, ToRead
from drumbo.trials.result import Result
from drumbo.trials.temperature import ladder
from drumbo.trials.temperature.plan import Plan
from drumbo.trials.temperature.verdict import verdict
from drumbo.trials.toolkit.roads import check_bed, foot_mm, on_bed, usual_settings, whole_layers_mm
from drumbo.trials.toolkit.sweep import around, count_between, even_steps

MOST_STEPS, FEWEST_STEPS, FOOT_LAYERS = 15, 3, 3
HOT_FIRST_C = 20.0
"""So much above the hottest step a first layer is hardly meant to be."""
QUICK_STEPS, QUICK_STEP_C = 5, 8
"""A tower of so few and wide steps about the profile's temperature says as much as one of nine of 5 °C."""

ASPECTS: tuple[Aspect, ...] = (
    Aspect("bridge", "Bridge", ("hangs in loops", "sags plainly", "sags a little", "almost flat", "flat, no sag"),
           "The rung's underside, from the front and from below."),
    Aspect("overhang", "Overhang", ("collapsed or curled", "rough, droops", "uneven edge", "small flaws", "clean edge"),
           "The wing at the right: its mild and its steep overhang."),
    Aspect("strings", "Strings", ("a web", "many threads", "some threads", "a few wisps", "none"),
           "Between the needles, and from post to mast."),
    Aspect("surface", "Surface", ("gaps or burnt", "patchy", "uneven sheen", "even, slightly dull", "even and closed"),
           "The plain face of the slim mast."),
    Aspect("bond", "Bond", ("falls apart", "snaps at a touch", "snaps easily", "snaps with force", "will not part"),
           "Snap the post at the left off by hand."),
)  # fmt: skip


class Temperature(Kind[Plan]):
    """Nozzle temperature by a stepped ladder, hottest at the bottom."""

    slug = "temperature"
    plan_type = Plan
    title = "Temperature tower"
    sets = ("nozzle_c", "nozzle_first_c")
    aspects = ASPECTS
    group = "heat"
    layers_wait = False
    about = (
        "One ladder, printed hottest at the bottom and cooler with every step. Each step has a bridge, overhangs, "
        "needles, a plain face and a post to snap; its temperature stands on it in digits."
    )

    def bounds(self, context: Context) -> dict[str, Bounds]:
        """As far as the printer goes."""
        top = context.printer.nozzle_max_c
        return {
            "hot_c": Bounds(high=top, help=f"{context.printer.name} may run up to {top:g} °C."),
            "cold_c": Bounds(high=top),
            "first_c": Bounds(high=top),
        }

    def suggest(self, context: Context) -> Plan:
        """The label's range in steps of 5 °C, as far as the printer goes."""
        material, printer = context.material, context.printer
        hot = math.floor(min(material.nozzle_high_c, printer.nozzle_max_c) / 5) * 5
        cold = max(math.ceil(material.nozzle_low_c / 5) * 5, hot - 5 * (MOST_STEPS - 1))
        cold = min(cold, hot - 5 * (FEWEST_STEPS - 1))
        return Plan(
            hot_c=float(hot),
            cold_c=float(cold),
            step_c=5.0,
            step_mm=10.0,
            first_c=min(context.profile.number("nozzle_first_c"), printer.nozzle_max_c),
            aim="balanced",
        )

    def quick(self, context: Context) -> Plan:
        """Five wide steps about where the profile begins; three where earlier spools lay close together."""
        known = around(context.before.get("nozzle_c"), QUICK_STEP_C, FEWEST_STEPS, QUICK_STEPS)
        middle, steps = known or (context.profile.number("nozzle_c"), QUICK_STEPS)
        hot = min(round(middle) + steps // 2 * QUICK_STEP_C, math.floor(context.printer.nozzle_max_c))
        cold = max(hot - (steps - 1) * QUICK_STEP_C, 150)
        return replace(
            self.suggest(context), hot_c=float(hot), cold_c=float(cold), step_c=float(QUICK_STEP_C), step_mm=7.0
        )

    def check(self, plan: Plan, context: Context) -> dict[str, str]:
        """Refuse what cannot be printed, with the numbers that would fit; warn of what is unusual."""
        hot, cold, step = plan.hot_c, plan.cold_c, plan.step_c
        if step <= 0:
            raise InvalidInput("step_c", "must be above 0 °C; 5 is usual")
        if hot <= cold:
            raise InvalidInput("cold_c", f"must be below {hot:g} °C: the hottest step is at the bottom; swap the two")
        count = _count(plan)
        if count < FEWEST_STEPS:
            raise InvalidInput(
                "step_c",
                f"gives {count} steps; a curve needs {FEWEST_STEPS}: {(hot - cold) / 2:g} °C or less would do",
            )
        self._fits(plan, context.printer, count)
        return self._warnings(plan, context)

    def _fits(self, plan: Plan, printer: Printer, count: int) -> None:
        wide, deep = ladder.size(plan.step_mm, count)
        check_bed("hot_c", printer, wide + 20, deep + 30, f"the piece is {wide:.0f} × {deep:.0f} mm and needs")
        step_mm = plan.step_mm
        room = printer.height_mm - 5 - 1
        most = min(int(room // step_mm), MOST_STEPS)
        if count > most:
            span = plan.hot_c - plan.cold_c
            wider = math.ceil(span / (most - 1)) if most > 1 else 0
            fits = f"{most} steps of {step_mm:g} mm fit"
            remedy = f"a step of {wider} °C, or a range of {(most - 1) * plan.step_c:g} °C, would do"
            raise InvalidInput("step_c", f"gives {count} steps, {count * step_mm:g} mm high; {fits}: {remedy}")

    def _warnings(self, plan: Plan, context: Context) -> dict[str, str]:
        material = context.material
        warnings = {}
        if plan.hot_c > material.nozzle_high_c:
            warnings["hot_c"] = f"the label says no more than {material.nozzle_high_c:g} °C"
        if plan.cold_c < material.nozzle_low_c - 15:
            warnings["cold_c"] = f"far below the label's {material.nozzle_low_c:g} °C: the drive may grind"
        if plan.step_c < 3:
            warnings["step_c"] = "neighbouring steps will look alike; 5 °C shows more in one print"
        if plan.first_c > plan.hot_c + HOT_FIRST_C:
            warnings["first_c"] = f"{plan.first_c - plan.hot_c:g} °C above the hottest step; 5 to 10 are usual"
        bed = context.profile.number("bed_c")
        if bed > context.printer.bed_max_c:
            warnings["first_c"] = f"the profile's bed of {bed:g} °C is above what {context.printer.name} may run"
        return warnings

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """Hottest first, as printed."""
        return even_steps(plan.hot_c, -plan.step_c, _count(plan))

    def piece(self, plan: Plan, context: Context) -> Piece:
        """The ladder; heights are rounded to whole layers so that steps begin between two of them."""
        settings = usual_settings(context)
        foot = foot_mm(settings, FOOT_LAYERS)
        values = tuple(step.value for step in self.steps(plan))
        return ladder.ladder(values, whole_layers_mm(plan.step_mm, settings), foot)

    def roads(self, plan: Plan, context: Context, piece: Piece) -> Toolpath:
        """The ladder's roads, with the nozzle set anew where a step begins."""
        return on_bed(
            piece.solid,
            context,
            overrides=[Override(p.low[2], p.value, f"{p.label} °C") for p in piece.places],
        )

    def readings(self, plan: Plan) -> ToRead:
        """The five aspects."""
        del plan
        return ToRead(aspects=self.aspects)

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """Best temperature with its error; see `verdict`."""
        return verdict(plan, self.steps(plan), ASPECTS, readings)

    def changes(self, plan: Plan, result: Result, context: Context, trial: int) -> dict[str, Value]:
        """Other layers take the result; the first layer keeps its distance above, within what the printer may run."""
        if result.value is None:
            return {}
        best = float(round(result.value))
        profile = context.profile
        lead = profile.number("nozzle_first_c") - profile.number("nozzle_c")
        lead = min(max(lead, 0.0), 10.0)
        first = min(best + lead, context.printer.nozzle_max_c)
        origin = self.origin(trial)
        follows = self.origin(trial, f"same tower, +{lead:g}" if lead else "same tower")
        return {"nozzle_c": Value(best, origin, result.error), "nozzle_first_c": Value(first, follows)}

    def first_layer_c(self, plan: Plan, context: Context) -> float:
        """As planned."""
        del context
        return plan.first_c


def _count(plan: Plan) -> int:
    return count_between(plan.hot_c, plan.cold_c, plan.step_c)
