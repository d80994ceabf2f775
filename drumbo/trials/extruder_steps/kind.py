"""Extruder steps: a trial of the printer, made with whatever spool is loaded."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from manifold3d import Manifold

from drumbo.core.errors import InvalidInput
from drumbo.core.gcode.dialects import dialect
from drumbo.core.piece import Part, Piece, Place, block, union
from drumbo.core.piece.piece import Jaw
from drumbo.core.sure import half_90
from drumbo.core.toolpath import Role, Toolpath
from drumbo.core.toolpath.columns import Event, Set
from drumbo.trials.base import Context, Kind
from drumbo.trials.pictures import Spread
from drumbo.trials.plan import TrialPlan, ask
from drumbo.trials.readings import Measure, Readings, Site, Step, ToRead
from drumbo.trials.result import Result
from drumbo.trials.toolkit.wider import holding

CHUNK_MM = 5.0
MARK_SD_MM = 0.4
"""A pen mark on filament is placed and found again within about so much."""
USUAL_STEPS = 400.0
SITES = (Site("first", "first run"), Site("second", "second run"), Site("third", "third run"))
HIGH_MM = 30.0
FAR_OFF = 0.15
"""A feed that departs further than this is not a matter of steps."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(TrialPlan):
    """What the firmware has now, and how far to feed."""

    steps_now: float = ask(
        "Steps that it has now",
        "steps/mm",
        low=20,
        high=5000,
        step=0.1,
        help="The printer reports it when asked with M92 or M503; it also stands in its configuration.",
    )
    asked_mm: float = ask("Length to feed", "mm", low=20, high=150, step=10, help="100 is usual.")
    mark_mm: float = ask(
        "Mark above the drive",
        "mm",
        low=30,
        high=200,
        step=10,
        help="Further than the length to feed, so that the mark stays in sight.",
    )
    speed_mm_s: float = ask(
        "Speed of the filament",
        "mm/s",
        low=0.2,
        high=5,
        step=0.1,
        help="Slow enough that melting holds nothing back; 1 is usual.",
    )


class ExtruderSteps(Kind[Plan]):
    """Steps per millimetre, from what is left of a marked length."""

    slug = "extruder-steps"
    plan_type = Plan
    title = "Extruder steps"
    sets = ("extruder_steps_mm",)
    group = "flow"
    step_unit = "mm asked"
    solid = False
    shares_bed = False
    about = (
        "Mark the filament above the drive, let the printer feed a known length slowly and hot, and measure what is "
        "left to the mark. It belongs to the printer, not to a profile: once, before any flow trial."
    )
    few = "Measure from the drive to the mark; one number is enough, three are surer."

    def suggest(self, context: Context) -> Plan:
        """100 mm of 120, slowly."""
        area = math.pi * context.profile.number("filament_diameter_mm") ** 2 / 4
        gentle = 0.5 * context.profile.number("max_flow_mm3_s") / area
        return Plan(
            steps_now=context.printer.extruder_steps_mm or USUAL_STEPS,
            asked_mm=100.0,
            mark_mm=120.0,
            speed_mm_s=max(0.2, min(1.0, math.floor(gentle * 10) / 10)),
        )

    def check(self, plan: Plan, context: Context) -> dict[str, str]:
        """Refuse a mark that would go into the drive; warn of what melting would hold back."""
        asked, mark = plan.asked_mm, plan.mark_mm
        least = math.ceil(1.1 * asked - 1e-6)
        if mark < least:
            raise InvalidInput("mark_mm", f"must be at least {least} mm: the mark must not reach the drive")
        warnings = {}
        area = math.pi * context.profile.number("filament_diameter_mm") ** 2 / 4
        flow = plan.speed_mm_s * area
        if flow > 0.7 * context.profile.number("max_flow_mm3_s"):
            warnings["speed_mm_s"] = f"that is {flow:.1f} mm³/s; melting may hold it back and spoil the result"
        known = context.printer.extruder_steps_mm
        if known is None:
            warnings["steps_now"] = f"it is not known yet what {context.printer.name} has; look it up"
        elif abs(known - plan.steps_now) > 1e-6:
            warnings["steps_now"] = f"{context.printer.name} is known to have {known:g}"
        if dialect(context.printer.dialect).extruder_steps is None:
            warnings["asked_mm"] = "this firmware takes its steps from a configuration file; set the result there"
        return warnings

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """One: the length asked for."""
        asked = plan.asked_mm
        return (Step(0, asked, f"{asked:g}"),)

    def piece(self, plan: Plan, context: Context) -> Piece:
        """A picture of what to do: the filament above the drive, with its mark and where that should end."""
        asked, mark = plan.asked_mm, plan.mark_mm
        radius = context.profile.number("filament_diameter_mm") / 2
        rod = Manifold.cylinder(mark + HIGH_MM, radius, radius, 16).translate((0, 0, 12))
        drive = block((-18, -8, 0), (18, 8, 12))
        parts = (
            Part("foot", drive),
            Part("wall", rod),
            Part("digits", _ring(radius, 12 + mark)),
            Part("rung", _ring(radius, 12 + mark - asked)),
        )
        place = Place(0, asked, f"{asked:g}", (-18, -8, 12 + mark - asked), (18, 8, 12 + mark))
        jaws = tuple(Jaw("left", 0, s.key, (0.0, 0.0), (0.0, mark), 0.0, tool="filament") for s in SITES)
        return Piece("filament", union(p.solid for p in parts), parts, (place,), jaws)

    def roads(self, plan: Plan, context: Context, piece: Piece) -> Toolpath:
        """Filament alone moves, in short stretches so that progress shows."""
        del piece
        asked = plan.asked_mm
        count = math.ceil(asked / CHUNK_MM)
        (low_x, low_y), high = context.printer.bed_low, min(50.0, context.printer.height_mm / 2)
        x, y, z = low_x + 20.0, low_y + 20.0, high
        same = np.ones(count)
        return Toolpath(
            start=(x, y, z), x=x * same, y=y * same, z=z * same,
            e_mm=asked / count * same, speed=plan.speed_mm_s * same,
            role=np.full(count, Role.PURGE, np.uint8), layer=np.zeros(count, np.int32), height=0.0 * same,
            events=(Event(0, Set.NOTE, text=f"feeds {asked:g} mm"),),
            width_mm=context.printer.nozzle_mm, accel_mm_s2=context.printer.accel_mm_s2,
            junction_mm_s=context.printer.junction_mm_s,
        )  # fmt: skip

    def first_layer_c(self, plan: Plan, context: Context) -> float:
        """The heat of usual layers; nothing is laid on the plate."""
        del plan
        return context.profile.number("nozzle_c")

    def printer_for(self, plan: Plan, context: Context) -> dict[str, float]:
        """The file sets the steps that it counts from, so that nothing else can be meant."""
        del context
        return {"extruder_steps_mm": plan.steps_now}

    def readings(self, plan: Plan) -> ToRead:
        """What is left, once or more."""
        how = "From where the filament enters the drive up to the mark. For another run, mark it again and print again."
        high = plan.mark_mm + 20
        return ToRead(measures=(Measure("left", "Left to the mark", "mm", SITES, -20, high, 1, "filament", how),))

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """new = old × asked ÷ moved. 415 steps, 100 mm asked, 97 moved → 427.8."""
        runs = [(s.name, v) for s in SITES if (v := readings.measured("left", 0, s.key)) is not None]
        if not runs:
            return Result("few", says="Measure what is left to the mark.")
        asked, mark, now = plan.asked_mm, plan.mark_mm, plan.steps_now
        moved = np.array([mark - left for _, left in runs])
        mean = float(moved.mean())
        if mean <= 0:
            return Result("few", says=f"Nothing moved by these numbers: the mark was {mark:g} mm above the drive.")
        scatter = max(float(moved.std(ddof=1)) if len(moved) > 1 else 0.0, MARK_SD_MM)
        error_mm = holding(self.slug, scatter / math.sqrt(len(moved)))
        value = now * asked / mean
        error = value * error_mm / mean
        return Result(
            state="split" if abs(mean / asked - 1) > FAR_OFF else "good",
            value=value, error=error, low=value - half_90(error), high=value + half_90(error),
            says=_says(mean, asked, error_mm), notes=_notes(moved, scatter),
            spreads=(Spread("Fed", "mm", 1, tuple((name, round(mark - left, 2), True) for name, left in runs),
                            mean, error_mm, asked),),
        )  # fmt: skip

    def in_words(self, plan: Plan) -> str:
        """One feed."""
        return f"{plan.asked_mm:g} mm of filament, fed slowly into the air."

    def overrides(self, plan: Plan) -> dict[str, str]:
        """Nothing of the profile."""
        del plan
        return {}

    def instructions(self, plan: Plan, context: Context) -> str:
        """Mark first."""
        del context
        mark, asked = plan.mark_mm, plan.asked_mm
        return (
            f"Mark the filament {mark:g} mm above where it enters the drive. The file then heats and feeds {asked:g} "
            f"mm slowly into the air; {mark - asked:g} mm should be left."
        )

    def wants(self, context: Context) -> str | None:
        """Once per printer, before flow is measured."""
        if context.printer.extruder_steps_mm is not None or super().wants(context) is None:
            return None
        return f"It is not known yet how many steps {context.printer.name} takes; every flow rests on that."


def _ring(radius: float, z: float) -> Manifold:
    return Manifold.cylinder(1.2, radius + 1.6, radius + 1.6, 16).translate((0, 0, z - 0.6))


def _says(moved: float, asked: float, error_mm: float) -> str:
    share = moved / asked - 1
    if abs(share) > FAR_OFF:
        return (
            f"{moved:.1f} mm came where {asked:g} were asked: that is no matter of steps. Look whether the drive slips "
            "or the mark was mistaken."
        )
    if abs(moved - asked) < half_90(error_mm):
        return f"{moved:.1f} mm came where {asked:g} were asked: right, as far as a pen mark can tell."
    way = "much" if share > 0 else "little"
    return f"{moved:.1f} mm came where {asked:g} were asked, {abs(share) * 100:.1f} % too {way}."


def _notes(moved: np.ndarray, scatter: float) -> tuple[str, ...]:
    notes = []
    if len(moved) == 1:
        notes.append("One run; two or three would make it surer.")
    if scatter > 2.5 * MARK_SD_MM:
        notes.append("The runs differ more than a pen mark explains; does the drive slip?")
    return tuple(notes)
