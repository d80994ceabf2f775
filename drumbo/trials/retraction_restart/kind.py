"""The trial of restarts and coasting: plan, piece, readings and verdict."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from drumbo.core.errors import InvalidInput
from drumbo.core.fit.quality import as_good
from drumbo.core.fit.vee import Vee, fit_vee
from drumbo.core.piece import Piece, union
from drumbo.core.profile import OriginKind, Value
from drumbo.core.sure import half_90
from drumbo.core.toolpath import PrintSettings, RawPath, Role, Toolpath
from drumbo.trials.base import Context, Kind
from drumbo.trials.pictures import Curve
from drumbo.trials.plan import Bounds, TrialPlan, ask
from drumbo.trials.readings import Aspect, Readings, Step, ToRead
from drumbo.trials.result import Result, beyond
from drumbo.trials.retraction_restart import arches
from drumbo.trials.toolkit.roads import foot_mm, on_bed, usual_settings
from drumbo.trials.toolkit.sweep import even_steps
from drumbo.trials.toolkit.verdict import SPLIT_MISFIT, all_alike, contradict
from drumbo.trials.toolkit.wider import holding

FEWEST, MOST = 4, 13
BASE_LAYERS = 3
UNIT_MM = 3.0
"""Departures that halve a score are 0.03 to 0.3 mm: a hundredth to a tenth of this."""
EVEN = (0.65, 1.6)
"""Blobs and gaps are seen about equally soon."""
PICK_STEPS = 0.6

WORDS = ("large", "plain", "small", "just seen", "none")
STARTS = (
    Aspect("start-gap", "Gap at the start", WORDS, "The left foot of each arch: is something missing there?"),
    Aspect("start-blob", "Blob at the start", WORDS, "The left foot: does it stand out to the sides?"),
)
ENDS = (
    Aspect("end-blob", "Blob at the end", WORDS, "The right foot of each arch: does it stand out to the sides?"),
    Aspect("end-gap", "Gap at the end", WORDS, "The right foot: is something missing there?"),
)
WHAT = (("restart", "starts: restart extra"), ("coasting", "ends: coasting"))


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(TrialPlan):
    """What is swept, from where, by how much, how often."""

    what: str = ask("What to find", kind="choice", choices=WHAT)
    low_mm: float = ask("Least, at the left", "mm", low=-0.6, high=1, step=0.05)
    step_mm: float = ask("Step", "mm", low=0.01, high=0.2, step=0.01)
    count: int = ask("Arches", low=FEWEST, whole=True)
    high_mm: float = ask("Height of the arches", "mm", low=2, high=12, step=0.5)


class RetractionRestart(Kind[Plan]):
    """How much more or less to push back, or how early to stop."""

    slug = "retraction-restart"
    plan_type = Plan
    title = "Restart and coasting"
    sets = ("restart_extra_mm", "coasting_mm")
    aspects = STARTS + ENDS
    group = "retraction"
    on_demand = True
    about = (
        "A row of arches; every layer starts at the left foot and ends at the right one. Each is printed with its own "
        "restart extra, or its own coasting. The right value leaves neither blob nor gap."
    )
    few = "Score blobs and gaps at the feet, or pick the cleanest arch."

    def bounds(self, context: Context) -> dict[str, Bounds]:
        """As far as the printer goes."""
        most = self._room(context)
        return {
            "count": Bounds(high=max(FEWEST, min(most, MOST))),
        }

    def _room(self, context: Context) -> int:
        return int((context.printer.bed_x_mm - 8 - arches.width_mm(0)) // arches.PITCH)

    def suggest(self, context: Context) -> Plan:
        """Starts first; ends once those are measured."""
        started = context.profile.values.get("restart_extra_mm")
        ends = started is not None and started.origin.kind == OriginKind.TRIAL and not started.recheck
        count = max(FEWEST, min(9, self._room(context)))
        return Plan(
            what="coasting" if ends else "restart",
            low_mm=0.0 if ends else -0.3,
            step_mm=0.05 if count == 9 else 0.07,
            count=count,
            high_mm=4.0,
        )

    def check(self, plan: Plan, context: Context) -> dict[str, str]:
        """Refuse what cannot be printed."""
        low, step, count = plan.low_mm, plan.step_mm, plan.count
        if plan.what == "coasting" and low < 0:
            raise InvalidInput("low_mm", "coasting begins at 0: nothing is stopped later than at the end")
        room = self._room(context)
        if count > room or context.printer.bed_y_mm < arches.DEPTH + 40:
            raise InvalidInput("count", f"{room} arches fit on this bed")
        warnings = {}
        high = low + (count - 1) * step
        most = 0.5 if plan.what == "coasting" else 0.2
        if high > most + 1e-9:
            warnings["step_mm"] = f"goes to {high:.2f} mm; more than {most:g} is unusual"
        pulled = context.profile.number("retraction_mm")
        if plan.what == "restart" and -low > pulled:
            warnings["low_mm"] = f"the profile retracts only {pulled:g} mm; less than nothing cannot be pushed"
        return warnings

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """Least first, from the left."""
        return even_steps(plan.low_mm, plan.step_mm, plan.count, least=2)

    def piece(self, plan: Plan, context: Context) -> Piece:
        """The arches on their plate."""
        base, settings = _base(context)
        return arches.arches(self.steps(plan), base, settings.layer_mm, settings.width_mm, plan.high_mm)

    def roads(self, plan: Plan, context: Context, piece: Piece) -> Toolpath:
        """The plate as a solid, every arch one road a layer with its own value."""
        del piece
        base, settings = _base(context)
        steps = self.steps(plan)
        field = "restart_extra_mm" if plan.what == "restart" else "coasting_mm"
        roads = [
            RawPath(arches.line(s.index, len(steps)), Role.OUTER, _with(settings, field, s.value), label=s.label)
            for s in steps
        ]
        layers = range(BASE_LAYERS, BASE_LAYERS + round(plan.high_mm / settings.layer_mm))
        return on_bed(
            union(p.solid for p in arches.plate(steps, base, settings.layer_mm)),
            context,
            settings,
            strokes=dict.fromkeys(layers, roads),
        )

    def readings(self, plan: Plan) -> ToRead:
        """Gaps and blobs of the feet in question; or the cleanest arch."""
        return ToRead(aspects=STARTS if plan.what == "restart" else ENDS, pick="the cleanest arch")

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """Where neither is seen. Too little gives gaps at starts, and blobs at ends."""
        steps = self.steps(plan)
        below, above = (readings.column(aspect.key, steps) for aspect in self.readings(plan).aspects)
        if int((np.isfinite(below) | np.isfinite(above)).sum()) < 3:
            return self._by_pick(plan, steps, readings.picked)
        x = np.array([step.value for step in steps])
        found = fit_vee(x, below, above, unit=UNIT_MM, ratio=EVEN)
        error = holding(self.slug, max(found.error, 0.15 * plan.step_mm))
        low, high = as_good(found.x, found.mean, 5.0)
        state, says = _state(plan, found)
        curve = Curve.of(found.x, found.mean, found.sd, x, 12.5 * (below + above))
        past = beyond(found.edge) if state == "edge" else ""
        if past:
            low, high = found.best - half_90(error), found.best + half_90(error)
        return Result(
            state, found.best, error, min(low, found.best), max(high, found.best), says, curve=curve, beyond=past
        )

    def _by_pick(self, plan: Plan, steps: Sequence[Step], picked: int | None) -> Result:
        if picked is None:
            return Result("few", says="Score three arches, or pick the cleanest.")
        value, error = steps[picked].value, max(PICK_STEPS * plan.step_mm, 0.03)
        notes = ("Picked by eye; scoring all arches makes it surer.",)
        return Result(
            "good",
            value,
            error,
            value - half_90(error),
            value + half_90(error),
            "The cleanest arch, as you picked it.",
            notes,
        )

    def changes(self, plan: Plan, result: Result, context: Context, trial: int) -> dict[str, Value]:
        """The one that was swept, to a hundredth."""
        del context
        if result.value is None:
            return {}
        key = "restart_extra_mm" if plan.what == "restart" else "coasting_mm"
        return {key: Value(round(result.value, 2) + 0.0, self.origin(trial), result.error)}

    def overrides(self, plan: Plan) -> dict[str, str]:
        """The one that is swept."""
        steps = self.steps(plan)
        key = "restart_extra_mm" if plan.what == "restart" else "coasting_mm"
        return {key: f"{steps[0].label} to {steps[-1].label}"}

    def in_words(self, plan: Plan) -> str:
        """From left to right."""
        steps = self.steps(plan)
        what = "restart extra" if plan.what == "restart" else "coasting"
        return f"{len(steps)} arches, {what} {steps[0].label} mm at the left to {steps[-1].label} mm at the right."


def _base(context: Context) -> tuple[float, PrintSettings]:
    settings = usual_settings(context)
    return foot_mm(settings, BASE_LAYERS), settings


def _with(settings: PrintSettings, field: str, value: float) -> PrintSettings:
    return replace(settings, **{field: value})  # type: ignore[arg-type]


def _state(plan: Plan, found: Vee) -> tuple[str, str]:
    if found.misfit > SPLIT_MISFIT:
        return "split", contradict("arches")
    if found.flat:
        return "flat", all_alike(found.x[0], found.x[-1], "mm", 2, "leave it as it is")
    if found.edge:
        way = "more" if found.edge > 0 else "less"
        if plan.what == "coasting" and found.edge < 0:
            return "good", "Ends are even without coasting."
        return "edge", f"The best lies at the end of the row or beyond; print one with {way} next."
    return "good", "Here neither a blob nor a gap is left."
