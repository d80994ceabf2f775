"""Materials: a spool as its label tells it."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import ClassVar

from drumbo.core.catalogue import FILAMENT
from drumbo.core.errors import InvalidInput
from drumbo.core.families import FAMILIES, family
from drumbo.core.fields import Field, build, read_all
from drumbo.core.printer import Printer


@dataclass(frozen=True, slots=True)
class Material:
    """A spool as its label tells it. A range is low and high in °C; money is in `currency` per kg, tax in.

    Drying (`dry_c` for `dry_h` hours) and softening are its polymer's where the label says nothing; `plate` tells on
    what it holds, and with which glue; an `abrasive` one ("yes") wears soft nozzles.
    """

    maker: str
    product: str
    family: str
    colour: str
    colour_hex: str
    nozzle_low_c: float
    nozzle_high_c: float
    bed_low_c: float | None = None
    bed_high_c: float | None = None
    diameter_mm: float = 1.75
    density_g_cm3: float = 1.24
    price_per_kg: float | None = None
    currency: str = "€"
    spool_g: float | None = None
    notes: str = ""
    dry_c: float | None = None
    dry_h: float | None = None
    softens_c: float | None = None
    plate: str = ""
    abrasive: str = "no"
    process: str = FILAMENT
    holder: ClassVar[str] = "spool"
    held: ClassVar[str] = "on the spool"
    left_key: ClassVar[str] = "spool_g"

    @property
    def name(self) -> str:
        """What the spool is called in lists."""
        return f"{self.product}, {self.colour}"

    @property
    def family_name(self) -> str:
        """Its polymer in words."""
        return family(self.family).name

    @property
    def label_says(self) -> str:
        """What the label tells of how to print it."""
        bed = ""
        if self.bed_low_c is not None and self.bed_high_c is not None:
            bed = f", bed {self.bed_low_c:g} to {self.bed_high_c:g}"
        return f"{self.nozzle_low_c:g} to {self.nozzle_high_c:g} °C{bed}"

    @property
    def price_says(self) -> str:
        """Its price, or nothing."""
        return "" if self.price_per_kg is None else f"{self.currency} {self.price_per_kg:.2f} a kg"

    @property
    def left_g(self) -> float | None:
        """What is left on the spool, g; None where nobody keeps count."""
        return self.spool_g

    @property
    def left_worth(self) -> float | None:
        """What that cost; None where the weight or the price is not known."""
        return None if self.spool_g is None or self.price_per_kg is None else self.spool_g * self.price_per_kg / 1000

    def left_after(self, grams: float) -> float | None:
        """What is kept under `left_key` once so many grams are gone."""
        return None if self.spool_g is None else round(max(self.spool_g - grams, 0.0), 1)

    def amount(self, grams: float) -> str:
        """So many grams in the measure of a spool: 2.98 g of PLA of 1.75 mm are a metre."""
        area_mm2 = math.pi * self.diameter_mm**2 / 4
        return f"{grams / self.density_g_cm3 / area_mm2:.1f} m of filament"

    def starting_numbers(self, printer: Printer, chosen: Mapping[str, float]) -> dict[str, float]:
        """Catalogue key → what is common for its polymer on a printer."""
        del chosen
        return family(self.family).starting_values(printer.drive, printer.nozzle_mm)

    def label_numbers(self, chosen: Mapping[str, float]) -> dict[str, float]:
        """Catalogue key → what the label says for certain."""
        del chosen
        return {"filament_diameter_mm": self.diameter_mm, "density_g_cm3": self.density_g_cm3}

    def label_range(self, key: str) -> tuple[float, float] | None:
        """From and to on the label, for a catalogue key; None where it gives none."""
        if key in {"nozzle_c", "nozzle_first_c"}:
            return self.nozzle_low_c, self.nozzle_high_c
        if key in {"bed_c", "bed_first_c"} and self.bed_low_c is not None and self.bed_high_c is not None:
            return self.bed_low_c, self.bed_high_c
        return None

    def care(self) -> tuple[str, ...]:
        """How to dry and print it, in sentences: the label's words, or what is common for its polymer."""
        kin = family(self.family)
        dry_c, dry_h = self.dry_c or kin.drying_c, self.dry_h or kin.drying_h
        told = "" if self.dry_c or self.dry_h else ", as is common"
        said = [f"Dry it at {dry_c:g} °C for {dry_h:g} h{told}.", f"Softens at {self.softens_c or kin.softens_c:g} °C."]
        if self.plate:
            said.append(f"Plate: {self.plate}.")
        if self.abrasive == "yes":
            said.append("Abrasive: it wears a brass nozzle; a hardened one lasts.")
        return tuple(said)

    def cost(self, grams: float) -> float | None:
        """Money for so many grams, or None where no price is known."""
        return None if self.price_per_kg is None else grams * self.price_per_kg / 1000


MATERIAL_FIELDS: tuple[Field, ...] = (
    Field("family", "Polymer", kind="choice", choices=tuple((f.key, f.name) for f in FAMILIES)),
    Field("maker", "Maker", kind="text", longest=80),
    Field("product", "Product", kind="text", longest=80, help="As on the label, like “Everyday PLA”."),
    Field("colour", "Colour", kind="text", longest=40),
    Field("colour_hex", "Shown as", kind="colour"),
    Field("nozzle_low_c", "Nozzle from", "°C", low=120, high=500),
    Field("nozzle_high_c", "Nozzle to", "°C", low=120, high=500),
    Field("bed_low_c", "Bed from", "°C", low=0, high=200, required=False),
    Field("bed_high_c", "Bed to", "°C", low=0, high=200, required=False),
    Field("diameter_mm", "Diameter", "mm", low=1, high=4),
    Field("density_g_cm3", "Density", "g/cm³", low=0.3, high=12),
    Field("price_per_kg", "Price per kg", low=0, high=100_000, required=False, help="Tax in."),
    Field("currency", "Currency", kind="text", longest=4),
    Field("spool_g", "Left on the spool", "g", low=0, high=20_000, required=False),
    Field("dry_c", "Drying at", "°C", low=20, high=150, required=False, help="Empty: as its polymer commonly is."),
    Field("dry_h", "for", "h", low=0.5, high=72, required=False),
    Field("softens_c", "Softens at", "°C", low=20, high=300, required=False),
    Field(
        "abrasive",
        "Abrasive",
        kind="choice",
        required=False,
        choices=(("no", "no"), ("yes", "yes: glass, carbon, metal, glitter")),
    ),
    Field("plate", "Plate and glue", kind="text", longest=120, required=False, help="Like “textured, no glue”."),
    Field("notes", "Notes", kind="lines", required=False),
)


def read_material(typed: Mapping[str, str | float | None]) -> Material:
    """A material from what was typed; InvalidInput gathers every field's problem."""
    material = build(Material, MATERIAL_FIELDS, read_all(MATERIAL_FIELDS, typed))
    problems = {}
    if material.nozzle_high_c < material.nozzle_low_c:
        problems["nozzle_high_c"] = (
            f"is below {material.nozzle_low_c:g} °C, where the range starts; swap the two numbers"
        )
    if material.bed_low_c is not None and material.bed_high_c is not None and material.bed_high_c < material.bed_low_c:
        problems["bed_high_c"] = f"is below {material.bed_low_c:g} °C, where the range starts; swap the two numbers"
    if problems:
        raise InvalidInput.of(problems)
    return material
