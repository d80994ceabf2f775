"""Two materials in one print on one printer: where they can live together, and what each keeps for itself.

Nothing here is measured. Bed and softening come from labels and families, temperatures from the two profiles, and what
bonds with what is common knowledge of the trade; what a workshop finds by trials stands above it.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from drumbo.core.errors import InvalidInput
from drumbo.core.families import Family, family
from drumbo.core.material import Material
from drumbo.core.printer import Printer
from drumbo.core.profile import Profile

FOOT_C = 5.0
"""A bed may be so much warmer than a plastic softens: the first layers are pressed flat anyway."""
BED_ROUND_C = 10.0
"""A label that says nothing of the bed: so far around what the profile prints at."""
CHAMBER_BELOW_C = 20.0
"""A chamber stays so far below what softens first, or its filament jams in the drive."""
PULLS_MM = 0.2
"""What an interface of 100 mm may pull before it is worth a word."""
STANDBY_BELOW_C = 50.0
"""A tool that waits rests so far below its printing temperature: what is in it neither drips nor chars."""

FIRST, SECOND = 0, 1
"""The tools in which a feeder has the two."""


class Bonds(StrEnum):
    """Whether two plastics hold to each other."""

    STICKS = "sticks"
    WEAK = "weak"
    PARTS = "parts"
    UNKNOWN = "unknown"


@dataclass(frozen=True, slots=True)
class Bond:
    """What is commonly known of a pair of polymers, and why."""

    how: Bonds
    reason: str


_KNOWN: tuple[tuple[str, str, Bonds, str], ...] = (
    ("pla", "pla-filled", Bonds.STICKS, "It is the same plastic with something in it."),
    ("pla", "tpu", Bonds.WEAK, "They hold on a wide face, and peel from an edge."),
    ("pla", "petg", Bonds.PARTS, "They hardly mix: good for supports that come off clean."),
    ("pla", "pva", Bonds.PARTS, "It holds while it prints and dissolves in water."),
    ("petg", "tpu", Bonds.STICKS, "Both melt at the same heat and mix where they meet."),
    ("petg", "abs", Bonds.WEAK, "The bed and the draught that one needs spoil the other."),
    ("petg", "asa", Bonds.WEAK, "The bed and the draught that one needs spoil the other."),
    ("petg", "pc", Bonds.WEAK, "They mix a little, when both are printed hot."),
    ("petg", "pva", Bonds.WEAK, "It holds for a support, and chars when it waits that hot."),
    ("abs", "asa", Bonds.STICKS, "They are close kin and melt into each other."),
    ("abs", "pc", Bonds.STICKS, "They mix well, as blends of the two show."),
    ("abs", "tpu", Bonds.STICKS, "They mix where they meet, if the first layer on top is hot and slow."),
    ("asa", "tpu", Bonds.STICKS, "They mix where they meet, if the first layer on top is hot and slow."),
    ("asa", "pc", Bonds.STICKS, "They mix well, when both are printed hot."),
    ("pla", "abs", Bonds.PARTS, "They do not mix, and shrink so differently that they come apart."),
    ("pla", "asa", Bonds.PARTS, "They do not mix, and shrink so differently that they come apart."),
    ("pla", "pa", Bonds.PARTS, "They do not mix."),
    ("pla", "pc", Bonds.PARTS, "One softens on the bed that the other needs."),
    ("pa", "tpu", Bonds.STICKS, "Both hold on to each other well, if they are dry."),
    ("pa", "pva", Bonds.WEAK, "It holds for a support, if both are dry."),
    ("pa", "petg", Bonds.PARTS, "They do not mix."),
    ("pa", "abs", Bonds.PARTS, "They do not mix, without something that couples them."),
)  # fmt: skip
_BY_PAIR = {frozenset((one, other)): Bond(how, reason) for one, other, how, reason in _KNOWN}


def common_bond(one: str, other: str) -> Bond:
    """What is commonly known of two polymers, by the keys of their families.

    >>> common_bond("tpu", "petg").how
    <Bonds.STICKS: 'sticks'>
    """
    if one == other:
        return Bond(Bonds.STICKS, "It is the same polymer.")
    # What is filled holds as its polymer does.
    plain = frozenset(key.removesuffix("-filled") for key in (one, other))
    return _BY_PAIR.get(
        frozenset((one, other)), _BY_PAIR.get(plain, Bond(Bonds.UNKNOWN, "Nothing is known of these two: try it."))
    )


@dataclass(frozen=True, slots=True)
class Partner:
    """One of the two: its spool and its profile."""

    material: Material
    profile: Profile

    @property
    def kin(self) -> Family:
        """Its polymer."""
        return family(self.material.family)

    @property
    def name(self) -> str:
        """What its spool is called."""
        return self.material.name

    def number(self, key: str) -> float:
        """A value of its profile."""
        return self.profile.number(key)

    @property
    def softens_c(self) -> float:
        """Where it softens, °C: its label's word, or its polymer's."""
        return self.material.softens_c or self.kin.softens_c

    @property
    def bed(self) -> tuple[float, float]:
        """From and to, °C: where it holds to the bed, by its label and its profile."""
        at = self.number("bed_c")
        low, high = self.material.bed_low_c, self.material.bed_high_c
        if low is None or high is None:
            low, high = at - BED_ROUND_C, at + BED_ROUND_C
        return min(low, at), max(high, at)

    @property
    def drying(self) -> tuple[float, float]:
        """How it is dried: °C and hours."""
        return self.material.dry_c or self.kin.drying_c, self.material.dry_h or self.kin.drying_h


@dataclass(frozen=True, slots=True)
class Window:
    """What both can have of one temperature, °C. Where they share nothing, low and high are None and `best` is nearest
    to both; `says` tells why that one, and what to do.
    """

    one: tuple[float, float]
    other: tuple[float, float]
    low: float | None
    high: float | None
    best: float
    says: str

    @property
    def shared(self) -> bool:
        """Whether there is common ground."""
        return self.low is not None


@dataclass(frozen=True, slots=True)
class CommonGround:
    """What a print of two materials is made with. Nozzle and bed in °C; the fan where they meet, %; `pull_mm` how far
    an interface of 100 mm pulls as both cool, mm; `standby_c` is for tools that wait, one and other.
    """

    bed: Window
    chamber_c: float
    chamber_says: str
    plate: str
    plate_says: str
    nozzle_c: tuple[float, float]
    change_c: float
    standby_c: tuple[float, float]
    fan_percent: float
    pull_mm: float
    pull_says: str
    bond: Bond
    warnings: tuple[str, ...]


def check_pair(one: Partner, other: Partner, *, same_profile: bool, same_printer: bool) -> None:
    """InvalidInput says why two profiles are no pair."""
    if same_profile:
        raise InvalidInput("other", "is the same profile; choose another one")
    if not same_printer:
        raise InvalidInput("other", "is for another printer; a pair is printed on one")
    if one.profile.process != other.profile.process:
        raise InvalidInput("other", "is of another process; only filament goes with filament")


def standby_of(nozzle_c: float) -> float:
    """At what a nozzle waits for its turn, °C: it hardly oozes, and is soon warm again."""
    return max(nozzle_c - STANDBY_BELOW_C, 0.0)


def common_ground(one: Partner, other: Partner, printer: Printer) -> CommonGround:
    """Where two materials can live together on a printer."""
    bed = _bed(one, other, printer)
    chamber_c, chamber_says = _chamber(one, other)
    plate, plate_says = _plate(one, other)
    nozzles = one.number("nozzle_c"), other.number("nozzle_c")
    differs = abs(one.number("shrinkage_percent") - other.number("shrinkage_percent"))
    # Percent of 100 mm are millimetres.
    pull_says = (
        "They shrink alike." if differs < PULLS_MM
        else f"Over 100 mm one pulls {differs:.1f} mm at the other: keep joints short, or let them slide."
    )  # fmt: skip
    return CommonGround(
        bed, chamber_c, chamber_says, plate, plate_says, nozzles, max(nozzles),
        (standby_of(nozzles[0]), standby_of(nozzles[1])),
        min(one.number("fan_percent"), other.number("fan_percent")),
        differs, pull_says, common_bond(one.material.family, other.material.family),
        tuple(_warnings(one, other, printer)),
    )  # fmt: skip


def _bed(one: Partner, other: Partner, printer: Printer) -> Window:
    """Where both hold to the bed, and neither goes soft on it."""
    softer = min((one, other), key=lambda partner: partner.softens_c)
    limit = softer.softens_c + FOOT_C
    low = max(one.bed[0], other.bed[0])
    high = min(one.bed[1], other.bed[1], printer.bed_max_c)
    # What one of the two is printed at anyway, it stands.
    limit = max(limit, softer.number("bed_c"))
    if low <= min(high, limit):
        high = min(high, limit)
        wanted = (one.number("bed_c") + other.number("bed_c")) / 2
        best = float(round(min(max(wanted, low), high)))
        why = f"Above {limit:g} °C {softer.name} goes soft." if high == limit else ""
        return Window(one.bed, other.bed, low, high, best, why)
    needy = max((one, other), key=lambda partner: partner.bed[0])
    best = float(round(min(limit, printer.bed_max_c)))
    says = (
        f"There is no bed for both: {needy.name} wants {needy.bed[0]:g} °C or more, and {softer.name} goes soft above "
        f"{limit:g} °C. Nearest is {best:g} °C with {softer.name} on the plate, or glue under {needy.name}."
    )
    if softer is needy or printer.bed_max_c < needy.bed[0] <= limit:
        best = min(printer.bed_max_c, low)
        says = (
            f"There is no bed for both: their labels share nothing. Nearest is {best:g} °C, the coolest at which "
            f"{needy.name} holds; a film of glue keeps the other from holding too fast."
        )
    return Window(one.bed, other.bed, None, None, best, says)


def _chamber(one: Partner, other: Partner) -> tuple[float, str]:
    wanted = max(one.number("chamber_c"), other.number("chamber_c"))
    if wanted <= 0:
        return 0.0, "Neither needs a warm chamber."
    softer = min((one, other), key=lambda partner: partner.softens_c)
    most = softer.softens_c - CHAMBER_BELOW_C
    if wanted <= most:
        return wanted, "Warm enough for the one, and the other stands it."
    return max(most, 0.0), f"One wants {wanted:g} °C; {softer.name} softens at {softer.softens_c:g} °C and would jam."


_PLATES = (("bed_textured_c", "textured sheet"), ("bed_smooth_c", "smooth sheet"), ("bed_glass_c", "glass"))


def _plate(one: Partner, other: Partner) -> tuple[str, str]:
    """The plate on which the two bed temperatures lie closest; the labels' own words first."""
    apart = {name: abs(one.number(key) - other.number(key)) for key, name in _PLATES}
    name = min(apart, key=lambda plate: apart[plate])
    words = [f"{p.name}: {p.material.plate}" for p in (one, other) if p.material.plate]
    return name, "; ".join(words) or f"Their bed temperatures are {apart[name]:g} °C apart on it."


def _warnings(one: Partner, other: Partner, printer: Printer) -> list[str]:
    said = []
    for partner, its in ((one, other), (other, one)):
        if partner.material.abrasive == "yes":
            goes = "give it a hardened nozzle" if printer.by_nozzles else "both go through a hardened nozzle then"
            said.append(f"{partner.name} is abrasive: {goes}.")
        if not printer.by_nozzles and its.number("nozzle_c") > partner.material.nozzle_high_c + 15:
            said.append(
                f"{partner.name} stands {partner.material.nozzle_high_c:g} °C by its label and is pushed out at "
                f"{its.number('nozzle_c'):g} °C at a change: do not let it wait that hot."
            )
    if not printer.by_nozzles and abs(one.material.diameter_mm - other.material.diameter_mm) > 0.2:
        said.append("The two filaments differ in diameter; one drive takes only one of them.")
    if max(one.number("nozzle_c"), other.number("nozzle_c")) > printer.nozzle_max_c:
        said.append("One is printed hotter than this printer may run.")
    return said
