"""The trial of the retraction length: plan, steps, piece, readings; its verdict is in `verdict.py`."""

from __future__ import annotations

import math
from dataclasses import replace

from drumbo.core.errors import InvalidInput
from drumbo.core.families import family
from drumbo.core.piece import Piece
from drumbo.core.toolpath import Toolpath
from drumbo.trials.base import Context, Kind
from drumbo.trials.readings import Aspect, Readings, Step, ToRead
from drumbo.trials.result import Result
from drumbo.trials.retraction_length.plan import Plan
from drumbo.trials.retraction_length.verdict import verdict
from drumbo.trials.toolkit import posts
from drumbo.trials.toolkit.sweep import around, count_between, even_steps

FEWEST_QUICK = 5

ASPECTS: tuple[Aspect, ...] = (
    Aspect("strings", "Strings", ("a web", "heavy threads", "threads", "a few wisps", "none"),
           "In the air between mast and posts, on both sides."),
    Aspect("restart", "Restart", ("holes or lumps", "a plain gap or blob", "a small gap or blob", "just seen", "even"),
           "The posts' inner edges, where lines start again."),
)  # fmt: skip


class RetractionLength(Kind[Plan]):
    """How far to pull back, shortest at the bottom."""

    slug = "retraction-length"
    plan_type = Plan
    title = "Retraction length"
    sets = ("retraction_mm",)
    aspects = ASPECTS
    group = "retraction"
    about = (
        "A mast and two posts a long travel apart. Each step retracts by the length that stands on the mast, the "
        "shortest at the bottom; the first step without threads is long enough."
    )
    few = "Score the strings of every step, or pick the first clean one."

    def suggest(self, context: Context) -> Plan:
        """Around what the polymer usually needs with this drive."""
        kin = family(context.material.family)
        if context.printer.drive == "bowden":
            usual, reach, step, most = round(kin.retraction_bowden_mm * 2) / 2, 3.0, 0.5, 8.0
        else:
            usual, reach, step, most = round(kin.retraction_direct_mm, 1), 0.6, 0.1, 2.0
        short = max(usual - reach, 1.0 if step == 0.5 else 0.0)
        count = int((posts.MOST_STEPS - 1) if context.printer.height_mm > 110 else (context.printer.height_mm - 5) // 5)
        return Plan(
            short_mm=round(short, 2),
            long_mm=round(min(usual + reach, most, short + count * step), 2),
            step_length_mm=step,
            step_mm=5.0,
        )

    def quick(self, context: Context) -> Plan:
        """Lower and wider steps; fewer where earlier spools say about where to look."""
        plan = self.suggest(context)
        step = round(plan.step_length_mm * 1.5, 2)
        known = around(context.before.get("retraction_mm"), step, FEWEST_QUICK, _count(plan))
        short, count = plan.short_mm, math.ceil((plan.long_mm - plan.short_mm) / step - 1e-6)
        if known is not None:
            # One longer than they needed: what is clean there is as clean as it gets.
            short, count = round(max(known[0] - known[1] // 2 * step, 0.0), 2), known[1]
        most = 8.0 if context.printer.drive == "bowden" else 2.0
        count = min(count, int((most - short) / step + 1e-6))
        return replace(plan, short_mm=short, long_mm=round(short + count * step, 2), step_length_mm=step, step_mm=4.0)

    def check(self, plan: Plan, context: Context) -> dict[str, str]:
        """Refuse what cannot be printed; warn of lengths that grind or jam."""
        short, long, step = plan.short_mm, plan.long_mm, plan.step_length_mm
        if long <= short:
            raise InvalidInput("long_mm", f"must be above {short:g} mm: the shortest is at the bottom; swap the two")
        posts.check_room("step_length_mm", _count(plan), plan.step_mm, context.printer)
        warnings = {}
        most = 8.0 if context.printer.drive == "bowden" else 2.0
        if long > most:
            warnings["long_mm"] = f"more than {most:g} mm grinds filament and jams, above all in soft materials"
        usual = step >= 0.25 if context.printer.drive == "bowden" else step <= 0.25
        if not usual:
            drive = "Bowden" if context.printer.drive == "bowden" else "direct"
            warnings["step_length_mm"] = f"unusual for a {drive} drive"
        return warnings

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """Shortest first, as printed."""
        return even_steps(plan.short_mm, plan.step_length_mm, _count(plan), least=1)

    def piece(self, plan: Plan, context: Context) -> Piece:
        """Mast and posts."""
        return posts.posts(self.steps(plan), *posts.heights(plan.step_mm, context))

    def roads(self, plan: Plan, context: Context, piece: Piece) -> Toolpath:
        """Each step with its own pull-back."""
        del plan
        return posts.roads(piece, context, "retraction_mm")

    def readings(self, plan: Plan) -> ToRead:
        """Strings and restarts; or the first clean step."""
        del plan
        return ToRead(aspects=self.aspects, pick="the first clean step")

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """The shortest length that is clean enough; see `verdict`."""
        return verdict(plan, self.steps(plan), readings)

    def adopted(self, value: float) -> float:
        """To the next tenth above."""
        return math.ceil(round(value, 3) * 10 - 0.2) / 10


def _count(plan: Plan) -> int:
    return count_between(plan.short_mm, plan.long_mm, plan.step_length_mm)
