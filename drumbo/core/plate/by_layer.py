"""Pieces of one job, layer by layer: each has its next layer before any has the one after.

Nothing stands higher than the nozzle then, so that pieces may be close together and the head needs no room around them;
and while one is laid the others cool, so that small layers need not be slowed down as much. It takes pieces that can
wait after every layer: not those whose temperature changes on the way up, nor a wall in one rising line.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from drumbo.core.errors import InvalidInput
from drumbo.core.plate.layout import arrange, footprint
from drumbo.core.plate.members import Plate, PlateMember, joined, moved, note_of
from drumbo.core.printer import Printer
from drumbo.core.toolpath import PrintSettings, Toolpath
from drumbo.core.toolpath.columns import Event, Role, Set
from drumbo.core.toolpath.pace import CLIMB_MM_S, slow_small_layers

LIFT_MM = 0.4
"""On its way to another piece the nozzle is so far above the layer, or as far as the profile lifts it."""
_GIVEN_BACK = (Set.FAN, Set.PRESSURE)
"""What each piece finds again as it left it."""
_COLUMNS = ("x", "y", "z", "e_mm", "speed", "role", "layer", "height")


def hindered(path: Toolpath) -> str | None:
    """What keeps others from being printed between a toolpath's layers; None where nothing does."""
    if any(event.what not in {*_GIVEN_BACK, Set.NOTE} for event in path.events):
        return "changes its temperature on its way up"
    laid = (path.e_mm > 0) & (path.role >= Role.SKIRT)
    if (laid & (np.diff(path.z, prepend=path.start[2]) != 0)).any():
        return "rises in one line without a stop"
    return None


def laid_by_layer(
    members: Sequence[PlateMember], printer: Printer, settings: PrintSettings, pressure_s: float
) -> Plate:
    """Members as one job, layer by layer; layers are slowed down together, so that their paths should not be already.
    `pressure_s` is the pressure advance with which the file begins. InvalidInput at "pieces" where they have no room or
    cannot wait for each other.
    """
    for member in members:
        if (why := hindered(member.path)) is not None:
            raise InvalidInput("pieces", f"cannot be printed layer by layer: “{member.title}” {why}")
    if len({(member.nozzle_first_c, member.nozzle_c) for member in members}) > 1:
        raise InvalidInput("pieces", "have different temperatures; print them one after another")
    middle = printer.bed_middle
    order, standing = arrange([footprint(member.path, middle) for member in members], printer, by_layer=True)
    placed = [
        replace(member, path=moved(member.path, (at.middle[0] - middle[0], at.middle[1] - middle[1])))
        for member, at in zip(members, standing, strict=True)
    ]
    weaver = _Weaver(placed, settings, pressure_s)
    slices = sorted(
        (each for place, number in enumerate(order) for each in _slices(placed[number].path, number, place)),
        key=lambda each: (each.number > 0, each.z, each.place),
    )
    levels = {z: 1 + k for k, z in enumerate(sorted({each.z for each in slices if each.number}))}
    for each in slices:
        weaver.add(each, levels[each.z] if each.number else 0)
    path, owner = weaver.whole()
    path = slow_small_layers(path, settings)
    if float(path.z.max()) > printer.height_mm:
        raise InvalidInput("pieces", f"are too high for {printer.name}; leave the highest out")
    return Plate(path, order, standing, owner, by_layer=True)


@dataclass(frozen=True, slots=True)
class _Slice:
    """A layer of a member, `number` from 0 on, whose turn is `place`: rows first to end of its path, without the way
    there and what is retracted after it. `after` is the end of the one before, `z` how high it lies, mm.
    """

    member: int
    place: int
    number: int
    after: int
    first: int
    end: int
    z: float


def _slices(path: Toolpath, member: int, place: int) -> Iterator[_Slice]:
    laid = (path.e_mm > 0) & (path.role >= Role.PURGE)
    after, z = 0, 0.0
    for begin, end in pairwise([0, *(np.flatnonzero(np.diff(path.layer)) + 1).tolist(), len(path)]):
        rows = begin + np.flatnonzero(laid[begin:end])
        if not len(rows):
            continue
        last = int(rows[-1]) + 1
        retracts = np.flatnonzero(path.role[last:end] == Role.RETRACT)
        stops = last + int(retracts[0]) if len(retracts) else end
        z = max(z, round(float(path.z[rows].max()), 3))
        yield _Slice(member, place, int(path.layer[begin]), after, int(rows[0]), stops, z)
        after = stops


class _Weaver:
    """Puts slices together: rows as they are, and between two pieces the way from one to the other."""

    def __init__(self, members: Sequence[PlateMember], settings: PrintSettings, pressure_s: float) -> None:
        self._members = members
        self._settings = settings
        self._parts: list[Toolpath] = []
        self._owners: list[NDArray[np.int16]] = []
        self._events: list[Event] = []
        self._rows = 0
        self._before: _Slice | None = None
        self._now: dict[Set, float] = {Set.FAN: 0.0, Set.PRESSURE: pressure_s}
        self._left = [dict(self._now) for _ in members]
        """What is set at the printer, and what each member had set when it was left."""

    def add(self, each: _Slice, layer: int) -> None:
        """The next slice, as that layer of all, counted from 0."""
        path, before = self._members[each.member].path, self._before
        goes_on = before is None or before.member == each.member
        begins, events = each.after, [e for e in path.events if each.after <= e.row < each.end]
        if before is None or not goes_on:
            self._event(note_of(self._rows, each.place, len(self._members), self._members[each.member]))
        if before is not None and not goes_on:
            begins = each.first
            for event in events:
                if event.row <= begins and event.what in _GIVEN_BACK:
                    self._left[each.member][event.what] = event.value
            self._go_to(each, before, layer)
            events = [replace(e, row=max(e.row, begins)) for e in events if e.row > begins or e.what == Set.NOTE]
        for event in events:
            self._event(replace(event, row=event.row - begins + self._rows))
            if event.what in _GIVEN_BACK:
                self._left[each.member][event.what] = event.value
        self._take(path, begins, each.end, each.member, layer)
        self._before = each

    def _event(self, event: Event) -> None:
        self._events.append(event)
        if event.what in _GIVEN_BACK:
            self._now[event.what] = event.value

    def _take(self, path: Toolpath, begin: int, end: int, member: int, layer: int) -> None:
        columns = {name: getattr(path, name)[begin:end] for name in _COLUMNS}
        columns["layer"] = np.full(end - begin, layer, np.int32)
        self._parts.append(replace(path, **columns, events=()))
        self._owners.append(np.full(end - begin, member, np.int16))
        self._rows += end - begin

    def _go_to(self, each: _Slice, before: _Slice, layer: int) -> None:
        """Retract, up, over, down, and the filament back; what the piece had set is set on the way. What it would push
        more or less than it retracted, it does here too.
        """
        path, s, last = self._members[each.member].path, self._settings, self._parts[-1]
        at = max(each.first - 1, 0)
        x, y, z = float(path.x[at]), float(path.y[at]), float(path.z[at])
        over = max(each.z, before.z) + max(LIFT_MM, s.z_hop_mm)
        travel = s.speeds[Role.TRAVEL]
        from_x, from_y = float(last.x[-1]), float(last.y[-1])
        pulls = s.retraction_mm > 0
        for what, value in self._left[each.member].items():
            if value != self._now[what]:
                self._event(Event(self._rows + int(pulls), what, value))
        more = float(path.e_mm[each.after : each.first].sum()) if each.after else 0.0
        back = max(s.retraction_mm + more, 0.0)
        rows = [
            (from_x, from_y, over, 0.0, min(CLIMB_MM_S, travel), Role.TRAVEL),
            (x, y, over, 0.0, travel, Role.TRAVEL),
            (x, y, z, 0.0, min(CLIMB_MM_S, travel), Role.TRAVEL),
        ]
        if pulls:
            rows.insert(0, (from_x, from_y, float(last.z[-1]), -s.retraction_mm, s.retraction_speed, Role.RETRACT))
        if back > 0:
            rows.append((x, y, z, back, s.retraction_speed, Role.RESTART))
        self._take(_as_path(rows, float(path.height[each.first]), path), 0, len(rows), each.member, layer)

    def whole(self) -> tuple[Toolpath, NDArray[np.int16]]:
        """(all of it, with the filament retracted at its end; the member of every row)."""
        s, last, before = self._settings, self._parts[-1], self._before
        if s.retraction_mm > 0 and before is not None:
            at = float(last.x[-1]), float(last.y[-1]), float(last.z[-1])
            end = _as_path([(*at, -s.retraction_mm, s.retraction_speed, Role.RETRACT)], float(last.height[-1]), last)
            self._take(end, 0, 1, before.member, int(last.layer[-1]))
        self._event(Event(self._rows, Set.FAN, 0.0))
        return replace(joined(self._parts), events=tuple(self._events)), np.concatenate(self._owners)


def _as_path(rows: Sequence[tuple[float, ...]], height: float, like: Toolpath) -> Toolpath:
    """Rows of x, y, z, filament, speed and role as a path."""
    table = np.array(rows, np.float64)
    return replace(
        like, x=table[:, 0], y=table[:, 1], z=np.round(table[:, 2], 3), e_mm=table[:, 3], speed=table[:, 4],
        role=table[:, 5].astype(np.uint8), layer=np.zeros(len(rows), np.int32), height=np.full(len(rows), height),
        events=(),
    )  # fmt: skip
