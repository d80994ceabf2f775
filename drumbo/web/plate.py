"""A plate seen from above as SVG: numbers at places, and lines along which the fitted plane is of one height."""

from __future__ import annotations

import math
from dataclasses import dataclass

from drumbo.trials.pictures import Map

SIZE, LEFT, TOP, FOOT = 330.0, 12.0, 4.0, 28.0
EDGE = 0.74
"""Outer places lie so far from the middle to the edge of the plate."""
LEAST_R, MOST_R = 3.0, 14.0
"""A spot grows with how far it is from the level."""
LINE_STEPS = (0.01, 0.02, 0.05, 0.1)
MOST_LINES = 7


@dataclass(frozen=True, slots=True)
class SpotPicture:
    """One place, px. `look` is "higher", "lower" or "even", and "out" where it has no say."""

    x: float
    y: float
    radius: float
    look: str
    text: str
    flag: str


@dataclass(frozen=True, slots=True)
class PlatePicture:
    """Everything in px; `lines` are (path, x and y of its text, text)."""

    title: str
    size: float
    spots: tuple[SpotPicture, ...]
    lines: tuple[tuple[str, float, float, str], ...]
    legend: str
    says: str


def plate_picture(made: Map) -> PlatePicture:
    """The map laid out, front below."""
    spots = tuple(_spot(made, s.x, s.y, s.value, s.kept, s.flag) for s in made.spots)
    lines = tuple(_lines(made))
    told = ", ".join(f"{spot.text}" for spot in spots)
    mean = f"Filled: above the mean of {_signed(made.level, made.decimals)} {made.unit}; hollow: below."
    legend = made.legend or mean
    if lines:
        legend += " Dashes: one height of the fitted plane."
    return PlatePicture(made.title, SIZE, spots, lines, legend, f"{made.title}: {told} {made.unit}")


def _px(x: float, y: float) -> tuple[float, float]:
    wide, high = SIZE - 2 * LEFT, SIZE - FOOT
    return round(LEFT + wide / 2 * (1 + EDGE * x), 1), round(TOP + high / 2 * (1 - EDGE * y), 1)


def _spot(made: Map, x: float, y: float, value: float, kept: bool, flag: str) -> SpotPicture:
    away = value - made.level
    size = min(abs(away) / made.full, 1.0)
    at = _px(x, y)
    look = "even" if abs(away) < 0.5 * 10**-made.decimals else "higher" if away > 0 else "lower"
    radius = round(LEAST_R + (MOST_R - LEAST_R) * math.sqrt(size), 1)
    return SpotPicture(*at, radius, look if kept else f"{look} out", _signed(value, made.decimals), flag)


def _signed(value: float, decimals: int) -> str:
    text = f"{abs(value):.{decimals}f}"
    return text if not float(text) else f"{'+' if value > 0 else '−'}{text}"


def _lines(made: Map) -> list[tuple[str, float, float, str]]:
    """Straight, across the plate, at whole steps of height; none where it hardly leans."""
    middle, along, back = made.plane
    far = 1 / EDGE
    span = (abs(along) + abs(back)) * far
    step = next((s for s in LINE_STEPS if 2 * span / s <= MOST_LINES), LINE_STEPS[-1])
    lines = []
    for count in range(math.ceil((middle - span) / step), math.floor((middle + span) / step) + 1):
        ends = _across(count * step - middle, along, back, far)
        if len(ends) == 2 and math.dist(*ends) > 0.3:
            (x0, y0), (x1, y1) = (_px(*end) for end in sorted(ends, key=lambda end: -end[1]))
            # Lines that end at a side would have their number among the spots.
            text = _signed(count * step, made.decimals) if y0 < TOP + 1 and x0 < SIZE - 44 else ""
            lines.append((f"M{x0} {y0}L{x1} {y1}", x0 + 3, y0 + 11, text))
    return lines


def _across(level: float, along: float, back: float, far: float) -> list[tuple[float, float]]:
    """Where a line of one height meets the square's edges."""
    ends = []
    for side in (-far, far):
        if abs(back) > 1e-12 and abs(y := (level - along * side) / back) <= far:
            ends.append((side, y))
        if abs(along) > 1e-12 and abs(x := (level - back * side) / along) < far:
            ends.append((x, side))
    return ends[:2]
