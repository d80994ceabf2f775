"""A piece: one solid, the parts it is made of for drawing, and the place of every step on it."""

from __future__ import annotations

from dataclasses import dataclass, replace

from manifold3d import Manifold

UP = 2
"""The axis along which a tower's steps follow each other."""
FAR_MM = 1e4
"""Further than any bed reaches."""

Box = tuple[tuple[float, float, float], tuple[float, float, float]]
"""Lowest and highest corner, mm."""


@dataclass(frozen=True, slots=True)
class Standing:
    """Where a piece stands: its middle on the bed, mm, and the room that is its own there, left, front, right and back;
    None for all of the bed.
    """

    middle: tuple[float, float]
    room: tuple[float, float, float, float] | None = None


@dataclass(frozen=True, slots=True)
class Place:
    """Where one step is on the piece, in the piece's own coordinates (middle of its foot at x = y = 0).

    `axis` is the index of the axis along which steps follow each other: 2 for a tower, 0 for a strip, 1 for rows that
    follow each other from the front, with several steps in each. What stands `alone` is shown without what lies
    in front of it and behind it.
    """

    index: int
    value: float
    label: str
    low: tuple[float, float, float]
    high: tuple[float, float, float]
    axis: int = 2
    alone: bool = False

    def box(self, middle: tuple[float, float]) -> Box:
        """The step's box on a bed, with the piece's middle there.

        What belongs to a tower's step is told by height alone: strings hang beside it.
        """
        if self.axis == UP:
            return (-FAR_MM, -FAR_MM, self.low[2]), (FAR_MM, FAR_MM, self.high[2])
        (x, y), low, high = middle, self.low, self.high
        return (low[0] + x, low[1] + y, low[2]), (high[0] + x, high[1] + y, high[2])


@dataclass(frozen=True, slots=True)
class Part:
    """A part of the piece as it is drawn; `look` becomes the drawing's class. What is `behind` is printed, and not
    drawn.
    """

    look: str
    solid: Manifold
    behind: bool = False


@dataclass(frozen=True, slots=True)
class Jaw:
    """Where a tool goes: from `a` to `b` (x, y) at height `z`, mm, for one site of a measure at a step."""

    measure: str
    step: int
    site: str
    a: tuple[float, float]
    b: tuple[float, float]
    z: float
    tool: str = "calliper"

    def on_bed(self, middle: tuple[float, float]) -> Jaw:
        """The same jaw on a bed, with the piece's middle there. Filament is marked above the drive, on no bed."""
        if self.tool == "filament":
            return self
        (x, y), a, b = middle, self.a, self.b
        return replace(self, a=(a[0] + x, a[1] + y), b=(b[0] + x, b[1] + y))


@dataclass(frozen=True, slots=True)
class Piece:
    """What a trial prints. `jaws` are the places to measure, if the trial has such."""

    name: str
    solid: Manifold
    parts: tuple[Part, ...]
    places: tuple[Place, ...]
    jaws: tuple[Jaw, ...] = ()

    @property
    def view(self) -> str:
        """The side from which it is looked at: "front" where steps lie above each other, else "top"."""
        return "front" if self.places[0].axis == UP else "top"

    @property
    def size(self) -> tuple[float, float, float]:
        """Extent in x, y and z, mm."""
        x0, y0, z0, x1, y1, z1 = self.solid.bounding_box()
        return (x1 - x0, y1 - y0, z1 - z0)
