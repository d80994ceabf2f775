"""The coupon: a narrow bench with what stands and what is open side by side, a design of our own.

From the front: the seconds in raised digits; a sill with the seconds sunk through it; pins in a row before holes of the
same sizes; and a slab on four thin posts. What is measured is either a set of leaves, on a head behind every other one
of the coupons around the middle; or, on every coupon, two blades behind the digits and a block with two slits as wide
as they are. All edges that are measured lie on borders between pixels: rounding to pixels then has no say.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from manifold3d import Manifold

from drumbo.core.piece import Jaw, Part, Piece, Place, block, text_shape, union
from drumbo.trials.readings import Step
from drumbo.trials.toolkit import leaves
from drumbo.trials.toolkit.layered import PIN_SEGMENTS

Snap = Callable[[float], float]

WIDE, PITCH = 10.0, 11.6
FRONT, FACES_DEEP, REAR = 6.2, 12.6, 14.2
"""From the front to what is measured; blades and slits; from there to the rear."""
BLADES = (1.4, 2.4)
"""Widths that are measured, mm; a calliper's inner jaws go into both slits."""
FINE = (0.1, 0.15, 0.2, 0.3, 0.5)
FINS = (0.15, 0.25, 0.4)
TALL, SILL, DIGITS_TALL = 2.4, 1.2, 0.8
DIGITS_HIGH, STROKE = 3.4, 0.55
SUNK_HIGH, SUNK_STROKE = 2.6, 0.5
POST_MM, ROOF_MM, ROOF_WIDE = 0.36, 0.6, 5.0
BLADE_AT = (-2.4, 2.2)
JAW_OUT = 0.9
HIGH = TALL + ROOF_MM
HEAD_EDGE = 0.8
HEAD_WIDE, HEAD_DEEP = leaves.WIDE + 2 * HEAD_EDGE, leaves.DEEP + 2 * HEAD_EDGE
SETS, EVERY = 3, 2
"""So many coupons have leaves at most, and as many steps lie between two that have: heads are wider than coupons."""


def with_leaves(count: int) -> tuple[int, ...]:
    """Which of so many coupons have leaves: every other one around the middle; of three the outer two, as one set alone
    tells no exposure.
    """
    first = max((count - 1) // 2 - EVERY * (SETS // 2), 0)
    return tuple(at for at in range(first, first + EVERY * SETS, EVERY) if at < count)


def deep(leafy: bool) -> float:
    """How deep a coupon is without its head, mm."""
    return FRONT + REAR + (0.0 if leafy else FACES_DEEP)


def size(count: int, leafy: bool) -> tuple[float, float]:
    """How wide and deep so many coupons are, mm: with leaves, or with blades and slits."""
    row = (count - 1) * PITCH + WIDE
    if not leafy:
        return row, deep(leafy)
    heads, over = with_leaves(count), (HEAD_WIDE - WIDE) / 2
    ends = (max(over - at * PITCH, 0.0) for at in (heads[0], count - 1 - heads[-1]))
    return row + sum(ends), deep(leafy) + HEAD_DEEP


@dataclass(frozen=True, slots=True)
class Bar:
    """A blade or a slit: its edges along x, mm from the middle of the screen."""

    key: str
    low: float
    high: float

    @property
    def width(self) -> float:
        """As drawn, mm."""
        return self.high - self.low


def bars(middle_x: float, snap: Snap) -> tuple[list[Bar], list[Bar]]:
    """Blades and slits of the coupon whose middle is at `middle_x`, on pixel borders."""
    blades, slits = [], []
    for key, width, at in zip(("narrow", "wide"), BLADES, BLADE_AT, strict=True):
        low = snap(middle_x + at - width / 2)
        high = snap(low + width)
        blades.append(Bar(key, low, high))
        slits.append(Bar(key, low, high))
    return blades, slits


def coupons(steps: Sequence[Step], leafy: bool, base_mm: float, snap: Snap) -> tuple[Piece, list[Manifold]]:
    """All coupons side by side, and each alone."""
    parts: list[Part] = []
    jaws: list[Jaw] = []
    places, alone = [], []
    heads = with_leaves(len(steps)) if leafy else ()
    wide, whole = size(len(steps), leafy)
    # A head that stands out at one end moves all of them towards the other.
    out = max((HEAD_WIDE - WIDE) / 2 - heads[0] * PITCH, 0.0) if heads else 0.0
    first, front, rear = -wide / 2 + out + WIDE / 2, -whole / 2, -whole / 2 + deep(leafy)
    for step in steps:
        x = snap(first + step.index * PITCH)
        foot = block((x - WIDE / 2, front, 0), (x + WIDE / 2, rear, base_mm))
        made = [Part("foot", foot), _digits(x, front, step.label, base_mm)]
        if step.index in heads:
            head = _head(step.index, x, rear, base_mm, snap)
            made += head.parts
            jaws += head.jaws
        elif not leafy:
            made += _faces(x, front, base_mm, snap)
            jaws += _jaws(step.index, x, front, base_mm, snap)
        made += _fine(x, rear - REAR, step.label, base_mm)
        parts += made
        alone.append(union(part.solid for part in made))
        low, high = (x - WIDE / 2, front, base_mm), (x + WIDE / 2, rear, base_mm + HIGH)
        places.append(Place(step.index, step.value, step.label, low, high, axis=0, alone=True))
    return Piece("coupons", union(alone), tuple(parts), tuple(places), tuple(jaws)), alone


def _digits(x: float, front: float, label: str, base: float) -> Part:
    digits = _text(label, DIGITS_HIGH, STROKE, WIDE - 1).extrude(DIGITS_TALL + 0.2)
    return Part("digits", digits.translate((x, front + 3.1, base - 0.2)))


def _head(step: int, x: float, rear: float, base: float, snap: Snap) -> leaves.LeafSet:
    """Leaves on a foot that goes on from the coupon's at its rear."""
    made = leaves.leaf_set(step, x - leaves.WIDE / 2, rear + HEAD_EDGE, base, snap)
    foot = Part("foot", block((x - HEAD_WIDE / 2, rear - 0.1, 0), (x + HEAD_WIDE / 2, rear + HEAD_DEEP, base)))
    return leaves.LeafSet((foot, *made.parts), made.jaws)


def _faces(x: float, front: float, base: float, snap: Snap) -> list[Part]:
    """Two blades, and behind them a block with two slits as wide."""
    into, half = base - 0.2, WIDE / 2
    blades, slits = bars(x, snap)
    stands = [block((b.low, front + 6.2, into), (b.high, front + 11.4, base + TALL)) for b in blades]
    solid = block((x - half, front + 12.6, into), (x + half, front + 17.6, base + TALL))
    cuts = [block((s.low, front + 12, into - 0.1), (s.high, front + 18, base + TALL + 1)) for s in slits]
    return [Part("wall", union(stands)), Part("wall", solid - union(cuts))]


def _fine(x: float, front: float, label: str, base: float) -> list[Part]:
    """What an eye reads, from its front on: sunk digits, holes, pins and fins, and a slab on posts."""
    into, half = base - 0.2, WIDE / 2

    def box(x0: float, y0: float, x1: float, y1: float, high: float) -> Manifold:
        return block((x + x0, front + y0, into), (x + x1, front + y1, base + high))

    sunk = _text(label, SUNK_HIGH, SUNK_STROKE, WIDE - 2).extrude(SILL + 1).translate((x, front + 1.8, into - 0.1))
    holes = [_pin(x + at, front + 6.6, width, into - 0.1, SILL + 1) for at, width in zip(_fine_at(), FINE, strict=True)]
    fins = [box(at - w / 2, 8.1, at + w / 2, 9.8, TALL * 0.6) for at, w in zip((2.6, 3.5, 4.5), FINS, strict=True)]
    pins = [
        _pin(x + at, front + 4.6, width, into, TALL * 0.6 + 0.2) for at, width in zip(_fine_at(), FINE, strict=True)
    ]
    posts = [_pin(x + px, front + py, POST_MM, into, TALL + 0.3) for px in (-4.3, 0.0) for py in (9.8, 13.0)]
    roof = block((x - 4.8, front + 9.3, base + TALL), (x - 4.8 + ROOF_WIDE + 0.3, front + 13.5, base + TALL + ROOF_MM))
    return [
        Part("wall", box(-half, 0.0, half, 3.5, SILL) - sunk),
        Part("wall", box(-half, 5.8, half, 7.4, SILL) - union(holes)),
        Part("needle", union([*pins, *fins])),
        Part("post", union([*posts, roof])),
    ]


def _fine_at() -> tuple[float, ...]:
    return (-3.8, -2.0, -0.2, 1.6, 3.5)


def _pin(x: float, y: float, width: float, low: float, high: float) -> Manifold:
    return Manifold.cylinder(high, width / 2, width / 2, circular_segments=PIN_SEGMENTS).translate((x, y, low))


def _text(label: str, high: float, stroke: float, room: float):  # type: ignore[no-untyped-def]
    shape = text_shape(label, high, stroke)
    left, _, right, _ = shape.bounds()
    return shape.scale((min(1.0, room / (right - left)), 1.0))


def _jaws(step: int, x: float, front: float, base: float, snap: Snap) -> list[Jaw]:
    z = base + TALL * 0.5
    blades, slits = bars(x, snap)
    found = []
    for blade in blades:
        a, b = (blade.low - JAW_OUT, front + 8.8), (blade.high + JAW_OUT, front + 8.8)
        found.append(Jaw("blade", step, blade.key, a, b, z))
    for slit in slits:
        a, b = (slit.low - 0.5, front + 15.1), (slit.high + 0.5, front + 15.1)
        found.append(Jaw("slit", step, slit.key, a, b, z, "inside"))
    return found
