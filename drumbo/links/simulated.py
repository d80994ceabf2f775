"""The door beside a simulated device: the spool on its holder, its cameras, and what a person reads off its objects.

`number` is the object that is meant, as the camera's frame tells it; None is the one that lies there now. Places are in
bed coordinates, mm.
"""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Protocol

from drumbo.core.errors import LinkError
from drumbo.links.http import HttpDevice

Box = Sequence[Sequence[float]]


@dataclass(frozen=True, slots=True)
class Load:
    """What goes onto the holder: the polymer or class, which very spool or bottle, its colour."""

    family: str
    seed: int
    colour: str


@dataclass(frozen=True, slots=True)
class Jaws:
    """A tool between two points; None for a height stands for half the object's."""

    a: Sequence[float]
    b: Sequence[float]
    z: float | None = None
    tool: str = "calliper"


class SimulatedReader(Protocol):
    """What can be asked about a print on a simulated device."""

    def load(self, holder: str, what: Load, second: Load | None = None, *, clean: bool = True) -> None: ...
    def recall(self, number: int, file: str, what: Load, second: Load | None = None) -> None: ...
    def picture(self, view: str) -> tuple[bytes, dict[str, Any] | None]: ...
    def scores(
        self, boxes: Sequence[Box], aspects: Sequence[str], seed: int, number: int | None
    ) -> list[list[int]]: ...
    def firsts(
        self, boxes: Sequence[Box], signs: Sequence[str], seed: int, number: int | None
    ) -> Mapping[str, int]: ...
    def numbers(self, jaws: Sequence[Jaws], seed: int, number: int | None) -> list[float | None]: ...
    def calliper(self, jaws: Jaws, number: int | None) -> float: ...


def simulated_reader(url: str, room: Sequence[float] | None = None) -> SimulatedReader:
    """The one at an address, asked about what lies within a room on its bed: left, front, right and back, mm. LinkError
    where that is none.
    """
    return _Door(HttpDevice(url, "nothing answers beside the stand-in; is it running?"), room)


class _Door:
    """Over HTTP. An answer that lacks what was asked for is a LinkError."""

    def __init__(self, device: HttpDevice, room: Sequence[float] | None = None) -> None:
        self._device, self._room = device, room

    def load(self, holder: str, what: Load, second: Load | None = None, *, clean: bool = True) -> None:
        """Onto the holder; and where there is a second one, both into its feeder."""
        self._device.post(f"/{holder}", {**_load(what, second), "clean": clean})

    def recall(self, number: int, file: str, what: Load, second: Load | None = None) -> None:
        """Object `number` was printed in an earlier life of the device, of the file of that name."""
        self._device.post("/printed", {"object": number, "file": file, **_load(what, second)})

    def picture(self, view: str) -> tuple[bytes, dict[str, Any] | None]:
        try:
            about = "" if self._room is None else "?room=" + ",".join(f"{side:.3f}" for side in self._room)
            data, headers = self._device.picture(f"/{view}.png{about}")
            frame = json.loads(headers.get("x-frame", "null"))
        except (ValueError, RecursionError) as error:
            raise LinkError("the camera's answer cannot be read") from error
        return data, frame if isinstance(frame, dict) else None

    def scores(self, boxes: Sequence[Box], aspects: Sequence[str], seed: int, number: int | None) -> list[list[int]]:
        asked = {"boxes": boxes, "aspects": aspects, "seed": seed, "object": number}
        return [[int(score) for score in row] for row in self._asked("/eye", asked, "scores")]

    def firsts(self, boxes: Sequence[Box], signs: Sequence[str], seed: int, number: int | None) -> Mapping[str, int]:
        asked = {"boxes": boxes, "signs": signs, "seed": seed, "object": number}
        return {str(key): int(step) for key, step in self._asked("/first", asked, "steps").items()}

    def numbers(self, jaws: Sequence[Jaws], seed: int, number: int | None) -> list[float | None]:
        asked = {"jaws": [_sent(j) for j in jaws], "seed": seed, "object": number}
        return [None if n is None else float(n) for n in self._asked("/measure", asked, "numbers")]

    def calliper(self, jaws: Jaws, number: int | None) -> float:
        return float(self._asked("/calliper", {"jaws": [_sent(jaws)], "object": number}, "number"))

    def _asked(self, path: str, body: dict[str, Any], key: str) -> Any:
        found = self._device.post(path, body if self._room is None else {**body, "room": list(self._room)})
        if key not in found:
            raise LinkError("what answers beside the stand-in is none")
        return found[key]


def _load(what: Load, second: Load | None = None) -> dict[str, Any]:
    told: dict[str, Any] = {"family": what.family, "seed": what.seed, "colour": what.colour}
    return told if second is None else {**told, "second": _load(second)}


def _sent(jaws: Jaws) -> dict[str, Any]:
    return {"a": jaws.a, "b": jaws.b, "z": jaws.z, "tool": jaws.tool}
