"""The rising wall: plan, piece, roads, what to look for; its verdict is in `verdict.py`."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from drumbo.core.errors import InvalidInput
from drumbo.core.fields import Scalar
from drumbo.core.motion import plan_moves
from drumbo.core.piece import Piece, union
from drumbo.core.profile import Value
from drumbo.core.toolpath import PrintSettings, Role, SpiralLoop, Toolpath
from drumbo.trials.base import Context, Kind
from drumbo.trials.plan import Bounds
from drumbo.trials.readings import First, Measure, Readings, Site, Step, ToRead
from drumbo.trials.result import Result
from drumbo.trials.rising_wall import pod
from drumbo.trials.rising_wall.plan import Plan
from drumbo.trials.rising_wall.verdict import kept_share, verdict
from drumbo.trials.toolkit.looks import usual_looks, with_looks
from drumbo.trials.toolkit.roads import check_bed, on_bed, usual_settings
from drumbo.trials.toolkit.sweep import count_between, even_steps

MOST_BANDS, USUAL_BANDS, QUICK_BANDS = 24, 14, 11
FOOT_LAYERS, STRIP_LAYERS = 5, 3
NEARLY = 0.97
"""A band counts as reached where the head runs at so much of what was asked, on the mean."""
NICE = (0.05, 0.1, 0.15, 0.2, 0.25, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 1.0, 1.2, 1.5, 2.0, 3.0, 5.0)
SIGNS = (
    First("matt", "Matt", "The first band that is plainly less glossy than the bands beneath it."),
    First("gaps", "Gaps", "The first band with holes, or with lines that do not close."),
    First("splits", "Splits", "The first band whose layers part, or come apart when the wall is squeezed."),
)
THICKNESS = Measure(
    "thickness", "Thickness", "mm", (Site("front", "front"),), 0.05, 3.0, 2, extra=True,
    how="Cut the wall down at one end with scissors and close the callipers on the middle of its front, band by band. "
    "A wall gets thinner where less plastic arrives. Five bands are enough where some of them are thinner; all of them "
    "are surest.",
)  # fmt: skip


class RisingWall(Kind[Plan]):
    """Max volumetric speed from the height at which a wall fails."""

    slug = "rising-wall"
    plan_type = Plan
    version = 2
    title = "Max flow by a wall"
    sets = ("max_flow_mm3_s",)
    group = "max_flow"
    layers_wait = False
    called = "bands"
    about = (
        "One wall in a single rising line, with more flow in every band, slowest at the bottom. Where it turns matt, "
        "then gapes, then splits tells how much the hot end can melt. A ruler with every band's flow comes with it."
    )
    few = "Say at which band each sign begins, or measure how thick the wall is; both together are surest."

    def bounds(self, context: Context) -> dict[str, Bounds]:
        """As far as the printer goes."""
        nozzle = context.printer.nozzle_mm
        return {
            "layer_mm": Bounds(low=round(nozzle * 0.25, 2), high=round(nozzle * 0.8, 2)),
            "width_mm": Bounds(low=round(nozzle, 2), high=round(nozzle * 2, 2)),
        }

    def suggest(self, context: Context) -> Plan:
        """From half of what the profile has now to half as much again and more, as far as the printer reaches."""
        return self._planned(context, USUAL_BANDS)

    def _planned(self, context: Context, most: int) -> Plan:
        now, nozzle = context.profile.number("max_flow_mm3_s"), context.printer.nozzle_mm
        layer, width = round(nozzle * 0.75, 2), round(nozzle * 1.4, 2)
        reach = self._reach(layer, width, context)
        low, high = 0.5 * now, min(1.65 * now, reach)
        low = min(low, 0.4 * high)
        step = next((s for s in NICE if s >= (high - low) / most), NICE[-1])
        low = max(step, round(low / step) * step)
        bands = math.floor((high - low) / step + 1e-6)
        return Plan(
            low_mm3_s=round(low, 3),
            high_mm3_s=round(low + bands * step, 3),
            step_mm3_s=step,
            band_mm=4.0,
            layer_mm=layer,
            width_mm=width,
            looks=usual_looks(context.material),
            margin="tenth",
        )

    def quick(self, context: Context) -> Plan:
        """Fewer bands, as low as they may be; fewer still where earlier spools say about where to look."""
        plan = self._planned(context, QUICK_BANDS)
        known = context.before.get("max_flow_mm3_s")
        if known is not None and 2 * known.half < plan.high_mm3_s - plan.low_mm3_s:
            step = plan.step_mm3_s
            # What is adopted keeps a margin back: the wall has to go on to where it fails.
            low = max(math.floor((known.low - step) / step) * step, step)
            high = min(math.ceil(1.25 * known.high / step) * step, plan.high_mm3_s)
            if high >= low + 4 * step:
                plan = replace(plan, low_mm3_s=round(low, 3), high_mm3_s=round(high, 3))
        return replace(plan, band_mm=3.0)

    def check(self, plan: Plan, context: Context) -> dict[str, str]:
        """Refuse a range that makes no bands, or that the printer cannot reach, and say what would reach it."""
        low, high, step = plan.low_mm3_s, plan.high_mm3_s, plan.step_mm3_s
        if high < low + 2 * step - 1e-9:
            raise InvalidInput("high_mm3_s", f"must be {low + 2 * step:g} mm³/s or more, for three bands")
        bands = len(self.steps(plan))
        if bands > MOST_BANDS:
            raise InvalidInput("step_mm3_s", f"makes {bands} bands; {MOST_BANDS} is the most. Take a larger step")
        printer, made = context.printer, _build(plan, context)
        if plan.layer_mm > 0.8 * plan.width_mm:
            raise InvalidInput("layer_mm", f"is too high for a line of {plan.width_mm:g} mm")
        if made.foot_mm + bands * made.band_mm + 1 > printer.height_mm:
            raise InvalidInput("band_mm", f"makes a wall higher than the {printer.height_mm:g} mm of {printer.name}")
        wide, deep = 2 * (pod.HALF_LONG + pod.FOOT_WIDE), 2 * pod.HALF_DEEP + pod.RULER_WIDE + 20
        check_bed("band_mm", printer, max(wide, bands * made.band_mm) + 8, deep + 40)
        self._check_reach(plan, context)
        warnings = {}
        if step > 0.12 * (low + high) / 2:
            warnings["step_mm3_s"] = "is coarse; the result can be no finer than a band"
        if low > context.profile.number("max_flow_mm3_s"):
            warnings["low_mm3_s"] = "lies above what the profile has now; the lowest band may fail already"
        return warnings

    def _check_reach(self, plan: Plan, context: Context) -> None:
        """Whether the head really runs as fast as every band asks, round the whole wall."""
        settings = _settings(plan.layer_mm, plan.width_mm, context)
        for step in self.steps(plan):
            share, flow = self._reached(step.value, settings)
            if share < NEARLY:
                most = self._reach(plan.layer_mm, plan.width_mm, context)
                why = (
                    f"top speed of {context.printer.speed_max_mm_s:g} mm/s"
                    if flow > 0.995 * _speed(context.printer.speed_max_mm_s, settings)
                    else f"acceleration of {settings.accel_mm_s2:g} mm/s²"
                )
                raise InvalidInput(
                    "high_mm3_s",
                    f"cannot be reached: from {step.label} mm³/s on the {why} holds the head back to {flow:.1f}. "
                    f"End at {most:.1f}, or print thicker layers or a wider line",
                )

    def within(self, plan: Plan, context: Context) -> Plan:
        """No faster than the head gets round the wall."""
        plan = super().within(plan, context)
        room = self._reach(plan.layer_mm, plan.width_mm, context) - plan.low_mm3_s
        bands = math.floor(room / plan.step_mm3_s + 1e-6)
        high = round(plan.low_mm3_s + bands * plan.step_mm3_s, 3)
        return replace(plan, high_mm3_s=min(plan.high_mm3_s, high))

    def _reached(self, flow: float, settings: PrintSettings) -> tuple[float, float]:
        """(share of the asked, mm³/s) that a turn of the wall really runs at, on the mean over its time."""
        top = max(settings.speeds.values())
        area = settings.road_area(settings.layer_mm) * settings.flow_ratio
        speed = min(flow / area, top)
        outline, _ = pod.ring(_points(flow / area, settings))
        dx, dy = np.tile(np.diff(outline, axis=0), (2, 1)).T
        zero = np.zeros(len(dx))
        motion = plan_moves(dx, dy, zero, zero + 1, zero + speed, settings.accel_mm_s2, settings.junction_mm_s)
        half = len(dx) // 2
        way = float(np.hypot(dx, dy)[:half].sum())
        mean = area * way / float(motion.seconds[half // 2 : half // 2 + half].sum())
        return mean / flow, mean

    def _reach(self, layer_mm: float, width_mm: float, context: Context) -> float:
        """The most flow that the wall can be printed at on this printer, mm³/s."""
        settings = _settings(layer_mm, width_mm, context)
        most = _speed(context.printer.speed_max_mm_s, settings)
        for flow in np.linspace(most, 0.2 * most, 33):
            if self._reached(float(flow), settings)[0] >= NEARLY:
                return math.floor(float(flow) * 10) / 10
        return math.floor(2 * most) / 10

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """Slowest first, from the bottom."""
        return even_steps(
            plan.low_mm3_s, plan.step_mm3_s, count_between(plan.low_mm3_s, plan.high_mm3_s, plan.step_mm3_s)
        )

    def piece(self, plan: Plan, context: Context) -> Piece:
        """The pod and its ruler."""
        return pod.pod(self.steps(plan), _build(plan, context))

    def roads(self, plan: Plan, context: Context, piece: Piece) -> Toolpath:
        """Foot and ruler as a solid, gently; then the wall in one line, every band at its own flow."""
        del piece
        steps, made = self.steps(plan), _build(plan, context)
        gentle = replace(_gentle(context), layer_time_min_s=0.0)
        settings = _settings(plan.layer_mm, plan.width_mm, context)
        area = settings.road_area(settings.layer_mm) * settings.flow_ratio
        at = [replace(settings, max_flow_mm3_s=step.value) for step in steps]
        points = [_points(step.value / area, settings) for step in steps]
        turns, seen = [], -1
        for band, line, heights in pod.turns(made, points):
            turns.append(SpiralLoop(line, heights, at[band], steps[band].label if band != seen else ""))
            seen = band
        return on_bed(
            union(p.solid for p in pod.foot(steps, made)),
            context,
            gentle,
            turns=turns,
        )

    def lift(self, version: int, plan: Mapping[str, Scalar]) -> Mapping[str, Scalar]:
        """Version 1 took every plastic for one that shows its faults."""
        return with_looks(plan) if version < 2 else plan

    def readings(self, plan: Plan) -> ToRead:
        """Where each sign begins, and how thick the wall is."""
        del plan
        return ToRead(firsts=SIGNS, measures=(THICKNESS,))

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """All signs and the thickness together; see `verdict`."""
        return verdict(plan, self.steps(plan), readings)

    def changes(self, plan: Plan, result: Result, context: Context, trial: int) -> dict[str, Value]:
        """The limit less what is kept back, to a tenth."""
        if result.value is None or result.error is None:
            return {}
        kept = kept_share(plan, result.value)
        origin = self.origin(trial, f"{self.title.lower()}, {(1 - kept) * 100:.0f} % kept back")
        return {"max_flow_mm3_s": Value(round(result.value * kept, 1), origin, result.error * kept)}

    def overrides(self, plan: Plan) -> dict[str, str]:
        """The flow, and the road that carries it."""
        words = f"{plan.layer_mm:g} × {plan.width_mm:g} mm line"
        return {"max_flow_mm3_s": f"{super().overrides(plan)['max_flow_mm3_s']}, {words}"}


def _gentle(context: Context) -> PrintSettings:
    return usual_settings(context)


def _settings(layer_mm: float, width_mm: float, context: Context) -> PrintSettings:
    """The wall's own road: as fast as the printer may, held only by the flow of each band."""
    top = context.printer.speed_max_mm_s
    gentle = _gentle(context)
    return replace(
        gentle, layer_mm=layer_mm, width_mm=width_mm, flow_outer_share=1.0,
        flow_first_share=1.0, coasting_mm=0.0, layer_time_min_s=0.0, speeds={**gentle.speeds, Role.OUTER: top},
    )  # fmt: skip


def _build(plan: Plan, context: Context) -> pod.Build:
    gentle, layer = _gentle(context), plan.layer_mm
    foot, strip = (round(gentle.first_layer_mm + (n - 1) * gentle.layer_mm, 4) for n in (FOOT_LAYERS, STRIP_LAYERS))
    return pod.Build(foot, strip, layer, max(1, round(plan.band_mm / layer)), plan.width_mm)


def _points(speed: float, settings: PrintSettings) -> int:
    """Corners of a turn so that none of them makes the head brake: it turns by less than junction speed ÷ speed."""
    return int(min(max(48, math.ceil(1.1 * 2 * math.pi * speed / settings.junction_mm_s)), 720))


def _speed(top: float, settings: PrintSettings) -> float:
    """Flow of the road at top speed, mm³/s."""
    return top * settings.road_area(settings.layer_mm) * settings.flow_ratio
