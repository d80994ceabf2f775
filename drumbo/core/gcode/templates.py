"""Start and end G-code: templates with {names}, filled in, and looked over for what spoils prints and printers."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass

from drumbo.core.errors import GcodeError, InvalidInput
from drumbo.core.gcode.kernel import HOME
from drumbo.core.gcode.program import Program
from drumbo.core.gcode.reader import read
from drumbo.core.printer import Printer

_NAME = re.compile(r"\{([^{}]*)\}")
_HEAT = re.compile(r"^\s*(M10[49]|M1[49]0)\b[^;]*?[SR]\s*(\d+(?:\.\d+)?)", re.IGNORECASE)
_NOZZLE = frozenset({"M104", "M109"})


def fill_template(field_key: str, template: str, names: Mapping[str, float]) -> list[str]:
    """The template's lines with {names} filled in; InvalidInput names the line and the names there are."""
    lines = []
    for number, line in enumerate(template.splitlines(), 1):
        unknown = [name for name in _NAME.findall(line) if name not in names]
        if unknown:
            known = ", ".join(sorted(names))
            raise InvalidInput(field_key, f"line {number}: {{{unknown[0]}}} is no known name; there are {known}")
        lines.append(_NAME.sub(lambda found: f"{names[found.group(1)]:g}", line))
    return lines


def template_names(
    printer: Printer, temperatures: Mapping[str, float], more: Mapping[str, float] | None = None
) -> dict[str, float]:
    """The names that start and end templates may use, with their values."""
    (low_x, low_y), (high_x, high_y), (middle_x, middle_y) = printer.bed_low, printer.bed_high, printer.bed_middle
    return {
        **temperatures,
        "nozzle_mm": printer.nozzle_mm,
        "low_x": low_x,
        "low_y": low_y,
        "high_x": high_x,
        "high_y": high_y,
        "middle_x": middle_x,
        "middle_y": middle_y,
        "height_mm": printer.height_mm,
        "park_x": low_x + 5,
        "park_y": high_y - 5,
        **(more or {}),
    }


@dataclass(frozen=True, slots=True)
class FilledTemplate:
    """Both templates as a file has them. `wrong` is by field what cannot be written; `odd` are sentences."""

    start: tuple[str, ...]
    end: tuple[str, ...]
    wrong: Mapping[str, str]
    odd: tuple[str, ...]


def look(printer: Printer, temperatures: Mapping[str, float]) -> FilledTemplate:
    """Fill both templates in and look them over, as if a piece were printed between them."""
    names = template_names(printer, temperatures)
    wrong: dict[str, str] = {}
    filled: dict[str, tuple[str, ...]] = {}
    for key in ("start_gcode", "end_gcode"):
        try:
            filled[key] = tuple(fill_template(key, getattr(printer, key), names))
        except InvalidInput as error:
            wrong |= error.problems
            filled[key] = ()
    odd = () if wrong else tuple(_odd(printer, temperatures, filled["start_gcode"], filled["end_gcode"]))
    return FilledTemplate(filled["start_gcode"], filled["end_gcode"], wrong, odd)


def _odd(
    printer: Printer, temperatures: Mapping[str, float], start: tuple[str, ...], end: tuple[str, ...]
) -> list[str]:  # fmt: skip
    try:
        begins, whole = read("\n".join((*start, "M117")).encode()), read("\n".join((*start, *end, "M117")).encode())
    except GcodeError as error:
        return [f"It cannot be read: {error}."]
    said = []
    if not (begins.kind == HOME).any():
        said.append("The start does not home (G28): the first move may run into the frame.")
    fixed = {line.strip() for line in start if _other_heat(line, temperatures)}
    said += [f"“{line}” heats to a number of its own, whatever the profile says." for line in sorted(fixed)]
    said += _off_the_bed(printer, begins)
    last = dict(heat for line in (*start, *end) if (heat := heat_of(line)) is not None)
    left = [name for name in ("nozzle", "bed") if last.get(name)]
    if left:
        heaters = " and ".join(left)
        said.append(f"The end leaves the {heaters} hot. Drumbo's own files switch them off after it; others do not.")
    said += [f"No firmware that Drumbo knows has {word}." for word in sorted(whole.unknown)]
    return said


def heat_of(line: str) -> tuple[str, float] | None:
    """("nozzle" or "bed", °C) that a line heats to, None where it heats nothing. "M109 S215" is ("nozzle", 215)."""
    found = _HEAT.match(line)
    return None if found is None else ("nozzle" if found[1].upper() in _NOZZLE else "bed", float(found[2]))


def _other_heat(line: str, temperatures: Mapping[str, float]) -> bool:
    """Whether a line heats to something that is none of the profile's temperatures; off is fine."""
    heat = heat_of(line)
    return heat is not None and heat[1] != 0 and heat[1] not in set(temperatures.values())


def _off_the_bed(printer: Printer, program: Program) -> list[str]:
    """Roads that the start lays beside the bed, like a purge line for a larger printer."""
    (x0, y0), (x1, y1) = printer.bed_low, printer.bed_high
    laid = (program.e_mm > 0) & (program.kind != HOME)
    beside = laid & ((program.x < x0) | (program.x > x1) | (program.y < y0) | (program.y > y1))
    if not beside.any():
        return []
    at = int(beside.argmax())
    return [f"The start extrudes at X{program.x[at]:g} Y{program.y[at]:g}, which is off the bed."]
