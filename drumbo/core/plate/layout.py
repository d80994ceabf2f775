"""Several pieces in one job: where each stands on the bed, and their toolpaths one after another in one.

Pieces are printed whole, the lowest first, so that the head passes over what is there already. What it takes up is told
as file check does: a nozzle that stands out a little below a head of some radius, and a carriage along all of X.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from drumbo.core.errors import InvalidInput
from drumbo.core.heights import TIP_MM, HeadClearance
from drumbo.core.piece import Standing
from drumbo.core.printer import Printer
from drumbo.core.toolpath import Toolpath
from drumbo.core.toolpath.columns import Event, Role, Set
from drumbo.core.toolpath.pace import CLIMB_MM_S

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
OVER_MM = 3.0
"""On its way to the next piece the nozzle keeps so far above all that stands."""
MOST_TRIES = 20_000
PIECE = "piece"
"""The word with which the note begins that stands before each piece in the file."""


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


@dataclass(frozen=True, slots=True)
class PlateMember:
    """A piece of a plate: its toolpath as it would be printed alone in the middle of the bed, what it is called, and
    the temperatures that it begins and goes on with, °C.
    """

    title: str
    path: Toolpath
    nozzle_first_c: float
    nozzle_c: float


@dataclass(frozen=True, slots=True)
class Plate:
    """Pieces in the order in which they are printed: `order[k]` is the k-th member, `standing[m]` where member m is."""

    path: Toolpath
    order: tuple[int, ...]
    standing: tuple[Standing, ...]
    bottoms: tuple[int, ...]
    """Rows of the path at which the pieces begin, in the order of printing."""


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


def arrange(prints: Sequence[Footprint], printer: Printer) -> tuple[tuple[int, ...], tuple[Standing, ...]]:
    """(order of printing, where each stands): the lowest first, as close together as the head allows, in the middle of
    the bed. InvalidInput at "pieces" where they have no room beside each other.
    """
    order = tuple(sorted(range(len(prints)), key=lambda k: (prints[k].height, k)))
    room = clearance_of(printer)
    (x0, y0), (x1, y1) = printer.bed_low, printer.bed_high
    free = (x0 + EDGE_MM, y0 + (EDGE_MM if printer.primes == "skirt" else PURGE_DEEP_MM), x1 - EDGE_MM, y1 - EDGE_MM)
    corners = _Search(prints, order, room, free).place()
    if corners is None:
        raise InvalidInput(
            "pieces",
            f"have no room beside each other on {printer.name}: its head needs {room.radius_mm:g} mm around what stands"
            f" there, and what is higher than {room.height_mm:g} mm keeps that far in Y; leave one out",
        )
    return order, _standing(prints, corners, free)


@dataclass
class _Search:
    """Every piece into a corner that others leave, the deepest first, until all have one."""

    prints: Sequence[Footprint]
    order: Sequence[int]
    room: HeadClearance
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


def compose(members: Sequence[PlateMember], printer: Printer, bed: tuple[float, float], pressure_s: float) -> Plate:
    """Members as one job. `bed` is the bed's temperature of the first layer and of the others, °C: it stays at the
    first until the last piece has its first layer. Between two pieces the head goes up, over, waits there for the
    temperature, and down. InvalidInput where they have no room.
    """
    middle = printer.bed_middle
    order, standing = arrange([footprint(member.path, middle) for member in members], printer)
    parts: list[Toolpath] = []
    bottoms: list[int] = []
    rows, top = 0, 0.0
    for place, number in enumerate(order):
        member, stands = members[number], standing[number]
        away = stands.middle[0] - middle[0], stands.middle[1] - middle[1]
        alone = _moved(member.path, away) if not place else _onward(parts[-1], _moved(member.path, away), top)
        events = [] if not place else _opening(member, pressure_s)
        events += _second_layer(alone, member, place, bed[1] if place == len(order) - 1 else None)
        note = Event(0, Set.NOTE, text=f"{PIECE} {place + 1} of {len(order)}: {member.title}")
        parts.append(replace(alone, events=tuple(sorted((note, *events, *alone.events), key=lambda e: e.row))))
        bottoms.append(rows)
        rows += len(alone)
        top = max(top, float(alone.z.max()))
    if top + OVER_MM > printer.height_mm:
        raise InvalidInput("pieces", f"are too high to pass over on {printer.name}; print the highest alone")
    return Plate(_joined(parts, bottoms), order, standing, tuple(bottoms))


def _moved(path: Toolpath, away: tuple[float, float]) -> Toolpath:
    """The same elsewhere; a purge line stays where it is, with what happens at its end."""
    shift, start = np.ones(len(path)), (path.start[0] + away[0], path.start[1] + away[1], path.start[2])
    purged = np.flatnonzero(path.role == Role.PURGE)
    if len(purged):
        gone = (path.x != path.x[purged[-1]]) | (path.y != path.y[purged[-1]])
        gone[: purged[-1]] = False
        shift[: int(np.argmax(gone))], start = 0.0, path.start
    x, y = (np.round(c + a * shift, 3) for c, a in zip((path.x, path.y), away, strict=True))
    return replace(path, start=start, x=x, y=y)


def _onward(before: Toolpath, path: Toolpath, top: float) -> Toolpath:
    """A path that begins where another one ended: up, over, down, and the filament back that was retracted there."""
    first = int(np.argmax(path.e_mm > 0))
    over = max(top, float(path.z[max(first - 1, 0)])) + OVER_MM
    x, y, z = (float(column[max(first - 1, 0)]) for column in (path.x, path.y, path.z))
    travel = float(path.speed[path.role == Role.TRAVEL].max())
    pulled = _still_retracted(before)
    feeds = float(path.speed[path.role == Role.RETRACT].max(initial=30.0))
    rows = [
        (float(before.x[-1]), float(before.y[-1]), over, 0.0, min(CLIMB_MM_S, travel), Role.TRAVEL),
        (x, y, over, 0.0, travel, Role.TRAVEL),
        (x, y, z, 0.0, min(CLIMB_MM_S, travel), Role.TRAVEL),
        *([(x, y, z, pulled, feeds, Role.RESTART)] if pulled > 0 else []),
    ]
    new = np.array([row[:5] for row in rows])
    roles = np.array([row[5] for row in rows], np.uint8)
    shift = len(rows) - first

    def joined(column: np.ndarray, begin: np.ndarray) -> np.ndarray:
        return np.concatenate([begin.astype(column.dtype), column[first:]])

    return replace(
        path,
        start=(float(before.x[-1]), float(before.y[-1]), float(before.z[-1])),
        x=joined(path.x, new[:, 0]), y=joined(path.y, new[:, 1]), z=joined(path.z, new[:, 2]),
        e_mm=joined(path.e_mm, new[:, 3]), speed=joined(path.speed, new[:, 4]), role=joined(path.role, roles),
        layer=joined(path.layer, np.zeros(len(rows))),
        height=joined(path.height, np.full(len(rows), path.height[first])),
        events=tuple(replace(event, row=max(event.row + shift, _WAITS_AT)) for event in path.events),
    )  # fmt: skip


_WAITS_AT = 2
"""The row of a piece's beginning before which the head stands over it."""


def _still_retracted(path: Toolpath) -> float:
    """How much filament is retracted at the end of a path, mm."""
    last = np.flatnonzero(path.e_mm != 0)
    return max(-float(path.e_mm[last[-1]]), 0.0) if len(last) else 0.0


def _opening(member: PlateMember, pressure_s: float) -> list[Event]:
    """What every piece but the first begins with, whatever the one before has left."""
    return [
        Event(_WAITS_AT, Set.FAN, 0.0),
        Event(_WAITS_AT, Set.PRESSURE, pressure_s),
        Event(_WAITS_AT, Set.HEAT, member.nozzle_first_c),
    ]


def _second_layer(path: Toolpath, member: PlateMember, place: int, bed_c: float | None) -> list[Event]:
    """The other layers' temperatures, unless the piece sets the nozzle's by itself before them."""
    above = np.flatnonzero(path.layer >= 1)
    if not len(above):
        return []
    row = int(above[0])
    own = any(event.what in {Set.NOZZLE, Set.HEAT} and event.row <= row for event in path.events)
    nozzle = [] if own or not place else [Event(row, Set.NOZZLE, member.nozzle_c)]
    return nozzle + ([] if bed_c is None else [Event(row, Set.BED, bed_c)])


def _joined(parts: Sequence[Toolpath], bottoms: Sequence[int]) -> Toolpath:
    events = [replace(e, row=e.row + at) for part, at in zip(parts, bottoms, strict=True) for e in part.events]
    names = ("x", "y", "z", "e_mm", "speed", "role", "layer", "height")
    columns: dict[str, Any] = {name: np.concatenate([getattr(part, name) for part in parts]) for name in names}
    return replace(parts[0], **columns, events=tuple(events))
