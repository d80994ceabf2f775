"""The pieces of one job: what each of them is, and what becomes of them together."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from drumbo.core.piece import Standing
from drumbo.core.toolpath import Toolpath
from drumbo.core.toolpath.columns import Event, Role, Set

OVER_MM = 3.0
"""On its way to the next piece the nozzle keeps so far above all that stands."""
PIECE = "piece"
"""The word with which the note begins that stands in the file wherever the head goes on with another piece."""


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
    owner: NDArray[np.int16]
    """(n,) the member that each row of the path makes, or goes to."""
    by_layer: bool
    """Whether every piece has its next layer before any has the one after."""


def note_of(row: int, place: int, count: int, member: PlateMember) -> Event:
    """Before this row the head goes on with the piece whose turn is `place`, from 0 on."""
    return Event(row, Set.NOTE, text=f"{PIECE} {place + 1} of {count}: {member.title}")


def moved(path: Toolpath, away: tuple[float, float]) -> Toolpath:
    """The same elsewhere; a purge line stays where it is, with what happens at its end."""
    shift, start = np.ones(len(path)), (path.start[0] + away[0], path.start[1] + away[1], path.start[2])
    purged = np.flatnonzero(path.role == Role.PURGE)
    if len(purged):
        gone = (path.x != path.x[purged[-1]]) | (path.y != path.y[purged[-1]])
        gone[: purged[-1]] = False
        shift[: int(np.argmax(gone))], start = 0.0, path.start
    x, y = (np.round(c + a * shift, 3) for c, a in zip((path.x, path.y), away, strict=True))
    return replace(path, start=start, x=x, y=y)


def joined(parts: Sequence[Toolpath]) -> Toolpath:
    """Paths one after another, with what is set on the way."""
    begins = np.cumsum([0, *(len(part) for part in parts[:-1])]).tolist()
    events = [replace(e, row=e.row + at) for part, at in zip(parts, begins, strict=True) for e in part.events]
    names = ("x", "y", "z", "e_mm", "speed", "role", "layer", "height")
    columns: dict[str, Any] = {name: np.concatenate([getattr(part, name) for part in parts]) for name in names}
    return replace(parts[0], **columns, events=tuple(events))
