"""The bond trial of two materials."""

from __future__ import annotations

import math
from dataclasses import fields, replace
from typing import Any

import numpy as np

from drumbo.core.errors import InvalidInput
from drumbo.core.pair import SECOND
from drumbo.core.piece import Piece
from drumbo.core.sure import half_90
from drumbo.core.toolpath import Override, PrintSettings, Toolpath, Zone
from drumbo.trials.base import Context
from drumbo.trials.bond_of_two import row
from drumbo.trials.bond_of_two.plan import FEWEST, MOST, Plan
from drumbo.trials.readings import Aspect, Readings, Step, ToRead
from drumbo.trials.result import MORE, Result
from drumbo.trials.toolkit.of_two import KindOfTwo
from drumbo.trials.toolkit.rising import Rise, rise
from drumbo.trials.toolkit.roads import FAR, check_bed, on_bed, usual_settings
from drumbo.trials.toolkit.sweep import count_between, even_steps
from drumbo.trials.toolkit.verdict import SPLIT_MISFIT, contradict, few
from drumbo.trials.toolkit.wider import holding

JOINT_LAYERS = 2
"""So many layers of the second material are laid at the joint's own temperature."""
BREAKS_FIRST = 3.5
"""The score from which on the material breaks rather than the joint."""
LEAST_ERROR_C = 1.5
HARDLY = 1
ASPECTS = (
    Aspect(
        "joint",
        "Joint",
        (
            "it came off by itself",
            "it comes off with two fingers",
            "it takes force, and parts clean at the joint",
            "it parts at the joint and takes some of the other along",
            "a peg or a stub breaks, the joint holds",
        ),
        "Bend each peg over with pliers, or pull it with a loop and a luggage scale, always the same way.",
    ),
)


class BondOfTwo(KindOfTwo[Plan]):
    """Pegs of the second material on stubs of the first, each joined at its own temperature."""

    slug = "bond-of-two"
    plan_type = Plan
    title = "Bond of two"
    sets = ("joint_c",)
    aspects = ASPECTS
    group = "heat"
    asks_at = "hot_c"
    called = "pegs"
    ends = ("at the left", "at the right")
    about = (
        "Pegs of the second material stand on stubs of the first, and each was joined at its own temperature. Bend "
        "them all over: from one temperature on the plastic breaks and the joint holds. Or none holds, and the two are "
        "better locked by shape."
    )
    few = "Break at least three pegs and score how each came off."

    def suggest(self, context: Context) -> Plan:
        """From the cool end of the second label's range to a little above the hotter one's."""
        low, high = 200.0, 240.0
        if context.other is not None:
            material = context.other.material
            low, high = material.nozzle_low_c, material.nozzle_high_c + 10
        high = min(high, context.printer.nozzle_max_c)
        step = float(max(3, math.ceil((high - low) / 6)))
        return Plan(cold_c=float(round(low)), hot_c=float(round(high)), step_c=step, joint_fan_percent=0.0)

    def check(self, plan: Plan, context: Context) -> dict[str, str]:
        """Refuse what the printer cannot do, and too few or too many pegs."""
        label = self.partner(context).material
        if plan.hot_c > context.printer.nozzle_max_c:
            raise InvalidInput(
                "hot_c", f"is more than the {context.printer.nozzle_max_c:g} °C that the printer may run"
            )
        if plan.hot_c <= plan.cold_c:
            raise InvalidInput("hot_c", f"must be above {plan.cold_c:g} °C, the coolest joint")
        count = len(self.steps(plan))
        if not FEWEST <= count <= MOST:
            raise InvalidInput("step_c", f"makes {count} pegs; {FEWEST} to {MOST} can be told apart")
        wide, deep = row.size(count)
        check_bed("step_c", context.printer, wide + 8, deep + 8)
        if plan.hot_c > label.nozzle_high_c + 15:
            return {"hot_c": f"the label says no more than {label.nozzle_high_c:g} °C"}
        return {}

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """Coolest first."""
        return even_steps(plan.cold_c, plan.step_c, count_between(plan.cold_c, plan.hot_c, plan.step_c))

    def piece(self, plan: Plan, context: Context) -> Piece:
        """The row of pegs."""
        settings = usual_settings(context)
        return row.row(self.steps(plan), settings.first_layer_mm, settings.layer_mm)

    def roads(self, plan: Plan, context: Context, piece: Piece) -> Toolpath:
        """Stubs as the first prints, pegs as the second; the first layers of each peg at its own temperature."""
        first = replace(usual_settings(context), infill=1.0)
        second = self._second(first, context)
        joint, layer = row.joint_z(first.first_layer_mm, first.layer_mm), first.layer_mm
        quiet = {**second, "fan": plan.joint_fan_percent / 100, "fan_short": 0.0, "fan_bridge": 0.0}
        above = joint + JOINT_LAYERS * layer
        zones = [
            Zone(place.low, (place.high[0], place.high[1], above), quiet, place.label, nozzle_c=place.value)
            for place in piece.places
        ]
        zones.append(Zone((-FAR, -FAR, above), (FAR, FAR, FAR), second, "second"))
        fan = plan.joint_fan_percent / 100
        overrides = [
            self.change(context, joint, SECOND, "joint", fan=fan),
            Override(above, self.partner(context).number("nozzle_c"), "second", fan=second["fan"], waits=True),
        ]
        return on_bed(piece.solid, context, first, zones=zones, overrides=overrides)

    def _second(self, first: PrintSettings, context: Context) -> dict[str, Any]:
        """The second material's settings, in the layers of the first."""
        its = self.second_settings(context)
        shared = {"layer_mm", "first_layer_mm", "raise_mm", "width_mm", "outer_width_mm", "infill", "walls"}
        return {each.name: getattr(first if each.name in shared else its, each.name) for each in fields(PrintSettings)}

    def change_layers(self, plan: Plan, context: Context) -> tuple[int, ...]:
        """Before the pegs."""
        del plan
        settings = usual_settings(context)
        joint = row.joint_z(settings.first_layer_mm, settings.layer_mm)
        return (round((joint - settings.first_layer_mm) / settings.layer_mm) + 2,)

    def readings(self, plan: Plan) -> ToRead:
        """How each came off."""
        del plan
        return ToRead(aspects=self.aspects)

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """From all pegs together to where the material breaks before the joint."""
        steps = self.steps(plan)
        scores = readings.column(ASPECTS[0].key, steps)
        tried = int(np.isfinite(scores).sum())
        if tried < 3:
            return few(tried, "peg", verb="Break")
        found = rise(steps, scores, readings.leaning)
        if np.nanmax(scores) <= HARDLY:
            return Result("flat", says="It does not bond at any of these: lock the two by shape.", curve=found.curve)
        return self._told(plan, found)

    def _told(self, plan: Plan, found: Rise) -> Result:
        value, spread = found.reached(BREAKS_FIRST, plan.step_c)
        error = holding(self.slug, max(spread, LEAST_ERROR_C))
        state, extend, says = "good", None, f"From {value:.0f} °C on the plastic breaks before the joint."
        if found.found.misfit > SPLIT_MISFIT:
            state, says = "split", contradict("pegs")
        elif value > found.high:
            state, says = "edge", "Even the hottest joint parts before the plastic breaks."
            extend = replace(plan, cold_c=plan.hot_c - plan.step_c, hot_c=plan.hot_c + 4 * plan.step_c).to_json()
        elif value < found.low:
            says = f"All of these hold: even at {found.low:.0f} °C the plastic breaks before the joint."
        return Result(
            state, value, error, value - half_90(error), value + half_90(error), says, (), found.curve,
            extend=extend,
            extend_says="Plan hotter joints",
            beyond=MORE if state == "edge" else "",
        )  # fmt: skip

    def overrides(self, plan: Plan) -> dict[str, str]:
        """Each material keeps its own."""
        return {"nozzle_c": f"{plan.cold_c:g} to {plan.hot_c:g} at the joint"}

    def instructions(self, plan: Plan, context: Context) -> str:
        """One change, purged clean."""
        del plan
        if context.other is None:
            return ""
        if context.printer.by_feeder:
            return self.loading(context) + "It changes once, where the two meet, and must purge clean there."
        if context.printer.by_nozzles:
            return self.loading(context) + "It changes once, where the two meet, and must prime the other nozzle there."
        return f"It pauses once, where the two meet: change to {context.other.name} there, purged until it is clean."
