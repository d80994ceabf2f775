"""The first-layer trial: plan, piece and readings; what it says is in `verdict.py`."""

from __future__ import annotations

from dataclasses import replace

from drumbo.core.catalogue import BY_KEY
from drumbo.core.errors import InvalidInput
from drumbo.core.piece import Piece, union
from drumbo.core.profile import Value
from drumbo.core.toolpath import Toolpath
from drumbo.trials.base import Context, Kind
from drumbo.trials.first_layer import combs
from drumbo.trials.first_layer.plan import LOWEST_MM, MOST_TIMES, Plan
from drumbo.trials.first_layer.verdict import verdict
from drumbo.trials.plan import Bounds
from drumbo.trials.readings import Measure, Readings, Site, Step, ToRead
from drumbo.trials.result import Result
from drumbo.trials.toolkit.roads import on_bed, usual_settings

ROWS = {2: ("front", "back"), 3: ("front", "", "back")}
COLUMNS = {2: ("left", "right"), 3: ("left", "", "right")}


class FirstLayer(Kind[Plan]):
    """Height of the head over the plate, at many places of it."""

    slug = "first-layer"
    plan_type = Plan
    title = "First layer"
    sets = ("first_layer_z_mm", "bed_first_c", "bed_c")
    group = "heat"
    on_demand = True
    shares_bed = False
    step_unit = ""
    about = (
        "Combs of small patches over the whole plate, one layer thick, each patch laid from its own height. The best "
        "patch of every comb tells how high the nozzle really is there: one number for the printer, and a map of the "
        "plate."
    )
    few = "At each comb, type the digits of the patch that is closed and smooth."

    def bounds(self, context: Context) -> dict[str, Bounds]:
        """As far as the printer goes."""
        return {
            "bed_c": Bounds(high=context.printer.bed_max_c),
        }

    def suggest(self, context: Context) -> Plan:
        """Around where the profile runs now; three patches where the plate is small."""
        settings = usual_settings(context)
        plan = Plan(
            middle_mm=round(settings.first_layer_mm + settings.raise_mm, 2),
            step_mm=0.04,
            patches=5,
            across=3,
            bed_c=context.profile.number("bed_first_c"),
            layer_mm=settings.first_layer_mm,
            raise_mm=settings.raise_mm,
        )
        small = self._combs(plan, context).patch_mm < combs.NARROWEST
        return replace(plan, patches=3) if small else plan

    def check(self, plan: Plan, context: Context) -> dict[str, str]:
        """Refuse patches that would scratch the plate or have no room."""
        count = plan.patches
        if count % 2 == 0:
            raise InvalidInput("patches", "must be odd, so that one is in the middle: 3, 5 or 7")
        lowest = min(self._heights(plan)) / 100
        if lowest < LOWEST_MM:
            raise InvalidInput("step_mm", f"puts the lowest patch at {lowest:.2f} mm; {LOWEST_MM} is the least")
        highest = max(self._heights(plan)) / 100 - plan.raise_mm
        if highest > MOST_TIMES * plan.layer_mm:
            room = f"{highest:.2f} mm over the plate, with filament for {plan.layer_mm:g}"
            raise InvalidInput("middle_mm", f"puts the highest patch {room}: it would not touch. Go lower")
        made = self._combs(plan, context)
        if made.patch_mm < combs.NARROWEST:
            raise InvalidInput("patches", f"have no room on {context.printer.name}: {combs.what_fits(made.room[0])}")
        if made.room[1] < combs.deep_mm(made.across):
            raise InvalidInput("across", f"have no room from front to back: {combs.what_fits_deep(made.room[1])}")
        now, warnings = context.profile.numbers().get("first_layer_z_mm", 0.0), {}
        if plan.step_mm < 0.03:
            warnings["step_mm"] = "is finer than an eye tells"
        if plan.raise_mm != now:
            warnings["raise_mm"] = f"is {BY_KEY['first_layer_z_mm'].show(now)} mm in the profile"
        return warnings

    def _heights(self, plan: Plan) -> tuple[int, ...]:
        """Of the head over the patches of a comb, hundredths of a mm."""
        middle, step, count = plan.middle_mm, plan.step_mm, plan.patches
        return tuple(round(100 * (middle + (k - count // 2) * step)) for k in range(int(count)))

    def _combs(self, plan: Plan, context: Context) -> combs.Combs:
        return combs.Combs(self._heights(plan), plan.across, combs.room_of(context.printer))

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """The places, front row first, from the left."""
        across = plan.across
        names = [f"{row} {column}".strip() or "middle" for row in ROWS[across] for column in COLUMNS[across]]
        return tuple(Step(i, float(i), name) for i, name in enumerate(names))

    def piece(self, plan: Plan, context: Context) -> Piece:
        """The combs."""
        return combs.piece(self._combs(plan, context), self.steps(plan), plan.layer_mm)

    def roads(self, plan: Plan, context: Context, piece: Piece) -> Toolpath:
        """Digits as the profile prints, then every patch from its own height."""
        del piece
        made = self._combs(plan, context)
        settings = replace(
            usual_settings(context),
            first_layer_mm=plan.layer_mm, purge=True, skirt_loops=0,
        )  # fmt: skip
        text = union(part.solid for part in combs.digits(made, settings.first_layer_mm))
        return on_bed(text, context, settings, purge=(5, 3),
            strokes={0: combs.strokes(made, settings)},
        )  # fmt: skip

    def bed_for(self, plan: Plan, context: Context) -> tuple[float, float]:
        """The plan's; there is only a first layer."""
        del context
        return plan.bed_c, plan.bed_c

    def readings(self, plan: Plan) -> ToRead:
        """The best patch, and how many of its corners lift."""
        heights, here = self._heights(plan), (Site("here", "here"),)
        return ToRead(measures=(
            Measure("best", "Best patch", "", here, heights[0], heights[-1], 0, "eye",
                    "The digits of the patch that is closed and smooth: gaps say too high, ridges too low. Between "
                    "two that are as good, type what lies between."),
            Measure("lifted", "Corners lifted", "of 4", here, 0, 4, 0, "eye",
                    "Of that patch: how many corners a fingernail takes off the plate."),
        ))  # fmt: skip

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """A plane through the best heights; see `verdict`."""
        return verdict(plan, self._heights(plan), self.steps(plan), readings)

    def changes(self, plan: Plan, result: Result, context: Context, trial: int) -> dict[str, Value]:
        """The correction to a hundredth of a millimetre; the plate's heat where another was tried and it holds."""
        if result.value is None or result.also is None:
            return {}
        origin, heat = self.origin(trial), plan.bed_c
        new = {"first_layer_z_mm": Value(round(result.value, 2), origin, result.error)}
        if heat != context.profile.number("bed_first_c") and result.also["holds"]:
            new |= {key: Value(heat, origin) for key in ("bed_first_c", "bed_c")}
        return new

    def overrides(self, plan: Plan) -> dict[str, str]:
        """The heights, and the plate's heat."""
        heights = self._heights(plan)
        return {
            "first_layer_z_mm": f"patches at {heights[0] / 100:.2f} to {heights[-1] / 100:.2f} mm",
            "bed_first_c": f"{plan.bed_c:g}",
        }

    def in_words(self, plan: Plan) -> str:
        """Combs and heights."""
        heights, across = self._heights(plan), plan.across
        return (
            f"{across**2} combs of {len(heights)} patches, laid from {heights[0] / 100:.2f} to {heights[-1] / 100:.2f} "
            "mm above the plate."
        )

    def instructions(self, plan: Plan, context: Context) -> str:
        """The plate as it is for real prints."""
        del plan, context
        return "Clean the plate, and level or map it as before any other print: what is left over shows here."
