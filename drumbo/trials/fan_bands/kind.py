"""The cooling trial: plan, steps, piece, readings; its verdict is in `verdict.py`."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from drumbo.core.errors import InvalidInput
from drumbo.core.piece import Piece
from drumbo.core.profile import Value
from drumbo.core.toolpath import Override, Toolpath, settings_for
from drumbo.core.toolpath.pace import layer_times
from drumbo.trials.base import Context, Kind
from drumbo.trials.fan_bands import gantry
from drumbo.trials.fan_bands.plan import Plan
from drumbo.trials.fan_bands.verdict import verdict
from drumbo.trials.readings import Aspect, Readings, Step, ToRead
from drumbo.trials.result import Result
from drumbo.trials.toolkit.roads import check_bed, foot_mm, on_bed, usual_settings, whole_layers_mm
from drumbo.trials.toolkit.sweep import count_between, even_steps

FEWEST_STEPS, MOST_STEPS = 4, 11
FOOT_LAYERS = 4
LATE = 1.06
"""A layer may take so much longer than was asked for before the printer counts as too slow for it."""

ASPECTS: tuple[Aspect, ...] = (
    Aspect("bridge", "Bridges", ("hang in loops", "sag plainly", "sag a little", "almost flat", "flat, no sag"),
           "Both rungs from the front and from below, above all the long one."),
    Aspect("overhang", "Overhangs",
           ("collapsed or curled", "rough, droops", "uneven edge", "small flaws", "clean edge"),
           "The wing at the right: three overhangs, the steepest on top."),
    Aspect("tip", "Tip", ("a melted blob", "bent and thick", "soft edges", "almost sharp", "sharp, straight"),
           "The slim tip on the long rung: it stays soft where layers are quick and the fan is low."),
    Aspect("bond", "Bond", ("falls apart", "snaps at a touch", "snaps easily", "snaps with force", "will not part"),
           "Snap the head on the short rung off by hand."),
)  # fmt: skip


class Cooling(Kind[Plan]):
    """Fan share by band, least at the bottom."""

    slug = "fan-bands"
    plan_type = Plan
    title = "Cooling"
    sets = (
        "fan_percent", "fan_short_percent", "fan_bridge_percent", "fan_overhang_percent", "layer_time_min_s",
    )  # fmt: skip
    aspects = ASPECTS
    group = "cooling"
    layers_wait = False
    about = (
        "A light gantry whose bands are printed with ever more fan. Each has two bridges, three overhangs, a slim tip "
        "and a head to snap off: air helps the first three and costs bond, and the fit draws both."
    )

    def suggest(self, context: Context) -> Plan:
        """From no fan to all of it."""
        small = context.printer.height_mm < 70
        return Plan(
            low_percent=0.0,
            high_percent=100.0,
            step_percent=25.0 if small else 20.0,
            layer_s=10.0,
            step_mm=8.0,
            aim="balanced",
        )

    def quick(self, context: Context) -> Plan:
        """Five bands, as low as they may be."""
        return replace(self.suggest(context), step_percent=25.0, step_mm=6.5)

    def check(self, plan: Plan, context: Context) -> dict[str, str]:
        """Refuse what makes no curve or does not fit."""
        low, high = plan.low_percent, plan.high_percent
        if high <= low:
            raise InvalidInput("high_percent", f"must be above {low:g} %: the least is at the bottom; swap the two")
        least = (FEWEST_STEPS - 1) * 5
        if high - low < least:
            raise InvalidInput(
                "high_percent",
                f"must be {low + least:g} % or more, for {FEWEST_STEPS} bands"
                if low + least <= 100
                else f"leaves too narrow a range; begin at {100 - least} % or less",
            )
        count, printer = len(self.steps(plan)), context.printer
        if not FEWEST_STEPS <= count <= MOST_STEPS:
            fits = (high - low) / (FEWEST_STEPS - 1)
            raise InvalidInput(
                "step_percent", f"gives {count} bands; {FEWEST_STEPS} to {MOST_STEPS} will do: {fits:.0f} % or less"
            )
        check_bed("step_mm", printer, gantry.WIDTH + 20, gantry.DEPTH + 30)
        most = int((printer.height_mm - 4) // plan.step_mm)
        if count > most:
            raise InvalidInput("step_percent", f"gives {count} bands; {most} of {plan.step_mm:g} mm fit")
        return {}

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """Least fan first, as printed."""
        return even_steps(
            plan.low_percent, plan.step_percent, count_between(plan.low_percent, plan.high_percent, plan.step_percent)
        )

    def piece(self, plan: Plan, context: Context) -> Piece:
        """The gantry, its bands whole layers."""
        settings = usual_settings(context)
        foot = foot_mm(settings, FOOT_LAYERS)
        return gantry.gantry(self.steps(plan), whole_layers_mm(plan.step_mm, settings), foot)

    def roads(self, plan: Plan, context: Context, piece: Piece) -> Toolpath:
        """Every band with its own fan and nothing else of the profile's cooling; no layer quicker than planned.

        InvalidInput where the printer cannot be as quick as that.
        """
        printer, asked = context.printer, plan.layer_s
        settings = replace(
            settings_for(context.profile.numbers(), printer),
            fan_short=0.0, fan_bridge=0.0, fan_overhang=0.0, layer_time_min_s=asked, speed_floor=5.0,
        )  # fmt: skip
        path = on_bed(
            piece.solid,
            context,
            settings,
            overrides=[Override(p.low[2], label=f"{p.label} %", fan=p.value / 100) for p in piece.places],
        )
        usual = float(np.median(layer_times(path)[FOOT_LAYERS:]))
        if usual > LATE * asked:
            needs = int(usual) + 1
            raise InvalidInput("layer_s", f"is too short: {printer.name} needs {needs} s for a layer of this piece")
        return path

    def readings(self, plan: Plan) -> ToRead:
        """Bridges, slopes, tip, bond."""
        del plan
        return ToRead(aspects=self.aspects)

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """The best fan for the aim, and what bridges, slopes and short layers need; see `verdict`."""
        return verdict(plan, self.steps(plan), ASPECTS, readings)

    def changes(self, plan: Plan, result: Result, context: Context, trial: int) -> dict[str, Value]:
        """The fan of normal layers, and whatever else was found, to 5 %; the layer time where tips came out clean."""
        del plan, context
        if result.value is None:
            return {}
        origin = self.origin(trial)
        values = {"fan_percent": Value(_to_five(result.value), origin, result.error)}
        for key, found in (result.also or {}).items():
            values[key] = Value(found if key == "layer_time_min_s" else _to_five(found), origin)
        return values

    def overrides(self, plan: Plan) -> dict[str, str]:
        """Fan by band and the layer time; no other rule of cooling holds."""
        steps = self.steps(plan)
        fan = f"{steps[0].label} to {steps[-1].label}"
        return {"fan_percent": fan, "fan_bridge_percent": "as the band", "fan_overhang_percent": "as the band",
                "layer_time_min_s": f"{plan.layer_s:g}"}  # fmt: skip

    def in_words(self, plan: Plan) -> str:
        """From the bottom up."""
        steps = self.steps(plan)
        return (
            f"{len(steps)} bands, {steps[0].label} % at the bottom to {steps[-1].label} % at the top, "
            f"{plan.layer_s:g} s a layer or more."
        )


def _to_five(percent: float) -> float:
    return float(min(max(5 * round(percent / 5), 0), 100))
