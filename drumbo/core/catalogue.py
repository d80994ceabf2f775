"""Every profile parameter once: key, name, unit, bounds, group, what it rests on, how it is printed.

Bounds here warn and never refuse: a printer may well run a value outside of them.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

FILAMENT, RESIN = "filament", "resin"


@dataclass(frozen=True, slots=True)
class Group:
    """A sector of the drum, in trial order; profiles of one `process` have the same sectors."""

    key: str
    name: str
    about: str
    process: str = FILAMENT


@dataclass(frozen=True, slots=True)
class Parameter:
    """One line of a profile.

    `main` parameters decide their group's state on the drum. `tolerance` is the change, in `unit`, that
    makes what rests on this parameter doubtful, or `tolerance_share` of it if that is more. `rests_on` names
    parameters by key. A parameter of scope "printer" is the printer's own: no profile holds it. One that is
    `shared` may have a value of the printer's beneath the profile's, for all materials. One that is `found` has no
    starting value: only a trial can tell it; one that stands `aside` is about the profile itself, and no slicer asks
    for it. `lost_with` and `doubted_with` name what of a profile's surroundings must be alike for a copy of the value
    to hold elsewhere (`ELSEWHERE`): where the first differs it starts anew, where the second does it wants a recheck.
    `also_called` are other words that makers use for it, or for what it cures. Those of one `plate` each may be set
    all at once. `zero` is the word for a 0 that is no number.
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
    lost_with: tuple[str, ...] = ()
    doubted_with: tuple[str, ...] = ()
    also_called: tuple[str, ...] = ()
    plate: bool = False
    zero: str = ""

    @property
    def lendable(self) -> bool:
        """Whether another profile may take it over: a proof and the count of batches are of one profile alone."""
        return not self.aside or (self.found and not self.main)

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
    Group("light", "Light", "What the resin does with light: all exposures follow from it.", RESIN),
    Group("exposure", "Exposure", "How long a layer is lit.", RESIN),
    Group("fit", "Fit", "What is left to make up for once the exposure is right.", RESIN),
    Group("bottom", "Bottom", "The first layers: they must hold, and come off again.", RESIN),
    Group("lift", "Lift", "How a layer is pulled off the film, and how long the resin rests.", RESIN),
)


def groups_of(process: str) -> tuple[Group, ...]:
    """The sectors of profiles of one process, in trial order."""
    return tuple(group for group in GROUPS if group.process == process)


ELSEWHERE = ("family", "material", "machine", "drive", "nozzle", "screen", "light", "layer")
"""What may differ between a profile and its copy for another spool or printer."""

_HEAT = ("nozzle_c",)

PARAMETERS: tuple[Parameter, ...] = (
    Parameter("nozzle_c", "Nozzle, other layers", "°C", "heat", 170, 320, main=True, tolerance=7,
              rests_on=("batch",), too_low="Matt, under-filled roads; layers part when snapped.",
              too_high="Strings, sagging bridges, drooping overhangs, browning.",
              help="The temperature of every layer after the first.",
              lost_with=("family",), doubted_with=("material", "machine"),
              also_called=("nozzle temperature", "print temperature", "hot end temperature", "extruder temperature",
                           "other layers temperature")),
    Parameter("nozzle_first_c", "Nozzle, first layer", "°C", "heat", 170, 320, rests_on=_HEAT,
              too_low="The first layer does not hold to the plate.",
              too_high="A squashed foot, strings on the plate.",
              help="Often 5 to 10 °C above the other layers, so that the first one holds.",
              lost_with=("family",), doubted_with=("material", "machine"),
              also_called=("first layer nozzle temperature", "first layer temperature", "initial layer temperature")),
    Parameter("nozzle_standby_c", "Nozzle, standby", "°C", "heat", 0, 320,
              too_low="Long waits until it is hot again.", too_high="It drips while it waits.",
              help="While another tool prints, or the print is paused. 0 leaves it hot. For your slicer.",
              zero="hot", lost_with=("family",), also_called=("standby temperature", "idle temperature")),
    Parameter("bed_c", "Bed", "°C", "heat", 0, 120,
              too_low="Corners lift.", too_high="The foot stays soft and bulges.",
              help="Bed temperature after the first layer.",
              lost_with=("family",),
              also_called=("bed temperature", "plate temperature", "build plate", "heated bed")),
    Parameter("bed_first_c", "Bed, first layer", "°C", "heat", 0, 120,
              too_low="The first layer peels off.", too_high="The foot stays soft and bulges.",
              lost_with=("family",),
              also_called=("first layer bed temperature", "initial bed temperature")),
    Parameter("bed_smooth_c", "Bed, smooth sheet", "°C", "heat", 0, 120, plate=True,
              too_low="Corners lift.", too_high="It will not come off, or the foot bulges.",
              help="On this plate. Drumbo's own files heat to the two lines above.", lost_with=("family",),
              also_called=("smooth sheet temperature", "smooth plate")),
    Parameter("bed_textured_c", "Bed, textured sheet", "°C", "heat", 0, 120, plate=True,
              too_low="Corners lift.", too_high="It will not come off, or the foot bulges.",
              help="On this plate. Drumbo's own files heat to the two lines above.", lost_with=("family",),
              also_called=("textured sheet temperature", "textured plate")),
    Parameter("bed_glass_c", "Bed, glass", "°C", "heat", 0, 120, plate=True,
              too_low="Corners lift.", too_high="It will not come off, or the foot bulges.",
              help="On this plate. Drumbo's own files heat to the two lines above.", lost_with=("family",),
              also_called=("glass temperature", "glass plate")),
    Parameter("first_layer_z_mm", "First-layer height correction", "mm", "heat", -0.2, 0.2, 2, shared=True,
              too_low="Ridges on the first layer, a squashed foot.",
              too_high="Gaps between the first layer's roads; corners lift.",
              help="How much higher than the plan says the nozzle runs, on this plate. Raises the whole print.",
              lost_with=("machine",), doubted_with=("nozzle",),
              also_called=("z offset", "nozzle height", "squish", "first layer gap")),
    Parameter("chamber_c", "Chamber", "°C", "heat", 0, 80,
              too_low="Large parts of hot polymers warp and split.", too_high="Small parts soften while they print.",
              help="0 leaves it alone. For your slicer: files that Drumbo makes do not heat a chamber.",
              zero="off", lost_with=("family",),
              also_called=("chamber temperature", "enclosure temperature")),
    Parameter("batch", "Batch", "", "heat", 1, 99, aside=True,
              help="Counts the batches of this material that the profile has seen. A new one may want other values.",
              lost_with=("material",)),
    Parameter("flow_ratio", "Flow ratio", "", "flow", 0.85, 1.15, 3, main=True, tolerance=0.02,
              rests_on=("nozzle_c", "extruder_steps_mm", "batch"), too_low="Lines and pin-holes between roads.",
              too_high="Ridges; parts come out wide.",
              help="Share of the computed filament that is really fed.",
              lost_with=("family",), doubted_with=("material", "machine"),
              also_called=("flow", "extrusion multiplier", "flow multiplier", "flow rate", "over extrusion",
                           "under extrusion")),
    Parameter("flow_outer_share", "Outer-wall flow", "× flow", "flow", 0.9, 1.1, 3, rests_on=("flow_ratio",),
              too_low="Gaps between outer and inner wall.", too_high="Bulging walls, wide parts.",
              help="1 feeds outer walls like everything else; set it apart where walls and tops disagree.",
              lost_with=("family",), doubted_with=("nozzle", "machine"),
              also_called=("outer wall flow", "outer perimeter flow")),
    Parameter("flow_first_share", "First-layer flow", "× flow", "flow", 0.85, 1.15, 3,
              too_low="Lines of the first layer part.", too_high="Ridges that the nozzle drags along.",
              help="1 feeds the first layer like everything else.",
              doubted_with=("machine",),
              also_called=("first layer flow", "initial layer flow")),
    Parameter("extruder_steps_mm", "Extruder steps", "steps/mm", "flow", 50, 3000, 1, scope="printer",
              tolerance_share=0.005, too_low="Too little filament, whatever the profile says.",
              too_high="Too much filament, whatever the profile says.",
              help="Motor steps that feed one millimetre of filament. Belongs to the printer, before any flow trial."),
    Parameter("filament_diameter_mm", "Filament diameter", "mm", "flow", 1.5, 3.1, 2,
              help="As measured, or as on the label.",
              lost_with=("material",),
              also_called=("diameter",),
              too_low="Parts come out too full.",
              too_high="Parts come out starved."),
    Parameter("density_g_cm3", "Density", "g/cm³", "flow", 0.8, 3.0, 2, help="Turns volume into grams and money.",
              lost_with=("material",),
              also_called=("density", "weight"),
              too_low="Weights and costs are said too low.",
              too_high="Weights and costs are said too high."),
    Parameter("pressure_advance_s", "Pressure advance", "s", "pressure", 0, 1.2, 3, main=True, tolerance=0.01,
              tolerance_share=0.15, rests_on=("nozzle_c", "flow_ratio"),
              too_low="Blobs where a road brakes, thin where it pulls away.",
              too_high="Thin where a road brakes, fat where it pulls away.",
              help="0 leaves it off; prints are fine without it, only less even at corners.",
              lost_with=("drive", "family"), doubted_with=("nozzle", "material", "machine"),
              also_called=("pressure advance", "advance", "bulging corners")),
    Parameter("retraction_mm", "Retraction length", "mm", "retraction", 0, 8, 1, main=True, tolerance=0.3,
              shared=True,
              rests_on=("nozzle_c", "batch"), too_low="Strings and zits.",
              too_high="Ground filament, jams, gaps at starts.",
              lost_with=("drive", "family"), doubted_with=("nozzle", "material", "machine"),
              also_called=("retraction", "retraction distance", "retract length", "stringing", "strings", "ooze")),
    Parameter("retraction_speed_mm_s", "Retraction speed", "mm/s", "retraction", 15, 70, shared=True,
              rests_on=("nozzle_c",),
              too_low="The pull comes too late.", too_high="The drive slips on the filament.",
              lost_with=("drive",), doubted_with=("machine",),
              also_called=("retract speed", "retraction speed")),
    Parameter("restart_extra_mm", "Restart extra", "mm", "retraction", -0.4, 0.2, 2, shared=True,
              rests_on=("retraction_mm", "nozzle_c"),
              too_low="A gap where an outer wall starts.", too_high="A blob where an outer wall starts.",
              help="How much more, or less, is pushed back than was pulled; of filament.",
              lost_with=("drive", "family"), doubted_with=("nozzle", "material", "machine"),
              also_called=("restart extra", "extra push", "seam blob", "start blob")),
    Parameter("coasting_mm", "Coasting", "mm", "retraction", 0, 0.5, 2, shared=True,
              rests_on=("retraction_mm", "nozzle_c"),
              too_low="A blob where an outer wall ends.", too_high="A gap where an outer wall ends.",
              help="How far before the end of an outer wall extrusion stops; what is under pressure still comes.",
              lost_with=("drive", "family"), doubted_with=("nozzle", "material", "machine"),
              also_called=("coasting distance", "seam blob", "end blob")),
    Parameter("retraction_min_travel_mm", "Shortest travel that retracts", "mm", "retraction", 0.5, 4, 1, shared=True,
              also_called=("minimum travel before retraction", "retraction minimum travel"),
              too_low="Filament is ground by many small pulls.",
              too_high="Short hops leave hairs."),
    Parameter("z_hop_mm", "Lift on travel", "mm", "retraction", 0, 1, 2, shared=True, help="0 keeps the nozzle down.",
              also_called=("z hop", "z lift", "lift on retraction"),
              too_low="The nozzle scratches over tops.",
              too_high="More strings, slower prints."),
    Parameter("max_flow_mm3_s", "Max volumetric speed", "mm³/s", "max_flow", 1, 40, 1, main=True, tolerance=1,
              rests_on=("nozzle_c",), too_low="Prints slower than it could.",
              too_high="Matt, gaping walls; the drive grinds.",
              lost_with=("nozzle", "family"), doubted_with=("material", "machine"),
              also_called=("max volumetric speed", "max flow", "volumetric flow", "melt rate", "maximum flow rate")),
    Parameter("speed_outer_mm_s", "Outer walls no faster than", "mm/s", "max_flow", 0, 300,
              too_high="Ringing, rough faces.", help="0 sets no limit of the material's own.",
              zero="none", lost_with=("family",), doubted_with=("machine",),
              also_called=("outer wall speed", "speed cap", "outer perimeter speed"),
              too_low="Prints take longer than they need."),
    Parameter("speed_max_mm_s", "Nothing faster than", "mm/s", "max_flow", 0, 500,
              too_high="Soft filament buckles in the drive.",
              help="0 sets no limit of the material's own; soft and brittle filaments want one.",
              zero="none", lost_with=("family",), doubted_with=("machine",),
              also_called=("speed limit", "top speed", "print speed"),
              too_low="Prints take longer than they need."),
    Parameter("fan_percent", "Fan, normal", "%", "cooling", 0, 100, main=True, tolerance=15, rests_on=("nozzle_c",),
              too_low="Drooping slopes, soft edges.", too_high="Weak layer bond, warping.",
              help="On layers that take their time.",
              lost_with=("family",), doubted_with=("machine", "layer"),
              also_called=("fan speed", "cooling fan", "part cooling", "normal fan")),
    Parameter("fan_normal_layer_s", "Fan normal from a layer time of", "s", "cooling", 5, 60,
              help="Quicker layers get more, up to the fan of short layers at the minimum layer time.",
              lost_with=("family",), doubted_with=("layer",),
              also_called=("fan threshold layer time",),
              too_low="Quick layers stay soft.",
              too_high="Every layer is blown at as if it were small."),
    Parameter("fan_short_percent", "Fan, short layers", "%", "cooling", 0, 100, rests_on=("nozzle_c",),
              too_low="Small layers melt into blobs.", too_high="Small parts snap between layers.",
              help="On layers as quick as the minimum layer time; in between it rises evenly.",
              lost_with=("family",), doubted_with=("machine", "layer"),
              also_called=("maximum fan speed", "small layers fan")),
    Parameter("fan_bridge_percent", "Fan, bridges", "%", "cooling", 0, 100, rests_on=("nozzle_c",),
              too_low="Bridges sag.", too_high="Bridges hold poorly at their ends.",
              lost_with=("family",), doubted_with=("machine",),
              also_called=("bridge fan speed", "bridging fan")),
    Parameter("fan_overhang_percent", "Fan, overhangs", "%", "cooling", 0, 100, rests_on=("nozzle_c",),
              too_low="Slopes droop.", too_high="Slopes split, above all in hot polymers.",
              lost_with=("family",), doubted_with=("machine", "layer"),
              also_called=("overhang fan speed",)),
    Parameter("overhang_from_deg", "Overhang from", "° from upright", "cooling", 30, 70,
              help="Outer walls that lean out further count as overhangs: they have their own fan and speed.",
              doubted_with=("layer",),
              also_called=("overhang threshold", "overhang angle"),
              too_low="Plain walls are slowed and blown at.",
              too_high="Steep slopes droop."),
    Parameter("fan_aux_percent", "Fan, auxiliary", "%", "cooling", 0, 100,
              too_high="Corners lift on the side it blows at.",
              help="A second fan beside the bed. For your slicer: files that Drumbo makes leave it off.",
              lost_with=("machine", "family"),
              also_called=("auxiliary fan speed", "side fan"),
              too_low="Long slopes stay soft on large parts."),
    Parameter("fan_off_layers", "Layers without fan", "", "cooling", 0, 10, help="Counted from the plate.",
              lost_with=("family",), doubted_with=("layer",),
              also_called=("no fan first layers", "disable fan first layers"),
              too_low="Corners lift, the first layer peels.",
              too_high="Low bridges and slopes sag."),
    Parameter("fan_full_layer", "Fan full from layer", "", "cooling", 1, 15,
              lost_with=("family",), doubted_with=("layer",),
              also_called=("full fan at layer", "full fan speed layer"),
              too_low="Corners lift while the first layers still pull.",
              too_high="Low bridges and slopes sag."),
    Parameter("layer_time_min_s", "Minimum layer time", "s", "cooling", 0, 30,
              too_low="Small layers melt into blobs.", too_high="Prints crawl.",
              lost_with=("family",), doubted_with=("machine", "layer"),
              also_called=("minimum layer time", "slow down layer time")),
    Parameter("speed_floor_mm_s", "Slow down no further than", "mm/s", "cooling", 5, 30,
              also_called=("minimum print speed", "slowest speed"),
              too_low="Small layers crawl, and the nozzle melts what it stands on.",
              too_high="Small layers do not get the time that they need."),
    Parameter("shrinkage_percent", "Shrinkage", "%", "size", 0, 2.5, 2, main=True, tolerance=0.1,
              rests_on=("nozzle_c", "flow_ratio"),
              lost_with=("family",), doubted_with=("material",),
              also_called=("shrinkage", "shrink", "scale compensation", "warping size"),
              too_low="Parts come out small, the more the larger they are.",
              too_high="Parts come out large, the more the larger they are."),
    Parameter("offset_mm", "Size offset", "mm", "size", -0.3, 0.3, 2, rests_on=("flow_ratio",),
              help="Constant error of outside sizes, half of it on each side.",
              doubted_with=("nozzle", "material", "machine"),
              also_called=("size compensation", "xy compensation", "xy offset", "outside size"),
              too_low="Outside sizes are said too small: parts come out wide.",
              too_high="Outside sizes are said too large: parts come out thin."),
    Parameter("clearance_turn_mm", "Clearance that turns", "mm", "size", 0.05, 0.5, 2, found=True, aside=True,
              rests_on=("flow_ratio", "nozzle_c"), too_low="Parts stick.", too_high="Parts rattle.",
              help="Gap all round a pin at which it just turns freely: for the parts that you draw.",
              lost_with=("nozzle", "family"), doubted_with=("material", "machine", "layer")),
    Parameter("clearance_press_mm", "Clearance that presses in", "mm", "size", -0.1, 0.3, 2, found=True, aside=True,
              rests_on=("flow_ratio", "nozzle_c"), too_low="It will not go in.", too_high="It falls out.",
              help="Gap all round a pin at which it goes in by hand and holds.",
              lost_with=("nozzle", "family"), doubted_with=("material", "machine", "layer")),
    Parameter("proof_percent", "Proof", "%", "proof", 75, 100, main=True, found=True, aside=True,
              rests_on=("nozzle_c", "flow_ratio", "pressure_advance_s", "retraction_mm", "max_flow_mm3_s",
                        "fan_percent", "shrinkage_percent", "batch"),
              help="How much of all that was looked at on a small part came out as it should.",
              lost_with=("family", "material", "machine", "drive", "nozzle", "layer")),
    Parameter("penetration_um", "Penetration depth", "µm", "light", 60, 350, main=True, found=True, tolerance=12,
              rests_on=("resin_c",),
              help="How deep light reaches before it is down to 37 %. Clear resins are deep, pigmented ones shallow.",
              too_low="Thin layers are said to need more light than they do.",
              too_high="Thick layers are said to need less light than they do.",
              lost_with=("material",), doubted_with=("machine",), also_called=("dp", "depth of penetration")),
    Parameter("critical_s", "Critical time", "s", "light", 0.05, 4, 2, found=True, tolerance_share=0.08,
              rests_on=("resin_c", "power_percent"),
              too_low="Exposures foretold from it are too short.",
              too_high="Exposures foretold from it are too long.",
              help="The shortest light after which anything sets at all, on this printer at this power.",
              lost_with=("material", "machine"), doubted_with=("light",), also_called=("tc", "onset of cure")),
    Parameter("critical_mj_cm2", "Critical energy", "mJ/cm²", "light", 1, 25, 1, found=True, rests_on=("resin_c",),
              too_low="Exposures foretold from it are too short.",
              too_high="Exposures foretold from it are too long.",
              help="The least light at which the resin sets: critical time × intensity, where that is known.",
              lost_with=("material",), also_called=("ec", "critical exposure")),
    Parameter("power_percent", "Light power", "%", "light", 20, 100, tolerance=2,
              help="Share of what the light can give. Less is longer, and kinder to fine gaps in a strong printer.",
              too_low="Layers take long.", too_high="Nothing: but the light ages sooner.",
              lost_with=("machine",), also_called=("uv power", "pwm", "light intensity")),
    Parameter("resin_c", "Resin", "°C", "light", 18, 40, tolerance=3,
              help="While it prints. Cold resin is thick and sets later: it needs longer light and slower lifts.",
              too_low="Missing layers, torn supports, longer light.", too_high="It flows and sets sooner than planned.",
              also_called=("resin temperature", "vat temperature", "heater")),
    Parameter("layer_um", "Layer height", "µm", "exposure", 20, 120, tolerance=0.5,
              too_low="Prints take long; every layer is one more peel.",
              too_high="Steps show, fine slopes are coarse.",
              help="Of the whole profile: another height is another profile, copied with its exposure foretold.",
              also_called=("layer thickness", "slice height")),
    Parameter("exposure_s", "Exposure", "s", "exposure", 0.8, 12, 2, main=True, tolerance_share=0.06,
              rests_on=("layer_um", "power_percent", "resin_c"),
              too_low="Missing pins, soft edges, supports that tear, layers that part.",
              too_high="Closed holes, fat pins, filled text, brittle parts.",
              help="Light of every normal layer, at this layer height and power.",
              lost_with=("machine", "material"), doubted_with=("layer", "light"),
              also_called=("normal exposure", "exposure time", "cure time", "layer exposure", "light time")),
    Parameter("antialias_levels", "Anti-aliasing", "levels", "exposure", 0, 8,
              help="Grey steps on the edges of a layer; 0 leaves them black and white.", zero="off",
              too_low="Steps of a pixel show on gentle slopes.", too_high="Fine edges blur.",
              lost_with=("machine",), also_called=("antialiasing", "grey level", "blur")),
    Parameter("wash_min", "Wash", "min", "exposure", 1, 15,
              help="For the bath, after the print: as the label says, or by hand.",
              too_low="Sticky, glossy faces.", too_high="Softened, whitened faces.",
              lost_with=("family",), also_called=("washing", "alcohol bath")),
    Parameter("cure_min", "Post-cure", "min", "exposure", 1, 60,
              help="Under the lamp, once it is washed and dry.",
              too_low="Soft, tacky parts.", too_high="Brittle, yellowed parts.",
              lost_with=("family",), also_called=("curing", "post curing", "uv lamp")),
    Parameter("xy_mm", "XY compensation", "mm", "fit", -0.15, 0.15, 3, main=True, tolerance=0.01,
              rests_on=("exposure_s",),
              help="Added to every outer side and taken from every inner one; below 0 where light bleeds.",
              too_low="Thin pins, wide holes.", too_high="Fat pins, narrow holes.",
              doubted_with=("machine", "material", "layer", "screen"),
              also_called=("tolerance compensation", "elephant foot", "horizontal compensation", "light bleed")),
    Parameter("xy_bottom_mm", "XY compensation, bottom", "mm", "fit", -0.4, 0.1, 2, rests_on=("bottom_exposure_s",),
              too_low="The foot comes out narrow.",
              too_high="The foot flares.",
              help="The same for bottom layers, against the flare of their long light.",
              doubted_with=("machine", "material"), also_called=("elephant foot compensation", "flare")),
    Parameter("z_um", "Z compensation", "µm", "fit", -200, 50,
              too_low="Undersides come out high, blind holes deep.",
              too_high="Undersides grow downwards, blind holes fill.",
              help="Light reaches past a layer into what lies over it: undersides grow. Below 0 takes that off.",
              doubted_with=("material", "layer"), also_called=("cross layer bleed", "z bleed", "blind hole")),
    Parameter("bottom_exposure_s", "Bottom exposure", "s", "bottom", 10, 60, 0, main=True, tolerance_share=0.2,
              rests_on=("exposure_s", "power_percent"),
              too_low="It falls off the plate.", too_high="It wants a chisel; the foot flares.",
              lost_with=("machine",), doubted_with=("material", "layer", "light"),
              also_called=("base exposure", "first layers exposure", "burn in")),
    Parameter("bottom_layers", "Bottom layers", "", "bottom", 3, 10,
              too_low="It falls off where the plate is not quite level.", too_high="Long prints, a thick flare.",
              doubted_with=("layer",), also_called=("base layers", "burn in layers")),
    Parameter("transition_layers", "Transition layers", "", "bottom", 0, 10,
              help="Between bottom and normal the light steps down over so many layers.",
              too_low="A weak seam over the bottom.", too_high="More layers flare.",
              doubted_with=("layer",), also_called=("fade layers", "transition")),
    Parameter("lift_speed_mm_min", "Lift speed", "mm/min", "lift", 30, 240, main=True, tolerance_share=0.25,
              rests_on=("exposure_s", "resin_c"),
              too_low="Prints take long.", too_high="Fine pins vanish, supports tear, layers part.",
              help="How fast a layer is pulled off the film. Slow is safe.",
              lost_with=("machine",), doubted_with=("material",), also_called=("peel speed", "lifting speed")),
    Parameter("lift_mm", "Lift", "mm", "lift", 3, 12, 1,
              too_low="It does not come off the film.", too_high="Prints take long.",
              lost_with=("machine",), also_called=("lift height", "lifting distance")),
    Parameter("lift_slow_mm", "Slow part of a lift", "mm", "lift", 0, 8, 1, zero="all",
              too_low="The fast part begins while the layer still clings.",
              too_high="Prints take longer than they need.",
              help="Two-stage lifts: so far at the lift speed, the rest at the fast one. 0 lifts all at one speed.",
              lost_with=("machine",), also_called=("two stage lift", "first stage")),
    Parameter("lift_fast_mm_min", "Lift speed, fast part", "mm/min", "lift", 60, 600,
              too_low="Prints take long.",
              too_high="Splashes, bubbles, a plate that shakes.",
              help="Once the layer is off the film.", lost_with=("machine",), also_called=("second stage",)),
    Parameter("lift_bottom_mm_min", "Lift speed, bottom", "mm/min", "lift", 20, 120,
              too_high="The bottom is torn off the plate.", too_low="The first layers take long.",
              lost_with=("machine",), doubted_with=("material",), also_called=("bottom lift speed",)),
    Parameter("retract_mm_min", "Retract speed", "mm/min", "lift", 60, 360,
              too_high="Bubbles, smeared gaps.", too_low="Prints take long.",
              help="On the way back down.", lost_with=("machine",), also_called=("drop speed", "return speed")),
    Parameter("rest_before_s", "Rest before light", "s", "lift", 0.5, 8, 1, tolerance=0.5,
              too_low="The resin still flows when it is lit: fine gaps smear, faces are woody.",
              too_high="Prints take long.",
              lost_with=("machine",), doubted_with=("material",),
              also_called=("light-off delay", "wait before cure", "wait before print")),
    Parameter("rest_bottom_s", "Rest before light, bottom", "s", "lift", 2, 30, 1,
              too_low="The first layers stay thick and hold badly.",
              too_high="The first layers take long.",
              help="The same on bottom layers, where more resin has to flow away.",
              lost_with=("machine",), also_called=("bottom light-off delay",)),
    Parameter("rest_after_s", "Rest after lift", "s", "lift", 0, 5, 1,
              too_low="Drips are carried back into the vat with bubbles.",
              too_high="Prints take long.",
              help="At the top, before it goes down.", lost_with=("machine",), also_called=("wait after lift",)),
)  # fmt: skip

BY_KEY: dict[str, Parameter] = {p.key: p for p in PARAMETERS}


def in_group(group: str) -> Iterator[Parameter]:
    """The parameters of one group that profiles hold, in catalogue order."""
    return (p for p in PARAMETERS if p.group == group and p.scope == "profile")


def of_process(process: str) -> Iterator[Parameter]:
    """The parameters of one process, in catalogue order."""
    groups = {group.key for group in groups_of(process)}
    return (p for p in PARAMETERS if p.group in groups)


def find(text: str, most: int = 8, process: str = FILAMENT) -> list[Parameter]:
    """Parameters of a process by any word a maker might use: every word must stand in name, group, other names or what
    goes wrong.

    Those whose names hold the words come before those that only mention them, and what goes by just these first of all.
    """
    words = text.lower().split()[:6]
    if not words:
        return []

    def rank(parameter: Parameter) -> int:
        places = (
            parameter.name, " ".join(parameter.also_called), f"{_GROUP_NAMES[parameter.group]} {parameter.unit}",
            f"{parameter.too_low} {parameter.too_high} {parameter.help}",
        )  # fmt: skip
        ranks = [next((k for k, place in enumerate(places) if word in place.lower()), None) for word in words]
        return -1 if None in ranks else max(r for r in ranks if r is not None)

    phrase = " ".join(words)
    ranked = [(phrase not in p.also_called, rank(p), place, p) for place, p in enumerate(of_process(process))]
    return [p for _, at, _, p in sorted(ranked, key=lambda r: r[:3]) if at >= 0][:most]


_GROUP_NAMES = {group.key: group.name for group in GROUPS}
