"""The two fields: the piece of the changeover trial, a design of our own.

Each is one line that goes to and fro on a base of the colour that was there before. A row, there and back, is five
millimetres of filament; bars beside it count ten, digits thirty. From its end, where it is as clean as it will be, the
line comes back along the rows as a stripe: every row has the pure colour beside it, in the same light.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from drumbo.core.piece import Jaw, Part, Piece, Place, block, raised_text, union
from drumbo.core.toolpath import PrintSettings, RawPath, Role
from drumbo.trials.changeover.plan import ROW_MM
from drumbo.trials.readings import Step

Floats = NDArray[np.float64]

EDGE, BETWEEN = 1.2, 5.0
"""What of the base shows around a field, and what lies between the two, mm."""
BAR, BAR_WIDE, DIGITS_HIGH, STROKE, DIGITS_WIDE = 2.4, 0.9, 4.0, 0.9, 11.0
MARK_MM, DIGITS_MM = 10, 30
STRIPE_LINES = 6
"""An even number: from the end to the front and back."""


@dataclass(frozen=True, slots=True)
class RowField:
    """One field: where its rows begin in y, how long they are and how far apart, mm, and how many."""

    low_y: float
    long: float
    pitch: float
    rows: int

    @property
    def high_y(self) -> float:
        """Where the last row ends."""
        return self.low_y + self.rows * self.pitch

    @property
    def stripe(self) -> float:
        """How wide the stripe beside the rows is, mm."""
        return (STRIPE_LINES + 0.5) * self.pitch / 2

    def at(self, fed_mm: float) -> float:
        """The y at which so much filament lies below."""
        return self.low_y + fed_mm / ROW_MM * self.pitch


def line_mm(settings: PrintSettings, height_mm: float) -> float:
    """How long a line is that takes a millimetre of filament, mm."""
    filament = np.pi * settings.filament_mm**2 / 4
    return float(filament / (settings.road_area(height_mm) * settings.flow_ratio))


def layout(settings: Sequence[PrintSettings], rows: int) -> tuple[RowField, RowField]:
    """The lower field, printed with the second of two settings, and the upper one with the first."""
    first, second = settings
    height = first.layer_mm
    sizes = []
    for each in (second, first):
        pitch = 2 * each.spacing(height)
        sizes.append((ROW_MM * line_mm(each, height) / 2 - pitch / 2, pitch))
    deep = sum(rows * pitch for _, pitch in sizes) + BETWEEN + 4 * EDGE
    low = -deep / 2 + EDGE
    lower = RowField(low, *sizes[0], rows)
    return lower, RowField(lower.high_y + 2 * EDGE + BETWEEN, *sizes[1], rows)


def size(fields: tuple[RowField, RowField]) -> tuple[float, float]:
    """How wide and deep the whole piece is, mm."""
    lower, upper = fields
    wide = max(lower.long, upper.long) + max(lower.stripe, upper.stripe)
    return wide + 2 * EDGE + BAR + DIGITS_WIDE, upper.high_y - lower.low_y + 2 * EDGE


def left(fields: tuple[RowField, RowField]) -> float:
    """Where rows begin in x: stripe, bars and digits lie to the left of them."""
    return _base_left(fields) + EDGE + max(field.stripe for field in fields)


def corners(fields: tuple[RowField, RowField]) -> tuple[tuple[float, float], ...]:
    """The outermost corners of both bases, counter-clockwise from the front left one, mm."""
    lower, upper = fields
    x0, x1 = _base_left(fields), left(fields) + EDGE
    return (
        (x0, lower.low_y - EDGE), (x1 + lower.long, lower.low_y - EDGE),
        (x1 + upper.long, upper.high_y + EDGE), (x0, upper.high_y + EDGE),
    )  # fmt: skip


def _base_left(fields: tuple[RowField, RowField]) -> float:
    return -size(fields)[0] / 2 + DIGITS_WIDE + BAR


def base(fields: tuple[RowField, RowField], first_mm: float) -> list[Part]:
    """Bases, bars and digits: what is printed before the first change."""
    x0, far, parts = _base_left(fields), left(fields) + EDGE, []
    for field in fields:
        parts.append(Part("foot", block(
            (x0, field.low_y - EDGE, 0), (far + field.long, field.high_y + EDGE, first_mm))))  # fmt: skip
        for fed in range(MARK_MM, field.rows * ROW_MM + 1, MARK_MM):
            y = field.at(fed)
            parts.append(Part("wing", block(
                (x0 - BAR, y - BAR_WIDE / 2, 0), (x0, y + BAR_WIDE / 2, first_mm))))  # fmt: skip
            if fed % DIGITS_MM == 0:
                at = (x0 - BAR - DIGITS_WIDE / 2, y)
                text = raised_text(f"{fed}", at, DIGITS_HIGH, STROKE, DIGITS_WIDE - 1.5, 0, first_mm)
                parts.append(Part("digits", text))
    return parts


def piece(fields: tuple[RowField, RowField], steps: Sequence[Step], first_mm: float, layer_mm: float) -> Piece:
    """The whole as a solid, for mesh and drawing."""
    parts, x0, places, jaws = base(fields, first_mm), left(fields), [], []
    wide = size(fields)[0]
    for step, field in zip(steps, fields, strict=True):
        top = first_mm + (1 + step.index) * layer_mm
        parts.append(Part("wall", block((x0, field.low_y, first_mm), (x0 + field.long, field.high_y, top))))
        parts.append(Part("wing", block((x0 - field.stripe, field.low_y, first_mm), (x0, field.high_y, top))))
        low, high = (x0 - 0.2, field.low_y - 0.4), (x0 + field.long + 0.4, field.high_y + 0.4)
        jaws.append(Jaw("clean", step.index, "here", low, high, top, "clean"))
        places.append(Place(step.index, step.value, step.label, (-wide / 2, field.low_y - EDGE, 0),
                            (x0 + field.long + EDGE, field.high_y + EDGE, top), axis=1))  # fmt: skip
    return Piece("fields", union(p.solid for p in parts), tuple(parts), tuple(places), tuple(jaws))


def strokes(fields: tuple[RowField, RowField], settings: Sequence[PrintSettings]) -> dict[int, list[RawPath]]:
    """By layer, from 0 on: with the second filament the lower field, then what the upper one lies on; with the first
    again the upper field.
    """
    first, second = settings
    lower, upper = fields
    x0 = left(fields)
    return {
        1: [
            RawPath(_to_and_fro(lower, x0), Role.SOLID, second, label="first to second"),
            RawPath(_to_and_fro(upper, x0), Role.SOLID, second),
        ],
        2: [RawPath(_to_and_fro(upper, x0), Role.SOLID, first, label="second to first")],
    }


def _to_and_fro(field: RowField, x0: float) -> Floats:
    """One line through all rows, from the front to the back, and as a stripe along their left ends."""
    half = field.pitch / 2
    points = []
    for line in range(2 * field.rows):
        y = field.low_y + (line + 0.5) * half
        ends = (x0, x0 + field.long) if line % 2 == 0 else (x0 + field.long, x0)
        points += [(ends[0], y), (ends[1], y)]
    for line in range(STRIPE_LINES):
        x, back = x0 - (line + 1) * half, (field.high_y - half / 2, field.low_y + half / 2)
        points += [(x, back[line % 2]), (x, back[1 - line % 2])]
    return np.array(points)
