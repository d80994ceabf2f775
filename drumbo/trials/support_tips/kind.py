"""Support tips: plan, the row of tables, readings and verdict."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from drumbo.core.errors import InvalidInput
from drumbo.core.fields import Scalar
from drumbo.core.fit.ramp import fit_ramp
from drumbo.core.light.job import LayerJob, LitSolid, job
from drumbo.core.piece import Part, Piece, Place, block, raised_text, union
from drumbo.core.sure import half_90
from drumbo.trials.pictures import Curve
from drumbo.trials.plan import TrialPlan, ask
from drumbo.trials.readings import Aspect, Readings, Step, ToRead
from drumbo.trials.result import Result
from drumbo.trials.toolkit import tips
from drumbo.trials.toolkit.layered import LayerKind, ResinContext, as_many, base_mm, check_room, screen_of
from drumbo.trials.toolkit.sweep import even_steps
from drumbo.trials.toolkit.verdict import NEEDED, few
from drumbo.trials.toolkit.wider import holding

PITCH, DEEP, TALL, FRONT = 8.03, 11.4, 2.0, 5.4
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
    Aspect("marks", "Marks", ("craters", "deep marks", "plain marks", "pin-pricks", "hardly seen"),
           "Broken off: what is left on the table's underside?"),
)  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(TrialPlan):
    """The sweep."""

    first_mm: float = ask("Thinnest tip", "mm", low=0.1, high=1.2, step=0.02)
    step_mm: float = ask("Step", "mm", low=0.02, high=0.2, step=0.01)
    tables: int = ask("Tables", low=FEWEST, high=MOST, whole=True)


class SupportTips(LayerKind[Plan]):
    """The thinnest support tip that holds."""

    slug = "support-tips"
    plan_type = Plan
    title = "Support tips"
    sets = ("tip_mm",)
    aspects = ASPECTS
    group = "lift"
    called = "tables"
    ends = ("at the left", "at the right")
    on_demand = True
    about = (
        "A row of small tables, each on six tips that carry 4 mm² of it apiece, thicker from table to table. Thin tips "
        "tear in the lift, thick ones leave marks: the thinnest that holds is the one for your support tool."
    )
    few = "Score how each table was held; a curve needs three."

    def suggest(self, context: ResinContext) -> Plan:
        """From what hardly holds anything to what surely does."""
        count = min(max(as_many(context, 7, PITCH, PITCH), FEWEST), MOST)
        return Plan(first_mm=0.18, step_mm=0.06, tables=count)

    def check(self, plan: Plan, context: ResinContext) -> dict[str, str]:
        """Refuse what has no room; warn of tips that are finer than the screen draws."""
        thickest = self.steps(plan)[-1].value
        if thickest > THICKEST_MM:
            raise InvalidInput("step_mm", f"makes tips of {thickest:g} mm; beyond {THICKEST_MM:g} they would touch")
        check_room(context, "tables", plan.tables * PITCH, DEEP, self._base_mm(context) + TALL + tips.THICK)
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
        x0, front = -len(steps) * PITCH / 2, -DEEP / 2
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
            places.append(Place(step.index, step.value, step.label, (left, front, base),
                                (left + PITCH, -front, base + TALL + tips.THICK), axis=0))  # fmt: skip
        return Piece("tables", union(p.solid for p in parts), tuple(parts), tuple(places))

    def job(self, plan: Plan, context: ResinContext, title: Sequence[str]) -> LayerJob:
        """As the profile prints."""
        numbers = context.profile.numbers()
        lit = LitSolid(self.piece(plan, context).solid, numbers["exposure_s"], numbers["bottom_exposure_s"])
        return job([lit], numbers, screen_of(context), title=title)

    def readings(self, plan: Plan) -> ToRead:
        """How tables were held, and what tips leave."""
        del plan
        return ToRead(aspects=self.aspects)

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """Where tables begin to be held level."""
        steps = self.steps(plan)
        x, held = np.array([s.value for s in steps]), readings.column("supports", steps)
        if np.isfinite(held).sum() < NEEDED:
            return few(int(np.isfinite(held).sum()), "table", "tables")
        span = float(x[-1] - x[0])
        found = fit_ramp((x - x[0]) / span, held, rising=True, within=4 - HELD, reader=readings.leaning)
        places = x[0] + span * found.crossing(HELD)
        value = float(np.mean(places))
        error = holding(self.slug, float(np.hypot(np.std(places), SHARE_OF_STEP * plan.step_mm)))
        beyond = float(np.mean(places > x[-1])) > 0.5
        curve = Curve.of(x[0] + span * found.x, 25 * found.mean, 25 * found.sd, x, 25 * held)
        if beyond:
            thicker = _thicker(plan)
            says = (
                f"None of them holds well enough; {'print thicker ones next, or ' if thicker else ''}lift more slowly."
            )
            return Result("edge", says=says, curve=curve, extend=thicker, extend_says="Plan thicker ones")
        value = max(value, float(x[0]))
        half = half_90(error)
        return Result(
            "edge" if float(np.mean(places < x[0])) > 0.5 else "good", value, error, value - half, value + half,
            f"Tips of {value:.2f} mm hold 4 mm² each; thinner ones begin to tear.",
            _notes(value, readings, steps), curve,
        )  # fmt: skip


def _thicker(plan: Plan) -> dict[str, Scalar] | None:
    """A plan that goes on where this one ends, overlapping by two tables; None where tips would touch each other."""
    span = (plan.tables - 1) * plan.step_mm
    first = round(min(plan.first_mm + span - plan.step_mm, THICKEST_MM - span), 2)
    return replace(plan, first_mm=first).to_json() if first > plan.first_mm else None


def _notes(value: float, readings: Readings, steps: Sequence[Step]) -> tuple[str, ...]:
    """Tips for other areas, and marks."""
    more, less = value * math.sqrt(2), value / math.sqrt(2)
    notes = [f"For 8 mm² a tip take {more:.2f} mm, for 2 mm² {less:.2f}; on slopes less hangs on each."]
    near = min(steps, key=lambda step: abs(step.value - value))
    mark = readings.score("marks", near.index)
    if mark is not None and mark < 2:
        notes.append("Tips that hold leave deep marks here: lift more slowly, or set more and thinner ones.")
    return tuple(notes)
