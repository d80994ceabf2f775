"""What a layer package will do, and what is odd about it."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Mapping
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from drumbo.core.light.checks import Mask, Stack, pulls_mm3_s, stack_remarks
from drumbo.core.light.job import lit_for
from drumbo.core.remark import Remark
from drumbo.exchange.layer_package import Package, read_package

CELL_MM, MOST_ACROSS = 0.25, 1200
KEPT, STRETCHES = 6, 120
"""Pictures that are held at a time: layers that follow each other are often alike."""


@dataclass(frozen=True, slots=True)
class LitLayers:
    """What a layer package will do. `lights_s` are seconds of light by layer, where there is least of it and most;
    `runs` the same as stretches (first layer, last layer, from s, to s). `pulls` is how hard layers are pulled off the
    film, mm² · mm/s, the hardest of each of some hundred stretches; empty on glass.
    """

    title: tuple[str, ...]
    layers: int
    height_mm: float
    seconds: float
    pixels: tuple[int, int]
    pixel_um: float
    pictures: int
    on_glass: bool
    lights_s: tuple[tuple[float, float], ...]
    remarks: tuple[Remark, ...] = ()
    pulls: tuple[float, ...] = ()

    @property
    def runs(self) -> tuple[tuple[int, int, float, float], ...]:
        """Stretches of layers that are lit alike, counted from 1."""
        found: list[tuple[int, int, float, float]] = []
        for number, (low, high) in enumerate(self.lights_s, start=1):
            if found and found[-1][2:] == (low, high):
                found[-1] = (found[-1][0], number, low, high)
            else:
                found.append((number, number, low, high))
        return tuple(found)


def check_package(data: bytes, numbers: Mapping[str, float] | None = None) -> LitLayers:
    """What a layer package will do, against a profile's numbers if given; InvalidInput says where it is wrong."""
    found = read_package(data)
    lights = []
    for layer in found.layers:
        times = [light.seconds for light in layer.lights]
        # The first picture is lit for all; what stays lit longest has the sum.
        lights.append((round(times[0], 3), round(sum(times), 3)) if times else (0.0, 0.0))
    height_mm = sum(layer.height_um for layer in found.layers) / 1000
    # What is lit on glass is skins without layers.
    stack = None if found.on_glass else _stack(found, numbers or {})
    remarks = () if stack is None else tuple(stack_remarks(stack))
    pulls = () if stack is None else _thinned(pulls_mm3_s(stack))
    return LitLayers(
        found.title, len(found.layers), round(height_mm, 3), found.seconds, found.screen.pixels, found.screen.pixel_um,
        len(found.images), found.on_glass, tuple(lights), remarks, pulls,
    )  # fmt: skip


def _thinned(pulls: list[float]) -> tuple[float, ...]:
    """The hardest of each stretch."""
    edges = np.linspace(0, len(pulls), min(len(pulls), STRETCHES) + 1).astype(int)
    return tuple(round(max(pulls[a:b]), 1) for a, b in pairwise(edges.tolist()))


def _add(cells: Mask, lit: Mask, row: int, column: int, each: int) -> None:
    """Set the cells, `each` pixels wide, in which any pixel is lit, given where the first of these pixels stands."""
    for axis, first in ((0, row), (1, column)):
        starts = np.maximum(np.arange(-(first % each), lit.shape[axis], each), 0)
        lit = np.logical_or.reduceat(lit, starts, axis=axis)
    down, across = row // each, column // each
    cells[down : down + lit.shape[0], across : across + lit.shape[1]] |= lit


def _stack(found: Package, numbers: Mapping[str, float]) -> Stack:
    """The layers with what is lit, in cells of a few pixels."""
    across, down = found.screen.pixels
    each = max(1, round(CELL_MM / found.screen.pixel_mm), -(-max(across, down) // MOST_ACROSS))
    shape = (-(-down // each), -(-across // each))
    kept: OrderedDict[tuple[int, ...], Mask] = OrderedDict()

    def lit(layer: int) -> Mask:
        shown = tuple(light.shape for light in found.layers[layer].lights if light.seconds > 0)
        if shown not in kept:
            cells = np.zeros(shape, bool)
            for number in set(shown):
                row, column, pixels = found.lit(number)
                if pixels.size:
                    _add(cells, pixels > 127, row, column, each)
            kept[shown] = cells
            if len(kept) > KEPT:
                kept.popitem(last=False)
        kept.move_to_end(shown)
        return kept[shown]

    return Stack(lit_for(found.layers, 1 / found.evened), lit, each * found.screen.pixel_mm, numbers)
