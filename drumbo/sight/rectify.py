"""A picture of a piece that lies flat, and where on it each of its millimetres is.

Four points of a plane whose places are known tell how a camera saw all of it, from whatever side it looked.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from drumbo.core.errors import InvalidInput

Floats = NDArray[np.float64]
Pixels = NDArray[np.uint8]

FEWEST_PX_MM = 2.5
"""A line of plastic is hardly half a millimetre wide: with fewer pixels its colour is not seen apart from the next."""
WHITE = 244.0
"""Red, green and blue of office paper in plain light, 0..255."""
MOST_UNEVEN = 4.0
"""So many times larger may a millimetre be at one corner than at another; past it the view is too flat to trust."""


@dataclass(frozen=True, slots=True)
class View:
    """(h, w, 3) `pixels` 0..255 from the upper left, and the (3, 3) projection to them from the piece's x and y, mm."""

    pixels: Pixels
    to_px: Floats
    light: Floats | None = None
    """(3, 3) the logarithm of white paper's red, green and blue: a constant, and by x and by y, mm. None where nothing
    tells of it."""

    def places(self, points_mm: ArrayLike) -> Floats:
        """(n, 2) column and row of (n, 2) places on the piece, mm."""
        points = np.asarray(points_mm, float)
        seen = np.column_stack([points, np.ones(len(points))]) @ self.to_px.T
        return seen[:, :2] / seen[:, 2:]

    def px_per_mm(self, points_mm: ArrayLike) -> Floats:
        """(n,) pixels a millimetre at (n, 2) places: the root of how much larger an area is."""
        points, step = np.asarray(points_mm, float), 0.05
        here = self.places(points)
        right, up = (self.places(points + way) - here for way in ([step, 0.0], [0.0, step]))
        return np.sqrt(np.abs(right[:, 0] * up[:, 1] - right[:, 1] * up[:, 0])) / step

    def colours(self, points_mm: ArrayLike) -> Floats:
        """(n, 3) colours at (n, 2) places, 0..255; in plain light where that is known, and more than 255 then where
        something is brighter than the paper. NaN outside of the picture.
        """
        column, row = np.floor(self.places(points_mm)).T
        high, wide = self.pixels.shape[:2]
        inside = (column >= 0) & (column < wide) & (row >= 0) & (row < high)
        found = np.full((len(column), 3), np.nan)
        found[inside] = self.pixels[row[inside].astype(int), column[inside].astype(int)]
        if self.light is None:
            return found
        white = np.column_stack([np.ones(len(found)), np.asarray(points_mm, float)]) @ self.light
        return np.asarray(found / np.exp(white) * WHITE)


def by_corners(pixels: Pixels, places_mm: Sequence[Sequence[float]], marked_px: Sequence[Sequence[float]]) -> View:
    """The view in which four places on the piece, mm, counter-clockwise as seen from above, were marked at four pixels.
    InvalidInput says what is wrong with the marks.
    """
    mm, px = np.asarray(places_mm, float), np.asarray(marked_px, float)
    high, wide = pixels.shape[:2]
    if not (np.isfinite(px).all() and (px >= 0).all() and (px <= [wide, high]).all()):
        raise InvalidInput("corners", "must lie in the picture")
    if not _goes_round(px):
        raise InvalidInput(
            "corners", "do not go round as asked: begin at the front left one, then front right, back right, back left"
        )
    view = View(pixels, projection(mm, px))
    scale = view.px_per_mm(mm)
    if scale.max() > MOST_UNEVEN * scale.min():
        raise InvalidInput("corners", "are seen too much from the side; take the photo from above")
    if scale.min() < FEWEST_PX_MM:
        raise InvalidInput(
            "corners", f"lie close together: {scale.min():.1f} pixels a millimetre; take the photo from nearer by"
        )
    return view


def by_frame(pixels: Pixels, left_mm: float, bottom_mm: float, px_per_mm: float) -> View:
    """The view of a camera that looks straight down and knows its scale, and where on the piece its left and lower
    edges are, mm.
    """
    high = pixels.shape[0]
    return View(pixels, np.array([
        [px_per_mm, 0.0, -left_mm * px_per_mm], [0.0, -px_per_mm, high + bottom_mm * px_per_mm], [0.0, 0.0, 1.0],
    ]))  # fmt: skip


def _goes_round(px: Floats) -> bool:
    """Whether four pixels are the corners of something without dents, counter-clockwise on what is seen."""
    sides = np.roll(px, -1, axis=0) - px
    after = np.roll(sides, -1, axis=0)
    # Rows go down: what goes round counter-clockwise turns to the negative side.
    return bool((sides[:, 0] * after[:, 1] - sides[:, 1] * after[:, 0] < 0).all())


def projection(mm: Floats, px: Floats) -> Floats:
    """(3, 3) that takes (4, 2) points to four others of a picture, its last number 1."""
    rows, right = [], []
    for (x, y), (u, v) in zip(mm, px, strict=True):
        rows += [[x, y, 1, 0, 0, 0, -u * x, -u * y], [0, 0, 0, x, y, 1, -v * x, -v * y]]
        right += [u, v]
    return np.append(np.linalg.solve(np.array(rows), np.array(right)), 1.0).reshape(3, 3)
