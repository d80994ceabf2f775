"""The drum: a profile as a wound spool, a sector a parameter group. One path per state, at any size."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import cos, pi, sin

from drumbo.core.profile import Sector, Status

RIM, HUB = 100.0, 40.0
FIRST, LAST = 46.0, 93.0
GAP = 0.055
"""Half the gap between two sectors, radians."""


@dataclass(frozen=True, slots=True)
class Slice:
    """One sector as a link: its outline, where its name goes, and its name as a screen reader says it."""

    key: str
    name: str
    known: str
    said: str
    outline: str
    label_x: float
    label_y: float
    anchor: str


@dataclass(frozen=True, slots=True)
class Drum:
    """SVG path data in a box from −100 to 100; `stroke` is the winding's width. `closed`: the profile is proven."""

    measured: str
    recheck: str
    hand: str
    start: str
    rim: str
    slices: tuple[Slice, ...]
    count: int
    of: int
    stroke: float
    closed: bool = False


def draw(sectors: Sequence[Sector], turns: int = 9) -> Drum:
    """The drum with so many windings in a full sector: 9 for a page, 6 for a shelf, 3 for a line of text."""
    pitch = (LAST - FIRST) / (turns - 1 if turns > 1 else 1)
    paths: dict[Status, list[str]] = {known: [] for known in Status}
    rims: list[str] = []
    slices = []
    for place, sector in enumerate(sectors):
        first = 2 * pi * place / len(sectors) - pi / 2 + GAP
        last = 2 * pi * (place + 1) / len(sectors) - pi / 2 - GAP
        wound = turns if sector.known is not Status.START else min(2, turns)
        radii = [FIRST + pitch * n for n in range(wound)]
        if sector.known is Status.START:
            radii = [HUB + 7 + 5 * n for n in range(wound)]
            rims.append(_arc(LAST, first, last))
        paths[sector.known] += [_arc(radius, first, last) for radius in radii]
        slices.append(_slice(sector, first, last))
    return Drum(
        measured="".join(paths[Status.MEASURED]),
        recheck="".join(paths[Status.RECHECK]),
        hand="".join(paths[Status.HAND]),
        start="".join(paths[Status.START]),
        rim="".join(rims),
        slices=tuple(slices),
        count=sum(s.known == Status.MEASURED for s in sectors),
        of=len(sectors),
        stroke=round(pitch * 0.66, 2),
        closed=any(s.proves for s in sectors),
    )


def _arc(radius: float, first: float, last: float) -> str:
    x0, y0, x1, y1 = radius * cos(first), radius * sin(first), radius * cos(last), radius * sin(last)
    return f"M{x0:.1f} {y0:.1f}A{radius:.1f} {radius:.1f} 0 0 1 {x1:.1f} {y1:.1f}"


def _slice(sector: Sector, first: float, last: float) -> Slice:
    middle = (first + last) / 2
    outer = f"A{RIM} {RIM} 0 0 1 {RIM * cos(last):.1f} {RIM * sin(last):.1f}"
    inner = f"A{HUB} {HUB} 0 0 0 {HUB * cos(first):.1f} {HUB * sin(first):.1f}"
    outline = (
        f"M{HUB * cos(first):.1f} {HUB * sin(first):.1f}L{RIM * cos(first):.1f} {RIM * sin(first):.1f}{outer}"
        f"L{HUB * cos(last):.1f} {HUB * sin(last):.1f}{inner}Z"
    )
    reason = f": {sector.reason}" if sector.reason else ""
    return Slice(
        key=sector.group.key,
        name=sector.group.name,
        known=sector.known.name.lower(),
        said=f"{sector.group.name}, {sector.known}{reason}",
        outline=outline,
        label_x=round(109 * cos(middle), 1),
        label_y=round(109 * sin(middle) + 4, 1),
        anchor="start" if cos(middle) > 0 else "end",
    )
