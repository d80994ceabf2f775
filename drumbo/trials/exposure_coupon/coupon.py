"""The coupon: a narrow bench with what stands and what is open side by side, a design of our own.

From the front: the seconds in raised digits; two blades; a block with two slits as wide as the blades; a sill with the
seconds sunk through it; pins in a row before holes of the same sizes; and a slab on four thin posts. All edges that are
measured lie on borders between pixels: rounding to pixels then has no say.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from manifold3d import Manifold

from drumbo.core.piece import Jaw, Part, Piece, Place, block, text_shape, union
from drumbo.trials.readings import Step
from drumbo.trials.toolkit.layered import PIN_SEGMENTS

Snap = Callable[[float], float]

WIDE, DEEP, PITCH = 10.0, 33.0, 11.6
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


def coupons(steps: Sequence[Step], base_mm: float, snap: Snap) -> tuple[Piece, list[Manifold]]:
    """All coupons side by side, and each alone."""
    parts, places, jaws, alone = [], [], [], []
    first = -(len(steps) - 1) * PITCH / 2
    for step in steps:
        x = snap(first + step.index * PITCH)
        made = _coupon(x, step.label, base_mm, snap)
        parts += made
        alone.append(union(part.solid for part in made))
        low, high = (x - WIDE / 2, -DEEP / 2, base_mm), (x + WIDE / 2, DEEP / 2, base_mm + TALL + ROOF_MM)
        places.append(Place(step.index, step.value, step.label, low, high, axis=0))
        jaws += _jaws(step.index, x, base_mm, snap)
    return Piece("coupons", union(alone), tuple(parts), tuple(places), tuple(jaws)), alone


def _coupon(x: float, label: str, base: float, snap: Snap) -> list[Part]:
    front, half = -DEEP / 2, WIDE / 2
    into = base - 0.2

    def box(x0: float, y0: float, x1: float, y1: float, high: float) -> Manifold:
        return block((x + x0, front + y0, into), (x + x1, front + y1, base + high))

    digits = _text(label, DIGITS_HIGH, STROKE, WIDE - 1).extrude(DIGITS_TALL + 0.2)
    blades, slits = bars(x, snap)
    stands = [block((b.low, front + 6.2, into), (b.high, front + 11.4, base + TALL)) for b in blades]
    solid = box(-half, 12.6, half, 17.6, TALL)
    cuts = [block((s.low, front + 12, into - 0.1), (s.high, front + 18, base + TALL + 1)) for s in slits]
    sunk = _text(label, SUNK_HIGH, SUNK_STROKE, WIDE - 2).extrude(SILL + 1).translate((x, front + 20.6, into - 0.1))
    holes = [
        _pin(x + at, front + 25.4, width, into - 0.1, SILL + 1) for at, width in zip(_fine_at(), FINE, strict=True)
    ]
    fins = [box(at - w / 2, 26.9, at + w / 2, 28.6, TALL * 0.6) for at, w in zip((2.6, 3.5, 4.5), FINS, strict=True)]
    pins = [
        _pin(x + at, front + 23.4, width, into, TALL * 0.6 + 0.2) for at, width in zip(_fine_at(), FINE, strict=True)
    ]
    posts = [_pin(x + px, front + py, POST_MM, into, TALL + 0.3) for px in (-4.3, 0.0) for py in (28.6, 31.8)]
    roof = block((x - 4.8, front + 28.1, base + TALL), (x - 4.8 + ROOF_WIDE + 0.3, front + 32.3, base + TALL + ROOF_MM))
    return [
        Part("foot", block((x - half, front, 0), (x + half, front + DEEP, base))),
        Part("digits", digits.translate((x, front + 3.1, into))),
        Part("wall", union(stands)),
        Part("wall", solid - union(cuts)),
        Part("wall", box(-half, 18.8, half, 22.3, SILL) - sunk),
        Part("wall", box(-half, 24.6, half, 26.2, SILL) - union(holes)),
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


def _jaws(step: int, x: float, base: float, snap: Snap) -> list[Jaw]:
    front, z = -DEEP / 2, base + TALL * 0.5
    blades, slits = bars(x, snap)
    found = []
    for blade in blades:
        a, b = (blade.low - JAW_OUT, front + 8.8), (blade.high + JAW_OUT, front + 8.8)
        found.append(Jaw("blade", step, blade.key, a, b, z))
    for slit in slits:
        a, b = (slit.low - 0.5, front + 15.1), (slit.high + 0.5, front + 15.1)
        found.append(Jaw("slit", step, slit.key, a, b, z, "inside"))
    return found
