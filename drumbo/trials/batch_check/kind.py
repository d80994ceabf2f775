"""The batch check: plan, piece, readings; what it says is in `verdict.py`."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from drumbo.core.catalogue import BY_KEY
from drumbo.core.errors import InvalidInput
from drumbo.core.fields import Scalar
from drumbo.core.piece import Piece
from drumbo.core.profile import OriginKind, Value
from drumbo.core.toolpath import Override, PrintSettings, Toolpath, Zone, settings_for
from drumbo.trials.base import Context, Kind
from drumbo.trials.batch_check import terrace
from drumbo.trials.batch_check.plan import COLDEST_C, LEAST_HEAT_C, Plan
from drumbo.trials.batch_check.verdict import CHECKED, verdict
from drumbo.trials.plan import Bounds
from drumbo.trials.readings import Aspect, Readings, Step, ToRead
from drumbo.trials.result import Result
from drumbo.trials.toolkit.checklist import ONCE, with_looked
from drumbo.trials.toolkit.roads import FAR, check_bed, foot_mm, on_bed, usual_settings, whole_layers_mm

PROOF_KEY = "proof_percent"
"""What was proven holds for a batch in which all is the same."""
STAIRS, RISE_MM, FOOT_LAYERS = 3, 3.0, 2

ASPECTS: tuple[Aspect, ...] = (
    Aspect("bridge", "Tunnel", ("hangs in loops", "sags plainly", "sags a little", "almost flat", "flat, no sag"),
           "The tunnel's roof in each riser."),
    Aspect("surface", "Faces", ("gaps or burnt", "patchy", "uneven sheen", "even, slightly dull", "even and closed"),
           "The plain sides of each stair."),
    Aspect("bond", "Bond", ("falls apart", "splits at a touch", "splits easily", "splits with force", "will not part"),
           "Snap the posts off at each stair's height."),
    Aspect("gaps", "Top closed", ("open lines", "many pin-holes", "some pin-holes", "a few", "closed"),
           "The top of each stair, against the light."),
    Aspect("ridges", "Top flat", ("plough marks", "plain ridges", "felt with a nail", "just felt", "flat"),
           "The top of each stair, under a fingernail."),
    Aspect("strings", "Strings", ("a web", "heavy threads", "threads", "a few wisps", "none"),
           "In the air between stairs and posts."),
)  # fmt: skip


class BatchCheck(Kind[Plan]):
    """Temperature, flow and retraction as the profile has them, and one step to either side."""

    slug = "batch-check"
    version = 2
    plan_type = Plan
    title = "Batch check"
    sets = ("batch", *CHECKED, PROOF_KEY)
    aspects = ASPECTS
    group = "heat"
    layers_wait = False
    step_unit = "°C"
    about = (
        "For a new batch of a material that you know. Three stairs: the middle one as the profile prints, the lower "
        "one hotter, with less flow and a longer retraction, the upper one the other way. It says what is the same as "
        "before, and which trial to repeat where it is not."
    )
    few = "Score all three stairs; the middle one is as the profile prints."

    def bounds(self, context: Context) -> dict[str, Bounds]:
        """As far as the printer goes."""
        top = context.printer.nozzle_max_c
        return {
            "nozzle_c": Bounds(high=top),
        }

    def suggest(self, context: Context) -> Plan:
        """The profile's values with usual steps."""
        numbers, bowden = context.profile.numbers(), context.printer.drive == "bowden"
        heat = min(8.0, max(context.printer.nozzle_max_c - numbers["nozzle_c"], LEAST_HEAT_C))
        return Plan(
            batch=numbers.get("batch", 1.0),
            nozzle_c=numbers["nozzle_c"],
            heat_c=heat,
            flow_ratio=numbers["flow_ratio"],
            flow_percent=4.0,
            retraction_mm=numbers["retraction_mm"],
            pull_mm=1.0 if bowden else 0.3,
            looked=ONCE,
        )

    def lift(self, version: int, plan: Mapping[str, Scalar]) -> Mapping[str, Scalar]:
        """Version 1 did not ask to look again."""
        return with_looked(plan) if version < 2 else plan

    def check(self, plan: Plan, context: Context) -> dict[str, str]:
        """Refuse what is too hot or does not fit; warn where the middle is not what the profile has."""
        why_not = self.hindered(context)
        if why_not:
            raise InvalidInput("heat_c", why_not)
        printer, hot = context.printer, plan.nozzle_c + plan.heat_c
        if hot > printer.nozzle_max_c:
            raise InvalidInput("heat_c", f"makes {hot:g} °C; {printer.name} may run {printer.nozzle_max_c:g}")
        if plan.nozzle_c - plan.heat_c < COLDEST_C:
            cold = plan.nozzle_c - plan.heat_c
            raise InvalidInput("nozzle_c", f"makes {cold:g} °C on the cooler stair; below {COLDEST_C:g} nothing flows")
        check_bed("heat_c", printer, terrace.WIDTH + 20, terrace.depth(STAIRS) + 40)
        return {
            key: f"the profile has {BY_KEY[key].show(context.profile.number(key))}: the check is of that"
            for key in CHECKED
            if plan[key] != context.profile.number(key)
        }

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """Hottest first, as printed."""
        middle, by = plan.nozzle_c, plan.heat_c
        return tuple(Step(i, middle + by * (1 - i), f"{middle + by * (1 - i):g}") for i in range(STAIRS))

    def piece(self, plan: Plan, context: Context) -> Piece:
        """The terrace; stairs are whole layers."""
        settings = usual_settings(context)
        foot = foot_mm(settings, FOOT_LAYERS)
        rise = whole_layers_mm(RISE_MM, settings)
        return terrace.terrace(self.steps(plan), rise, foot)

    def roads(self, plan: Plan, context: Context, piece: Piece) -> Toolpath:
        """Heat, flow and pull-back by stair."""
        printer = context.printer
        numbers = {**context.profile.numbers(), **{key: getattr(plan, key) for key in CHECKED}}
        zones = [
            Zone((-FAR, -FAR, p.low[2]), (FAR, FAR, p.high[2]), self._settings(plan, p.index), p.label)
            for p in piece.places
        ]
        return on_bed(piece.solid, context, _one_skirt(settings_for(numbers, printer)), zones=zones,
            overrides=[Override(p.low[2], p.value, f"{p.label} °C") for p in piece.places],
        )  # fmt: skip

    def _settings(self, plan: Plan, index: int) -> dict[str, float]:
        flow, pull = plan.flow_ratio, plan.retraction_mm
        away = index - 1
        return {
            "flow_ratio": flow * (1 + away * plan.flow_percent / 100),
            "retraction_mm": max(pull - away * plan.pull_mm, 0.0),
        }

    def readings(self, plan: Plan) -> ToRead:
        """Six aspects of three stairs."""
        del plan
        return ToRead(aspects=self.aspects)

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """What is the same as before; see `verdict`."""
        return verdict(plan, self.steps(plan), readings, {aspect.key: aspect.name for aspect in self.aspects})

    def changes(self, plan: Plan, result: Result, context: Context, trial: int) -> dict[str, Value]:
        """The batch is known; what is the same keeps its number and where that came from, and holds for this batch.

        Nothing of it holds for another batch than was checked, nor for a value that is not the one that was printed.
        """
        held, batch = context.profile.values, context.profile.numbers().get("batch", 1.0)
        if result.value is None or result.also is None or batch != plan.batch:
            return {}
        same = [key for key in CHECKED if result.also.get(key) and held[key].number == plan[key]]
        if len(same) == len(CHECKED) and PROOF_KEY in held:
            same.append(PROOF_KEY)
        note = f"the same in batch {batch:g}, trial {trial}"
        return {
            "batch": Value(batch, self.origin(trial)),
            **{key: replace(held[key], recheck=None, basis={}, still_good=note, doubt="") for key in same},
        }

    def wants(self, context: Context) -> str | None:
        """Once a new batch is on the holder and nobody has checked it."""
        values = context.profile.values
        batch = values.get("batch")
        if batch is None or batch.origin.kind == OriginKind.TRIAL or self.hindered(context):
            return None
        waiting = [key for key in CHECKED if values[key].basis.get("batch", batch.number) != batch.number]
        if not waiting:
            return None
        return f"Batch {batch.number:g} is new: ten minutes tell what is the same as before."

    def hindered(self, context: Context) -> str | None:
        """A profile at the printer's limit leaves no room for a hotter stair."""
        here, most = context.profile.number("nozzle_c"), context.printer.nozzle_max_c
        if here + LEAST_HEAT_C <= most:
            return None
        return f"the profile runs at {here:g} °C and {context.printer.name} at {most:g} at most; repeat its own trials"

    def overrides(self, plan: Plan) -> dict[str, str]:
        """Three values, three steps each."""
        heats = " / ".join(step.label for step in self.steps(plan))
        settings = [self._settings(plan, index) for index in range(STAIRS)]
        return {
            "nozzle_c": heats,
            "flow_ratio": " / ".join(f"{s['flow_ratio']:.3f}" for s in settings),
            "retraction_mm": " / ".join(f"{s['retraction_mm']:.1f}" for s in settings),
        }

    def in_words(self, plan: Plan) -> str:
        """From the bottom up."""
        labels = ", ".join(step.label for step in self.steps(plan))
        return f"Three stairs of {labels} °C; flow and retraction change with them."

    def first_layer_c(self, plan: Plan, context: Context) -> float:
        """As the profile has it."""
        del plan
        return context.profile.number("nozzle_first_c")


def _one_skirt(settings: PrintSettings) -> PrintSettings:
    """One round of skirt is enough for so small a piece; a printer that wants none gets none."""
    return replace(settings, skirt_loops=min(settings.skirt_loops, 1))
