"""Calliper and scale: pick a place on an object, get a number, as repeatable as the tool is."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from drumbo.core.errors import DrumboError
from drumbo.standins.filament.printing import PrintedObject
from drumbo.standins.patches import best_patch, lifted_corners
from drumbo.standins.strips import clean_from
from drumbo.standins.worlds import who_looks

Floats = NDArray[np.float64]

CALLIPER_MM = 0.02
"""Two readings of one place lie this far from the truth at most."""
SCALE_G = 0.001
MAGNIFIER_MM = 0.02
"""A line's width under a magnifier with a scale in it is read to a fifth of its tenths."""
PEN_MARK_MM = 0.3
"""A mark drawn on filament is placed and found again within about so much."""
JAW_DEEP_MM, JAW_BROAD_MM = 1.0, 1.5
"""How far jaws reach up and down, and to either side, from the place picked."""
JAW_THICK_MM = 1.2
RISES = 200.0
"""Filament is marked no higher than this above the drive, mm."""


class NothingThere(DrumboError):
    """There is nothing to measure at that place."""


@dataclass(frozen=True, slots=True)
class JawsOnBed:
    """Between `a` and `b` (x, y on the bed) at height `z`, mm, with a tool of `TOOLS`: "calliper" closes on what
    lies between, "inside" opens to the faces around, "magnifier" looks from above at what lies on top, "height" stands
    upright there, "scale" takes all that lies between two opposite corners.
    """

    a: tuple[float, float]
    b: tuple[float, float]
    z: float
    tool: str = "calliper"


@dataclass(frozen=True, slots=True)
class _Reached:
    """Pieces of road that jaws may touch: where each lies along them, its half width there, and its layer."""

    low: Floats
    high: Floats
    along: Floats
    layer: NDArray[np.int64]


def _reach(thing: PrintedObject, jaws: JawsOnBed) -> tuple[_Reached, float]:
    """What jaws reach between and beside two points, and how far apart those are, mm. The object has shrunk."""
    start, way = np.array(jaws.a), np.array(jaws.b) - np.array(jaws.a)
    length = float(np.hypot(*way))
    if length < 0.05:
        raise DrumboError("pick two points that lie apart")
    axis = way / length
    shape = thing.geometry
    middle = (shape.a + shape.b) / 2 - start
    along, aside = middle @ axis, np.abs(middle @ np.array([-axis[1], axis[0]]))
    height = shape.z - shape.height / 2
    near = (np.abs(height - jaws.z) <= JAW_DEEP_MM) & (aside <= JAW_BROAD_MM) & (thing.missing < 0.5)
    half = (np.abs((shape.b - shape.a) @ axis) / 2 + thing.width_mm / 2)[near]
    at = along[near] * (1 - thing.shrink)
    return _Reached(at - half, at + half, along[near], shape.layer[near]), length


def _read(sizes: list[float], rng: np.random.Generator, blunt_mm: float = 0.0) -> float:
    return round(float(np.mean(sizes)) + blunt_mm + rng.uniform(-CALLIPER_MM, CALLIPER_MM), 2)


def calliper(thing: PrintedObject, jaws: JawsOnBed, rng: np.random.Generator) -> float:
    """Outside size between the jaws, mm, rounded to 0.01. NothingThere where they close on nothing."""
    found, length = _reach(thing, jaws)
    held = (found.along > -0.2) & (found.along < length + 0.2)
    # Jaws do not go into a plate: what goes on behind them lies deeper than they reach.
    beyond = ~held & (found.along > -JAW_THICK_MM) & (found.along < length + JAW_THICK_MM)
    held &= ~np.isin(found.layer, found.layer[beyond])
    if not held.any():
        raise NothingThere("the jaws close on nothing there; pick two points with the wall between them")
    low, high = found.low[held], found.high[held]
    sizes = [_outside(low[at], high[at]) for at in _by_layer(found.layer[held])]
    return _read(sizes, rng, 2 * who_looks().blunt_mm)


def magnifier(thing: PrintedObject, jaws: JawsOnBed, rng: np.random.Generator) -> float:
    """Width of the topmost line between two points, mm, rounded to 0.01. NothingThere where nothing lies there."""
    found, length = _reach(thing, jaws)
    seen = np.flatnonzero((found.along > 0) & (found.along < length))
    if not len(seen):
        raise NothingThere("nothing lies under the magnifier there; pick two points with the line between them")
    top = seen[found.layer[seen] == found.layer[seen].max()]
    return round(_outside(found.low[top], found.high[top]) + rng.uniform(-MAGNIFIER_MM, MAGNIFIER_MM), 2)


def inside(thing: PrintedObject, jaws: JawsOnBed, rng: np.random.Generator) -> float:
    """Width of the gap around the middle of two points, mm, rounded to 0.01. NothingThere where there is none."""
    found, length = _reach(thing, jaws)
    before, after = found.along < length / 2, found.along > length / 2
    layers = np.intersect1d(found.layer[before], found.layer[after])
    gaps = [_between(found, before & (found.layer == layer), after & (found.layer == layer)) for layer in layers]
    if not gaps or min(gaps) < 0.1:
        raise NothingThere("there is no gap; pick two points with nothing in the middle between them")
    return _read(gaps, rng, -2 * who_looks().blunt_mm)


def _between(found: _Reached, before: NDArray[np.bool_], after: NDArray[np.bool_]) -> float:
    left, right = found.high[before], found.low[after]
    return float(right[right < right.min() + 0.12].mean() - left[left > left.max() - 0.12].mean())


def height(thing: PrintedObject, jaws: JawsOnBed, rng: np.random.Generator) -> float:
    """Height of what stands at the middle of two points, from its foot, mm, rounded to 0.01."""
    at = (np.array(jaws.a) + np.array(jaws.b)) / 2
    shape = thing.geometry
    here = np.abs((shape.a + shape.b) / 2 - at).max(axis=1) <= JAW_BROAD_MM
    if not here.any():
        raise NothingThere("nothing stands there")
    feet = here & (shape.layer == 0)
    plate = float((shape.z - shape.height)[feet].mean()) if feet.any() else 0.0
    return _read([(float(shape.z[here].max()) - plate) * (1 - thing.shrink)], rng)


def _by_layer(layer: NDArray[np.int64]) -> list[NDArray[np.int64]]:
    return [np.flatnonzero(layer == level) for level in np.unique(layer)]


def _outside(low: Floats, high: Floats) -> float:
    """From the outer sides of the outermost roads, their bumps evened out under the jaws."""
    return float(high[high > high.max() - 0.12].mean() - low[low < low.min() + 0.12].mean())


def filament_left(thing: PrintedObject, jaws: JawsOnBed, rng: np.random.Generator) -> float:
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


def on_scale(thing: PrintedObject, jaws: JawsOnBed, rng: np.random.Generator) -> float:
    """Weight of all that lies between two corners, from the plate up, g."""
    (x0, x1), (y0, y1) = (sorted(pair) for pair in zip(jaws.a, jaws.b, strict=True))
    return abs(max(weigh(thing, (x0, y0, -1.0), (x1, y1, 1e4), rng), 0.0))


def on_patches(find: Callable[..., float]) -> Callable[[PrintedObject, JawsOnBed, np.random.Generator], float]:
    """A tool that looks at what lies between two corners."""

    def tool(thing: PrintedObject, jaws: JawsOnBed, rng: np.random.Generator) -> float:
        corners = np.array([jaws.a, jaws.b])
        return find(thing, corners.min(axis=0), corners.max(axis=0), rng)

    return tool


TOOLS = {
    "calliper": calliper,
    "inside": inside,
    "magnifier": magnifier,
    "height": height,
    "filament": filament_left,
    "scale": on_scale,
    "patch": on_patches(best_patch),
    "corners": on_patches(lifted_corners),
    "clean": on_patches(clean_from),
}


def measure(thing: PrintedObject, jaws: JawsOnBed, rng: np.random.Generator) -> float:
    """One number with the tool that the jaws name; DrumboError for a tool there is not."""
    if jaws.tool not in TOOLS:
        raise DrumboError(f"there is no tool {jaws.tool!r}; there are {', '.join(TOOLS)}")
    return TOOLS[jaws.tool](thing, jaws, rng)
