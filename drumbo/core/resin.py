"""Resin printers and bottles of resin: the two things a resin profile is for."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field
from typing import ClassVar

from drumbo.core.address import WEB
from drumbo.core.catalogue import BY_KEY, PARAMETERS, RESIN, starting_values
from drumbo.core.errors import NotFound
from drumbo.core.fields import Field, build, read_all
from drumbo.core.light.height import factor
from drumbo.core.light.lamp import EVEN, LampMap
from drumbo.core.printer import FOLDER_FIELD, STILL_FIELD, UPLOAD_FIELDS
from drumbo.core.reach import reachable

USUAL_LAYER_UM = 50.0
USUAL_REACH_UM = 130.0
"""Penetration depth of a pigmented resin of which nothing is known."""


@dataclass(frozen=True, slots=True)
class ResinClass:
    """What is commonly true of a class of resin, at 50 µm layers on a black-and-white screen."""

    key: str
    name: str
    exposure_s: float
    bottom_exposure_s: float
    lift_speed_mm_min: float
    rest_before_s: float
    density_g_cm3: float
    wash_min: float
    cure_min: float
    reach_um: float = USUAL_REACH_UM
    process: ClassVar[str] = RESIN


RESIN_CLASSES: tuple[ResinClass, ...] = (
    ResinClass("resin-standard", "Standard resin", 2.5, 28, 80, 1.0, 1.12, 3, 5),
    ResinClass("resin-fast", "Fast resin", 1.8, 22, 90, 0.8, 1.11, 3, 4),
    ResinClass("resin-tough", "Tough resin", 3.0, 32, 65, 1.5, 1.13, 4, 10),
    ResinClass("resin-flexible", "Flexible resin", 3.6, 36, 50, 2.0, 1.09, 3, 12),
    ResinClass("resin-clear", "Clear resin", 2.8, 28, 75, 1.2, 1.11, 3, 4, 210.0),
    ResinClass("resin-washable", "Water-washable resin", 2.7, 30, 70, 1.5, 1.14, 2, 8),
    ResinClass("resin-castable", "Castable resin", 3.4, 34, 55, 2.0, 1.10, 3, 15),
    ResinClass("resin-filled", "Filled resin (ceramic, dental model)", 2.6, 30, 60, 2.0, 1.30, 4, 10, 100.0),
)

_BY_KEY = {kin.key: kin for kin in RESIN_CLASSES}


def resin_class(key: str) -> ResinClass:
    """The class under `key`; NotFound names those there are."""
    try:
        return _BY_KEY[key]
    except KeyError:
        raise NotFound(f"no resin class {key!r}; there are {', '.join(_BY_KEY)}") from None


@dataclass(frozen=True, slots=True)
class ResinPrinter:
    """A printer that lights layers through a screen. The middle of its screen is x = y = 0.

    `intensity_mw_cm2` is at the film, at full power; None where nobody has measured it. `ignores` are the catalogue
    keys of settings that it does not honour, with commas between. `lamp_map` is what a trial found of its lamp. What
    was `found_here` nobody types: editing the printer leaves it as it is; what of that is `of_machine` a new preset of
    the same machine has too. A link is the address of its package service.
    """

    name: str
    pixels_x: float = 3840.0
    pixels_y: float = 2400.0
    pixel_um: float = 35.0
    height_mm: float = 165.0
    intensity_mw_cm2: float | None = None
    lights_apart: str = "no"
    greys: str = "no"
    ignores: str = ""
    link_url: str = ""
    folder: str = ""
    still_url: str = ""
    upload_url: str = ""
    upload_user: str = ""
    upload_token: str = ""
    camera_url: str = ""
    notes: str = ""
    own: Mapping[str, float] = field(default_factory=dict)
    machine: str = ""
    practice: str = ""
    lamp_uneven_percent: float | None = None
    lamp_map: Sequence[float] = ()
    process: str = RESIN
    of_machine: ClassVar[tuple[str, ...]] = ("lamp_uneven_percent", "lamp_map")
    found_here: ClassVar[tuple[str, ...]] = ("own", "practice", *of_machine)

    @property
    def lamp(self) -> LampMap | None:
        """How even its light is; None where nobody has mapped it."""
        return LampMap.of(self.lamp_map)

    @property
    def evens_by(self) -> LampMap | None:
        """The map by which its pictures are evened; None where it takes no greys, or the lamp is even enough."""
        lamp = self.lamp
        return lamp if lamp is not None and self.greys == "yes" and lamp.uneven >= EVEN else None

    @property
    def says(self) -> str:
        """What it is, in a few words."""
        return f"{self.pixels_x:g} × {self.pixels_y:g} pixels of {self.pixel_um:g} µm"

    @property
    def waits_s(self) -> float | None:
        """How long it stays hot for somebody: it has no heater."""
        return None

    def park_lines(self) -> tuple[str, ...]:
        """Nothing: it goes up by itself when it stops."""
        return ()

    @property
    def size_mm(self) -> tuple[float, float]:
        """Width and depth of the screen, mm."""
        return (self.pixels_x * self.pixel_um / 1000, self.pixels_y * self.pixel_um / 1000)

    @property
    def bed_middle(self) -> tuple[float, float]:
        """Where a piece's middle goes."""
        return (0.0, 0.0)

    @property
    def kind_of_place(self) -> dict[str, tuple[str, str]]:
        """What of a machine decides what carries over: code → (what it is, and how it is called beside another)."""
        found = {"screen": (f"pixels of {self.pixel_um:g} µm", f"{self.pixel_um:g}")}
        if self.intensity_mw_cm2 is not None:
            found["light"] = (f"a light of {self.intensity_mw_cm2:g} mW/cm²", f"{self.intensity_mw_cm2:g}")
        return found

    def numbers(self) -> dict[str, float]:
        """Catalogue key → number, for what is the printer's own and known."""
        return {} if self.lamp_uneven_percent is None else {"lamp_uneven_percent": self.lamp_uneven_percent}

    def limits(self) -> dict[str, float]:
        """Catalogue key → the most that it may run."""
        return {}

    def ignored(self) -> frozenset[str]:
        """Catalogue keys of settings that it does not honour."""
        return frozenset(key for key in self.ignores.split(",") if key in BY_KEY)


@dataclass(frozen=True, slots=True)
class Resin:
    """A bottle as its label tells it: an exposure at a layer height, price per bottle of so many ml, tax in."""

    maker: str
    product: str
    family: str
    colour: str
    colour_hex: str
    exposure_s: float | None = None
    exposure_layer_um: float | None = None
    bottom_exposure_s: float | None = None
    resin_c: float | None = None
    density_g_cm3: float = 1.12
    price_per_bottle: float | None = None
    bottle_ml: float = 1000.0
    currency: str = "€"
    left_ml: float | None = None
    wash_min: float | None = None
    cure_min: float | None = None
    notes: str = ""
    process: str = RESIN
    holder: ClassVar[str] = "bottle"
    held: ClassVar[str] = "in the bottle"
    left_key: ClassVar[str] = "left_ml"

    @property
    def name(self) -> str:
        """What the bottle is called in lists."""
        return f"{self.product}, {self.colour}"

    @property
    def family_name(self) -> str:
        """Its class in words."""
        return resin_class(self.family).name

    @property
    def label_says(self) -> str:
        """What the label tells of how to print it."""
        if self.exposure_s is None:
            return "no exposure"
        return f"{self.exposure_s:g} s at {self.exposure_layer_um or USUAL_LAYER_UM:g} µm"

    @property
    def price_says(self) -> str:
        """Its price, or nothing."""
        if self.price_per_bottle is None:
            return ""
        return f"{self.currency} {self.price_per_bottle:.2f} for {self.bottle_ml:g} ml"

    @property
    def left_g(self) -> float | None:
        """What is left in the bottle, g; None where nobody keeps count."""
        return None if self.left_ml is None else self.left_ml * self.density_g_cm3

    def left_after(self, grams: float) -> float | None:
        """What is kept under `left_key` once so many grams are gone."""
        return None if self.left_ml is None else round(max(self.left_ml - grams / self.density_g_cm3, 0.0), 1)

    def amount(self, grams: float) -> str:
        """So many grams in the measure of a bottle."""
        return f"{grams / self.density_g_cm3:.1f} ml of resin"

    def care(self) -> tuple[str, ...]:
        """How to wash and cure it, in sentences: the label's words, or what is common for its class."""
        kin = resin_class(self.family)
        wash, cure = self.wash_min or kin.wash_min, self.cure_min or kin.cure_min
        told = "" if self.wash_min or self.cure_min else ", as is common"
        return (f"Wash it for {wash:g} min, cure it for {cure:g} min{told}.",)

    def cost(self, grams: float) -> float | None:
        """Money for so many grams, or None where no price is known."""
        if self.price_per_bottle is None:
            return None
        return grams / self.density_g_cm3 * self.price_per_bottle / self.bottle_ml

    def starting_numbers(self, printer: ResinPrinter, chosen: Mapping[str, float]) -> dict[str, float]:
        """Catalogue key → what is common for its class at a layer height."""
        del printer
        kin, layer_um = resin_class(self.family), chosen.get("layer_um", USUAL_LAYER_UM)
        here_s = round(kin.exposure_s * self._by_height(USUAL_LAYER_UM, layer_um), 2)
        figures = {key: float(number) for key, number in asdict(kin).items() if isinstance(number, (int, float))}
        return starting_values(RESIN, {**figures, "layer_um": layer_um, "exposure_here_s": here_s})

    def _by_height(self, known_um: float, wanted_um: float) -> float:
        """By how much more or less light another layer height is lit while nothing is measured."""
        return factor(known_um, wanted_um, resin_class(self.family).reach_um)

    def label_numbers(self, chosen: Mapping[str, float]) -> dict[str, float]:
        """Catalogue key → what the label says, brought to the layer height that was chosen."""
        told: dict[str, float | None] = {
            "bottom_exposure_s": self.bottom_exposure_s,
            "resin_c": self.resin_c,
            "wash_min": self.wash_min,
            "cure_min": self.cure_min,
        }
        if self.exposure_s is not None:
            layer_um = chosen.get("layer_um", USUAL_LAYER_UM)
            by = self._by_height(self.exposure_layer_um or USUAL_LAYER_UM, layer_um)
            told["exposure_s"] = round(self.exposure_s * by, 2)
        return {key: number for key, number in told.items() if number is not None}

    def label_range(self, key: str) -> tuple[float, float] | None:
        """From and to on the label, for a catalogue key; None where it gives none."""
        del key
        return None


RESIN_FIELDS: tuple[Field, ...] = (
    Field("family", "Class", kind="choice", choices=tuple((kin.key, kin.name) for kin in RESIN_CLASSES)),
    Field("maker", "Maker", kind="text", longest=80),
    Field("product", "Product", kind="text", longest=80, help="As on the label."),
    Field("colour", "Colour", kind="text", longest=40),
    Field("colour_hex", "Shown as", kind="colour"),
    Field("exposure_s", "Exposure", "s", low=0.1, high=120, required=False, help="As the label suggests it."),
    Field("exposure_layer_um", "at layers of", "µm", low=5, high=300, required=False),
    Field("bottom_exposure_s", "Bottom exposure", "s", low=1, high=600, required=False),
    Field("resin_c", "Temperature", "°C", low=5, high=80, required=False, help="At which it is meant to print."),
    Field("density_g_cm3", "Density", "g/cm³", low=0.7, high=4),
    Field("price_per_bottle", "Price per bottle", low=0, high=100_000, required=False, help="Tax in."),
    Field("bottle_ml", "Bottle", "ml", low=50, high=50_000),
    Field("currency", "Currency", kind="text", longest=4),
    Field("left_ml", "Left in the bottle", "ml", low=0, high=50_000, required=False),
    Field("wash_min", "Wash", "min", low=0, high=120, required=False, help="Empty: as its class commonly is."),
    Field("cure_min", "Post-cure", "min", low=0, high=600, required=False),
    Field("notes", "Notes", kind="lines", required=False),
)

RESIN_PRINTER_FIELDS: tuple[Field, ...] = (
    Field("name", "Name", kind="text", longest=60),
    Field("machine", "Machine", kind="text", required=False, longest=60,
          help="Only where one machine has several presets: its name, the same for all."),
    Field("pixels_x", "Screen, X", "pixels", low=100, high=20_000, whole=True),
    Field("pixels_y", "Screen, Y", "pixels", low=100, high=20_000, whole=True),
    Field("pixel_um", "A pixel", "µm", low=5, high=200, help="Width of the screen ÷ its pixels."),
    Field("height_mm", "Build height", "mm", low=20, high=2000),
    Field("intensity_mw_cm2", "Light", "mW/cm²", low=0.05, high=200, required=False,
          help="At the film, at full power. Empty where it was not measured: times are found all the same."),
    Field("lights_apart", "Several lights in one layer", kind="choice", required=False,
          choices=(("no", "no: one picture, one time"), ("yes", "yes: pictures one after another without a lift")),
          help="With it, one print carries a whole sweep of exposures."),
    Field("greys", "Grey pictures", kind="choice", required=False,
          choices=(("no", "no: a pixel is lit or not"), ("yes", "yes: a grey pixel gets less light")),
          help="With it, files even out a lamp that was mapped."),
    Field("ignores", "Ignores", kind="many", required=False, help="What of a file it does not honour.",
          choices=tuple((p.key, p.name) for p in PARAMETERS if p.may_be_ignored)),
    Field("link_url", "Link", kind="text", required=False, help="http://address:port of its package service."),
    FOLDER_FIELD,
    *UPLOAD_FIELDS,
    STILL_FIELD,
    Field("camera_url", "Camera", kind="text", required=False, help="http://address:port of a stand-in's camera."),
    Field("notes", "Notes", kind="lines", required=False),
)  # fmt: skip


def read_resin(typed: Mapping[str, str | float | None]) -> Resin:
    """A resin from what was typed; InvalidInput gathers every field's problem."""
    return build(Resin, RESIN_FIELDS, read_all(RESIN_FIELDS, typed))


def read_resin_printer(typed: Mapping[str, str | float | None]) -> ResinPrinter:
    """A resin printer from what was typed; InvalidInput gathers every field's problem."""
    return reachable(build(ResinPrinter, RESIN_PRINTER_FIELDS, read_all(RESIN_PRINTER_FIELDS, typed)), {WEB})
