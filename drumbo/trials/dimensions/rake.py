"""The rakes: the piece of the dimensions trial, a design of our own.

Two bars meet in a corner, one along X and one along Y. From each stand the same teeth: from the outer face of the first
to the outer face of another it is a round number of millimetres, which lies beside that tooth in digits. Between
neighbours are the gaps, and the teeth of the X bar rise to different heights. In the corner between the bars stand
pairs of lugs whose faces look at each other across the diagonal. One handling gives outside sizes, gaps, diagonals and
heights. A slim one, for shrinkage and offset alone, has low teeth and no lugs.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from manifold3d import Manifold

from drumbo.core.piece import Jaw, Part, Piece, Place, block, raised_text, slab, union
from drumbo.trials.readings import Step

BAR_DEEP = 10.0
TOOTH_WIDE = 6.0
FIRST_HIGH, RISE, SLIM_HIGH = 8.0, 6.0, 5.0
"""Height of the first two teeth, and how much each further one of the X bar is higher: a whole number of layers of any
usual height, so that what is left over of a layer is the same on all of them and no shrinkage. Last, that of all teeth
of a slim one.
"""
DIGITS_HIGH, STROKE, DIGIT_RISE = 5.0, 1.0, 0.6
LUG_DEEP, LUG_BACK, FIRST_LUG = 6.0, 4.0, 4.0
"""How far a lug stands out of its bar, how broad its back is, and half the way along an axis between the first two."""
FEELS = 3.0
"""How far the marks of a measure reach beyond what they measure, mm."""


@dataclass(frozen=True, slots=True)
class Rake:
    """Sizes from the first tooth's outer face to each other tooth's, mm, rising. A slim one has neither lugs nor
    teeth of different heights, and takes half of the time.
    """

    sizes: tuple[float, ...]
    slim: bool = False

    @property
    def bar_high(self) -> float:
        """Thickness of a bar."""
        return 1.6 if self.slim else 3.2

    @property
    def tooth_long(self) -> float:
        """How far a tooth stands out of its bar."""
        return 10.0 if self.slim else 14.0

    @property
    def jaw_at(self) -> float:
        """Height at which the jaws close, above the bar and below every tooth's top."""
        return 3.6 if self.slim else 6.0

    @property
    def side(self) -> float:
        """Length of a bar."""
        return self.sizes[-1]

    def tooth(self, index: int) -> tuple[float, float]:
        """(from, to) of a tooth along its bar; index 0 is the first."""
        return (0.0, TOOTH_WIDE) if index == 0 else (self.sizes[index - 1] - TOOTH_WIDE, self.sizes[index - 1])

    def gap(self, step: int) -> float:
        """Width of the gap before a step's tooth."""
        return self.tooth(step + 1)[0] - self.tooth(step)[1]

    def apart(self, step: int) -> float:
        """How far both lugs of a pair are apart along each axis: their faces lie on x − y = ± this."""
        last = self.side - BAR_DEEP - LUG_DEEP - LUG_BACK - 2.0
        return FIRST_LUG + (last - FIRST_LUG) * step / (len(self.sizes) - 1)

    def diagonal(self, step: int) -> float:
        """Distance between the faces of a pair of lugs."""
        return math.sqrt(2) * self.apart(step)

    def high(self, step: int) -> float:
        """Height of a step's tooth on the X bar."""
        return SLIM_HIGH if self.slim else FIRST_HIGH + step * RISE


def rakes(rake: Rake, steps: Sequence[Step]) -> Piece:
    """The whole piece. Its corner lies at the lower left, and the teeth point outwards, where jaws have room."""
    shift = -(rake.side - rake.tooth_long) / 2
    bar, labels = _bar(rake), [_label(rake, step) for step in steps]
    parts = [
        Part("foot", _placed(union([bar, _turned(bar)]), shift)),
        Part("wall", _placed(_teeth(rake, rising=True), shift)),
        Part("pad", _placed(_turned(_teeth(rake, rising=False)), shift)),
        Part("digits", _placed(union([*labels, *(_label_y(rake, step) for step in steps)]), shift)),
    ]
    if not rake.slim:
        parts.append(Part("rung", _placed(union([_lugs(rake), _turned(_lugs(rake))]), shift)))
    places = []
    for step in steps:
        x0, x1 = (shift + rake.tooth(step.index + k)[1] for k in (0, 1))
        low, high = (x0, shift - rake.tooth_long, 0.0), (x1, shift + BAR_DEEP, rake.high(step.index))
        places.append(Place(step.index, step.value, step.label, low, high, axis=0))
    jaws = [jaw for step in steps for jaw in _jaws(rake, step.index, shift)]
    return Piece("rakes", union(p.solid for p in parts), tuple(parts), tuple(places), tuple(jaws))


def _bar(rake: Rake) -> Manifold:
    return block((0, 0, 0), (rake.side, BAR_DEEP, rake.bar_high))


def _teeth(rake: Rake, *, rising: bool) -> Manifold:
    """The teeth of the X bar, pointing to the front."""
    teeth = []
    for index in range(len(rake.sizes) + 1):
        start, end = rake.tooth(index)
        top = rake.high(max(index - 1, 0) if rising else 0)
        teeth.append(block((start, -rake.tooth_long, 0), (end, 0.5, top)))
    return union(teeth)


def _lugs(rake: Rake) -> Manifold:
    """The lugs of the X bar, on its inner side."""
    lugs = []
    for step in range(len(rake.sizes)):
        x = rake.apart(step) + BAR_DEEP
        back = x + LUG_DEEP + LUG_BACK
        face = [(x - 0.5, BAR_DEEP - 0.5), (x + LUG_DEEP, BAR_DEEP + LUG_DEEP)]
        lugs.append(slab([*face, (back, BAR_DEEP + LUG_DEEP), (back, BAR_DEEP - 0.5)], 0, FIRST_HIGH))
    return union(lugs)


def _turned(solid: Manifold) -> Manifold:
    """The same along Y: mirrored in the corner's diagonal."""
    return solid.mirror((1, -1, 0))


def _placed(solid: Manifold, shift: float) -> Manifold:
    return solid.translate((shift, shift, 0))


def _label(rake: Rake, step: Step) -> Manifold:
    start, end = rake.tooth(step.index + 1)
    at = ((start + end) / 2 - 4.0, BAR_DEEP / 2)
    return raised_text(step.label, at, DIGITS_HIGH, STROKE, 14.0, rake.bar_high - 0.1, rake.bar_high + DIGIT_RISE)


def _label_y(rake: Rake, step: Step) -> Manifold:
    start, end = rake.tooth(step.index + 1)
    at = (BAR_DEEP / 2, (start + end) / 2)
    return raised_text(step.label, at, 4.2, 0.9, BAR_DEEP - 1.5, rake.bar_high - 0.1, rake.bar_high + DIGIT_RISE)


def _jaws(rake: Rake, step: int, shift: float) -> list[Jaw]:
    """Outside from the first tooth and the gap before the tooth, along X and Y; of what is not slim, height and
    diagonal.
    """
    across = shift - rake.tooth_long + 4.0 + (0.0, 1.2, 2.4)[step % 3]
    (_, before), (start, end) = rake.tooth(step), rake.tooth(step + 1)
    middle = shift + (start + end) / 2
    out = (shift - 0.15, shift + end + 0.15)
    gap = (shift + before - FEELS, shift + start + FEELS)
    along_x = [Jaw("outside", step, "x", (out[0], across), (out[1], across), rake.jaw_at),
               Jaw("gap", step, "x", (gap[0], across), (gap[1], across), rake.jaw_at, tool="inside")]  # fmt: skip
    along_y = [Jaw(j.measure, j.step, "y", (across, j.a[0]), (across, j.b[0]), j.z, j.tool) for j in along_x]
    if rake.slim:
        return [*along_x, *along_y]
    up = Jaw("height", step, "z", (middle - 1.0, across), (middle + 1.0, across), rake.jaw_at, tool="height")
    return [*along_x, *along_y, _across(rake, step, shift), up]


def _across(rake: Rake, step: int, shift: float) -> Jaw:
    """From lug to lug, a little beyond both faces."""
    near, far = BAR_DEEP + LUG_DEEP / 2, rake.apart(step) + BAR_DEEP + LUG_DEEP / 2
    more = FEELS / math.sqrt(2)
    a, b = (near - more, far + more), (far + more, near - more)
    placed = [(x + shift, y + shift) for x, y in (a, b)]
    return Jaw("diagonal", step, "d", placed[0], placed[1], rake.jaw_at, tool="inside")
