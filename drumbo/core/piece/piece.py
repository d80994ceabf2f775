"""A piece: one solid, the parts it is made of for drawing, and the place of every step on it."""

from __future__ import annotations

from dataclasses import dataclass

from manifold3d import Manifold


@dataclass(frozen=True, slots=True)
class Place:
    """Where one step is on the piece, in the piece's own coordinates (middle of its foot at x = y = 0).

    `axis` is the index of the axis along which steps follow each other: 2 for a tower, 0 for a strip.
    """

    index: int
    value: float
    label: str
    low: tuple[float, float, float]
    high: tuple[float, float, float]
    axis: int = 2


@dataclass(frozen=True, slots=True)
class Part:
    """A part of the piece as it is drawn; `look` becomes the drawing's class."""

    look: str
    solid: Manifold


@dataclass(frozen=True, slots=True)
class Piece:
    """What a trial prints."""

    name: str
    solid: Manifold
    parts: tuple[Part, ...]
    places: tuple[Place, ...]

    @property
    def size(self) -> tuple[float, float, float]:
        """Extent in x, y and z, mm."""
        x0, y0, z0, x1, y1, z1 = self.solid.bounding_box()
        return (x1 - x0, y1 - y0, z1 - z0)
