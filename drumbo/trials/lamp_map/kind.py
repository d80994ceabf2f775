"""The lamp map: plan, skins over the screen, readings and verdict."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from manifold3d import CrossSection

from drumbo.core.counted import counted
from drumbo.core.errors import InvalidInput
from drumbo.core.fit.callipers import SKIN_SD_UM
from drumbo.core.light.job import LayerJob, on_glass
from drumbo.core.light.lamp import EVEN, FEWEST, FoundLamp, fit_lamp
from drumbo.core.piece import Jaw, Part, Piece, Place, text_shape, union
from drumbo.core.profile import Value
from drumbo.core.resin import USUAL_REACH_UM
from drumbo.core.sure import half_90
from drumbo.trials.pictures import Map, MapSpot
from drumbo.trials.plan import TrialPlan, ask
from drumbo.trials.readings import Measure, Readings, Site, Step, ToRead
from drumbo.trials.result import Result
from drumbo.trials.toolkit.layered import MARGIN_MM, LayerKind, ResinContext, screen_of
from drumbo.trials.toolkit.wider import holding

SKIN_WIDE, SKIN_DEEP, CUT = 9.0, 10.0, 1.4
DIGITS_HIGH, STROKE = 3.2, 0.65
JAW_MM = 3.0
SHOWN_MM, SAME_MM = 0.3, 0.02
OVER = 5.0
"""Skins are lit so many times the exposure of a layer: thick enough to be taken off whole."""
REACH_ERROR = 0.15
"""How well a usual depth is known, as a share, where nothing was measured."""
SITES = (Site("once", "once"), Site("again", "again"))


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(TrialPlan):
    """Where, how long, and how deep light reaches."""

    columns: int = ask("From left to right", "skins", low=3, high=9, whole=True)
    rows: int = ask("From front to back", "skins", low=3, high=7, whole=True)
    seconds: float = ask("Light", "s", low=0.5, high=600, step=0.5, help="The same for all.")
    reach_um: float = ask("Penetration depth", "µm", low=30, high=500,
                          help="Of this resin, as its working curve told it. It scales the map.")  # fmt: skip
    power_percent: float = ask("Light power", "%", low=5, high=100)
    wide_mm: float = ask("Screen, width", "mm", low=20, high=1000)
    deep_mm: float = ask("Screen, depth", "mm", low=20, high=1000)


class LampMapTrial(LayerKind[Plan]):
    """How even the light is over the screen."""

    slug = "lamp-map"
    plan_type = Plan
    title = "Lamp map"
    sets = ("lamp_uneven_percent",)
    group = "light"
    step_unit = ""
    called = "skins"
    ends = ("at the front left", "at the back right")
    about = (
        "Skins over the whole screen, all lit for the same time: a thicker one had more light. It belongs to the "
        "printer, not to a resin: the map says where fine parts go, and evens pictures where the printer takes greys. "
        "Use a resin whose working curve you know."
    )
    few = "Rinse the skins, close the jaws on each: type a number and Enter, the next field waits."

    def suggest(self, context: ResinContext) -> Plan:
        """As many skins as have room, up to six by four."""
        wide, deep = context.printer.size_mm
        numbers = context.profile.numbers()
        return Plan(
            columns=int(min(6, max((wide - 2 * MARGIN_MM) // (SKIN_WIDE + 2), 3))),
            rows=int(min(4, max((deep - 2 * MARGIN_MM) // (SKIN_DEEP + 2), 3))),
            seconds=float(max(round(numbers["exposure_s"] * OVER), 1)),
            reach_um=numbers.get("penetration_um", USUAL_REACH_UM),
            power_percent=numbers["power_percent"],
            wide_mm=round(wide, 2),
            deep_mm=round(deep, 2),
        )

    def check(self, plan: Plan, context: ResinContext) -> dict[str, str]:
        """Refuse another screen than the printer's, and what has no room; warn where the depth was not measured."""
        wide, deep = context.printer.size_mm
        for key, typed, real in (("wide_mm", plan.wide_mm, wide), ("deep_mm", plan.deep_mm, deep)):
            if abs(typed - real) > SAME_MM:
                raise InvalidInput(key, f"is {real:.2f} mm on {context.printer.name}: the map is of its whole screen")
        for key, count, each, room in (
            ("columns", plan.columns, SKIN_WIDE, wide), ("rows", plan.rows, SKIN_DEEP, deep),
        ):  # fmt: skip
            if count * (each + 1) > room - 2 * MARGIN_MM:
                raise InvalidInput(key, f"have no room on {room:.0f} mm; {int((room - 2 * MARGIN_MM) / (each + 1))} do")
        if "penetration_um" not in context.profile.values:
            return {"reach_um": "was not measured for this resin; the map's numbers may be a tenth or two off"}
        return {}

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """Front row first, from the left."""
        return tuple(Step(k, float(k + 1), f"{k + 1}") for k in range(plan.columns * plan.rows))

    def _middles(self, plan: Plan) -> list[tuple[float, float]]:
        across = (plan.wide_mm - SKIN_WIDE) / 2 - MARGIN_MM
        along = (plan.deep_mm - SKIN_DEEP) / 2 - MARGIN_MM
        return [(float(x), float(y)) for y in np.linspace(-along, along, plan.rows)
                for x in np.linspace(-across, across, plan.columns)]  # fmt: skip

    def piece(self, plan: Plan, context: ResinContext) -> Piece:
        """All skins, and where each is measured."""
        del context
        parts, places, jaws = [], [], []
        for step, (x, y) in zip(self.steps(plan), self._middles(plan), strict=True):
            parts.append(Part("wall", _skin(step.label, (x, y)).extrude(SHOWN_MM)))
            at = y + SKIN_DEEP / 4
            jaws += [Jaw("skin", step.index, s.key, (x - JAW_MM / 2, at), (x + JAW_MM / 2, at), 0.0, "skin")
                     for s in SITES]  # fmt: skip
            low, high = (x - SKIN_WIDE / 2, y - SKIN_DEEP / 2, 0.0), (x + SKIN_WIDE / 2, y + SKIN_DEEP / 2, SHOWN_MM)
            places.append(Place(step.index, step.value, step.label, low, high, axis=1))
        return Piece("skins", union(p.solid for p in parts), tuple(parts), tuple(places), tuple(jaws))

    def job(self, plan: Plan, context: ResinContext, title: Sequence[str]) -> LayerJob:
        """All lit at once, for the same time."""
        patches = [(_skin(step.label, middle), plan.seconds)
                   for step, middle in zip(self.steps(plan), self._middles(plan), strict=True)]  # fmt: skip
        return on_glass(patches, plan.power_percent / 100, screen_of(context), apart=True, title=title)

    def readings(self, plan: Plan) -> ToRead:
        """Every skin, twice where somebody wants to be surer."""
        del plan
        how = "Rinse it, lay it flat, close the jaws gently on the half without digits. A second time makes it surer."
        return ToRead(measures=(Measure("skin", "Skin", "mm", SITES, 0.01, 3.0, 3, "skin", how),))

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """A smooth surface through the light that each thickness tells of."""
        steps, middles = self.steps(plan), np.array(self._middles(plan))
        read = {step.index: [v for s in SITES if (v := readings.measured("skin", step.index, s.key)) is not None]
                for step in steps}  # fmt: skip
        rows = [index for index, numbers in read.items() if numbers]
        if len(rows) < max(FEWEST, len(steps) // 2):
            left = max(FEWEST, len(steps) // 2) - len(rows)
            return Result("few", says=f"Measure {counted(left, 'more skin')}, spread over the screen.")
        at = middles[rows] / np.array([plan.wide_mm / 2, plan.deep_mm / 2])
        depth_um = np.array([1000 * float(np.mean(read[index])) for index in rows])
        times = min(len(read[index]) for index in rows)
        found = fit_lamp(at, depth_um / plan.reach_um, SKIN_SD_UM / plan.reach_um / math.sqrt(times))
        return _told(plan, [steps[index] for index in rows], at, depth_um, found)

    def changes(self, plan: Plan, result: Result, context: ResinContext, trial: int) -> dict[str, Value]:
        """How uneven it is; the map itself goes to the printer with it."""
        del plan, context
        if result.value is None:
            return {}
        return {self.sets[0]: Value(round(result.value, 1), self.origin(trial), result.error)}

    def of_printer(self, plan: Plan, readings: Readings, result: Result) -> Mapping[str, Any]:
        """The map."""
        del plan, readings
        kept = {} if result.also is None else result.also
        count = sum(key.startswith("map_") for key in kept)
        return {"lamp_map": [kept[f"map_{k}"] for k in range(count)]}

    def wants(self, context: ResinContext) -> str | None:
        """Nobody is told to: once a printer, by those who fill the screen."""
        del context
        return None

    def overrides(self, plan: Plan) -> dict[str, str]:
        """Light alone."""
        return {"exposure_s": f"{plan.seconds:g}"}

    def in_words(self, plan: Plan) -> str:
        """How many, and how long."""
        return f"{plan.columns * plan.rows} skins over the whole screen, lit for {plan.seconds:g} s."

    def instructions(self, plan: Plan, context: ResinContext) -> str:
        """On the film itself."""
        del plan, context
        return (
            "Take the build plate off, pour resin some 3 mm deep and start: the skins set on the film itself, over the "
            "whole screen. Lift them off with a soft scraper in the order of their digits, or cover the film with a "
            "clear foil first and lift that out."
        )


def _skin(label: str, middle: tuple[float, float]) -> CrossSection:
    """A card with a cut corner, its number left open in the near half."""
    w, d = SKIN_WIDE / 2, SKIN_DEEP / 2
    card = CrossSection([[(-w, -d), (w, -d), (w, d - CUT), (w - CUT, d), (-w, d)]])
    digits = text_shape(label, DIGITS_HIGH, STROKE)
    return (card - digits.translate((0, -d + 1.2 + DIGITS_HIGH / 2))).translate(middle)


def _told(plan: Plan, steps: Sequence[Step], at: Any, depth_um: Any, found: FoundLamp) -> Result:
    """The map in words and as a picture."""
    uneven = 100 * found.map.uneven
    by_depth = REACH_ERROR / 2 * uneven
    error = holding("lamp-map", math.hypot(100 * max(found.uneven_error, found.error), by_depth))
    level = float(np.mean(found.smooth))
    spots = tuple(
        MapSpot(round(float(x), 3), round(float(y), 3), round(100 * (float(share) / level - 1), 1), bool(kept))
        for (x, y), share, kept in zip(at, found.smooth, found.kept, strict=True)
    )
    even = uneven < 100 * EVEN
    says = (
        f"Even enough: over the screen the light differs by {uneven:.0f} % of what the middle gets."
        if even
        else f"Over the screen the light differs by {uneven:.0f} ± {half_90(error):.0f} % of what the middle gets. "
        f"{found.map.advice}"
    )
    out = [step.label for step, kept in zip(steps, found.kept, strict=True) if not kept]
    notes = [f"The map is sure to ± {half_90(100 * found.error):.1f} % of the light."]
    if out:
        notes.append(f"Left out, because {'it stands' if len(out) == 1 else 'they stand'} apart: {', '.join(out)}.")
    numbers = {f"map_{k}": n for k, n in enumerate(found.map.to_json())}
    return Result(
        "good", uneven, error, max(uneven - half_90(error), 0.0), uneven + half_90(error), says, tuple(notes),
        maps=(Map("Light over the screen, from above", "%", 0, 0.0, (0.0, 0.0, 0.0), spots, 12.0,
                  "Filled: more light than on the mean; hollow: less. In %, smoothed."),),
        also={**numbers, "sure": holding("lamp-map", found.error)},
    )  # fmt: skip
