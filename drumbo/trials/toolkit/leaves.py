"""Leaves: thin walls that are broken off and laid together, beside a block as wide as all of them; a design of our own.

A calliper tells a few thousandths of a millimetre only of many faces at once. What one leaf has grown is lost in the
jaws; what eight have is not (`core/light/leaves`). They stand on thin necks, clear of the long light of the bottom.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from manifold3d import Manifold

from drumbo.core.light.leaves import Leaves, fit_leaves, scatter_mm
from drumbo.core.piece import Jaw, Part, block, union
from drumbo.trials.readings import Measure, Readings, Site, Step

Snap = Callable[[float], float]

COUNT = 8
LEAF_MM, GAP_MM, LONG_MM = 1.2, 1.0, 6.0
NECK_MM, NECK_TALL, TALL = 0.5, 0.5, 1.6
BLOCK_DEEP, BETWEEN = 4.0, 1.2
JAW_OUT = 0.3
WIDE = COUNT * LEAF_MM + (COUNT - 1) * GAP_MM
DEEP = LONG_MM + BETWEEN + BLOCK_DEEP
STACK, BLOCK = "stack", "block"
SITES = (Site("first", "once"), Site("second", "and again"))
MEASURES = (
    Measure(STACK, f"{COUNT} leaves", "mm", SITES, 5.0, 15.0, 2, "stack",
            f"Break the {COUNT} leaves off, wipe them, lay them together, close the jaws on the pile; then once more."),
    Measure(BLOCK, "Block", "mm", SITES, 5.0, 15.0, 2, "calliper",
            "The block behind them, by the same jaws, along the same way. Then once more."),
)  # fmt: skip
HIGH = NECK_TALL + TALL
TOO_FAR_MM = 0.065
"""Two readings by one hand that lie further apart are a slip of the eye."""


@dataclass(frozen=True, slots=True)
class LeafSet:
    """The parts of one set of leaves, and where its tools go."""

    parts: tuple[Part, ...]
    jaws: tuple[Jaw, ...]


def leaf_set(step: int, left: float, front: float, base: float, snap: Snap) -> LeafSet:
    """A set whose front left corner is there, mm, on a foot that is `base` thick. All leaves are of one width, a whole
    number of pixels; the block is so many times as wide.
    """
    into = base - 0.2
    wide = snap(left + LEAF_MM) - snap(left)
    pitch = snap(left + LEAF_MM + GAP_MM) - snap(left)
    first = snap(left)
    leaves, necks = [], []
    for k in range(COUNT):
        x = snap(first + k * pitch)
        low = base + NECK_TALL
        leaves.append(block((x, front, low), (x + wide, front + LONG_MM, low + TALL)))
        necks += [_neck(x + wide / 2, front + at, into, low + 0.1) for at in (1.2, LONG_MM - 1.2)]
    rear = front + LONG_MM + BETWEEN
    x1 = first + COUNT * wide
    solid = block((first, rear, into), (x1, rear + BLOCK_DEEP, base + HIGH))
    end = snap(first + (COUNT - 1) * pitch) + wide
    across, behind = front + LONG_MM / 2, rear + BLOCK_DEEP / 2
    z = base + NECK_TALL + TALL / 2
    jaws = [
        *(Jaw(STACK, step, s.key, (first - JAW_OUT, across), (end + JAW_OUT, across), z, "stack") for s in SITES),
        *(Jaw(BLOCK, step, s.key, (first - JAW_OUT, behind), (x1 + JAW_OUT, behind), z) for s in SITES),
    ]
    parts = (Part("needle", union(necks)), Part("wall", union(leaves)), Part("mast", solid))
    return LeafSet(parts, tuple(jaws))


def _neck(x: float, y: float, low: float, high: float) -> Manifold:
    half = NECK_MM / 2
    return block((x - half, y - half, low), (x + half, y + half, high))


def difference_mm(readings: Readings, step: int) -> tuple[float, int] | None:
    """Stack − block of a set, mm, and how often each was read; None while either is open."""
    both = [
        [v for s in SITES if (v := readings.measured(key, step, s.key)) is not None] for key in (STACK, BLOCK)
    ]  # fmt: skip
    if not both[0] or not both[1]:
        return None
    stack, solid = (sum(numbers) / len(numbers) for numbers in both)
    return stack - solid, min(len(numbers) for numbers in both)


def slip(readings: Readings, steps: Sequence[Step]) -> str:
    """A sentence on two readings of one thing that cannot both be right; nothing where there are none."""
    return next(iter(slips(readings, steps).values()), "")


def slips(readings: Readings, steps: Sequence[Step]) -> dict[int, str]:
    """Such a sentence for each step at which there are such two."""
    found: dict[int, str] = {}
    for step in steps:
        for measure in MEASURES:
            both = [v for s in SITES if (v := readings.measured(measure.key, step.index, s.key)) is not None]
            if len(both) == len(SITES) and abs(both[1] - both[0]) > TOO_FAR_MM:
                name = measure.name if measure.key != BLOCK else "the block"
                of = f" at {step.label}" if len(steps) > 1 else ""
                says = f"{both[0]:.2f} and {both[1]:.2f} mm for {name}{of} cannot both be right: measure it once more."
                found.setdefault(step.index, says)
    return found


def wanted(readings: Readings, offsets: Sequence[float], before_mm: float | None = None) -> Leaves | None:
    """How much more light is wanted, from sets that got so much more than is printed with, as logarithms; None while
    none of them was measured.
    """
    found = [(x, told) for step, x in enumerate(offsets) if (told := difference_mm(readings, step)) is not None]
    if not found:
        return None
    return fit_leaves(
        [x for x, _ in found], [told[0] for _, told in found], COUNT,
        readings=min(told[1] for _, told in found), before_mm=before_mm,
    )  # fmt: skip


def in_percent(logarithm: float) -> float:
    """How much more, or below 0 less, light that is. 0.14 is 15 % more."""
    return 100 * math.expm1(logarithm)


SCATTER_MM = scatter_mm(len(SITES))
"""What a set of leaves scatters, standard deviation."""
