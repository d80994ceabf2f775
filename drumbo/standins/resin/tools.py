"""The calliper on what has set: between faces, inside of gaps, on skins, on leaves laid together, and upright."""

from __future__ import annotations

import math
from collections.abc import Callable
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from drumbo.core.errors import DrumboError
from drumbo.standins.resin.physics import cure_depth_um
from drumbo.standins.resin.thing import Cured
from drumbo.standins.tools import CALLIPER_MM, JawsOnBed
from drumbo.standins.worlds import who_looks

Floats = NDArray[np.float64]

SKIN_MM = 0.005
"""A skin laid flat repeats to about so much."""
EACH_MM = 0.005
BROAD_MM = 0.5
"""How far to either side the jaws bear."""
LANES = 3
STRIDE_MM = 0.5
DUST_UM = 3.0
"""By how much more or less one joint stays open than another."""


def _lanes(thing: Cured, jaws: JawsOnBed) -> tuple[list[Floats], float]:
    """Dose along a few lines side by side between two points, and how long they are, mm."""
    start, way = np.array(jaws.a), np.array(jaws.b) - np.array(jaws.a)
    length = float(np.hypot(*way))
    if length < 0.05:
        raise DrumboError("pick two points that lie apart")
    axis = way / length
    aside = np.array([-axis[1], axis[0]])
    along = np.arange(0.0, length + EACH_MM, EACH_MM)
    layer = thing.layer_at(jaws.z)
    doses = []
    for offset in np.linspace(-BROAD_MM / 2, BROAD_MM / 2, LANES):
        places = start + offset * aside + along[:, None] * axis
        doses.append(thing.beside(layer, places[:, 0], places[:, 1]))
    return doses, length


def _crossing(dose: Floats, at: int) -> float:
    """Where the dose passes 1 between samples `at` and `at` + 1, in samples."""
    low, high = dose[at], dose[at + 1]
    return at + float((1 - low) / (high - low))


def calliper(thing: Cured, jaws: JawsOnBed, rng: np.random.Generator) -> float | None:
    """Jaws closed on what stands between two points, mm; None where nothing does."""
    found = []
    for dose in _lanes(thing, jaws)[0]:
        set_at = np.flatnonzero(dose >= 1)
        if not len(set_at):
            continue
        first, last = int(set_at[0]), int(set_at[-1])
        near = _crossing(dose, first - 1) if first else 0.0
        far = _crossing(dose, last) if last + 1 < len(dose) else float(last)
        found.append((far - near) * EACH_MM)
    return _read(max(found) + 2 * who_looks().blunt_mm, CALLIPER_MM, rng) if found else None


def cured(thing: Cured, jaws: JawsOnBed, rng: np.random.Generator) -> float | None:
    """The same after the post-cure."""
    found = calliper(thing, jaws, rng)
    return None if found is None else round(found * (1 - thing.bottle.shrinks), 2)


def inside(thing: Cured, jaws: JawsOnBed, rng: np.random.Generator) -> float | None:
    """Jaws opened in the gap at the middle between two points, mm; None where it is filled, or has no sides."""
    found = []
    for dose in _lanes(thing, jaws)[0]:
        middle = len(dose) // 2
        left, right = np.flatnonzero(dose[:middle] >= 1), np.flatnonzero(dose[middle:] >= 1)
        if dose[middle] >= 1 or not len(left) or not len(right):
            continue
        near, far = _crossing(dose, int(left[-1])), _crossing(dose, middle + int(right[0]) - 1)
        found.append((far - near) * EACH_MM)
    return _read(min(found) - 2 * who_looks().blunt_mm, CALLIPER_MM, rng) if found else None


def skin(thing: Cured, jaws: JawsOnBed, rng: np.random.Generator) -> float | None:
    """Thickness of a skin half-way between two points, mm; None where none has set."""
    middle = (np.array(jaws.a) + np.array(jaws.b)) / 2
    dose = sum(float(thing.light(n, middle[:1], middle[1:])[0]) for n in range(len(thing.which)))
    depth = cure_depth_um(dose, thing.critical, thing.bottle.reach_um) / 1000 - who_looks().soft_mm
    if depth <= 0.01:
        return None
    return round(max(depth + float(np.clip(rng.normal(0, SKIN_MM), -3 * SKIN_MM, 3 * SKIN_MM)), 0.01), 3)


def stack(thing: Cured, jaws: JawsOnBed, rng: np.random.Generator) -> float | None:
    """Jaws closed on all that stands between two points, broken off and laid together, mm; None where nothing does.
    Faces never lie quite flat on each other.
    """
    found, joints = [], 0
    for dose in _lanes(thing, jaws)[0]:
        is_set = np.concatenate([[False], dose >= 1, [False]])
        turns = (~is_set[:-1] & is_set[1:], is_set[:-1] & ~is_set[1:])
        starts, ends = (np.flatnonzero(turn).tolist() for turn in turns)
        if not starts:
            continue
        widths = [
            (_crossing(dose, last - 1) if last < len(dose) else float(last - 1))
            - (_crossing(dose, first - 1) if first else 0.0)
            for first, last in zip(starts, ends, strict=True)
        ]
        found.append(float(sum(widths)) * EACH_MM)
        joints = max(joints, len(widths) - 1)
    if not found:
        return None
    return _read(max(found) + _apart_mm(thing, joints, rng) + 2 * who_looks().blunt_mm, CALLIPER_MM, rng)


def upright(thing: Cured, jaws: JawsOnBed, rng: np.random.Generator) -> float | None:
    """How thick what hangs over nothing is, half-way between two points below `z`, mm; None where nothing does."""
    (x0, y0), (x1, y1) = jaws.a, jaws.b
    found = _hanging_mm(thing, (x0 + x1) / 2, (y0 + y1) / 2, jaws.z)
    return None if found is None else _read(found + 2 * who_looks().blunt_mm, CALLIPER_MM, rng)


def pile(thing: Cured, jaws: JawsOnBed, rng: np.random.Generator) -> float | None:
    """All that hangs in a row between two points, broken off and laid on each other, mm."""
    start, way = np.array(jaws.a), np.array(jaws.b) - np.array(jaws.a)
    count = max(round(float(np.hypot(*way)) / STRIDE_MM), 1)
    places = [start + way * k / count for k in range(count + 1)]
    along = [_hanging_mm(thing, float(x), float(y), jaws.z) for x, y in places]
    tiles: list[list[float]] = []
    for before, here in pairwise([None, *along]):
        if here is not None and before is None:
            tiles.append([])
        if here is not None:
            tiles[-1].append(here)
    if not tiles:
        return None
    total = sum(tile[len(tile) // 2] for tile in tiles) + _apart_mm(thing, len(tiles) - 1, rng)
    return _read(total + 2 * who_looks().blunt_mm, CALLIPER_MM, rng)


def _hanging_mm(thing: Cured, x: float, y: float, z: float) -> float | None:
    """Thickness of the highest that hangs over nothing below `z` at a place."""
    at = (np.array([x]), np.array([y]))
    number = thing.layer_at(z)
    while number >= 0 and thing.light(number, *at)[0] < thing.critical:
        number -= 1
    top = number
    while number >= 0 and thing.light(number, *at)[0] >= thing.critical:
        number -= 1
    if number < 0:
        return None
    return float(thing.tops_mm[top] - thing.tops_mm[number]) + thing.underside_um(number + 1, x, y) / 1000


def _apart_mm(thing: Cured, joints: int, rng: np.random.Generator) -> float:
    """What faces that are laid together keep apart."""
    return max(joints * thing.bottle.joint_um + rng.normal(0, DUST_UM) * math.sqrt(joints), 0.0) / 1000


def _read(number: float, repeats_mm: float, rng: np.random.Generator) -> float:
    return round(number + rng.uniform(-repeats_mm, repeats_mm), 2)


TOOLS: dict[str, Callable[[Cured, JawsOnBed, np.random.Generator], float | None]] = {
    "calliper": calliper,
    "inside": inside,
    "skin": skin,
    "cured": cured,
    "stack": stack,
    "upright": upright,
    "pile": pile,
}


def measure(thing: Cured, jaws: JawsOnBed, rng: np.random.Generator) -> float | None:
    """One number with the tool that the jaws name, None where there is nothing to measure; DrumboError for a tool
    there is not.
    """
    if jaws.tool not in TOOLS:
        raise DrumboError(f"there is no tool {jaws.tool!r}; there are {', '.join(TOOLS)}")
    return TOOLS[jaws.tool](thing, jaws, rng)
