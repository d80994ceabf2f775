"""The trial of pressure advance: plan, steps, piece, readings; its verdict is in `verdict.py`."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace

from drumbo.core.errors import InvalidInput
from drumbo.core.fields import Scalar
from drumbo.core.gcode.dialects import dialect
from drumbo.core.piece import Piece, union
from drumbo.core.profile import OriginKind
from drumbo.core.sure import half_90
from drumbo.core.toolpath import PrintSettings, RawPath, Role, Toolpath
from drumbo.trials.base import Context, Kind
from drumbo.trials.plan import Bounds
from drumbo.trials.pressure_advance import sheet
from drumbo.trials.pressure_advance.plan import FEWEST, MOST, USUAL, Plan
from drumbo.trials.pressure_advance.verdict import fine_plan, is_coarse, verdict
from drumbo.trials.readings import Aspect, Measure, Readings, Site, Step, ToRead
from drumbo.trials.result import Result, check_known
from drumbo.trials.toolkit.looks import usual_looks, with_looks
from drumbo.trials.toolkit.roads import foot_mm, on_bed, usual_settings
from drumbo.trials.toolkit.sweep import growing_steps

BASE_LAYERS, BAR_LINES = 2, 4
"""Layers of the plate, and lines side by side that make the bar under a leg: walls alone, which need no filling."""
LEAST_S, REACH = {"direct": 0.012, "bowden": 0.15}, 8.0
"""Where a coarse sheet begins, by drive, and how many times as far it reaches: nearly all printers lie within."""
FEWEST_KNOWN, CLOSEST, FARTHEST, ROOM = 7, 1.04, 1.08, 1.4
"""Legs of a sheet where earlier spools say about where to look; how many times its neighbour each has; and how much
wider it is than where nine of ten next ones lie: a few more legs cost less than a second sheet.
"""
FASTEST_MM_S, SLOW_SHARE = 100.0, 0.2
MOST_S = 5.0
"""No sheet reaches farther."""

ASPECTS: tuple[Aspect, ...] = (
    Aspect("bulges", "Bulges", ("swollen", "plain bulges", "a bulge", "just seen", "none"),
           "Where the head brakes: at the upper ticks on a leg that goes up, at the lower ones on one that goes down."),
    Aspect("thins", "Thins", ("torn", "plainly thin", "thinner", "just seen", "none"),
           "At the same places: is the line thinner there, and fat where it speeds up?"),
)  # fmt: skip
WIDTH = Measure(
    "width", "Width of the line", "mm", tuple(Site(key, name) for key, name, _ in sheet.SITES), 0.0, 3.0, 2,
    how="Just past where the head brakes, and before the gable. Where both are alike, the value is right.",
    extra=True,
)  # fmt: skip


class PressureAdvance(Kind[Plan]):
    """Pressure advance by a sheet with a line that winds, least at the left."""

    slug = "pressure-advance"
    plan_type = Plan
    version = 3
    title = "Pressure advance"
    sets = ("pressure_advance_s",)
    aspects = ASPECTS
    group = "pressure"
    called = "legs"
    ends = ("at the left", "at the right")
    about = (
        "A thin sheet on which one line winds from left to right, a leg a value: slow, fast, slow, and around a sharp "
        "gable to the next. Too little swells where the head brakes, too much thins there. The right one is even."
    )
    few = "Score bulges and thinning of every leg, or pick the most even."

    def bounds(self, context: Context) -> dict[str, Bounds]:
        """As far as the printer goes."""
        most = min(self._room(context), MOST)
        return {
            "roads": Bounds(high=max(FEWEST, most)),
            "fast_mm_s": Bounds(high=context.printer.speed_max_mm_s),
        }

    def _room(self, context: Context) -> int:
        return int((context.printer.bed_x_mm - 8 - sheet.width_mm(0)) // sheet.PITCH)

    def suggest(self, context: Context) -> Plan:
        """Coarse over the drive's usual range; fine around what a coarse sheet has found."""
        count = max(FEWEST, min(USUAL, self._room(context)))
        settings = usual_settings(context)
        area = settings.road_area(settings.layer_mm) * settings.flow_ratio
        fast = min(FASTEST_MM_S, context.printer.speed_max_mm_s, 0.8 * settings.max_flow_mm3_s / area)
        fast = max(20.0, round(fast / 5) * 5.0)
        slow = max(5.0, round(fast * SLOW_SHARE))
        coarse = _by_shares(
            Plan(
                low_s=LEAST_S[context.printer.drive], step_s=0.0, grows_percent=0.0, roads=count, known_s=None,
                known_error=None, fast_mm_s=fast, slow_mm_s=slow, looks=usual_looks(context.material),
            ), REACH ** (1 / (count - 1)),
        )  # fmt: skip
        held = context.profile.values["pressure_advance_s"]
        if (
            held.origin.kind == OriginKind.TRIAL
            and not held.recheck
            and held.error
            and is_coarse(held.number, held.error)
        ):
            return fine_plan(held.number, held.error, coarse)
        return coarse

    def quick(self, context: Context) -> Plan:
        """Fewer legs where earlier spools say about where to look."""
        plan, before = self.suggest(context), context.before.get("pressure_advance_s")
        if plan.known_s is not None or before is None or before.low <= 0:
            return plan
        wide = (before.high / before.low) ** ROOM
        count = max(1 + math.ceil(math.log(wide, FARTHEST)), FEWEST_KNOWN)
        if count >= plan.roads:
            return plan
        times = max(wide ** (1 / (count - 1)), CLOSEST)
        low = (before.high * before.low) ** 0.5 / times ** ((count - 1) / 2)
        return _by_shares(replace(plan, low_s=round(low, 3), roads=count), times)

    def hindered(self, context: Context) -> str | None:
        """Needs a firmware that has a word for it."""
        if dialect(context.printer.dialect).pressure_advance is not None:
            return None
        return (
            f"The firmware of {context.printer.name} has no word for pressure advance, so there is nothing to set. If "
            "it has one after all, choose its dialect on the printer's page."
        )

    def check(self, plan: Plan, context: Context) -> dict[str, str]:
        """Refuse what does not fit or cannot be set; warn of what tells little."""
        if self.hindered(context):
            raise InvalidInput("low_s", "cannot be set: this printer's firmware has no word for it")
        count, fast, slow = plan.roads, plan.fast_mm_s, plan.slow_mm_s
        if slow > 0.6 * fast:
            raise InvalidInput("slow_mm_s", f"must be well below {fast:g} mm/s; a fifth of it is usual")
        room, deep = self._room(context), sheet.DEPTH + 40
        if context.printer.bed_y_mm < deep:
            raise InvalidInput("roads", f"needs a bed {math.ceil(deep)} mm deep, however many there are")
        if count > room:
            wide = math.ceil(sheet.width_mm(count) + 8)
            raise InvalidInput("roads", f"needs a bed {wide} mm wide for {count:g} legs; {room} fit side by side")
        check_known(plan, "known_s", "known_error")
        last = self.steps(plan)[-1].value
        if last > MOST_S:
            field, usual = ("grows_percent", "11 %") if plan.grows_percent > 0 else ("step_s", "0.02 s")
            raise InvalidInput(field, f"leads to {last:.0f} s at the right, which no printer needs; {usual} is usual")
        return self._warnings(plan, context, last, fast)

    def _warnings(self, plan: Plan, context: Context, high: float, fast: float) -> dict[str, str]:
        warnings = {}
        bowden = context.printer.drive == "bowden"
        if high > (1.2 if bowden else 0.15):
            warnings["step_s"] = f"goes to {high:g} s; that is unusual for this drive"
        settings = usual_settings(context)
        flow = settings.road_area(settings.layer_mm) * settings.flow_ratio * fast
        if flow > settings.max_flow_mm3_s:
            most = settings.max_flow_mm3_s / settings.road_area(settings.layer_mm) / settings.flow_ratio
            warnings["fast_mm_s"] = f"the profile's max flow allows {most:.0f} mm/s; the line will be driven at that"
        return warnings

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """Least first, from the left; a coarse sheet's grow by shares."""
        return growing_steps(plan.low_s, plan.step_s, plan.grows_percent, plan.roads, decimals=3)

    def piece(self, plan: Plan, context: Context) -> Piece:
        """The sheet."""
        base, settings = _base(context)
        return sheet.sheet(self.steps(plan), base, settings.layer_mm, settings.width_mm, _bar_mm(settings))

    def roads(self, plan: Plan, context: Context, piece: Piece) -> Toolpath:
        """The plate as a solid; on it every road with its own value, at two speeds."""
        del piece
        base, settings = _base(context)
        quick, slow = (_at(settings, speed) for speed in (plan.fast_mm_s, plan.slow_mm_s))
        steps = self.steps(plan)
        strokes = [
            RawPath(stretch.points, Role.OUTER, quick if stretch.fast else slow,
                    pressure_s=None if k else step.value, label="" if k else step.label)
            for step in steps
            for k, stretch in enumerate(sheet.leg(step.index, len(steps)))
        ]  # fmt: skip
        return on_bed(
            union(p.solid for p in sheet.plate(steps, base, settings.layer_mm, _bar_mm(settings))),
            context,
            settings,
            strokes={BASE_LAYERS: strokes},
        )

    def lift(self, version: int, plan: Mapping[str, Scalar]) -> Mapping[str, Scalar]:
        """Version 1 took every plastic for one that shows its faults; up to version 2 steps were even."""
        plan = with_looks(plan) if version < 2 else plan
        return {"grows_percent": 0.0, **plan} if version < 3 else plan

    def readings(self, plan: Plan) -> ToRead:
        """Bulges and thinning; or the most even road; or widths, from a photo or under a magnifier."""
        del plan
        return ToRead(aspects=self.aspects, measures=(WIDTH,), pick="the most even leg")

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """Where neither bulges nor thinning is left; see `verdict`."""
        return verdict(plan, self.steps(plan), readings)

    def wants(self, context: Context) -> str | None:
        """Coarse where it is not measured, fine where only a coarse sheet has; never where it cannot be set."""
        if self.hindered(context):
            return None
        held = context.profile.values["pressure_advance_s"]
        coarse = super().wants(context)
        if coarse is None and held.error is not None and is_coarse(held.number, held.error):
            return f"So far it is known to ± {half_90(held.error):.3f} s only; a fine sheet tells more."
        return coarse


def _by_shares(plan: Plan, times: float) -> Plan:
    """Every leg so many times as much as the one before it."""
    grain = 3 if plan.low_s * (times - 1) > 0.0015 else 4
    return replace(plan, step_s=round(plan.low_s * (times - 1), grain), grows_percent=round(100 * (times - 1), 1))


def _base(context: Context) -> tuple[float, PrintSettings]:
    settings = usual_settings(context)
    base = foot_mm(settings, BASE_LAYERS)
    return base, replace(settings, layer_time_min_s=0.0)


def _bar_mm(settings: PrintSettings) -> float:
    return settings.width_mm + (BAR_LINES - 1) * settings.spacing(settings.layer_mm)


def _at(settings: PrintSettings, speed: float) -> PrintSettings:
    return replace(settings, speeds={**settings.speeds, Role.OUTER: speed}, coasting_mm=0.0, flow_outer_share=1.0)
