"""What a person finds on patches of a single layer, laid at several heights: which is best, and which corners lift."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from drumbo.standins.filament.physics import openness, ridging
from drumbo.standins.filament.printing import PrintedObject

Floats = NDArray[np.float64]
Mask = NDArray[np.bool_]

PLAIN_GAPS, PLAIN_RIDGES = 0.06, 0.08
"""Share that is open, or stands up, at which a patch plainly is not right."""
LOOK_SD, FAINT = 0.15, 0.12
"""Two patches are compared to within about so much of how bad they look; what is hardly there is not seen at all."""
FEEL_SD = 0.04
"""Corners are tried with a fingernail, a little harder or softer."""
CORNER_MM = 2.5


def best_patch(thing: PrintedObject, low: Floats, high: Floats, rng: np.random.Generator) -> float:
    """Height of the head over the patch that is neither open nor ridged, hundredths of a mm; 0 where there is none."""
    here = _first_layer(thing, low, high)
    heights = np.unique(np.round(thing.geometry.z[here], 3))
    if not len(heights):
        return 0.0
    bad = np.array([_bad(thing, here & np.isclose(thing.geometry.z, z, atol=2e-3)) for z in heights])
    seen = bad * np.exp(rng.normal(0, LOOK_SD, len(bad))) + rng.normal(0, FAINT, len(bad))
    return float(round(100 * heights[int(np.argmin(seen))]))


def _bad(thing: PrintedObject, which: Mask) -> float:
    """How plainly a patch is open or ridged: 1 is plain."""
    fill = thing.fill[which & np.isfinite(thing.geometry.pitch_mm)]
    if not len(fill):
        return np.inf
    return float(openness(fill).mean() / PLAIN_GAPS + ridging(fill).mean() / PLAIN_RIDGES)


def lifted_corners(thing: PrintedObject, low: Floats, high: Floats, rng: np.random.Generator) -> float:
    """How many of the four corners of the best patch come off the plate."""
    shape = thing.geometry
    best = best_patch(thing, low, high, np.random.default_rng(0)) / 100
    which = _first_layer(thing, low, high) & np.isclose(shape.z, best, atol=2e-3)
    if not which.any():
        return 4.0
    middle = (shape.a + shape.b) / 2
    first, last = middle[which].min(axis=0), middle[which].max(axis=0)
    count = 0
    for corner in (first, (first[0], last[1]), (last[0], first[1]), last):
        near = which & (np.abs(middle - np.asarray(corner)).max(axis=1) < CORNER_MM)
        count += bool(near.any() and thing.hold[near].mean() + rng.normal(0, FEEL_SD) < thing.warps)
    return float(count)


def _first_layer(thing: PrintedObject, low: Floats, high: Floats) -> Mask:
    middle = (thing.geometry.a + thing.geometry.b) / 2
    return np.asarray((thing.geometry.layer == 0) & ((middle >= low) & (middle <= high)).all(axis=1))
