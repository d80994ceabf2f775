"""What a person finds on a strip that begins in one colour and goes over into another: from where it is clean."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from drumbo.core.colours import lab
from drumbo.standins.filament.geometry import FILAMENT_AREA
from drumbo.standins.filament.printing import PrintedObject
from drumbo.standins.worlds import who_looks

Floats = NDArray[np.float64]

SEEN = 3.0
"""Two colours of printed lines side by side are told apart from such a distance (L*a*b*) on."""
LOOK_SD, PLACE_SD_MM = 0.15, 1.5
"""One looks harder or not so hard, and reads a place between two digits to within so much filament."""
STRICT = 0.35
"""Whoever scores a point milder lets so much more of a difference pass (by its logarithm)."""


def clean_from(thing: PrintedObject, low: Floats, high: Floats, rng: np.random.Generator) -> float:
    """How much filament lies in the top of a box before only the last colour is left, mm; 0 where it is clean."""
    told = clean_exactly(thing, low, high, SEEN * np.exp(rng.normal(0, LOOK_SD) + STRICT * who_looks().severity))
    return float(max(round(told + rng.normal(0, PLACE_SD_MM)), 0)) if told > 0 else 0.0


def clean_exactly(thing: PrintedObject, low: Floats, high: Floats, seen: float = SEEN) -> float:
    """The same without any slip, for somebody who sees so small a difference."""
    shape = thing.geometry
    if thing.colours is None:
        return 0.0
    middle = (shape.a + shape.b) / 2
    here = ((middle >= low) & (middle <= high)).all(axis=1)
    if not here.any():
        return 0.0
    top = np.flatnonzero(here & (shape.z > shape.z[here].max() - 0.02))
    area = (shape.width - shape.height * (1 - np.pi / 4)) * shape.height
    fed = np.cumsum((area * np.hypot(*(shape.b - shape.a).T))[top]) / FILAMENT_AREA
    colours = lab(thing.colours[top])
    away = np.linalg.norm(colours - colours[-1], axis=1)
    still = np.flatnonzero(away > seen)
    return float(fed[still[-1]]) if len(still) else 0.0
