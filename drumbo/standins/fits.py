"""How a printed pin sits in a printed hole: the gap that is left all round between the roads of both."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from drumbo.standins.filament.printing import PrintedObject

Floats = NDArray[np.float64]
Mask = NDArray[np.bool_]

APART_MM = 2.0
"""Two things stand apart where no road lies between them for so much."""
SEARCH_MM = 0.05


def gap_round(thing: PrintedObject, band: Mask) -> float:
    """Gap all round, mm, below 0 where the pin is larger. The pin is what stands in front, the hole is in what lies
    behind it. Both have shrunk; the widths of their roads are what the nozzle left. −1 where there are no such two.
    """
    shape = thing.geometry
    y = (shape.a[:, 1] + shape.b[:, 1]) / 2
    order = np.sort(y[band])
    if len(order) < 2 or np.diff(order).max() < APART_MM:
        return -1.0
    cut = int(np.argmax(np.diff(order)))
    border = (order[cut] + order[cut + 1]) / 2
    pin, block = band & (y < border), band & (y > border)
    middle_x, pin_r = _pin(thing, pin)
    return (_hole(thing, block, middle_x) - pin_r) * (1 - thing.shrink)


def _pin(thing: PrintedObject, which: Mask) -> tuple[float, float]:
    """(x of its middle, radius) of the shaft: what stands above the thicker end that it is held by."""
    shape = thing.geometry
    shaft = which & (shape.z > (shape.z[which].min() + shape.z[which].max()) / 2)
    ends = np.vstack([shape.a[shaft], shape.b[shaft]])
    middle = (ends.min(axis=0) + ends.max(axis=0)) / 2
    half = np.tile(thing.width_mm[shaft] / 2, 2)
    reach = np.hypot(*(ends - middle).T) + half
    return float(middle[0]), float(np.quantile(reach, 0.9))


def _hole(thing: PrintedObject, which: Mask, x: float) -> float:
    """Radius of the largest round that is free of roads, its middle at x."""
    shape = thing.geometry
    levels = np.unique(shape.layer[which])
    looked = levels[[len(levels) // 3, len(levels) // 2, 2 * len(levels) // 3]]
    deep = which & np.isin(shape.layer, looked)
    middle, half = (shape.a[deep] + shape.b[deep]) / 2, thing.width_mm[deep] / 2
    tries = np.arange(middle[:, 1].min(), middle[:, 1].max(), SEARCH_MM)
    away = np.hypot(middle[None, :, 0] - x, middle[None, :, 1] - tries[:, None]) - half[None, :]
    inside = np.sort(away, axis=1)[:, : max(len(half) // 50, 4)].mean(axis=1)
    return float(inside.max())
