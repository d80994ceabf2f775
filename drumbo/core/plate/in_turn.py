"""Pieces of one job, each printed whole before the next."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from drumbo.core.errors import InvalidInput
from drumbo.core.plate.layout import arrange, footprint
from drumbo.core.plate.members import OVER_MM, Plate, PlateMember, joined, moved, note_of
from drumbo.core.printer import Printer
from drumbo.core.toolpath import Toolpath
from drumbo.core.toolpath.columns import Event, Role, Set
from drumbo.core.toolpath.pace import CLIMB_MM_S

_WAITS_AT = 2
"""The row of a piece's beginning before which the head stands over it."""


def laid_in_turn(
    members: Sequence[PlateMember], printer: Printer, bed: tuple[float, float], pressure_s: float
) -> Plate:
    """Members as one job, each whole before the next. `bed` is the bed's temperature of the first layer and of the
    others, °C: it stays at the first until the last piece has its first layer. Between two pieces the head goes up,
    over, waits there for the temperature, and down. InvalidInput where they have no room.
    """
    middle = printer.bed_middle
    order, standing = arrange([footprint(member.path, middle) for member in members], printer)
    parts: list[Toolpath] = []
    top = 0.0
    for place, number in enumerate(order):
        member, stands = members[number], standing[number]
        away = stands.middle[0] - middle[0], stands.middle[1] - middle[1]
        alone = moved(member.path, away) if not place else _onward(parts[-1], moved(member.path, away), top)
        events = [] if not place else _opening(member, pressure_s)
        events += _second_layer(alone, member, place, bed[1] if place == len(order) - 1 else None)
        note = note_of(0, place, len(order), member)
        parts.append(replace(alone, events=tuple(sorted((note, *events, *alone.events), key=lambda e: e.row))))
        top = max(top, float(alone.z.max()))
    if top + OVER_MM > printer.height_mm:
        raise InvalidInput("pieces", f"are too high to pass over on {printer.name}; print the highest alone")
    owner = np.repeat(np.array(order, np.int16), [len(part) for part in parts])
    return Plate(joined(parts), order, standing, owner, by_layer=False)


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
