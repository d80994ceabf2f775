"""The two processes: filament and resin. What differs between their printers and materials is theirs to know; who needs
one or the other asks here.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import Field as DataclassField
from dataclasses import dataclass
from typing import Any, ClassVar, Protocol

from drumbo.core.catalogue import FILAMENT, RESIN
from drumbo.core.errors import NotFound
from drumbo.core.families import FAMILIES
from drumbo.core.fields import Field
from drumbo.core.material import MATERIAL_FIELDS, Material, read_material
from drumbo.core.printer import PRINTER_FIELDS, Printer, read_printer
from drumbo.core.reach import Reachable
from drumbo.core.resin import (
    RESIN_CLASSES,
    RESIN_FIELDS,
    RESIN_PRINTER_FIELDS,
    Resin,
    ResinPrinter,
    read_resin,
    read_resin_printer,
)

Typed = Mapping[str, str | float | None]


class AnyPrinter(Reachable, Protocol):
    """What every printer tells, whatever its process. It is a frozen dataclass."""

    __dataclass_fields__: ClassVar[dict[str, DataclassField[Any]]]
    of_machine: ClassVar[tuple[str, ...]]
    found_here: ClassVar[tuple[str, ...]]

    @property
    def name(self) -> str: ...
    @property
    def height_mm(self) -> float: ...
    @property
    def bed_middle(self) -> tuple[float, float]: ...
    @property
    def upload_user(self) -> str: ...
    @property
    def upload_token(self) -> str: ...
    @property
    def folder(self) -> str: ...
    @property
    def practice(self) -> str: ...
    @property
    def notes(self) -> str: ...
    @property
    def machine(self) -> str: ...
    @property
    def own(self) -> Mapping[str, float]: ...
    @property
    def process(self) -> str: ...
    @property
    def says(self) -> str: ...
    @property
    def waits_s(self) -> float | None: ...
    @property
    def kind_of_place(self) -> dict[str, tuple[str, str]]: ...
    def numbers(self) -> dict[str, float]: ...
    def park_lines(self) -> tuple[str, ...]: ...
    def limits(self) -> dict[str, float]: ...
    def ignored(self) -> frozenset[str]: ...


class AnyMaterial(Protocol):
    """What every material tells, whatever its process. It is a frozen dataclass."""

    __dataclass_fields__: ClassVar[dict[str, DataclassField[Any]]]
    holder: ClassVar[str]
    held: ClassVar[str]
    left_key: ClassVar[str]

    @property
    def maker(self) -> str: ...
    @property
    def product(self) -> str: ...
    @property
    def colour(self) -> str: ...
    @property
    def colour_hex(self) -> str: ...
    @property
    def density_g_cm3(self) -> float: ...
    @property
    def currency(self) -> str: ...
    @property
    def notes(self) -> str: ...
    @property
    def family(self) -> str: ...
    @property
    def name(self) -> str: ...
    @property
    def process(self) -> str: ...
    @property
    def family_name(self) -> str: ...
    @property
    def label_says(self) -> str: ...
    @property
    def price_says(self) -> str: ...
    @property
    def left_g(self) -> float | None: ...
    def care(self) -> tuple[str, ...]: ...
    def left_after(self, grams: float) -> float | None: ...
    def amount(self, grams: float) -> str: ...
    def cost(self, grams: float) -> float | None: ...
    def starting_numbers(self, printer: Any, chosen: Mapping[str, float]) -> dict[str, float]:
        """On a printer of its own process."""

    def label_numbers(self, chosen: Mapping[str, float]) -> dict[str, float]: ...
    def label_range(self, key: str) -> tuple[float, float] | None: ...


@dataclass(frozen=True, slots=True)
class Process:
    """One process: its printers and materials, how they are typed in, and its families."""

    key: str
    name: str
    holder: str
    printer: type[Printer] | type[ResinPrinter]
    material: type[Material] | type[Resin]
    printer_fields: tuple[Field, ...]
    material_fields: tuple[Field, ...]
    read_printer: Callable[[Typed], AnyPrinter]
    read_material: Callable[[Typed], AnyMaterial]
    families: Mapping[str, str]
    file_name: str
    file_ending: str
    mime: str


PROCESSES: dict[str, Process] = {
    FILAMENT: Process(
        FILAMENT, "Filament", "spool", Printer, Material, PRINTER_FIELDS, MATERIAL_FIELDS, read_printer, read_material,
        {kin.key: kin.name for kin in FAMILIES}, "G-code", "gcode", "text/x.gcode",
    ),
    RESIN: Process(
        RESIN, "Resin", "bottle", ResinPrinter, Resin, RESIN_PRINTER_FIELDS, RESIN_FIELDS, read_resin_printer,
        read_resin, {kin.key: kin.name for kin in RESIN_CLASSES}, "Layer package", "zip", "application/zip",
    ),
}  # fmt: skip

FAMILY_NAMES: dict[str, str] = {key: name for process in PROCESSES.values() for key, name in process.families.items()}


def process(key: str) -> Process:
    """The process under `key`; NotFound names those there are."""
    try:
        return PROCESSES[key]
    except KeyError:
        raise NotFound(f"there is no process {key!r}; there are {', '.join(PROCESSES)}") from None


def process_of_family(family: str) -> Process:
    """The process of a polymer or resin class; NotFound where there is none of that key."""
    found = next((each for each in PROCESSES.values() if family in each.families), None)
    if found is None:
        raise NotFound(f"there is no polymer or resin class {family!r}")
    return found
