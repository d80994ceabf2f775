"""One piece of several that were printed in one job: what of an object lies within a room on the bed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import fields, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from drumbo.standins.filament.geometry import Geometry
from drumbo.standins.filament.printing import PrintedObject

Bools = NDArray[np.bool_]

_OF_TRAVELS, _OF_STARTS, _OF_ENDS, _OF_DROPS = {"string_mm3"}, {"start_surplus_mm"}, {"end_surplus_mm"}, {"drop_mm3"}


def within(thing: PrintedObject, room: Sequence[float] | None) -> PrintedObject:
    """The object without what lies elsewhere; `room` is left, front, right and back, mm, None for all of the bed."""
    if room is None:
        return thing
    shape = thing.geometry
    low, high = np.array(room[:2], float), np.array(room[2:], float)

    def held(*ends: NDArray[np.float64]) -> Bools:
        return np.asarray(np.logical_and.reduce([((end >= low) & (end <= high)).all(axis=1) for end in ends]))

    kept = {
        "": held((shape.a + shape.b) / 2), "travel_": held(shape.travel_a, shape.travel_b),
        "start_": held(shape.start_at), "end_": held(shape.end_at), "drop_": held(shape.drop_at),
    }  # fmt: skip
    return replace(thing, geometry=_geometry(shape, kept), **_made(thing, kept))


def _geometry(shape: Geometry, kept: dict[str, Bools]) -> Geometry:
    new: dict[str, Any] = {}
    for column in fields(Geometry):
        values = getattr(shape, column.name)
        if isinstance(values, np.ndarray) and not column.name.startswith("move_"):
            group = next((p for p in kept if p and column.name.startswith(p)), "")
            new[column.name] = values[kept[group]]
    # Roads that begin or end here are told by their place among the pieces that stay.
    place = np.append(np.where(kept[""], np.cumsum(kept[""]) - 1, -1), -1)
    for name in ("start_piece", "end_piece"):
        new[name] = place[np.clip(new[name], -1, len(place) - 1)]
    return replace(shape, **new, move_pieces=np.zeros(len(shape.move_pieces), np.int64))


def _made(thing: PrintedObject, kept: dict[str, Bools]) -> dict[str, Any]:
    groups = ((_OF_TRAVELS, "travel_"), (_OF_STARTS, "start_"), (_OF_ENDS, "end_"), (_OF_DROPS, "drop_"))
    new = {}
    for column in fields(PrintedObject):
        values = getattr(thing, column.name)
        if isinstance(values, np.ndarray):
            new[column.name] = values[kept[next((group for names, group in groups if column.name in names), "")]]
    return new
