"""The combs: the piece of the first-layer trial, a design of our own.

Over the whole plate lie combs of patches, one layer thick. Each patch is laid from its own height of the head, which
stands below it in digits: hundredths of a millimetre.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from drumbo.core.piece import Jaw, Part, Piece, Place, block, raised_text, union
from drumbo.core.printer import Printer
from drumbo.core.toolpath import PrintSettings, RawPath, Role
from drumbo.core.toolpath.hatch import hatch
from drumbo.core.toolpath.plane import edges_of
from drumbo.trials.readings import Step

Floats = NDArray[np.float64]

MARGIN = 14.0
"""From the plate's edge to the outer combs, mm: room for clips, and for the purge line."""
APART, BETWEEN_COMBS = 1.6, 4.0
WIDEST, NARROWEST, DEEP = 14.0, 6.0, 12.0
DIGITS_HIGH, STROKE, DIGITS_OFF = 4.0, 0.9, 1.4
DEPTH = DEEP + DIGITS_OFF + DIGITS_HIGH
REACH = 0.7
"""What belongs to a comb reaches so much further than its patches, mm."""


@dataclass(frozen=True, slots=True)
class Combs:
    """`across` combs along each side of the plate, with patches for these heights of the head, hundredths of a mm."""

    heights: tuple[int, ...]
    across: int
    room: tuple[float, float]

    @property
    def patch_mm(self) -> float:
        """Width of a patch, mm."""
        comb = self.room[0] / self.across - BETWEEN_COMBS
        return min((comb + APART) / len(self.heights) - APART, WIDEST)

    @property
    def wide(self) -> float:
        """Of a comb, mm."""
        return len(self.heights) * (self.patch_mm + APART) - APART

    def middles(self) -> list[tuple[float, float]]:
        """Middle of every comb's patches, front row first, from the left."""
        half_x, half_y = (self.room[0] - self.wide) / 2, (self.room[1] - DEPTH) / 2
        lift = (DEPTH - DEEP) / 2
        xs, ys = (np.linspace(-half, half, self.across) for half in (half_x, half_y))
        return [(round(float(x), 3), round(float(y) + lift, 3)) for y in ys for x in xs]

    def patch(self, comb: tuple[float, float], index: int) -> tuple[float, float, float, float]:
        """x0, y0, x1, y1 of a patch."""
        x = comb[0] - self.wide / 2 + index * (self.patch_mm + APART)
        return x, comb[1] - DEEP / 2, x + self.patch_mm, comb[1] + DEEP / 2


def room_of(printer: Printer) -> tuple[float, float]:
    """What of a plate the combs may take, mm."""
    return printer.bed_x_mm - 2 * MARGIN, printer.bed_y_mm - 2 * MARGIN


ACROSS, PATCHES = (3, 2), (7, 5, 3)
"""How many combs a side and patches a comb there can be."""


def deep_mm(across: int) -> float:
    """Of so many combs one behind the other, mm."""
    return across * (DEPTH + BETWEEN_COMBS)


def what_fits(room_mm: float) -> str:
    """What goes from left to right into so much room, in words that say what to choose.

    >>> what_fits(72)
    '2 combs along each side take 3'
    """
    narrow = NARROWEST + APART
    for across in ACROSS:
        for patches in PATCHES:
            if patches * narrow - APART <= room_mm / across - BETWEEN_COMBS:
                return f"{across} combs along each side take {patches}"
    least = ACROSS[-1] * (PATCHES[-1] * narrow - APART + BETWEEN_COMBS) + 2 * MARGIN
    return f"the piece needs a bed {math.ceil(least)} mm wide"


def what_fits_deep(room_mm: float) -> str:
    """The same from front to back.

    >>> what_fits_deep(50), what_fits_deep(30)
    ('2 do', 'the piece needs a bed 71 mm deep')
    """
    for across in ACROSS:
        if deep_mm(across) <= room_mm:
            return f"{across} do"
    return f"the piece needs a bed {math.ceil(deep_mm(ACROSS[-1]) + 2 * MARGIN)} mm deep"


def digits(combs: Combs, layer_mm: float) -> list[Part]:
    """Below each patch the height of the head over it."""
    parts = []
    for comb in combs.middles():
        for index, height in enumerate(combs.heights):
            x0, y0, x1, _ = combs.patch(comb, index)
            at = ((x0 + x1) / 2, y0 - DIGITS_OFF - DIGITS_HIGH / 2)
            text = raised_text(f"{height}", at, DIGITS_HIGH, STROKE, combs.patch_mm - 0.6, 0, layer_mm)
            parts.append(Part("digits", text))
    return parts


def piece(combs: Combs, steps: Sequence[Step], layer_mm: float) -> Piece:
    """All combs as a solid, for mesh and drawing."""
    parts, places, jaws = digits(combs, layer_mm), [], []
    for step, comb in zip(steps, combs.middles(), strict=True):
        for index in range(len(combs.heights)):
            x0, y0, x1, y1 = combs.patch(comb, index)
            parts.append(Part("wall", block((x0, y0, 0), (x1, y1, layer_mm))))
        (x0, y0), (x1, y1) = combs.patch(comb, 0)[:2], combs.patch(comb, len(combs.heights) - 1)[2:]
        low, high = (x0 - REACH, y0 - REACH), (x1 + REACH, y1 + REACH)
        jaws += [Jaw(key, step.index, "here", low, high, layer_mm, tool) for key, tool in TOOLS.items()]
        foot = low[1] - DIGITS_OFF - DIGITS_HIGH
        places.append(Place(step.index, step.value, step.label, (low[0], foot, 0), (*high, layer_mm), axis=1))
    return Piece("combs", union(p.solid for p in parts), tuple(parts), tuple(places), tuple(jaws))


TOOLS = {"best": "patch", "lifted": "corners"}
"""What is read at a comb, and with what."""


def strokes(combs: Combs, settings: PrintSettings) -> list[RawPath]:
    """Every patch as two roads, its edge and what fills it, from its own height."""
    level = settings.first_layer_mm + settings.raise_mm
    roads = []
    for comb in combs.middles():
        for index, height in enumerate(combs.heights):
            up, label = height / 100 - level, f"{height}"
            edge, fill = _patch(combs.patch(comb, index), settings)
            roads.append(RawPath(edge, Role.OUTER, label=label, raise_mm=up))
            roads.append(RawPath(fill, Role.SOLID, raise_mm=up))
    return roads


def _patch(box: tuple[float, float, float, float], settings: PrintSettings) -> tuple[Floats, Floats]:
    """The closed edge, and one line that goes to and fro across what it encloses."""
    x0, y0, x1, y1 = box
    spacing = settings.spacing(settings.first_layer_mm)
    outer = settings.width_mm / 2
    edge = _rectangle(x0 + outer, y0 + outer, x1 - outer, y1 - outer)
    # Lines end where their round ends touch the edge road's inner side.
    inset = outer + spacing * (0.5 + 0.5 * math.sqrt(0.5))
    inner = _rectangle(x0 + inset, y0 + inset, x1 - inset, y1 - inset)
    lines = hatch(edges_of([inner[:-1]]), spacing, math.pi / 4, spacing / 2)[:, :4].reshape(-1, 2, 2)
    lines[1::2] = lines[1::2, ::-1]
    return edge, lines.reshape(-1, 2)


def _rectangle(x0: float, y0: float, x1: float, y1: float) -> Floats:
    return np.array([(x0, y0), (x1, y0), (x1, y1), (x0, y1), (x0, y0)])
