"""A sheet of white paper beneath a piece: what tells a photo's brightness, its tint and how its light falls.

Paper is about as white as anything that lies about a workshop; a colour that is measured by it is that of the piece
and no longer that of the lamp and the camera.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from drumbo.core.colours import lab
from drumbo.sight.rectify import View

Floats = NDArray[np.float64]

FIRST_MM, LAST_MM = 2.0, 4.5
"""So far outside of a piece paper is looked for."""
DARKEST, MOST_TINT = 42.0, 24.0
"""L*a*b*: what is darker, or has more of a colour than a lamp gives, is no paper. A camera makes a white sheet grey."""
EVEN = 0.6
"""At most so far (by its logarithm) may one side of it be brighter than another."""


def whitened(view: View, corners: Floats) -> View | None:
    """The view as if under plain light, by the paper around (4, 2) `corners` of a piece, mm; None where none is."""
    places = _around(corners)
    seen = view.colours(places)
    there = np.isfinite(seen).all(axis=1)
    if there.mean() < 0.5:
        return None
    places, seen = places[there], np.clip(seen[there], 1.0, None)
    colour = lab([np.median(seen, axis=0)])[0]
    if colour[0] < DARKEST or np.hypot(colour[1], colour[2]) > MOST_TINT:
        return None
    plane = _plane(places, np.log(seen))
    off = np.abs(np.log(seen) - np.column_stack([np.ones(len(places)), places]) @ plane).max(axis=1)
    if np.median(off) > 0.1 or np.ptp(np.column_stack([np.ones(4), corners]) @ plane, axis=0).max() > EVEN:
        return None
    return View(view.pixels, view.to_px, plane)


def _around(corners: Floats) -> Floats:
    """(n, 2) places outside of a piece whose outline is that of its corners."""
    middle = corners.mean(axis=0)
    found = []
    for a, b in zip(corners, np.roll(corners, -1, axis=0), strict=True):
        along = a + (b - a) * np.linspace(0, 1, 40)[:, None]
        out = np.array([(b - a)[1], -(b - a)[0]]) / np.linalg.norm(b - a)
        out *= np.sign((along.mean(axis=0) - middle) @ out)
        found += [along + out * far for far in np.linspace(FIRST_MM, LAST_MM, 5)]
    return np.concatenate(found)


def _plane(places: Floats, logs: Floats) -> Floats:
    """(3, 3) of the plane through (n, 3) logarithms, by channel; what does not fit it (a bar, a digit) is left out."""
    design, keeps = np.column_stack([np.ones(len(places)), places]), np.ones(len(places))
    for _ in range(8):
        plane = np.linalg.lstsq(design * keeps[:, None], logs * keeps[:, None], rcond=None)[0]
        off = np.abs(logs - design @ plane).max(axis=1)
        keeps = 1 / (1 + (off / (2 * max(float(np.median(off)), 0.005))) ** 4)
    return np.asarray(plane)
