"""The four temperatures of a start, who sets each, and where they fight."""

from __future__ import annotations

from dataclasses import dataclass

from drumbo.core.gcode.templates import FilledTemplate, heat_of, look
from drumbo.core.material import Material
from drumbo.core.printer import Printer
from drumbo.core.profile import Profile

FAR_C = 20.0
"""First and other layers further apart than this want a reason."""


@dataclass(frozen=True, slots=True)
class Phase:
    """One stretch of a print: nozzle and bed, °C, and which place has set them. A nozzle of 0 is left as it was."""

    name: str
    nozzle_c: float
    bed_c: float
    who: str


@dataclass(frozen=True, slots=True)
class Heats:
    """Before the first layer, first layer, other layers, idle; and sentences on where they fight."""

    phases: tuple[Phase, ...]
    odd: tuple[str, ...]


def heats(profile: Profile, material: Material, printer: Printer) -> Heats:
    """What heats a print of this profile on this printer, from its start G-code on."""
    numbers = profile.numbers()
    asked = {key: numbers.get(key, 0.0) for key in ("nozzle_first_c", "nozzle_c", "bed_first_c", "bed_c")}
    filled = look(printer, asked)
    first, other = asked["nozzle_first_c"], asked["nozzle_c"]
    nozzle, bed = _last(filled, "nozzle"), _last(filled, "bed")
    own = nozzle is not None or bed is not None
    standby = numbers.get("nozzle_standby_c", 0.0)
    phases = (
        Phase("before", nozzle if nozzle is not None else first, bed if bed is not None else asked["bed_first_c"],
              f"start G-code of {printer.name}" if own else "the file's own start"),
        Phase("first layer", first, asked["bed_first_c"], "profile, first layer"),
        Phase("other layers", other, asked["bed_c"], "profile, other layers"),
        Phase("idle", standby or other, asked["bed_c"], "profile, standby" if standby else "stays hot"),
    )  # fmt: skip
    return Heats(phases, tuple(_fights(phases, nozzle, bed, material, printer)))


def _last(filled: FilledTemplate, heater: str) -> float | None:
    """What the start template sets last, None where it leaves a heater alone."""
    found = [at for line in filled.start if (at := heat_of(line)) is not None and at[0] == heater]
    return found[-1][1] if found else None


def _fights(
    phases: tuple[Phase, ...], nozzle: float | None, bed: float | None, material: Material, printer: Printer
) -> list[str]:  # fmt: skip
    _, first, other, idle = phases
    said = []
    if nozzle is not None and abs(nozzle - first.nozzle_c) > 0.5:
        said.append(
            f"The start G-code heats the nozzle to {nozzle:g} °C, the first layer wants {first.nozzle_c:g}: it is laid "
            "while the nozzle is on its way, unless the file waits again. Drumbo's files do."
        )
    if bed is not None and abs(bed - first.bed_c) > 0.5:
        said.append(f"The start G-code heats the bed to {bed:g} °C, the first layer wants {first.bed_c:g}.")
    if abs(first.nozzle_c - other.nozzle_c) > FAR_C:
        apart = abs(first.nozzle_c - other.nozzle_c)
        said.append(f"First and other layers are {apart:g} °C apart: the layers between are laid at something else.")
    low, high = material.nozzle_low_c, material.nozzle_high_c
    for phase in (first, other):
        if not low <= phase.nozzle_c <= high:
            said.append(f"{phase.nozzle_c:g} °C ({phase.name}) is outside of what the label says: {low:g} to {high:g}.")
    if idle.nozzle_c > other.nozzle_c:
        said.append(f"Idle at {idle.nozzle_c:g} °C it is hotter than it prints: it will drip.")
    for phase in phases:
        if phase.nozzle_c > printer.nozzle_max_c or phase.bed_c > printer.bed_max_c:
            said.append(f"{phase.name.capitalize()} is hotter than {printer.name} may run.")
    return said
