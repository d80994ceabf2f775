"""Print-through: plan, the wall with its tiles, readings and verdict."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from drumbo.core.counted import counted
from drumbo.core.fit.callipers import CALLIPER_SD_MM, DUST_MM, JOINT_MM, JOINT_SD_MM
from drumbo.core.light.job import LayerJob, LitSolid, job
from drumbo.core.piece import Jaw, Part, Piece, Place, block, raised_text, union
from drumbo.core.sure import half_90
from drumbo.trials.pictures import Spread
from drumbo.trials.plan import TrialPlan, ask
from drumbo.trials.readings import Measure, Readings, Site, Step, ToRead
from drumbo.trials.result import Result
from drumbo.trials.toolkit.layered import LayerKind, ResinContext, base_mm, check_room, screen_of
from drumbo.trials.toolkit.wider import holding

TILES = 6
TILE, TILE_DEEP, PITCH = 4.0, 5.0, 5.4
WALL_DEEP, BRIDGE, BRIDGE_WIDE = 5.0, 0.6, 1.2
FREE = 1.2
"""What stays open below the tiles, mm: light is long spent before the foot."""
EDGE, DIGITS_HIGH, STROKE, DIGITS_TALL = 1.0, 3.4, 0.6, 0.6
WIDE, DEEP = TILES * PITCH, WALL_DEEP + BRIDGE + TILE_DEEP
LEAST_BASE_MM, CLEAR_LAYERS = 0.8, 3
SITES = tuple(Site(f"reading-{k}", name) for k, name in enumerate(("once", "again", "a third time"), 1))
MANY = 3.0
"""A print-through of so many layers is more than light commonly adds: supports or a bad peel add to it, too."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan(TrialPlan):
    """How thick tiles are drawn."""

    tile_mm: float = ask("Tiles drawn", "mm", low=0.4, high=3.0, step=0.1, help="In whole layers; about 1 is handy.")
    layer_um: float = ask("Layer height", "µm", low=10, high=300)

    @property
    def drawn_mm(self) -> float:
        """Thickness of a tile in whole layers."""
        return max(round(1000 * self.tile_mm / self.layer_um), 2) * self.layer_um / 1000


class PrintThrough(LayerKind[Plan]):
    """What light adds below overhangs, from tiles that are broken off and laid together."""

    slug = "print-through"
    plan_type = Plan
    title = "Print-through"
    sets = ("z_um",)
    group = "fit"
    step_unit = "mm"
    on_demand = True
    about = (
        "Six tiles that hang out of a wall on thin bridges, with nothing below them. Light that goes on past their "
        "first layer makes them thicker than drawn, as it closes holes that look down and shifts every underside. "
        "Broken off and laid together they tell how much, to a few thousandths of a millimetre."
    )
    few = "Measure the pile of six, then one tile by itself: a number and Enter."

    def suggest(self, context: ResinContext) -> Plan:
        """A millimetre."""
        return Plan(tile_mm=1.0, layer_um=context.profile.number("layer_um"))

    def check(self, plan: Plan, context: ResinContext) -> dict[str, str]:
        """Refuse what has no room; warn of another layer height."""
        _, _, high = self.piece(plan, context).size
        check_room(context, "tile_mm", WIDE + 2 * EDGE, DEEP + 2 * EDGE, high)
        if abs(plan.layer_um - context.profile.number("layer_um")) > 0.5:
            return {"layer_um": f"the profile is for layers of {context.profile.number('layer_um'):g} µm"}
        return {}

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """One: all tiles are alike."""
        return (Step(0, plan.drawn_mm, f"{plan.drawn_mm:.2f}"),)

    def piece(self, plan: Plan, context: ResinContext) -> Piece:
        """A wall, and tiles in a row that hang out of it towards the front."""
        base = base_mm(context, plan.layer_um, LEAST_BASE_MM, CLEAR_LAYERS)
        layer, thick = plan.layer_um / 1000, plan.drawn_mm
        low = base + max(round(FREE / layer), 1) * layer
        high = low + thick
        x0, y0 = -WIDE / 2, -DEEP / 2
        wall = y0 + TILE_DEEP + BRIDGE
        tiles, bridges = [], []
        for k in range(TILES):
            x = x0 + k * PITCH + PITCH / 2
            tiles.append(block((x - TILE / 2, y0, low), (x + TILE / 2, y0 + TILE_DEEP, high)))
            half = BRIDGE_WIDE / 2
            bridges.append(block((x - half, wall - BRIDGE - 0.1, low), (x + half, wall + 0.1, high)))
        at = (0.0, wall + WALL_DEEP / 2)
        parts = (
            Part("foot", block((x0 - EDGE, y0 - EDGE, 0), (-x0 + EDGE, -y0 + EDGE, base))),
            Part("mast", block((x0, wall, base - 0.2), (-x0, wall + WALL_DEEP, high))),
            Part("wall", union([*tiles, *bridges])),
            Part("digits", raised_text(f"{thick:.2f}", at, DIGITS_HIGH, STROKE, WIDE, high - 0.2, high + DIGITS_TALL)),
        )
        across, first = y0 + TILE_DEEP / 2, x0 + PITCH / 2
        ends = {"pile": ((x0, across), (-x0, across)), "tile": ((first - 1, across), (first + 1, across))}
        jaws = [Jaw(key, 0, s.key, *ends[key], high - 0.01, tool)
                for key, tool in (("pile", "pile"), ("tile", "upright")) for s in SITES]  # fmt: skip
        place = Place(0, thick, f"{thick:.2f}", (x0 - EDGE, y0 - EDGE, 0.0), (-x0 + EDGE, -y0 + EDGE, high), axis=0)
        return Piece("tiles", union(p.solid for p in parts), parts, (place,), tuple(jaws))

    def job(self, plan: Plan, context: ResinContext, title: Sequence[str]) -> LayerJob:
        """As the profile prints, with nothing compensated."""
        numbers = {**context.profile.numbers(), "layer_um": plan.layer_um}
        lit = LitSolid(self.piece(plan, context).solid, numbers["exposure_s"], numbers["bottom_exposure_s"],
                       compensated=False)  # fmt: skip
        return job([lit], numbers, screen_of(context), title=title)

    def readings(self, plan: Plan) -> ToRead:
        """The pile, and one tile."""
        low, high = 0.5 * plan.drawn_mm, 2.0 * plan.drawn_mm
        return ToRead(measures=(
            Measure("pile", f"{TILES} tiles", "mm", SITES, low * TILES, high * TILES, 2, "pile",
                    f"Break the {TILES} tiles off, trim what is left of the bridges, lay them flat together and close "
                    "the jaws on the pile."),
            Measure("tile", "One tile", "mm", SITES, low, high, 2, "upright",
                    "One of them by itself, by the same jaws."),
        ))  # fmt: skip

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """(pile − tile) ÷ 5 − drawn: jaws and the calliper's zero are in both, and drop out."""
        read = {key: [v for s in SITES if (v := readings.measured(key, 0, s.key)) is not None]
                for key in ("pile", "tile")}  # fmt: skip
        if not read["pile"] or not read["tile"]:
            return Result("few", says="Measure the pile and one tile.")
        between = TILES - 1
        each = [(pile - sum(read["tile"]) / len(read["tile"])) / between - JOINT_MM for pile in read["pile"]]
        found = sum(each) / len(each) - plan.drawn_mm
        noise = math.hypot(CALLIPER_SD_MM * math.sqrt(1 / len(read["pile"]) + 1 / len(read["tile"])), DUST_MM) / between
        error = holding("print-through", 1000 * math.hypot(noise, JOINT_SD_MM))
        value, half = -1000 * found, half_90(error)
        layers = max(round(-value / plan.layer_um), 0)
        points = tuple((s.name, round(1000 * (e - plan.drawn_mm), 1), True) for s, e in zip(SITES, each, strict=False))
        return Result(
            "split" if found * 1000 > MANY * plan.layer_um else "good", value, error, value - half, value + half,
            _says(-value, half, layers), _notes(-value, plan.layer_um, layers),
            spreads=(Spread("Tiles thicker than drawn", "µm", 0, points, -value, error, 0.0),),
        )  # fmt: skip

    def overrides(self, plan: Plan) -> dict[str, str]:
        """No compensation."""
        del plan
        return {"z_um": "0", "xy_mm": "0"}

    def in_words(self, plan: Plan) -> str:
        """What hangs there."""
        return f"{TILES} tiles of {plan.drawn_mm:.2f} mm that hang out of a wall."

    def instructions(self, plan: Plan, context: ResinContext) -> str:
        """No supports."""
        del plan, context
        return "Print it on the plate, without supports. Wash and dry it, and break the tiles off before the cure."


def _says(through: float, half: float, layers: int) -> str:
    if through < half:
        return f"Tiles are {through:.0f} ± {half:.0f} µm thicker than drawn: nothing that has to be made up for."
    off = "less than half a layer" if layers == 0 else counted(layers, "layer")
    return f"Undersides grow by {through:.0f} ± {half:.0f} µm: {off}."


def _notes(through: float, layer_um: float, layers: int) -> tuple[str, ...]:
    notes = []
    if layers:
        left = round(through - layers * layer_um)
        rest = f"; {left:+d} µm are left over then" if left else ""
        notes.append(f"Files leave out {layers} of an underside's first layers{rest}.")
    if through > MANY * layer_um:
        notes.append("That is more than light commonly adds: look whether the tiles sag or carry drips.")
    return tuple(note.replace("-", "−") for note in notes)
