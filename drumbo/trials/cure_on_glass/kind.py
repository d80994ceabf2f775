"""The working curve: plan, skins, readings and verdict."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from drumbo.core.errors import InvalidInput
from drumbo.core.light.job import LayerJob, on_glass
from drumbo.core.piece import Piece
from drumbo.core.profile import Value
from drumbo.trials.cure_on_glass import skins
from drumbo.trials.cure_on_glass.plan import FEWEST, Plan
from drumbo.trials.cure_on_glass.verdict import verdict
from drumbo.trials.readings import Measure, Readings, Site, Step, ToRead
from drumbo.trials.result import Result
from drumbo.trials.toolkit.layered import LayerKind, ResinContext, as_many, check_room, screen_of

LEAST_RATIO = 2.5
"""Longest over shortest light: less tells no slope."""


class WorkingCurveTrial(LayerKind[Plan]):
    """Penetration depth and critical light from skins on glass."""

    slug = "cure-on-glass"
    plan_type = Plan
    title = "Working curve"
    sets = ("penetration_um", "critical_s", "critical_mj_cm2")
    group = "light"
    step_unit = "s"
    about = (
        "Patches of resin on a pane of glass, lit for different times. How thick each skin has set tells how deep "
        "light reaches into this resin and from when on it sets at all: with both, the exposure for any layer height "
        "follows."
    )
    few = "Rinse the skins, close the jaws on the half without digits: type a number and Enter, the next field waits."

    def suggest(self, context: ResinContext) -> Plan:
        """From a little below the profile's exposure to six times as much."""
        exposure = context.profile.number("exposure_s")
        return Plan(
            shortest_s=round(max(exposure * 0.9, 0.3), 1),
            longest_s=float(max(round(exposure * 6.5), 2)),
            patches=max(as_many(context, 7, skins.PITCH, skins.WIDE), FEWEST),
            rows=2,
            layer_um=context.profile.number("layer_um"),
            overcure_percent=50.0,
            intensity_mw_cm2=context.printer.intensity_mw_cm2,
            power_percent=context.profile.number("power_percent"),
        )

    def check(self, plan: Plan, context: ResinContext) -> dict[str, str]:
        """Refuse times that tell no slope, and skins that have no room."""
        shortest, longest = plan.shortest_s, plan.longest_s
        if longest < LEAST_RATIO * shortest:
            raise InvalidInput(
                "longest_s", f"must be at least {LEAST_RATIO * shortest:.1f} s: the skins would be alike"
            )
        count = plan.patches
        if len({step.label for step in self.steps(plan)}) < count:
            raise InvalidInput("patches", "are too many for so little a range: two would have the same time")
        check_room(context, "patches", *skins.size(count, plan.rows), 1.0)
        warnings = {}
        if plan.rows < 2:
            warnings["rows"] = "with one skin of each, a torn one cannot be told from a thin one"
        return warnings

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """Times that grow by the same share, in tenths of a second where they are short."""
        shortest, longest = plan.shortest_s, plan.longest_s
        times = np.geomspace(shortest, longest, plan.patches)
        rounded = [round(float(t), 1) if t < 10 else float(round(t)) for t in times]
        return tuple(Step(i, t, f"{t:g}") for i, t in enumerate(rounded))

    def piece(self, plan: Plan, context: ResinContext) -> Piece:
        """All skins."""
        del context
        return skins.skins(self.steps(plan), plan.rows)

    def job(self, plan: Plan, context: ResinContext, title: Sequence[str]) -> LayerJob:
        """All patches lit together, those that want more stay lit."""
        steps, rows = self.steps(plan), plan.rows
        laid = skins.middles(len(steps), rows)
        patches = [(skins.patch(step.label, row[step.index]), step.value) for row in laid for step in steps]
        apart = context.printer.lights_apart == "yes"
        return on_glass(patches, plan.power_percent / 100, screen_of(context), apart=apart, title=title)

    def readings(self, plan: Plan) -> ToRead:
        """Every skin once."""
        sites = tuple(Site(key, f"{key} row") for key in skins.row_names(plan.rows))
        how = "Rinse it, lay it flat, close the jaws gently on the half without digits."
        return ToRead(measures=(Measure("skin", "Skin", "mm", sites, 0.01, 3.0, 3, "skin", how),))

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """A straight line over the logarithm of the light."""
        rows = [(site.key, site.name) for site in self.readings(plan).measures[0].sites]
        return verdict(plan, self.steps(plan), rows, readings)

    def changes(self, plan: Plan, result: Result, context: ResinContext, trial: int) -> dict[str, Value]:
        """Penetration depth and critical light; the exposure itself stays as it is."""
        if result.value is None or result.error is None or result.also is None:
            return {}
        origin = self.origin(trial)
        at, share = result.also["critical_s"], result.also["critical_log_error"]
        new = {
            "penetration_um": Value(round(result.value), origin, result.error),
            "critical_s": Value(round(at, 2), origin, at * share),
        }
        energy = result.also.get("critical_mj_cm2")
        if energy is not None:
            new["critical_mj_cm2"] = Value(round(energy, 1), origin, energy * share)
        return new

    def overrides(self, plan: Plan) -> dict[str, str]:
        """Light alone; nothing is lifted."""
        steps = self.steps(plan)
        return {"exposure_s": f"{steps[0].label} to {steps[-1].label}"}

    def in_words(self, plan: Plan) -> str:
        """Times and rows."""
        steps, rows = self.steps(plan), plan.rows
        each = {1: "one skin", 2: "two skins", 3: "three skins"}[rows]
        return f"{len(steps)} times from {steps[0].label} to {steps[-1].label} s, {each} of each."

    def instructions(self, plan: Plan, context: ResinContext) -> str:
        """Glass instead of a plate."""
        del plan
        words = (
            "Take the build plate off. Lay a clean pane of glass, thin enough for light to pass, on the film or over "
            "the screen, pour resin on it some 3 mm deep, and start. Then tip the resin off and rinse the skins on the "
            "glass."
        )
        if context.printer.lights_apart != "yes":
            words += f" {context.printer.name} takes one picture a layer: set all lifts to nothing for this one."
        return words

    def wants(self, context: ResinContext) -> str | None:
        """First of all for a new bottle; what carried over with another layer height holds there too."""
        held = context.profile.values.get(self.sets[0])
        return None if held is not None and not held.recheck else super().wants(context)
