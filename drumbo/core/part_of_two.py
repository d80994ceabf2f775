"""A part of two materials, by turns of its layers or by its bodies: its time with the softer one's limits throughout,
with each one's own, and what the changes cost.

Times come from the part's roads and the motion along them; what a change takes is told apart, since a hand is in it.
Where a layer has both materials, the one that is in the nozzle comes first: no order changes less.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import groupby, pairwise

import numpy as np
from manifold3d import Manifold, OpType
from numpy.typing import NDArray

from drumbo.core import planner
from drumbo.core.errors import InvalidInput
from drumbo.core.fields import number
from drumbo.core.pair import Partner, standby_of
from drumbo.core.printer import Printer
from drumbo.core.toolpath import PrintSettings, Role, Toolpath, path_motion
from drumbo.core.toolpath.pace import at_pace

Floats = NDArray[np.float64]
Layers = NDArray[np.bool_]
"""(2, layers): whether the first and the second of the two have something to print there."""

HEATS_C_S = 1.0
"""A nozzle changes its temperature about so fast, °C/s."""
PURGES_MM3_S = 4.0
MOST_CHANGES = 60
"""By hand."""
USUAL_HAND_MIN = 4.0
MOST_BODIES = 24
TOUCHES_MM = 0.05
"""Bodies that are no farther apart hold to each other; drawings round so far."""
SHARES_MM3 = 0.5
"""Bodies that share no more of each other's room meet as drawings do, not as parts that overlap."""
MEETS_MM3 = 1e-3
_WAYS = tuple(
    (x * TOUCHES_MM, y * TOUCHES_MM, z * TOUCHES_MM)
    for x, y, z in ((0, 0, -1), (0, 0, 1), (1, 0, 0), (-1, 0, 0), (0, 1, 0), (0, -1, 0))
)
_BESIDE = [int(role) for role in (Role.PURGE, Role.SKIRT, Role.TRAVEL)]


@dataclass(frozen=True, slots=True)
class Body:
    """One body of a part: what its file calls it, and its solid, mm."""

    name: str
    solid: Manifold


@dataclass(frozen=True, slots=True)
class Range:
    """What is printed between two changes: from and to, mm, whether of the first of the two, its time and weight."""

    low_mm: float
    high_mm: float
    first: bool
    seconds: float
    grams: float


@dataclass(frozen=True, slots=True)
class MaterialChange:
    """A change before a layer, counted from 1, at a height, mm, or `within` that layer: to the first of the two or to
    the second, what is purged, mm of filament, and what it takes without and with the hand, s.
    """

    layer: int
    height_mm: float
    to_first: bool
    purge_mm: float
    machine_s: float
    seconds: float
    within: bool = False


@dataclass(frozen=True, slots=True)
class PartOfTwo:
    """What a part comes to: all at the softer limits, each at its own, and the changes besides. `in_turn` is how many
    changes there were if every layer had the same order.
    """

    softer_s: float
    own_s: float
    ranges: tuple[Range, ...]
    changes: tuple[MaterialChange, ...]
    purge_g: float
    in_turn: int

    @property
    def changes_s(self) -> float:
        """What all changes take."""
        return sum(change.seconds for change in self.changes)

    @property
    def hand_s(self) -> float:
        """How much of that is the hand's."""
        return sum(change.seconds - change.machine_s for change in self.changes)

    def grams(self, first: bool) -> float:
        """What one of the two weighs in the part."""
        return sum(each.grams for each in self.ranges if each.first == first)


def read_heights(typed: str) -> tuple[float, ...]:
    """Heights of changes, mm, from words like “4; 8.2”. InvalidInput names the one that is none, or not in order."""
    heights: list[float] = []
    for word in typed.replace(";", " ").split():
        height = number("heights", word, "mm")
        if heights and height <= heights[-1]:
            raise InvalidInput("heights", f"must rise: {height:g} comes after {heights[-1]:g}")
        heights.append(height)
    if not heights:
        raise InvalidInput("heights", "are needed: where the material changes, like 4; 8")
    if len(heights) > MOST_CHANGES:
        raise InvalidInput("heights", f"are {len(heights)}; by hand {MOST_CHANGES} changes are the most")
    return tuple(heights)


def read_bodies(names: Sequence[str], typed: Mapping[str, str]) -> tuple[bool, ...]:
    """For each body whether it is of the first material, from fields `body_0`, `body_1` … that say "one" or "other".
    InvalidInput gathers those that say neither, or that nothing is left for one of the two.
    """
    said = [typed.get(f"body_{k}", "") for k in range(len(names))]
    missing = {
        f"body_{k}": f"choose a material for {name}"
        for k, (word, name) in enumerate(zip(said, names, strict=True))
        if word not in {"one", "other"}
    }
    if missing:
        raise InvalidInput.of(missing)
    if len(set(said)) < 2:
        raise InvalidInput("body_0", "every body has the same material; give one of them the other")
    return tuple(word == "one" for word in said)


@dataclass(frozen=True, slots=True)
class _Task:
    """What is asked beside the part."""

    partners: tuple[Partner, Partner]
    printer: Printer
    hand_min: float
    purge_mm: tuple[float, float]


def part_of_two(
    part: Manifold, one: Partner, other: Partner, printer: Printer, heights: Sequence[float], *,
    hand_min: float, purge_mm: tuple[float, float],
) -> PartOfTwo:  # fmt: skip
    """A part that begins with the first material and changes at every height. `purge_mm` is what a change takes from
    the first to the second, and back. InvalidInput for a height beyond the part.
    """
    task = _Task((one, other), printer, hand_min, purge_mm)
    settings = _settings(task)
    layers = _layers(heights, settings[0], part.bounding_box()[5])
    laid = [_laid(task, own, part) for own in (0, 1)]
    count = min(len(each.seconds) for each in laid)
    turn = np.searchsorted(layers, np.arange(count), "right") % 2
    softer_s = path_motion(at_pace(laid[0].path, _softer(*settings))).total_s
    return _counted(task, settings[0], laid, np.array([turn == 0, turn == 1]), softer_s)


def part_of_bodies(
    bodies: Sequence[Body], of_first: Sequence[bool], one: Partner, other: Partner, printer: Printer, *,
    hand_min: float, purge_mm: tuple[float, float],
) -> PartOfTwo:  # fmt: skip
    """A part whose bodies are each of one of the two. InvalidInput where the two overlap, or do not touch."""
    task = _Task((one, other), printer, hand_min, purge_mm)
    settings = _settings(task)
    halves = [
        Manifold.batch_boolean(
            [b.solid for b, first in zip(bodies, of_first, strict=True) if first == mine], OpType.Add
        )
        for mine in (True, False)
    ]
    _check_meeting(*halves)
    laid = [_laid(task, own, halves[own], halves[1 - own]) for own in (0, 1)]
    count = max(len(each.seconds) for each in laid)
    prints = np.array([each.prints_on(count) for each in laid])
    softer = _softer(*settings)
    # As each one's own time: what a material is purged with counts where it prints, and nowhere else.
    softer_s = sum(
        float(_by_layer(each.path, softer)[own[: len(each.seconds)]].sum())
        for each, own in zip(laid, prints, strict=True)
    )
    return _counted(task, settings[0], laid, prints, softer_s)


def _check_meeting(first: Manifold, second: Manifold) -> None:
    shared = (first ^ second).volume()
    if shared > SHARES_MM3:
        raise InvalidInput(
            "part",
            f"has bodies of both materials in the same room: {shared:.1f} mm³ are in both; cut one from the other",
        )
    # Moved by so much they overlap wherever they touch. Asking for the gap itself takes minutes where meshes are dense.
    if not any((first ^ second.translate(way)).volume() > MEETS_MM3 for way in _WAYS):
        raise InvalidInput(
            "part", "has no place where its two materials touch; close the gap between them and export it again"
        )


@dataclass(frozen=True, slots=True)
class _Laid:
    """One material's roads, and its time and weight by layer, s and g."""

    path: Toolpath
    seconds: Floats
    grams: Floats

    def prints_on(self, count: int) -> Layers:
        """Which of so many layers have something of it: lines, not only what is purged or driven over."""
        own = (self.path.e_mm > 0) & ~np.isin(self.path.role, _BESIDE)
        return np.bincount(self.path.layer[own], minlength=count)[:count] > 0


def _wishes(task: _Task) -> list[dict[str, float]]:
    """Both print with lines that lie as the first one's do."""
    one, other = (planner.as_now(partner.profile, task.printer) for partner in task.partners)
    return [one, {**other, **{key: one[key] for key in planner.ROADS}}]


def _settings(task: _Task) -> list[PrintSettings]:
    return [
        planner.settings_of(wish, partner.profile, task.printer)
        for wish, partner in zip(_wishes(task), task.partners, strict=True)
    ]


def _laid(task: _Task, own: int, part: Manifold, resting_on: Manifold | None = None) -> _Laid:
    partner, wish = task.partners[own], _wishes(task)[own]
    settings = planner.settings_of(wish, partner.profile, task.printer)
    path = planner.roads(part, wish, partner.profile, task.printer, resting_on)
    seconds = _by_layer(path, settings)
    fed = np.maximum(np.bincount(path.layer, path.e_mm, len(seconds)), 0.0)
    return _Laid(path, seconds, fed * math.pi * settings.filament_mm**2 / 4 * partner.material.density_g_cm3 / 1000)


def _by_layer(path: Toolpath, settings: PrintSettings) -> Floats:
    """What each layer takes at a pace, s."""
    seconds = path_motion(at_pace(path, settings)).seconds
    return np.asarray(np.bincount(path.layer, seconds, int(path.layer.max()) + 1), np.float64)


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


def order_of(prints: Layers) -> list[tuple[int, int]]:
    """(layer, 0 for the first and 1 for the second) in the order in which fewest changes are needed.

    What is in the nozzle goes on, wherever it has something to print: a layer of both costs one change in either case,
    and which of the two it leaves in the nozzle is free only on the first one.

    >>> order_of(np.array([[True, True, False], [False, True, True]]))
    [(0, 0), (1, 0), (1, 1), (2, 1)]
    """
    return min((_order_from(prints, start) for start in (0, 1)), key=changes_in)


def _order_from(prints: Layers, loaded: int) -> list[tuple[int, int]]:
    order: list[tuple[int, int]] = []
    for layer in range(prints.shape[1]):
        for own in (loaded, 1 - loaded):
            if prints[own, layer]:
                order.append((layer, own))
                loaded = own
    return order


def changes_in(order: Sequence[tuple[int, int]]) -> int:
    """How often the material changes in an order."""
    return sum(one != other for (_, one), (_, other) in pairwise(order))


def _counted(
    task: _Task, settings: PrintSettings, laid: Sequence[_Laid], prints: Layers, softer_s: float
) -> PartOfTwo:  # fmt: skip
    order = order_of(prints)
    ranges, changes = [], []
    before: int | None = None
    for own, visits in groupby(order, key=lambda visit: visit[1]):
        layers = [layer for layer, _ in visits]
        low, high = _top(layers[0], settings), _top(layers[-1] + 1, settings)
        ranges.append(
            Range(low, high, own == 0, float(laid[own].seconds[layers].sum()), float(laid[own].grams[layers].sum()))
        )
        if before is not None:
            changes.append(_change(task, layers[0], low, own, within=layers[0] == before))
        before = layers[-1]
    in_turn = [(layer, own) for layer in range(prints.shape[1]) for own in (0, 1) if prints[own, layer]]
    return PartOfTwo(
        softer_s, sum(r.seconds for r in ranges), tuple(ranges), tuple(changes), _purged_g(changes, task.partners),
        changes_in(in_turn),
    )  # fmt: skip


def _top(layer: int, settings: PrintSettings) -> float:
    """How high it is below a layer, mm."""
    return 0.0 if layer == 0 else round(settings.first_layer_mm + (layer - 1) * settings.layer_mm, 3)


def _change(task: _Task, layer: int, height_mm: float, own: int, *, within: bool) -> MaterialChange:
    one, other = task.partners
    new, purge = task.partners[own], task.purge_mm[1 - own]
    # It heats to the hotter of the two, and settles at the new one's.
    apart = abs(one.number("nozzle_c") - other.number("nozzle_c"))
    if task.printer.by_nozzles:
        # Each nozzle is kept for its own: the one whose turn it is comes back from where it waited.
        heat = new.number("nozzle_c")
        purge, apart = 0.0, heat - standby_of(heat)
    machine_s = apart / HEATS_C_S + purge * math.pi * new.material.diameter_mm**2 / 4 / PURGES_MM3_S
    if not task.printer.by_hand:
        machine_s += task.printer.tool_change_s or 0.0
    return MaterialChange(
        layer + 1, height_mm, own == 0, purge, machine_s, machine_s + task.hand_min * 60, within
    )  # fmt: skip


def _purged_g(changes: Sequence[MaterialChange], partners: tuple[Partner, Partner]) -> float:
    total = 0.0
    for change in changes:
        material = partners[0 if change.to_first else 1].material
        total += change.purge_mm * math.pi * material.diameter_mm**2 / 4 * material.density_g_cm3 / 1000
    return total
