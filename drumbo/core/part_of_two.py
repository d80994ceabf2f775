"""A part whose layers are of two materials by turns: its time with the softer one's limits throughout, with each one's
own, and what the changes cost.

Times come from the part's roads and the motion along them; what a change takes is told apart, since a hand is in it.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from manifold3d import Manifold
from numpy.typing import NDArray

from drumbo.core import planner
from drumbo.core.errors import InvalidInput
from drumbo.core.fields import number
from drumbo.core.pair import Partner
from drumbo.core.toolpath import PrintSettings, path_motion
from drumbo.core.toolpath.pace import at_pace
from drumbo.core.workshop import Printer

Floats = NDArray[np.float64]

HEATS_C_S = 1.0
"""A nozzle changes its temperature about so fast, °C/s."""
PURGES_MM3_S = 4.0
MOST_CHANGES = 60
USUAL_HAND_MIN = 4.0


@dataclass(frozen=True, slots=True)
class Range:
    """Layers of one material: from and to, mm, whether it is the first of the two, and its time and weight."""

    low_mm: float
    high_mm: float
    first: bool
    seconds: float
    grams: float


@dataclass(frozen=True, slots=True)
class MaterialChange:
    """A change before a layer, counted from 1, at a height, mm: to the first of the two or to the second, what is
    purged, mm of filament, and what it takes without and with the hand, s.
    """

    layer: int
    height_mm: float
    to_first: bool
    purge_mm: float
    machine_s: float
    seconds: float


@dataclass(frozen=True, slots=True)
class PartOfTwo:
    """What a part comes to: all at the softer limits, each at its own, and the changes besides."""

    softer_s: float
    own_s: float
    ranges: tuple[Range, ...]
    changes: tuple[MaterialChange, ...]
    purge_g: float

    @property
    def changes_s(self) -> float:
        """What all changes take."""
        return sum(change.seconds for change in self.changes)

    @property
    def hand_s(self) -> float:
        """How much of that is the hand's."""
        return sum(change.seconds - change.machine_s for change in self.changes)


def read_heights(typed: str) -> tuple[float, ...]:
    """Heights of changes, mm, from words like “4; 8.2”. InvalidInput names the one that is none, or not in order."""
    heights: list[float] = []
    for word in typed.replace(";", " ").split():
        height = number("heights", word)
        if heights and height <= heights[-1]:
            raise InvalidInput("heights", f"must rise: {height:g} comes after {heights[-1]:g}")
        heights.append(height)
    if not heights:
        raise InvalidInput("heights", "are needed: where the material changes, like 4; 8")
    if len(heights) > MOST_CHANGES:
        raise InvalidInput("heights", f"are {len(heights)}; by hand {MOST_CHANGES} changes are the most")
    return tuple(heights)


def part_of_two(
    part: Manifold, one: Partner, other: Partner, printer: Printer, heights: Sequence[float], *,
    hand_min: float, purge_mm: tuple[float, float],
) -> PartOfTwo:  # fmt: skip
    """A part that begins with the first material and changes at every height. `purge_mm` is what a change takes from
    the first to the second, and back. InvalidInput for a height beyond the part.
    """
    now = planner.as_now(one.profile, printer)
    lie = {key: now[key] for key in planner.ROADS}
    wishes = [now, {**planner.as_now(other.profile, printer), **lie}]
    settings = [
        planner.settings_of(wish, partner.profile, printer) for wish, partner in zip(wishes, (one, other), strict=True)
    ]
    layers = _layers(heights, settings[0], part.bounding_box()[5])
    seconds: list[Floats] = []
    grams: list[Floats] = []
    softer_s = 0.0
    for partner, wish, own in zip((one, other), wishes, settings, strict=True):
        path = planner.roads(part, wish, partner.profile, printer)
        motion, count = path_motion(at_pace(path, own)), int(path.layer.max()) + 1
        seconds.append(np.asarray(np.bincount(path.layer, motion.seconds, count), np.float64))
        fed = np.maximum(np.bincount(path.layer, path.e_mm, count), 0.0)
        grams.append(fed * math.pi * own.filament_mm**2 / 4 * partner.material.density_g_cm3 / 1000)
        if partner is one:
            softer_s = path_motion(at_pace(path, _softer(*settings))).total_s
    ranges = tuple(_ranges(layers, settings[0], seconds, grams))
    changes = tuple(_changes(layers, settings[0], one, other, hand_min, purge_mm))
    return PartOfTwo(softer_s, sum(r.seconds for r in ranges), ranges, changes, _purged_g(changes, one, other))


def _layers(heights: Sequence[float], settings: PrintSettings, high_mm: float) -> list[int]:
    """The layers before which the material changes, from 0 on."""
    layers: list[int] = []
    for height in heights:
        layer = round((height - settings.first_layer_mm) / settings.layer_mm) + 1
        if layer < 1:
            raise InvalidInput("heights", f"of {height:g} mm is within the first layer; begin with the other material")
        if settings.first_layer_mm + (layer - 1) * settings.layer_mm >= high_mm - settings.layer_mm / 2:
            raise InvalidInput("heights", f"of {height:g} mm is beyond the part, which is {high_mm:.1f} mm high")
        if layers and layer <= layers[-1]:
            raise InvalidInput("heights", f"of {height:g} mm is on the same layer as the one before")
        layers.append(layer)
    return layers


def _softer(one: PrintSettings, other: PrintSettings) -> PrintSettings:
    """The lower of both limits everywhere."""
    return replace(
        one, speeds={role: min(speed, other.speeds[role]) for role, speed in one.speeds.items()},
        first_layer_speed=min(one.first_layer_speed, other.first_layer_speed),
        max_flow_mm3_s=min(one.max_flow_mm3_s, other.max_flow_mm3_s),
    )  # fmt: skip


def _ranges(
    layers: Sequence[int], settings: PrintSettings, seconds: Sequence[Floats], grams: Sequence[Floats]
) -> list[Range]:
    count = min(len(s) for s in seconds)
    found = []
    for k, (low, high) in enumerate(zip([0, *layers], [*layers, count], strict=True)):
        own = k % 2
        found.append(
            Range(_top(low, settings), _top(high, settings), own == 0, float(seconds[own][low:high].sum()),
                  float(grams[own][low:high].sum()))
        )  # fmt: skip
    return found


def _top(layer: int, settings: PrintSettings) -> float:
    """How high it is below a layer, mm."""
    return 0.0 if layer == 0 else round(settings.first_layer_mm + (layer - 1) * settings.layer_mm, 3)


def _changes(
    layers: Sequence[int], settings: PrintSettings, one: Partner, other: Partner, hand_min: float,
    purge_mm: tuple[float, float],
) -> list[MaterialChange]:  # fmt: skip
    apart = abs(one.number("nozzle_c") - other.number("nozzle_c"))
    found = []
    for k, layer in enumerate(layers):
        to_first, new = k % 2 == 1, one if k % 2 == 1 else other
        purge = purge_mm[1] if to_first else purge_mm[0]
        # It heats to the hotter of the two, and settles at the new one's.
        pushes = purge * math.pi * new.material.diameter_mm**2 / 4 / PURGES_MM3_S
        machine_s = apart / HEATS_C_S + pushes
        found.append(
            MaterialChange(layer + 1, _top(layer, settings), to_first, purge, machine_s, machine_s + hand_min * 60)
        )
    return found


def _purged_g(changes: Sequence[MaterialChange], one: Partner, other: Partner) -> float:
    total = 0.0
    for change in changes:
        material = one.material if change.to_first else other.material
        total += change.purge_mm * math.pi * material.diameter_mm**2 / 4 * material.density_g_cm3 / 1000
    return total
