"""What has set of a package: the object, computed from its pictures, times and lifts alone.

Nothing is filled in ahead: a tool that touches the object asks for the dose just there.
"""

from __future__ import annotations

import math
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any
from zlib import crc32

import numpy as np
from numpy.typing import NDArray

from drumbo.core.light.job import Layer, Screen
from drumbo.exchange.layer_package import Package, read_package
from drumbo.standins.resin import physics
from drumbo.standins.resin.bottle import Bottle
from drumbo.standins.resin.lamp import Lamp

Floats = NDArray[np.float64]
FORGETS = 1e-3
DECODERS = 2
SAME_MM = 1e-9


@dataclass(frozen=True, slots=True)
class DoseField:
    """Seconds of full light on each pixel of one layer, cropped to what is lit: rows from the back, columns from the
    left, the first of them `row` and `column`.
    """

    row: int
    column: int
    seconds: NDArray[np.float32]


@dataclass
class Cured:
    """An object. Places are mm from the middle of the screen; z counts from the plate."""

    package: Package
    bottle: Bottle
    lamp: Lamp
    resin_c: float
    digest: int
    fields: tuple[DoseField | None, ...]
    which: tuple[int, ...]
    tops_mm: Floats = field(default_factory=lambda: np.zeros(0))
    seen: dict[tuple[object, ...], list[Any]] = field(default_factory=dict)

    @property
    def screen(self) -> Screen:
        """The screen it was lit through."""
        return self.package.screen

    @cached_property
    def critical(self) -> float:
        """Critical energy at the resin's temperature, mJ/cm²."""
        return physics.critical_mj_cm2(self.bottle.critical_mj_cm2, self.bottle.per_c, self.resin_c)

    def layer_at(self, z_mm: float) -> int:
        """The layer that a height lies in."""
        return min(int(np.searchsorted(self.tops_mm, z_mm)), len(self.which) - 1)

    def layer(self, number: int) -> Layer:
        """How a layer was lit and lifted."""
        return self.package.layers[number]

    def light(self, number: int, x: Floats, y: Floats) -> Floats:
        """mJ/cm² that a layer's own lights give at the film, at places (n,)."""
        found = self.fields[self.which[number]]
        if found is None:
            return np.zeros(len(x))
        near = self._blurred(found, x, y, self.bottle.bleed_mm)
        tail = self.bottle.tail
        if tail:
            near = (1 - tail) * near + tail * self._blurred(found, x, y, physics.TAIL_FAR * self.bottle.bleed_mm)
        return np.asarray(near * self.lamp.at(x, y, self.screen.size_mm))

    def _blurred(self, found: DoseField, x: Floats, y: Floats, bleed: float) -> Floats:
        """(n,) seconds of light at places, blurred by one normal distribution."""
        pixel = self.screen.pixel_mm
        across = x + self.screen.size_mm[0] / 2 - found.column * pixel
        down = self.screen.size_mm[1] / 2 - y - found.row * pixel
        reach = math.ceil(4 * bleed / pixel) + 1
        count = 2 * reach + 1
        left, top = (np.floor(at / pixel).astype(np.int64) - reach for at in (across, down))
        wide, tall = (
            physics.pixel_weights(at, first, count, pixel, bleed) for at, first in ((across, left), (down, top))
        )
        columns, rows = left[:, None] + np.arange(count), top[:, None] + np.arange(count)
        high, broad = found.seconds.shape
        if len(y) > count and np.ptp(y) < SAME_MM:
            # Along a line from left to right all share their rows: those are blurred once.
            there = (rows[0] >= 0) & (rows[0] < high)
            line = tall[0][there] @ found.seconds[rows[0][there]]
            inside = (columns >= 0) & (columns < broad)
            return np.asarray((np.where(inside, line[np.clip(columns, 0, broad - 1)], 0.0) * wide).sum(axis=1))
        inside = ((rows >= 0) & (rows < high))[:, :, None] & ((columns >= 0) & (columns < broad))[:, None, :]
        seconds = found.seconds[np.clip(rows, 0, high - 1)[:, :, None], np.clip(columns, 0, broad - 1)[:, None, :]]
        return np.asarray(np.einsum("nrc,nr,nc->n", np.where(inside, seconds, 0.0), tall, wide))

    def beside(self, number: int, x: Floats, y: Floats) -> Floats:
        """Dose half-way down a layer in units of the critical energy, at places (n,): its own light, and what is left
        of what the layers after it gave. Where it is 1, a face stands.
        """
        height = self.layer(number).height_um
        fade = self.bottle.remembers * math.exp(-height / self.bottle.reach_um)
        weights: dict[int, tuple[int, float]] = {}
        share, later = 1.0, number
        while share > FORGETS and later < len(self.which):
            key = self.which[later]
            first, before = weights.get(key, (later, 0.0))
            weights[key] = (first, before + share)
            share, later = share * fade, later + 1
        total = np.zeros(len(x))
        for first, weight in weights.values():
            total += weight * self.light(first, x, y)
        return np.asarray(total * math.exp(-height / (2 * self.bottle.reach_um)) / self.critical)

    def through(self, number: int, x: float, y: float) -> float:
        """Dose at the far side of a layer, where it has to hold to the one before, in units of the critical energy."""
        own = float(self.light(number, np.array([x]), np.array([y]))[0])
        return own * math.exp(-self.layer(number).height_um / self.bottle.reach_um) / self.critical

    def underside_um(self, number: int, x: float, y: float) -> float:
        """How far below layer `number` it has set at a place where nothing was lit beneath it, µm: what it and the
        layers above it let through, each faded by what lies between, and of each but the last a share still there.
        """
        height, reach = self.layer(number).height_um, self.bottle.reach_um
        fade, total, share = math.exp(-height / reach), 0.0, math.exp(-height / reach)
        for above in range(number, len(self.which)):
            own = float(self.light(above, np.array([x]), np.array([y]))[0])
            if share < FORGETS or own <= 0:
                break
            total += share * own
            share *= fade * self.bottle.remembers
        return self.bottle.through * physics.cure_depth_um(total, self.critical, reach)

    def lit(self, number: int) -> DoseField | None:
        """What of a layer was lit at all."""
        return self.fields[self.which[number]]


def cure(data: bytes, bottle: Bottle, lamp: Lamp | None = None, resin_c: float = physics.USUAL_C) -> Cured:
    """The object of a package; InvalidInput where the package cannot be read."""
    package = read_package(data)
    with ThreadPoolExecutor(DECODERS) as pool:
        pictures = list(pool.map(lambda number: _field(*package.lit(number)), range(len(package.images))))
    fields: list[DoseField | None] = []
    places: dict[tuple[tuple[int, float, float], ...], int] = {}
    which = []
    for layer in package.layers:
        key = tuple((light.shape, light.seconds, light.power) for light in layer.lights)
        if key not in places:
            places[key] = len(fields)
            fields.append(_together([(pictures[shape], seconds * power) for shape, seconds, power in key]))
        which.append(places[key])
    tops = np.cumsum([layer.height_um / 1000 for layer in package.layers])
    return Cured(package, bottle, lamp or Lamp(), resin_c, crc32(data), tuple(fields), tuple(which), tops)


def _field(row: int, column: int, image: NDArray[np.uint8]) -> DoseField | None:
    return DoseField(row, column, image.astype(np.float32) / np.float32(255)) if image.size else None


def _together(lights: list[tuple[DoseField | None, float]]) -> DoseField | None:
    there = [(found, seconds) for found, seconds in lights if found is not None and seconds > 0]
    if not there:
        return None
    top, left = min(f.row for f, _ in there), min(f.column for f, _ in there)
    low = max(f.row + f.seconds.shape[0] for f, _ in there)
    right = max(f.column + f.seconds.shape[1] for f, _ in there)
    total = np.zeros((low - top, right - left), np.float32)
    for found, seconds in there:
        high, wide = found.seconds.shape
        row, column = found.row - top, found.column - left
        total[row : row + high, column : column + wide] += found.seconds * np.float32(seconds)
    return DoseField(top, left, total)
