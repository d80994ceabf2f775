"""A hollow box of three walls as a plain file: a head, one text a layer, a tail. Tests spoil one of them."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

from drumbo.core.gcode.analysis import FileAnalysis
from drumbo.core.gcode.inspect import Inspection, analyse, inspect
from drumbo.core.gcode.reader import read
from drumbo.core.material import Material
from drumbo.core.printer import Printer
from drumbo.core.remark import Remark

WIDE_MM, HIGH_MM = 0.45, 0.2
FED_PER_MM = (WIDE_MM - HIGH_MM * (1 - math.pi / 4)) * HIGH_MM / (math.pi * 1.75**2 / 4)
"""Filament for each mm of a line of that width and height."""
PRINTER = Printer("Petrel One", nozzle_max_c=300.0, bed_x_mm=200.0, bed_y_mm=200.0, height_mm=180.0)
OPENING = ("M204 S1500", "M205 X8 Y8", "G21", "G90", "M83", "G28", "M190 S60", "M109 S215", "M107", "G92 E0")
CLOSING = ("M107", "M104 S0", "M140 S0", "G0 Z60 F600", "G0 X5 Y190 F6000")


@dataclass(frozen=True)
class Box:
    """`layers` are texts, first to last."""

    layers: tuple[str, ...]
    opening: str = "\n".join(OPENING)
    closing: str = "\n".join(CLOSING)

    @property
    def text(self) -> str:
        """The whole file."""
        return "\n".join((self.opening, *self.layers, self.closing, ""))

    def but(self, layer: int, text: str) -> Box:
        """With another text for a layer, from 0."""
        return replace(self, layers=(*self.layers[:layer], text, *self.layers[layer + 1 :]))

    def before(self, layer: int, text: str) -> Box:
        """With something ahead of a layer."""
        return self.but(layer, f"{text}\n{self.layers[layer]}")


def loop(corner: tuple[float, float], wide: float, *, more: float = 1.0, feed: float = 2400.0) -> str:
    """A square of lines from its corner on, with `more` times the filament."""
    x, y = corner
    fed = FED_PER_MM * wide * more
    corners = ((x + wide, y), (x + wide, y + wide), (x, y + wide), (x, y))
    return "\n".join(f"G1 X{a:.3f} Y{b:.3f} E{fed:.5f} F{feed:g}" for a, b in corners)


def layer(
    z: float, *, at: tuple[float, float] = (80.0, 80.0), wide: float = 30.0, fed: tuple[float, ...] = (1.0, 1.0, 1.0),
    retract: float = 0.8, unretract: float | None = None, feed: float = 2400.0,
) -> str:  # fmt: skip
    """Walls at a height, one inside the other, each with so many times the filament; the way there is retracted."""
    back = retract if unretract is None else unretract
    parts = [f"G1 Z{z:.3f} F600\nG1 E-{retract} F2100\nG0 X{at[0]} Y{at[1]} F9000\nG1 E{back} F2100"]
    for k, more in enumerate(fed):
        x, y = (place + k * WIDE_MM for place in at)
        parts += [f"G0 X{x:.3f} Y{y:.3f} F9000", loop((x, y), wide - 2 * k * WIDE_MM, more=more, feed=feed)]
    return "\n".join(parts)


def heights(count: int, step: float = HIGH_MM) -> list[float]:
    """Of so many layers."""
    return [step * (k + 1) for k in range(count)]


def box(count: int = 20) -> Box:
    """One with nothing wrong, after whose first layer the nozzle goes down by 5 °C and the fan on."""
    plain = Box(tuple(layer(z) for z in heights(count)))
    return plain.before(1, "M104 S210\nM106 S255")


def look(
    made: Box | str, *, printer: Printer | None = PRINTER, numbers: Mapping[str, float] | None = None,
    material: Material | None = None,
) -> Inspection:  # fmt: skip
    """What the file check says of it."""
    text = made if isinstance(made, str) else made.text
    return inspect(read(text.encode()), printer=printer, numbers=numbers, material=material)


def analysed(made: Box, **against: object) -> FileAnalysis:
    """Its columns."""
    return analyse(read(made.text.encode()), printer=PRINTER, **against)  # type: ignore[arg-type]


def only(inspection: Inspection) -> Remark:
    """The one finding there is."""
    assert len(inspection.remarks) == 1, [remark.text for remark in inspection.remarks]
    return inspection.remarks[0]
