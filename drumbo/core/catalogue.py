"""Every profile parameter once: key, name, unit, bounds, group, what it rests on, how it is printed.

Bounds here warn and never refuse: a printer may well run a value outside of them.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Group:
    """A sector of the drum, in trial order."""

    key: str
    name: str
    about: str


@dataclass(frozen=True, slots=True)
class Parameter:
    """One line of a profile.

    `main` parameters decide their group's state on the drum. `tolerance` is the change, in `unit`, that
    makes what rests on this parameter doubtful, or `tolerance_share` of it if that is more. `rests_on` names
    parameters by key. A parameter of scope "printer" is the printer's own: no profile holds it. One that is
    `shared` may have a value of the printer's beneath the profile's, for all materials. One that is `found` has no
    starting value: only a trial can tell it; one that stands `aside` is about the profile itself, and no slicer asks
    for it.
    """

    key: str
    name: str
    unit: str
    group: str
    low: float
    high: float
    decimals: int = 0
    main: bool = False
    tolerance: float = 0.0
    tolerance_share: float = 0.0
    rests_on: tuple[str, ...] = ()
    too_low: str = ""
    too_high: str = ""
    help: str = ""
    scope: str = "profile"
    shared: bool = False
    found: bool = False
    aside: bool = False

    def show(self, value: float) -> str:
        """The number as it is printed everywhere, without its unit."""
        text = f"{value:.{self.decimals}f}"
        return text.replace("-", "−") if float(text) else text.replace("-", "")

    def show_error(self, error: float) -> str:
        """A standard error as it is printed after its value: never as less than the last digit shown."""
        return f"{max(error, 10**-self.decimals):.{self.decimals}f}"

    def moved_too_far(self, before: float, after: float) -> bool:
        """Whether a change makes what rests on this parameter doubtful."""
        return abs(after - before) > max(self.tolerance, self.tolerance_share * abs(before)) + 1e-9

    def warn(self, value: float) -> str | None:
        """A warning where the value is unusual, else None."""
        if value < self.low:
            return f"unusually low; {self.show(self.low)} to {self.show(self.high)} {self.unit} is common"
        if value > self.high:
            return f"unusually high; {self.show(self.low)} to {self.show(self.high)} {self.unit} is common"
        return None


GROUPS: tuple[Group, ...] = (
    Group("heat", "Heat", "Nozzle and bed temperatures: everything else rests on them."),
    Group("flow", "Flow", "How much filament a road really gets."),
    Group("pressure", "Pressure", "Keeps a road even where the head changes speed."),
    Group("retraction", "Retraction", "Pulls filament back on travels, so that nothing strings."),
    Group("max_flow", "Max flow", "How much the hot end can melt in a second."),
    Group("cooling", "Cooling", "Fan against layer bond."),
    Group("size", "Size", "Shrinkage and offsets, so that parts fit."),
    Group("proof", "Proof", "One small real part, printed with the finished profile."),
)

_HEAT = ("nozzle_c",)

PARAMETERS: tuple[Parameter, ...] = (
    Parameter("nozzle_c", "Nozzle, other layers", "°C", "heat", 170, 320, main=True, tolerance=7,
              rests_on=("batch",), too_low="Matt, under-filled roads; layers part when snapped.",
              too_high="Strings, sagging bridges, drooping overhangs, browning.",
              help="The temperature of every layer after the first."),
    Parameter("nozzle_first_c", "Nozzle, first layer", "°C", "heat", 170, 320, rests_on=_HEAT,
              too_low="The first layer does not hold to the plate.",
              too_high="A squashed foot, strings on the plate.",
              help="Often 5 to 10 °C above the other layers, so that the first one holds."),
    Parameter("bed_c", "Bed", "°C", "heat", 0, 120,
              too_low="Corners lift.", too_high="The foot stays soft and bulges.",
              help="Bed temperature after the first layer."),
    Parameter("bed_first_c", "Bed, first layer", "°C", "heat", 0, 120,
              too_low="The first layer peels off.", too_high="The foot stays soft and bulges."),
    Parameter("first_layer_z_mm", "First-layer height correction", "mm", "heat", -0.2, 0.2, 2, shared=True,
              too_low="Ridges on the first layer, a squashed foot.",
              too_high="Gaps between the first layer's roads; corners lift.",
              help="How much higher than the plan says the nozzle runs, on this plate. Raises the whole print."),
    Parameter("chamber_c", "Chamber", "°C", "heat", 0, 80,
              too_low="Large parts of hot polymers warp and split.", too_high="Small parts soften while they print.",
              help="0 leaves it alone. For your slicer: files that Drumbo makes do not heat a chamber."),
    Parameter("batch", "Batch", "", "heat", 1, 99, aside=True,
              help="Counts the batches of this material that the profile has seen. A new one may want other values."),
    Parameter("flow_ratio", "Flow ratio", "", "flow", 0.85, 1.15, 3, main=True, tolerance=0.02,
              rests_on=("nozzle_c", "extruder_steps_mm", "batch"), too_low="Lines and pin-holes between roads.",
              too_high="Ridges; parts come out wide.",
              help="Share of the computed filament that is really fed."),
    Parameter("flow_outer_share", "Outer-wall flow", "× flow", "flow", 0.9, 1.1, 3, rests_on=("flow_ratio",),
              too_low="Gaps between outer and inner wall.", too_high="Bulging walls, wide parts.",
              help="1 feeds outer walls like everything else; set it apart where walls and tops disagree."),
    Parameter("flow_first_share", "First-layer flow", "× flow", "flow", 0.85, 1.15, 3,
              too_low="Lines of the first layer part.", too_high="Ridges that the nozzle drags along.",
              help="1 feeds the first layer like everything else."),
    Parameter("extruder_steps_mm", "Extruder steps", "steps/mm", "flow", 50, 3000, 1, scope="printer",
              tolerance_share=0.005, too_low="Too little filament, whatever the profile says.",
              too_high="Too much filament, whatever the profile says.",
              help="Motor steps that feed one millimetre of filament. Belongs to the printer, before any flow trial."),
    Parameter("filament_diameter_mm", "Filament diameter", "mm", "flow", 1.5, 3.1, 2,
              help="As measured, or as on the label."),
    Parameter("density_g_cm3", "Density", "g/cm³", "flow", 0.8, 3.0, 2, help="Turns volume into grams and money."),
    Parameter("pressure_advance_s", "Pressure advance", "s", "pressure", 0, 1.2, 3, main=True, tolerance=0.01,
              tolerance_share=0.15, rests_on=("nozzle_c", "flow_ratio"),
              too_low="Blobs where a road brakes, thin where it pulls away.",
              too_high="Thin where a road brakes, fat where it pulls away.",
              help="0 leaves it off; prints are fine without it, only less even at corners."),
    Parameter("retraction_mm", "Retraction length", "mm", "retraction", 0, 8, 1, main=True, tolerance=0.3,
              shared=True,
              rests_on=("nozzle_c", "batch"), too_low="Strings and zits.",
              too_high="Ground filament, jams, gaps at starts."),
    Parameter("retraction_speed_mm_s", "Retraction speed", "mm/s", "retraction", 15, 70, shared=True,
              rests_on=("nozzle_c",),
              too_low="The pull comes too late.", too_high="The drive slips on the filament."),
    Parameter("restart_extra_mm", "Restart extra", "mm", "retraction", -0.4, 0.2, 2, shared=True,
              rests_on=("retraction_mm", "nozzle_c"),
              too_low="A gap where an outer wall starts.", too_high="A blob where an outer wall starts.",
              help="How much more, or less, is pushed back than was pulled; of filament."),
    Parameter("coasting_mm", "Coasting", "mm", "retraction", 0, 0.5, 2, shared=True,
              rests_on=("retraction_mm", "nozzle_c"),
              too_low="A blob where an outer wall ends.", too_high="A gap where an outer wall ends.",
              help="How far before the end of an outer wall extrusion stops; what is under pressure still comes."),
    Parameter("retraction_min_travel_mm", "Shortest travel that retracts", "mm", "retraction", 0.5, 4, 1, shared=True),
    Parameter("z_hop_mm", "Lift on travel", "mm", "retraction", 0, 1, 2, shared=True, help="0 keeps the nozzle down."),
    Parameter("max_flow_mm3_s", "Max volumetric speed", "mm³/s", "max_flow", 1, 40, 1, main=True, tolerance=1,
              rests_on=("nozzle_c",), too_low="Prints slower than it could.",
              too_high="Matt, gaping walls; the drive grinds."),
    Parameter("fan_percent", "Fan, normal", "%", "cooling", 0, 100, main=True, tolerance=15, rests_on=("nozzle_c",),
              too_low="Drooping slopes, soft edges.", too_high="Weak layer bond, warping.",
              help="On layers that take their time."),
    Parameter("fan_normal_layer_s", "Fan normal from a layer time of", "s", "cooling", 5, 60,
              help="Quicker layers get more, up to the fan of short layers at the minimum layer time."),
    Parameter("fan_short_percent", "Fan, short layers", "%", "cooling", 0, 100, rests_on=("nozzle_c",),
              too_low="Small layers melt into blobs.", too_high="Small parts snap between layers.",
              help="On layers as quick as the minimum layer time; in between it rises evenly."),
    Parameter("fan_bridge_percent", "Fan, bridges", "%", "cooling", 0, 100, rests_on=("nozzle_c",),
              too_low="Bridges sag.", too_high="Bridges hold poorly at their ends."),
    Parameter("fan_overhang_percent", "Fan, overhangs", "%", "cooling", 0, 100, rests_on=("nozzle_c",),
              too_low="Slopes droop.", too_high="Slopes split, above all in hot polymers."),
    Parameter("overhang_from_deg", "Overhang from", "° from upright", "cooling", 30, 70,
              help="Outer walls that lean out further count as overhangs: they have their own fan and speed."),
    Parameter("fan_aux_percent", "Fan, auxiliary", "%", "cooling", 0, 100,
              too_high="Corners lift on the side it blows at.",
              help="A second fan beside the bed. For your slicer: files that Drumbo makes leave it off."),
    Parameter("fan_off_layers", "Layers without fan", "", "cooling", 0, 10, help="Counted from the plate."),
    Parameter("fan_full_layer", "Fan full from layer", "", "cooling", 1, 15),
    Parameter("layer_time_min_s", "Minimum layer time", "s", "cooling", 0, 30,
              too_low="Small layers melt into blobs.", too_high="Prints crawl."),
    Parameter("speed_floor_mm_s", "Slow down no further than", "mm/s", "cooling", 5, 30),
    Parameter("shrinkage_percent", "Shrinkage", "%", "size", 0, 2.5, 2, main=True, tolerance=0.1,
              rests_on=("nozzle_c", "flow_ratio")),
    Parameter("offset_mm", "Size offset", "mm", "size", -0.3, 0.3, 2, rests_on=("flow_ratio",),
              help="Constant error of outside sizes, half of it on each side."),
    Parameter("clearance_turn_mm", "Clearance that turns", "mm", "size", 0.05, 0.5, 2, found=True, aside=True,
              rests_on=("flow_ratio", "nozzle_c"), too_low="Parts stick.", too_high="Parts rattle.",
              help="Gap all round a pin at which it just turns freely: for the parts that you draw."),
    Parameter("clearance_press_mm", "Clearance that presses in", "mm", "size", -0.1, 0.3, 2, found=True, aside=True,
              rests_on=("flow_ratio", "nozzle_c"), too_low="It will not go in.", too_high="It falls out.",
              help="Gap all round a pin at which it goes in by hand and holds."),
    Parameter("proof_percent", "Proof", "%", "proof", 75, 100, main=True, found=True, aside=True,
              rests_on=("nozzle_c", "flow_ratio", "pressure_advance_s", "retraction_mm", "max_flow_mm3_s",
                        "fan_percent", "shrinkage_percent", "batch"),
              help="How much of all that was looked at on a small part came out as it should."),
)  # fmt: skip

BY_KEY: dict[str, Parameter] = {p.key: p for p in PARAMETERS}


def in_group(group: str) -> Iterator[Parameter]:
    """The parameters of one group that profiles hold, in catalogue order."""
    return (p for p in PARAMETERS if p.group == group and p.scope == "profile")
