"""The flow trial by surface: plan, steps, piece, readings; its verdict is in `verdict.py`."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace

from drumbo.core.errors import InvalidInput
from drumbo.core.fields import Scalar
from drumbo.core.piece import Piece
from drumbo.core.profile import OriginKind
from drumbo.core.sure import half_90
from drumbo.core.toolpath import PrintSettings, Toolpath, Zone
from drumbo.trials.base import Context, Kind
from drumbo.trials.flow_surface import strip
from drumbo.trials.flow_surface.plan import (
    FEWEST_PADS,
    LEAST_PAD_MM,
    MOST_PADS,
    QUICK_BENEATH,
    QUICK_PAD_MM,
    USUAL_BENEATH,
    USUAL_PAD_MM,
    USUAL_PADS,
    Plan,
)
from drumbo.trials.flow_surface.verdict import COARSE_ERROR, fine_plan, verdict
from drumbo.trials.plan import Bounds
from drumbo.trials.readings import Aspect, Readings, Step, ToRead
from drumbo.trials.result import Result, check_known
from drumbo.trials.toolkit.looks import usual_looks, with_looks
from drumbo.trials.toolkit.roads import foot_mm, on_bed, usual_settings
from drumbo.trials.toolkit.sweep import around, even_steps

COARSE_REACH = 0.10
IN_FRONT_MM = 40.0
"""What stays free of the bed's depth, for purge line and skirt."""
QUICK_STEP, QUICK_PADS, FEWEST_QUICK = 0.015, 11, 7
"""One strip of so many narrow steps errs hardly more on average than a coarse and a fine one; fewer where earlier
spools say about where to look.
"""

ASPECTS: tuple[Aspect, ...] = (
    Aspect("gaps", "Gaps", ("wide open", "lines all over", "lines here and there", "a pin-hole or two", "closed"),
           "Gaps and pin-holes between the lines, against slanting light."),
    Aspect("ridges", "Ridges", ("dragged and scarred", "rough to the nail", "plain ridges", "just felt", "smooth"),
           "Draw a fingernail across the lines."),
)  # fmt: skip


class FlowSurface(Kind[Plan]):
    """Flow ratio by a strip of pads, least flow at the left."""

    slug = "flow-surface"
    plan_type = Plan
    version = 4
    title = "Flow by surface"
    sets = ("flow_ratio",)
    aspects = ASPECTS
    group = "flow"
    called = "pads"
    ends = ("at the left", "at the right")
    about = (
        "A strip of pads, each with its top printed at one flow ratio that lies before it in digits; beneath the tops "
        "all is the same. Too little flow leaves lines, too much raises ridges. First coarse, then fine."
    )
    few = "Score gaps and ridges of every pad, or pick the smoothest."

    def bounds(self, context: Context) -> dict[str, Bounds]:
        """As far as the printer goes."""
        most = self._most_pads(context)
        return {
            "low_ratio": Bounds(help=f"The profile prints at {context.profile.number('flow_ratio'):g} now."),
            "pads": Bounds(
                high=max(min(most, MOST_PADS), FEWEST_PADS),
                help=f"{context.printer.name} has room for {min(most, MOST_PADS)}.",
            ),
        }

    def _most_pads(self, context: Context) -> int:
        return int((context.printer.bed_x_mm - 8 - strip.width_mm(0)) // strip.PITCH)

    def suggest(self, context: Context) -> Plan:
        """Coarse around the profile's flow; fine around what a coarse strip has found."""
        pads = max(FEWEST_PADS, min(USUAL_PADS, self._most_pads(context)))
        pads -= 1 - pads % 2
        held = context.profile.values["flow_ratio"]
        if held.origin.kind == OriginKind.TRIAL and not held.recheck and held.error:
            return fine_plan(held.number, held.error, pads, usual_looks(context.material))
        step = 0.025 if pads == USUAL_PADS else round(COARSE_REACH / (pads // 2) / 0.005) * 0.005
        middle = round(held.number / 0.005) * 0.005
        return Plan(
            low_ratio=round(middle - pads // 2 * step, 4),
            step_ratio=round(step, 4),
            pads=pads,
            beneath=USUAL_BENEATH,
            pad_mm=USUAL_PAD_MM,
            known_ratio=None,
            known_error=None,
            looks=usual_looks(context.material),
        )

    def quick(self, context: Context) -> Plan:
        """One strip of smaller pads on a thinner foot; of fewer where earlier spools say about where to look."""
        plan = replace(self.suggest(context), beneath=QUICK_BENEATH)
        if plan.known_ratio is not None:
            return plan
        room = max(FEWEST_PADS, min(QUICK_PADS, self._most_pads(context)))
        usual = context.profile.number("flow_ratio"), room - 1 + room % 2
        about, pads = around(context.before.get("flow_ratio"), QUICK_STEP, FEWEST_QUICK, usual[1]) or usual
        low = round(about / 0.005) * 0.005 - pads // 2 * QUICK_STEP
        return replace(plan, low_ratio=round(low, 4), step_ratio=QUICK_STEP, pads=pads, pad_mm=QUICK_PAD_MM)

    def check(self, plan: Plan, context: Context) -> dict[str, str]:
        """Refuse what does not fit the bed, with what would; warn of what tells little."""
        low, step, pads = plan.low_ratio, plan.step_ratio, plan.pads
        if step <= 0:
            raise InvalidInput("step_ratio", "must be above 0; 0.025 is usual for a coarse strip")
        high = low + (pads - 1) * step
        if high > 1.6:
            raise InvalidInput("step_ratio", f"takes the last pad to {high:.3f}; at most 1.6 can be printed")
        room = self._most_pads(context)
        if pads > room:
            remedy = f"; {room} pads fit" if room >= FEWEST_PADS else ""
            raise InvalidInput("pads", f"needs a bed {strip.width_mm(pads) + 8:.0f} mm wide for {pads} pads{remedy}")
        longest = math.floor(context.printer.bed_y_mm - IN_FRONT_MM - strip.depth_mm(0))
        if plan.pad_mm > longest:
            deep = math.ceil(strip.depth_mm(plan.pad_mm) + IN_FRONT_MM)
            remedy = f"; {longest} mm would do" if longest >= LEAST_PAD_MM else ""
            raise InvalidInput("pad_mm", f"needs a bed {deep} mm deep{remedy}")
        check_known(plan, "known_ratio", "known_error")
        return self._warnings(plan, context, low, high, step)

    def _warnings(self, plan: Plan, context: Context, low: float, high: float, step: float) -> dict[str, str]:
        warnings = {}
        now = context.profile.number("flow_ratio")
        if not low - 1e-9 <= now <= high + 1e-9:
            warnings["low_ratio"] = f"the profile's {now:g} is not among {low:.3f} to {high:.3f}"
        if step < 0.004:
            warnings["step_ratio"] = "neighbouring pads will look alike; 0.005 is about what can be told apart"
        known = plan.known_ratio
        if known is not None and not low - step <= float(known) <= high + step:
            warnings["known_ratio"] = "lies outside of this strip"
        return warnings

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """Least flow first, as they lie from the left."""
        return even_steps(plan.low_ratio, plan.step_ratio, plan.pads, least=2)

    def piece(self, plan: Plan, context: Context) -> Piece:
        """The strip; the pad nearest to the profile's flow is notched."""
        settings = _settings(context)
        steps = self.steps(plan)
        now = context.profile.number("flow_ratio")
        nearest = min(steps, key=lambda step: abs(step.value - now))
        reach = plan.step_ratio / 2 + 1e-9
        notched = nearest.index if abs(nearest.value - now) <= reach else None
        values, labels = [step.value for step in steps], [step.label for step in steps]
        base, layer = foot_mm(settings, plan.beneath), settings.layer_mm
        return strip.strip(values, labels, base, layer, plan.pad_mm, notched)

    def roads(self, plan: Plan, context: Context, piece: Piece) -> Toolpath:
        """All as the profile has it, but every pad at its own flow."""
        del plan
        return on_bed(
            piece.solid,
            context,
            _settings(context),
            zones=[
                Zone(p.low, (*p.high[:2], p.high[2] + 1), {"flow_ratio": p.value, "flow_outer_share": 1.0}, p.label)
                for p in piece.places
            ],
        )

    def lift(self, version: int, plan: Mapping[str, Scalar]) -> Mapping[str, Scalar]:
        """Version 1 took every plastic for one that shows its faults; up to version 2 three layers were beneath. Up to
        version 3 all pads had one length.
        """
        lifted = with_looks(plan) if version < 2 else plan
        return {"beneath": USUAL_BENEATH, "pad_mm": USUAL_PAD_MM, **lifted} if version < 4 else lifted

    def readings(self, plan: Plan) -> ToRead:
        """Gaps and ridges; or the smoothest pad."""
        del plan
        return ToRead(aspects=self.aspects, pick="the smoothest pad")

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """Where the surface just closes; see `verdict`."""
        return verdict(plan, self.steps(plan), readings)

    def wants(self, context: Context) -> str | None:
        """Coarse where flow is not measured; fine where only a coarse strip has."""
        coarse = super().wants(context)
        held = context.profile.values["flow_ratio"]
        if coarse is None and held.error is not None and held.error > COARSE_ERROR:
            return f"So far flow is known to ± {half_90(held.error):.3f} only; a fine strip tells more."
        return coarse


def _settings(context: Context) -> PrintSettings:
    return usual_settings(context)
