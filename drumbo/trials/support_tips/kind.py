"""Support tips: plan, the row of tables, readings and verdict."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from drumbo.core.errors import InvalidInput
from drumbo.core.fields import Scalar
from drumbo.core.light.job import LayerJob, LitSolid, job
from drumbo.core.piece import Part, Piece, Place, block, raised_text, union
from drumbo.core.profile import Value
from drumbo.core.sure import half_90
from drumbo.trials.pictures import Curve
from drumbo.trials.plan import TrialPlan, ask
from drumbo.trials.readings import Aspect, Readings, Step, ToRead
from drumbo.trials.result import LESS, Result
from drumbo.trials.toolkit import tips
from drumbo.trials.toolkit.layered import LayerKind, ResinContext, as_many, base_mm, check_room, screen_of
from drumbo.trials.toolkit.rising import rise
from drumbo.trials.toolkit.sweep import even_steps
from drumbo.trials.toolkit.verdict import NEEDED, few
from drumbo.trials.toolkit.wider import holding

PITCH, DEEP, TALL, FRONT = 8.03, 11.4, 2.0, 5.4
SLOPE_DEEP, SLOPE_HIGH = 5.6, 3.5
"""What a sloping table adds behind a level one, and how far it stands up, mm."""
OUT_OF_STEP_MM = 0.0217
"""Edges that all fell alike on a screen's pixels would all be rounded alike."""
LEVEL, BOTH = "level", "both"
EDGE_BEHIND = 1.0
"""A sloping table's lower edge is so far behind the level one; what rises in front of it has room there."""
DIGITS_HIGH, STROKE, DIGITS_TALL = 3.2, 0.6, 0.6
LEAST_BASE_MM, CLEAR_LAYERS = 0.8, 3
HELD = 3.0
"""The score that is enough: held level, with a mark or two."""
SHARE_OF_STEP = 0.25
FEWEST, MOST = 4, 9
THICKEST_MM = 1.4


ASPECTS = (
    Aspect("supports", "Held", ("torn off", "hangs askew", "tips bent", "held, not quite level", "held, level"),
           "Before you break it off: do all six tips hold the table level?"),
    Aspect("slopes", "Held, sloping", ("torn off", "hangs askew", "tips bent", "held, edge not quite straight",
                                       "held, edge straight"),
           "The table that slopes: did its lower edge come out straight, on all of its tips?"),
    Aspect("marks", "Marks", ("craters", "deep marks", "plain marks", "pin-pricks", "hardly seen"),
           "Broken off: what is left on the table's underside?"),
)  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(TrialPlan):
    """The sweep."""

    first_mm: float = ask("Thinnest tip", "mm", low=0.1, high=1.2, step=0.02)
    step_mm: float = ask("Step", "mm", low=0.02, high=0.2, step=0.01)
    tables: int = ask("Tables", low=FEWEST, high=MOST, whole=True)
    undersides: str = ask(
        "Undersides", kind="choice", choices=((BOTH, "level, and sloping by 45°"), (LEVEL, "level")),
        help="A level one hangs on all its tips at once, a sloping one on those that it has reached.",
    )  # fmt: skip


class SupportTips(LayerKind[Plan]):
    """The thinnest support tip that holds."""

    slug = "support-tips"
    plan_type = Plan
    title = "Support tips"
    version = 2
    sets = ("tip_mm", "tip_slope_mm")
    aspects = ASPECTS
    group = "lift"
    called = "tables"
    ends = ("at the left", "at the right")
    on_demand = True
    about = (
        "A row of small tables, each on six tips that carry 4 mm² of it apiece, thicker from table to table; behind "
        "each a table that slopes. Thin tips tear in the lift, thick ones leave marks: the thinnest that holds is the "
        "one for your support tool."
    )
    few = "Score how each table was held; a curve needs three."

    def suggest(self, context: ResinContext) -> Plan:
        """From what hardly holds anything to what surely does."""
        count = min(max(as_many(context, 8, PITCH, PITCH), FEWEST), MOST)
        return Plan(first_mm=0.15, step_mm=0.05, tables=count, undersides=BOTH)

    def lift(self, version: int, plan: Mapping[str, Scalar]) -> Mapping[str, Scalar]:
        """Up to version 1 all tables were level."""
        return {"undersides": LEVEL, **plan} if version < 2 else plan

    def check(self, plan: Plan, context: ResinContext) -> dict[str, str]:
        """Refuse what has no room; warn of tips that are finer than the screen draws."""
        thickest = self.steps(plan)[-1].value
        if thickest > THICKEST_MM:
            most = math.floor(100 * (THICKEST_MM - plan.first_mm) / (plan.tables - 1)) / 100
            raise InvalidInput(
                "step_mm",
                f"makes tips of {thickest:g} mm; beyond {THICKEST_MM:g} they would touch: {most:g} or less would do",
            )
        high = self._base_mm(context) + TALL + (SLOPE_HIGH if plan.undersides == BOTH else tips.THICK)
        check_room(context, "tables", plan.tables * PITCH, _deep(plan), high)
        pixel = screen_of(context).pixel_mm
        if plan.first_mm < 3 * pixel:
            return {"first_mm": f"is hardly more than a pixel or two of {1000 * pixel:g} µm"}
        return {}

    def _base_mm(self, context: ResinContext) -> float:
        return base_mm(context, context.profile.number("layer_um"), LEAST_BASE_MM, CLEAR_LAYERS)

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """Tips that grow by the step, the thinnest at the left."""
        return even_steps(plan.first_mm, plan.step_mm, plan.tables, least=2)

    def piece(self, plan: Plan, context: ResinContext) -> Piece:
        """All tables on one foot, each behind its millimetres."""
        base, steps = self._base_mm(context), self.steps(plan)
        x0, front = -len(steps) * PITCH / 2, -_deep(plan) / 2
        slopes = plan.undersides == BOTH
        parts = [Part("foot", block((x0, front, 0), (-x0, -front, base)))]
        places = []
        for step in steps:
            left = x0 + step.index * PITCH
            at = (left + PITCH / 2, front + FRONT / 2)
            parts += [
                Part(
                    "digits",
                    raised_text(step.label, at, DIGITS_HIGH, STROKE, PITCH - 1, base - 0.2, base + DIGITS_TALL),
                ),
                Part("post", tips.table(left + (PITCH - tips.TABLE) / 2, front + FRONT + 1, base, TALL, step.value)),
            ]
            if slopes:
                edge = front + DEEP + EDGE_BEHIND + OUT_OF_STEP_MM * step.index
                parts.append(
                    Part("wing", tips.sloping_table(left + (PITCH - tips.TABLE) / 2, edge, base, TALL, step.value))
                )
            high = base + TALL + (SLOPE_HIGH if slopes else tips.THICK)
            places.append(Place(step.index, step.value, step.label, (left, front, base),
                                (left + PITCH, -front, high), axis=0))  # fmt: skip
        return Piece("tables", union(p.solid for p in parts), tuple(parts), tuple(places))

    def job(self, plan: Plan, context: ResinContext, title: Sequence[str]) -> LayerJob:
        """As the profile prints."""
        numbers = context.profile.numbers()
        lit = LitSolid(self.piece(plan, context).solid, numbers["exposure_s"], numbers["bottom_exposure_s"])
        return job([lit], numbers, screen_of(context), title=title)

    def readings(self, plan: Plan) -> ToRead:
        """How tables were held, and what tips leave."""
        return ToRead(aspects=tuple(a for a in ASPECTS if a.key != "slopes" or plan.undersides == BOTH))

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """Where tables begin to be held level, and where the sloping ones begin to come out straight."""
        steps = self.steps(plan)
        level = self._held(plan, readings, "supports")
        if isinstance(level, Result):
            return level
        slope = self._held(plan, readings, "slopes") if plan.undersides == BOTH else None
        if isinstance(slope, Result):
            return slope
        beyond = [name for name, one in (("level", level), ("sloping", slope)) if one is not None and one.beyond]
        if level.beyond:
            thicker = _thicker(plan)
            what = "None of them holds" if slope is None or slope.beyond else "No level one is held"
            says = f"{what} well enough; {'print thicker ones next, or ' if thicker else ''}lift more slowly."
            return Result("edge", says=says, curve=level.curve, extend=thicker, extend_says="Plan thicker ones")
        also, words = {}, f"Tips of {level.value:.2f} mm hold 4 mm² each; thinner ones begin to tear."
        if slope is not None and not beyond:
            also = {"slope": slope.value, "slope_error": slope.error}
            words = f"Tips of {level.value:.2f} mm hold level undersides, of {slope.value:.2f} mm those at 45°."
        half = half_90(level.error)
        return Result(
            "edge" if level.beneath else "good", level.value, level.error, level.value - half, level.value + half,
            words, _notes(level.value, readings, steps, beyond), level.curve, also=also or None,
            beyond=LESS if level.beneath else "",
        )  # fmt: skip

    def _held(self, plan: Plan, readings: Readings, aspect: str) -> Held | Result:
        """From where on one row is held, or the words for too few scores."""
        steps = self.steps(plan)
        scores = readings.column(aspect, steps)
        if np.isfinite(scores).sum() < NEEDED:
            return few(int(np.isfinite(scores).sum()), "table", "tables")
        found = rise(steps, scores, readings.leaning)
        low, high = found.low, found.high
        places = low + (high - low) * found.found.crossing(HELD)
        told = f"{self.slug}: level" if aspect == "supports" else self.slug
        value, spread = found.reached(HELD, high - low)
        error = holding(told, float(np.hypot(spread, SHARE_OF_STEP * plan.step_mm)))
        return Held(
            max(value, low), error, replace(found.curve, name="Held"),
            beneath=float(np.mean(places < low)) > 0.5, beyond=float(np.mean(places > high)) > 0.5,
        )  # fmt: skip

    def changes(self, plan: Plan, result: Result, context: ResinContext, trial: int) -> dict[str, Value]:
        """Both, where sloping tables were printed."""
        found = super().changes(plan, result, context, trial)
        also = result.also or {}
        if found and "slope" in also:
            found["tip_slope_mm"] = Value(round(also["slope"], 2), self.origin(trial), also["slope_error"])
        return found


@dataclass(frozen=True, slots=True)
class Held:
    """The thinnest tip that holds one row, mm, and its standard error; whether that is thinner or thicker than all."""

    value: float
    error: float
    curve: Curve
    beneath: bool
    beyond: bool


def _deep(plan: Plan) -> float:
    return DEEP + (SLOPE_DEEP if plan.undersides == BOTH else 0.0)


def _thicker(plan: Plan) -> dict[str, Scalar] | None:
    """A plan that goes on where this one ends, overlapping by two tables; None where tips would touch each other."""
    span = (plan.tables - 1) * plan.step_mm
    first = round(min(plan.first_mm + span - plan.step_mm, THICKEST_MM - span), 2)
    return replace(plan, first_mm=first).to_json() if first > plan.first_mm else None


def _notes(value: float, readings: Readings, steps: Sequence[Step], beyond: Sequence[str]) -> tuple[str, ...]:
    """Tips for other areas, and marks."""
    more, less = value * math.sqrt(2), value / math.sqrt(2)
    notes = [f"For 8 mm² a tip take {more:.2f} mm, for 2 mm² {less:.2f}."]
    if "sloping" in beyond:
        notes.append("No sloping table came out straight: set a row of tips along the lowest edge, closer together.")
    near = min(steps, key=lambda step: abs(step.value - value))
    mark = readings.score("marks", near.index)
    if mark is not None and mark < 2:
        notes.append("Tips that hold leave deep marks here: lift more slowly, or set more and thinner ones.")
    return tuple(notes)
