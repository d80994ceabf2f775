"""The flow trial by wall: plan, piece, readings and verdict."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from drumbo.core.counted import counted
from drumbo.core.errors import InvalidInput
from drumbo.core.fit.wall import WallFill, fit_wall, nominal_mm
from drumbo.core.piece import Piece, union
from drumbo.core.profile import OriginKind, Value
from drumbo.core.sure import half_90
from drumbo.core.toolpath import PrintSettings, RawPath, Role, Toolpath
from drumbo.trials.base import Context, Kind
from drumbo.trials.flow_wall import frames
from drumbo.trials.pictures import Spread
from drumbo.trials.plan import Bounds, TrialPlan, ask
from drumbo.trials.readings import Measure, Readings, Site, Step, ToRead
from drumbo.trials.result import Result, check_known
from drumbo.trials.toolkit.roads import check_bed, on_bed, usual_settings
from drumbo.trials.toolkit.verdict import FILAMENT_SHARE
from drumbo.trials.toolkit.wider import holding

FEWEST_READINGS = 4
CONTRADICTION = 4.0
"""Standard errors by which the two walls may differ before something must be wrong."""
WALLS = (1, 2)
INTO = (
    ("all", "everything"),
    ("outer", "outer walls only"),
    ("all-but-first", "everything but the first layer"),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(TrialPlan):
    """Flow, road and wall; what the result is for; what the surface said."""

    flow_ratio: float = ask("Flow ratio of this print", low=0.6, high=1.4, step=0.01)
    width_mm: float = ask("Width of a line", "mm", step=0.01)
    wall_mm: float = ask("Height of the walls", "mm", low=6, high=30, step=1)
    heights: int = ask(
        "Heights to measure at", low=2, high=3, whole=True, help="At each, all four sides of both rings."
    )
    known_ratio: float | None = ask(
        "By surface it was", low=0.6, high=1.4, required=False, help="To be told whether walls and tops agree."
    )
    known_error: float | None = ask("known to ±", low=0.0005, high=0.2, required=False)
    into: str = ask("Take it into", kind="choice", choices=INTO, late=True)


class FlowWall(Kind[Plan]):
    """Flow ratio from the width of walls."""

    slug = "flow-wall"
    plan_type = Plan
    title = "Flow by wall"
    sets = ("flow_ratio", "flow_outer_share", "flow_first_share")
    group = "flow"
    step_unit = "mm"
    about = (
        "Two rings, their walls one and two lines thick, printed at the profile's flow. Callipers tell how wide the "
        "walls came out, and so how full their lines are. What each should measure lies before it in digits."
    )
    few = "Measure a wall with callipers: type a number and Enter, the next field waits."

    def bounds(self, context: Context) -> dict[str, Bounds]:
        """As far as the printer goes."""
        nozzle = context.printer.nozzle_mm
        return {
            "width_mm": Bounds(low=round(nozzle * 0.9, 2), high=round(nozzle * 1.6, 2)),
        }

    def suggest(self, context: Context) -> Plan:
        """As the profile prints."""
        held = context.profile.values["flow_ratio"]
        measured = held.origin.kind == OriginKind.TRIAL and not held.recheck and held.error is not None
        return Plan(
            flow_ratio=held.number,
            width_mm=usual_settings(context).width_mm,
            wall_mm=10.0,
            heights=3,
            known_ratio=held.number if measured else None,
            known_error=held.error if measured else None,
            into="all",
        )

    def check(self, plan: Plan, context: Context) -> dict[str, str]:
        """Refuse what does not fit; warn of another flow than the profile's."""
        printer = context.printer
        check_bed("wall_mm", printer, frames.WIDTH + 8, frames.DEPTH + 40)
        if plan.wall_mm + 2 > printer.height_mm:
            raise InvalidInput("wall_mm", f"{printer.name} prints no higher than {printer.height_mm:g} mm")
        check_known(plan, "known_ratio", "known_error")
        warnings = {}
        now = context.profile.number("flow_ratio")
        if abs(plan.flow_ratio - now) > 1e-9:
            warnings["flow_ratio"] = f"the profile prints at {now:g}; the result counts from what this piece has"
        return warnings

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """The two rings, by the width that they should have on a usual layer."""
        return tuple(Step(i, width, f"{width:.2f}") for i, width in enumerate(self._widths(plan)))

    def _widths(self, plan: Plan) -> tuple[float, float]:
        spacing, layer = self._road(plan)
        return nominal_mm(1, spacing, layer), nominal_mm(2, spacing, layer)

    def _road(self, plan: Plan) -> tuple[float, float]:
        """Spacing and height of the walls' roads, mm."""
        width = plan.width_mm
        layer = round(min(0.2, width / 2), 2)
        return PrintSettings(width_mm=width, layer_mm=layer).spacing(layer), layer

    def piece(self, plan: Plan, context: Context) -> Piece:
        """Both rings on their plate."""
        base, settings = self._base(context)
        labels = [s.label for s in self.steps(plan)]
        wall, heights = plan.wall_mm, plan.heights
        return frames.frames(self._widths(plan), labels, base, settings.layer_mm, wall, heights)

    def _base(self, context: Context) -> tuple[float, PrintSettings]:
        settings = usual_settings(context)
        return settings.first_layer_mm + 2 * settings.layer_mm, settings

    def roads(self, plan: Plan, context: Context, piece: Piece) -> Toolpath:
        """The plate as a solid, the rings road by road."""
        del piece
        base, settings = self._base(context)
        spacing, layer = self._road(plan)
        flow, width = plan.flow_ratio, plan.width_mm
        drawn = replace(settings, flow_ratio=flow, flow_outer_share=1.0, width_mm=width, layer_mm=layer)
        plate = union(p.solid for p in frames.plate(self._widths(plan), [s.label for s in self.steps(plan)],
                                                    base, settings.layer_mm))  # fmt: skip
        rings = [
            RawPath(frames.ring(middle, width / 2 + k * spacing), Role.OUTER, drawn)
            for middle, walls in zip(frames.middles(), WALLS, strict=True)
            for k in reversed(range(walls))
        ]
        layers = range(3, 3 + round(plan.wall_mm / settings.layer_mm))
        return on_bed(
            plate,
            context,
            settings,
            strokes=dict.fromkeys(layers, rings),
        )

    def readings(self, plan: Plan) -> ToRead:
        """Four sides at every height."""
        sites = tuple(Site(*key) for key in frames.site_keys(plan.heights))
        how = "Close the jaws on the wall alone, at the middle of a side."
        return ToRead(measures=(Measure("width", "Wall", "mm", sites, 0.1, 5.0, 2, "calliper", how),))

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """Fill of the roads → the flow that would fill them to 1."""
        names = [(site.key, site.name) for site in self.readings(plan).measures[0].sites]
        taken = [
            [(name, value) for key, name in names if (value := readings.measured("width", step, key)) is not None]
            for step in (0, 1)
        ]
        count = sum(len(numbers) for numbers in taken)
        if count < FEWEST_READINGS or max(len(numbers) for numbers in taken) < FEWEST_READINGS - 1:
            left = max(FEWEST_READINGS - count, 1)
            return Result("few", says=f"Measure {counted(left, 'more place')}; four tell something.")
        spacing, layer = self._road(plan)
        single, double = ([value for _, value in numbers] for numbers in taken)
        found = fit_wall(single, double, spacing, layer)
        flow = plan.flow_ratio
        value = flow / found.fill
        error = holding("flow-wall", value * math.hypot(found.error / found.fill, FILAMENT_SHARE))
        return Result(
            state="split" if abs(found.apart) > CONTRADICTION else "good",
            value=value, error=error, low=value - half_90(error), high=value + half_90(error),
            says=_says(found), notes=_notes(plan, found, taken, value, error),
            spreads=_spreads(found, taken, self._widths(plan)),
        )  # fmt: skip

    def changes(self, plan: Plan, result: Result, context: Context, trial: int) -> dict[str, Value]:
        """The flow ratio for everything, or for outer walls alone, or with the first layer left as it was."""
        if result.value is None or result.error is None:
            return {}
        profile = context.profile
        old, new = profile.number("flow_ratio"), round(result.value, 3)
        origin = self.origin(trial)
        if plan.into == "outer":
            return {"flow_outer_share": Value(round(new / old, 3), origin, result.error / old)}
        changes = {"flow_ratio": Value(new, origin, result.error)}
        if plan.into == "all-but-first":
            first = profile.values["flow_first_share"].number if "flow_first_share" in profile.values else 1.0
            kept = self.origin(trial, f"as it was: {old * first:.3f} in all")
            changes["flow_first_share"] = Value(round(old * first / new, 3), kept)
        return changes

    def in_words(self, plan: Plan) -> str:
        """Both rings."""
        one, two = (step.label for step in self.steps(plan))
        return f"Two rings, their walls {one} and {two} mm thick if all is right, at a flow of {plan.flow_ratio:g}."

    def overrides(self, plan: Plan) -> dict[str, str]:
        """The rings' own flow."""
        return {"flow_ratio": f"{plan.flow_ratio:g}"}

    def wants(self, context: Context) -> str | None:
        """Another way to what the surface tells; nobody needs both."""
        del context
        return None


def _says(found: WallFill) -> str:
    if abs(found.apart) > CONTRADICTION:
        return "The two rings contradict each other; measure again, above all where the seam is."
    departs = (found.fill - 1) * 100
    if abs(departs) < 100 * half_90(found.error):
        return "The walls are as wide as they should be, as far as callipers can tell."
    return f"The walls' lines are {abs(departs):.1f} % {'too full' if departs > 0 else 'too empty'}."


def _notes(
    plan: Plan, found: WallFill, taken: Sequence[Sequence[tuple[str, float]]], value: float, error: float
) -> tuple[str, ...]:
    notes = []
    for ring, numbers, kept in zip(("single", "double"), taken, found.kept, strict=True):
        out = [f"{number:.2f} at {name}" for (name, number), keep in zip(numbers, kept, strict=True) if not keep]
        if out:
            notes.append(f"Left out of the {ring} wall: {', '.join(out)}; it stands apart from the others.")
    known, known_error = plan.known_ratio, plan.known_error
    if isinstance(known, float) and isinstance(known_error, float):
        notes.append(_against_surface(value, error, known, known_error))
    return tuple(notes)


def _against_surface(value: float, error: float, known: float, known_error: float) -> str:
    """Whether walls and tops agree, and what it means if they do not."""
    both = (error**2 + known_error**2) ** 0.5
    if abs(value - known) < 2 * both:
        return f"It agrees with the surface ({known:.3f} ± {half_90(known_error):.3f})."
    if value < known:
        return (
            f"The surface closes at {known:.3f} only: walls bulge more than tops need. Take it for outer walls "
            "alone, or leave the flow and set a size offset."
        )
    return (
        f"The surface closes at {known:.3f} already: walls come out thinner than tops. Outer walls may run too fast "
        "for the melt, or the first readings were of the seam."
    )


def _spreads(
    found: WallFill, taken: Sequence[Sequence[tuple[str, float]]], widths: tuple[float, float]
) -> tuple[Spread, ...]:
    return tuple(
        Spread(
            name=f"{ring} wall",
            unit="mm",
            decimals=2,
            points=tuple((name, value, bool(keep)) for (name, value), keep in zip(numbers, kept, strict=True)),
            mean=mean,
            error=error,
            aim=width,
        )
        for ring, numbers, kept, mean, error, width in zip(
            ("single", "double"), taken, found.kept, found.means, found.errors, widths, strict=True
        )
        if numbers
    )
