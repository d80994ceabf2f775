"""Where the pieces of one job stand on the bed.

Printed whole, one after another, the lowest comes first, so that the head passes over what is there already. What it
takes up is told as file check does: a nozzle that stands out a little below a head of some radius, and a carriage along
all of X. Printed layer by layer nothing stands out, and pieces may stand close.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from drumbo.core.errors import InvalidInput
from drumbo.core.heights import TIP_MM, HeadClearance
from drumbo.core.piece import Standing
from drumbo.core.printer import Printer
from drumbo.core.toolpath import Toolpath
from drumbo.core.toolpath.columns import Role

USUAL = HeadClearance(radius_mm=40.0, height_mm=25.0)
"""What is taken for a printer of which nobody told it; where it is, pages say so, and the file check still asks."""
APART_MM = 3.0
"""Pieces never stand closer."""
SPARE_MM = 4.0
"""Beyond what the head takes up: as finely as it is told where something stands."""
EDGE_MM = 3.0
"""What stays free along the bed's edges."""
PURGE_DEEP_MM = 12.0
"""The purge line lies so far from the front; nothing else does."""
MOST_TRIES = 20_000


@dataclass(frozen=True, slots=True)
class Footprint:
    """What a piece takes up, mm: left, front, right and back of its middle, and how high it becomes."""

    left: float
    front: float
    right: float
    back: float
    height: float

    @property
    def size(self) -> tuple[float, float]:
        """How wide and deep it is."""
        return self.right - self.left, self.back - self.front


def footprint(path: Toolpath, middle: tuple[float, float]) -> Footprint:
    """What a toolpath lays, but for its purge line, about a middle."""
    laid = (path.e_mm > 0) & (path.role != Role.PURGE) & (path.role != Role.RESTART)
    ends = laid | np.append(laid[1:], False)
    half = path.width_mm / 2
    return Footprint(
        float(path.x[ends].min() - half - middle[0]), float(path.y[ends].min() - half - middle[1]),
        float(path.x[ends].max() + half - middle[0]), float(path.y[ends].max() + half - middle[1]),
        float(path.z[laid].max()),
    )  # fmt: skip


def clearance_of(printer: Printer) -> HeadClearance:
    """Room that a printer's head needs, the usual where nobody told it."""
    radius, height = printer.clearance_radius_mm, printer.clearance_height_mm
    return HeadClearance(USUAL.radius_mm if radius is None else radius, USUAL.height_mm if height is None else height)


def arrange(
    prints: Sequence[Footprint], printer: Printer, *, by_layer: bool = False
) -> tuple[tuple[int, ...], tuple[Standing, ...]]:
    """(order of printing, where each stands): the lowest first, as close together as the head allows, in the middle of
    the bed. InvalidInput at "pieces" where they have no room beside each other.
    """
    order = tuple(sorted(range(len(prints)), key=lambda k: (prints[k].height, k)))
    room = None if by_layer else clearance_of(printer)
    (x0, y0), (x1, y1) = printer.bed_low, printer.bed_high
    free = (x0 + EDGE_MM, y0 + (EDGE_MM if printer.primes == "skirt" else PURGE_DEEP_MM), x1 - EDGE_MM, y1 - EDGE_MM)
    corners = _Search(prints, order, room, free).place()
    if corners is None:
        why = "" if room is None else (
            f": its head needs {room.radius_mm:g} mm around what stands there, and what is higher than"
            f" {room.height_mm:g} mm keeps that far in Y"
        )  # fmt: skip
        raise InvalidInput("pieces", f"have no room beside each other on {printer.name}{why}; leave one out")
    return order, _standing(prints, corners, free)


@dataclass
class _Search:
    """Every piece into a corner that others leave, the deepest first, until all have one. No `room` is needed where
    nothing stands higher than the nozzle.
    """

    prints: Sequence[Footprint]
    order: Sequence[int]
    room: HeadClearance | None
    free: tuple[float, float, float, float]
    tries: int = 0

    def place(self) -> dict[int, tuple[float, float]] | None:
        """Left front corners by piece, or None."""
        rank = {member: k for k, member in enumerate(self.order)}
        largest = sorted(self.order, key=lambda m: (-self.prints[m].size[1], -self.prints[m].size[0]))
        return self._next(largest, {}, rank)

    def _next(
        self, left: Sequence[int], placed: dict[int, tuple[float, float]], rank: dict[int, int]
    ) -> dict[int, tuple[float, float]] | None:
        if not left:
            return placed
        member = left[0]
        for corner in self._corners(member, placed, rank):
            self.tries += 1
            if self.tries > MOST_TRIES:
                return None
            if self._fits(member, corner, placed, rank):
                found = self._next(left[1:], {**placed, member: corner}, rank)
                if found is not None:
                    return found
        return None

    def _corners(
        self, member: int, placed: dict[int, tuple[float, float]], rank: dict[int, int]
    ) -> Iterator[tuple[float, float]]:
        """Where its left front corner could be: at the edges, or as close behind or beside another as is allowed."""
        wide, deep = self.prints[member].size
        xs, ys = {self.free[0]}, {self.free[1]}
        for other, (x, y) in placed.items():
            beside, behind = self._gaps(member, other, rank)
            across, down = self.prints[other].size
            for gap in {beside, behind, APART_MM}:
                xs |= {x + across + gap, x - gap - wide}
                ys |= {y + down + gap, y - gap - deep}
        yield from sorted(((x, y) for x in xs for y in ys), key=lambda at: (at[1], at[0]))

    def _gaps(self, one: int, other: int, rank: dict[int, int]) -> tuple[float, float]:
        """(how far two must be apart in X or in Y, how far in Y whatever X is; 0 for neither)."""
        if self.room is None:
            return APART_MM, 0.0
        earlier = self.prints[one if rank[one] < rank[other] else other].height
        head = self.room.radius_mm + SPARE_MM
        return (head if earlier > TIP_MM else APART_MM, head if earlier > self.room.height_mm else 0.0)

    def _fits(
        self, member: int, corner: tuple[float, float], placed: dict[int, tuple[float, float]], rank: dict[int, int]
    ) -> bool:
        (x, y), (wide, deep) = corner, self.prints[member].size
        low_x, low_y, high_x, high_y = self.free
        if x < low_x - 1e-6 or y < low_y - 1e-6 or x + wide > high_x + 1e-6 or y + deep > high_y + 1e-6:
            return False
        for other, (there_x, there_y) in placed.items():
            across, down = self.prints[other].size
            beside, behind = self._gaps(member, other, rank)
            gap_x = max(there_x - x - wide, x - there_x - across)
            gap_y = max(there_y - y - deep, y - there_y - down)
            if max(gap_x, gap_y) < beside - 1e-6 or gap_y < behind - 1e-6:
                return False
        return True


def _standing(
    prints: Sequence[Footprint], corners: dict[int, tuple[float, float]], free: tuple[float, float, float, float]
) -> tuple[Standing, ...]:
    """Corners as middles, all together moved to the middle of the bed, each with the room that is its own."""
    right = max(x + prints[m].size[0] for m, (x, _) in corners.items())
    back = max(y + prints[m].size[1] for m, (_, y) in corners.items())
    aside, on = (free[2] - right) / 2, (free[3] - back) / 2
    found = []
    for member, mine in enumerate(prints):
        x, y = corners[member][0] + aside, corners[member][1] + on
        wide, deep = mine.size
        half = APART_MM / 2
        found.append(
            Standing((round(x - mine.left, 3), round(y - mine.front, 3)),
                     (x - half, y - half, x + wide + half, y + deep + half))
        )  # fmt: skip
    return tuple(found)
