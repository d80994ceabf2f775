"""Calliper and scale: pick a place on an object, get a number, as repeatable as the tool is."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from drumbo.core.errors import DrumboError
from drumbo.standins.filament.printing import PrintedObject

Floats = NDArray[np.float64]

CALLIPER_MM = 0.02
"""Two readings of one place lie this far from the truth at most."""
SCALE_G = 0.001
PEN_MARK_MM = 0.3
"""A mark drawn on filament is placed and found again within about so much."""
JAW_DEEP_MM, JAW_BROAD_MM = 1.0, 1.5
"""How far jaws reach up and down, and to either side, from the place picked."""
JAW_THICK_MM = 1.2
RISES = 200.0
"""Filament is marked no higher than this above the drive, mm."""


@dataclass(frozen=True, slots=True)
class Jaws:
    """Between `a` and `b` (x, y on the bed) at height `z`, mm, with a tool: "calliper" or "filament"; "scale" takes all
    that lies between two opposite corners.
    """

    a: tuple[float, float]
    b: tuple[float, float]
    z: float
    tool: str = "calliper"


def calliper(thing: PrintedObject, jaws: Jaws, rng: np.random.Generator) -> float:
    """Outside size between the jaws, mm, rounded to 0.01. DrumboError where they close on nothing."""
    start, way = np.array(jaws.a), np.array(jaws.b) - np.array(jaws.a)
    length = float(np.hypot(*way))
    if length < 0.05:
        raise DrumboError("pick two points that lie apart")
    axis = way / length
    shape = thing.geometry
    middle = (shape.a + shape.b) / 2 - start
    along, aside = middle @ axis, np.abs(middle @ np.array([-axis[1], axis[0]]))
    height = shape.z - shape.height / 2
    reached = (np.abs(height - jaws.z) <= JAW_DEEP_MM) & (aside <= JAW_BROAD_MM) & (thing.missing < 0.5)
    held = reached & (along > -0.2) & (along < length + 0.2)
    # Jaws do not go into a plate: what goes on behind them lies deeper than they reach.
    beyond = reached & ~held & (along > -JAW_THICK_MM) & (along < length + JAW_THICK_MM)
    held &= ~np.isin(shape.layer, shape.layer[beyond])
    if not held.any():
        raise DrumboError("the jaws close on nothing there; pick two points with the wall between them")
    roads = (shape.b - shape.a)[held]
    half = np.abs(roads @ axis) / 2 + thing.width_mm[held] / 2
    low, high = along[held] - half, along[held] + half
    sizes = [_outside(low[at], high[at]) for at in _by_layer(shape.layer[held])]
    return round(float(np.mean(sizes)) + rng.uniform(-CALLIPER_MM, CALLIPER_MM), 2)


def _by_layer(layer: NDArray[np.int64]) -> list[NDArray[np.int64]]:
    return [np.flatnonzero(layer == level) for level in np.unique(layer)]


def _outside(low: Floats, high: Floats) -> float:
    """From the outer sides of the outermost roads, their bumps evened out under the jaws."""
    return float(high[high > high.max() - 0.12].mean() - low[low < low.min() + 0.12].mean())


def filament_left(thing: PrintedObject, jaws: Jaws, rng: np.random.Generator) -> float:
    """What is left of the filament up to a mark that was `b`'s second number above the drive before the print, mm."""
    mark = min(float(jaws.b[1]), RISES)
    return round(mark - thing.fed_mm + rng.normal(0, PEN_MARK_MM), 1)


def weigh(
    thing: PrintedObject, low: tuple[float, float, float], high: tuple[float, float, float], rng: np.random.Generator
) -> float:
    """Weight of all that lies in a box, g, rounded to a milligram. What was extruded in the air has fallen down."""
    shape = thing.geometry
    middle = np.column_stack([(shape.a + shape.b) / 2, shape.z - shape.height / 2])
    inside = ((middle >= low) & (middle <= high)).all(axis=1)
    area = np.maximum(thing.width_mm - shape.height * (1 - np.pi / 4), 0.0) * shape.height
    volume = float((area * np.hypot(*(shape.b - shape.a).T))[inside].sum())
    fallen = ((shape.drop_at >= low[:2]) & (shape.drop_at <= high[:2])).all(axis=1) & (low[2] <= 0)
    volume += float(thing.drop_mm3[fallen].sum())
    return round(volume * thing.density_g_cm3 / 1000 + rng.uniform(-SCALE_G, SCALE_G), 3)


def on_scale(thing: PrintedObject, jaws: Jaws, rng: np.random.Generator) -> float:
    """Weight of all that lies between two corners, from the plate up, g."""
    (x0, x1), (y0, y1) = (sorted(pair) for pair in zip(jaws.a, jaws.b, strict=True))
    return abs(max(weigh(thing, (x0, y0, -1.0), (x1, y1, 1e4), rng), 0.0))


TOOLS = {"calliper": calliper, "filament": filament_left, "scale": on_scale}


def measure(thing: PrintedObject, jaws: Jaws, rng: np.random.Generator) -> float:
    """One number with the tool that the jaws name; DrumboError for a tool there is not."""
    if jaws.tool not in TOOLS:
        raise DrumboError(f"there is no tool {jaws.tool!r}; there are {', '.join(TOOLS)}")
    return TOOLS[jaws.tool](thing, jaws, rng)
