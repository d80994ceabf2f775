"""The clearance trial: plan, piece, readings and the verdict."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from drumbo.core.errors import InvalidInput
from drumbo.core.fields import Scalar
from drumbo.core.fit.ramp import Ramp
from drumbo.core.piece import Piece
from drumbo.core.profile import Value
from drumbo.core.sure import half_90
from drumbo.core.toolpath import Toolpath
from drumbo.trials.base import Context, Kind
from drumbo.trials.clearance import rail
from drumbo.trials.plan import TrialPlan, ask
from drumbo.trials.readings import Aspect, Readings, Step, ToRead
from drumbo.trials.result import Result, beyond
from drumbo.trials.toolkit.rising import rise
from drumbo.trials.toolkit.roads import on_bed
from drumbo.trials.toolkit.sweep import count_between, even_steps
from drumbo.trials.toolkit.verdict import few
from drumbo.trials.toolkit.wider import holding

FEWEST_STEPS, MOST_STEPS = 4, 12
PRESSES, TURNS = 1.75, 3.5
"""Scores from which on a pin goes in by hand and holds, and from which it turns freely."""
SPLIT_MISFIT = 2.2
LEAST_ERROR_MM = 0.01

ASPECTS: tuple[Aspect, ...] = (
    Aspect("fits", "Fit", ("will not go in", "only by force", "goes in by hand, holds", "turns stiffly",
                           "turns freely"), "Push each pin into the hole behind it and turn it by its grip."),
)  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(TrialPlan):
    """The gaps."""

    low_mm: float = ask(
        "Smallest gap",
        "mm",
        low=-0.1,
        high=1,
        step=0.05,
        help="All round: the hole is wider than its pin by twice that.",
    )
    high_mm: float = ask("Largest gap", "mm", low=0.05, high=2, step=0.05)
    step_gap_mm: float = ask("Step", "mm", low=0.02, high=0.3, step=0.01, help="0.05 is usual.")


class Clearance(Kind[Plan]):
    """The smallest gaps that press in and that turn."""

    slug = "clearance"
    plan_type = Plan
    title = "Clearance"
    sets = ("clearance_turn_mm", "clearance_press_mm")
    aspects = ASPECTS
    group = "size"
    called = "gaps"
    ends = ("at the left", "at the right")
    on_demand = True
    step_unit = "mm"
    about = (
        "A bar with a row of equal holes, and before each hole its own pin, thinner by the gap that lies there in "
        "digits. Try every pin: the smallest gap that turns freely is what moving parts of this material need, and the "
        "smallest that goes in by hand is what holds."
    )
    few = "Try every pin in its hole; three of them make a curve."

    def suggest(self, context: Context) -> Plan:
        """0.05 to 0.40, or as many as the bed has room for."""
        room = int((context.printer.bed_x_mm - 12) // rail.PITCH)
        steps = min(8, max(room, FEWEST_STEPS))
        return Plan(low_mm=0.05, high_mm=round(0.05 * steps, 2), step_gap_mm=0.05)

    def check(self, plan: Plan, context: Context) -> dict[str, str]:
        """Refuse what makes no row or does not fit."""
        low, high = plan.low_mm, plan.high_mm
        if high <= low:
            raise InvalidInput("high_mm", f"must be above {low:g} mm: the tightest is at the left; swap the two")
        count, printer = len(self.steps(plan)), context.printer
        most = min(MOST_STEPS, int((printer.bed_x_mm - 10) // rail.PITCH))
        if most < FEWEST_STEPS:
            raise InvalidInput("high_mm", f"the piece needs a bed {FEWEST_STEPS * rail.PITCH + 10:.0f} mm wide")
        if not FEWEST_STEPS <= count <= most:
            raise InvalidInput("step_gap_mm", f"gives {count} holes; {FEWEST_STEPS} to {most} fit")
        if printer.bed_y_mm < rail.DEPTH + 40:
            raise InvalidInput("high_mm", f"the piece needs a bed {rail.DEPTH + 40:.0f} mm deep")
        widest = rail.HOLE / 2 - 1
        if high >= widest:
            said = f"leaves nothing of a pin in a hole of {rail.HOLE:g} mm; stay below {widest:g}"
            raise InvalidInput("high_mm", said)
        return {"step_gap_mm": "is finer than a printer repeats"} if plan.step_gap_mm < 0.03 else {}

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """The tightest first."""
        return even_steps(
            plan.low_mm, plan.step_gap_mm, count_between(plan.low_mm, plan.high_mm, plan.step_gap_mm), least=2
        )

    def piece(self, plan: Plan, context: Context) -> Piece:
        """The rail with its pins."""
        del context
        return rail.rail(self.steps(plan))

    def roads(self, plan: Plan, context: Context, piece: Piece) -> Toolpath:
        """As the profile prints."""
        del plan
        return on_bed(piece.solid, context, purge=(5, 4))

    def readings(self, plan: Plan) -> ToRead:
        """How each pin fits."""
        del plan
        return ToRead(aspects=self.aspects)

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """Where pins begin to turn and to go in, from all of them together."""
        steps = self.steps(plan)
        scores = readings.column(ASPECTS[0].key, steps)
        tried = int(np.isfinite(scores).sum())
        if tried < 3:
            return few(tried, "pin", verb="Try")
        found = rise(steps, scores)
        value, spread = found.reached(TURNS, plan.step_gap_mm)
        press, _ = found.reached(PRESSES, plan.step_gap_mm)
        error = holding(self.slug, max(spread, LEAST_ERROR_MM))
        state, says, extend = _state(plan, value, press, found.found, steps)
        also = {} if press is None else {"clearance_press_mm": press}
        return Result(
            state,
            value,
            error,
            value - half_90(error),
            value + half_90(error),
            says,
            (),
            found.curve,
            also=also,
            extend=extend,
            beyond=beyond(float(value > plan.high_mm) - float(value < plan.low_mm)) if state == "edge" else "",
        )

    def changes(self, plan: Plan, result: Result, context: Context, trial: int) -> dict[str, Value]:
        """Both gaps, rounded up to the next hundredth."""
        del plan, context
        if result.value is None:
            return {}
        origin = self.origin(trial)
        values = {"clearance_turn_mm": Value(_up(result.value), origin, result.error)}
        return values | {key: Value(_up(gap), origin) for key, gap in (result.also or {}).items()}

    def overrides(self, plan: Plan) -> dict[str, str]:
        """Nothing of the profile."""
        del plan
        return {}


def _up(gap: float) -> float:
    return math.ceil(round(gap, 4) * 100 - 0.2) / 100


def _state(
    plan: Plan, turns: float, presses: float, found: Ramp, steps: Sequence[Step]
) -> tuple[str, str, Mapping[str, Scalar] | None]:
    low, high, step = plan.low_mm, plan.high_mm, plan.step_gap_mm
    span = steps[-1].value - steps[0].value
    if found.misfit > SPLIT_MISFIT:
        return "split", "The pins contradict each other; try those far from the curve again.", None
    if turns > high:
        further = replace(plan, low_mm=round(high - 2 * step, 3), high_mm=round(high - 2 * step + span, 3)).to_json()
        return "edge", "Even the loosest does not turn freely; print wider gaps next.", further
    if turns < low:
        less = replace(plan, low_mm=round(max(low - span / 2, -0.1), 3), high_mm=round(low + span / 2, 3)).to_json()
        return "edge", "Even the tightest turns freely; print smaller gaps next.", less
    if presses < low:
        return "good", f"Turns freely from {turns:.2f} mm on; even the tightest goes in by hand.", None
    return "good", f"Turns freely from {turns:.2f} mm on; goes in by hand and holds from {presses:.2f} mm.", None
