"""The ladder: the piece of the temperature trial, a design of our own.

From left to right each step has: a corbel at 45° that carries a snap post on a thin neck; the mast with the
temperature in raised digits; a bridge as a rung, with needle pairs standing on it; a slim second mast; and a
wing with a mild and a steep overhang. A step's rung, corbel and wing close it at the top, so they are printed
at that step's temperature; needles and post stand on the closing of the step below.
"""

from __future__ import annotations

from dataclasses import dataclass

from manifold3d import Manifold

from drumbo.core.piece import Part, Piece, Place, block, prism, text_shape, union
from drumbo.core.piece.solids import along_y, cone

DEEP, MAST = 8.0, 18.0
LOW_MM, LOW_STEP_MM = 40.0, 8.0
LOW_DEEP, LOW_MAST = 6.0, 15.0
"""A ladder no higher than this, with steps as low as that, may be slender: it hardly sways, and its digits are low."""
SPAN = 28.0
SLIM = 7.0
CORBEL = 5.0
MILD_OUT, STEEP_OUT = 2.6, 5.4
STEEP_TAN = 1.96
"""Run over rise of the steep wing: 63° from upright. The mild one is at 45°."""
RUNG = 1.2
NECK = 2.4
FOOT_MARGIN, LOW_FOOT_MARGIN = 5.0, 4.0
SEAM = 0.3
"""Parts reach this far into what they stand on, so that their union is one solid."""


@dataclass(frozen=True, slots=True)
class _Frame:
    """Half of the ladder's depth, half of its foot's width and depth, and x positions of its parts, its middle at 0."""

    half: float
    foot_x: float
    foot_y: float
    mast: float
    gap: float
    slim: float
    wing: float

    @property
    def digits(self) -> float:
        """The middle of the mast."""
        return (self.mast + self.gap) / 2


def _frame(step_mm: float, count: int) -> _Frame:
    low = step_mm <= LOW_STEP_MM and step_mm * count <= LOW_MM
    deep, wide, margin = (LOW_DEEP, LOW_MAST, LOW_FOOT_MARGIN) if low else (DEEP, MAST, FOOT_MARGIN)
    foot_x = (CORBEL + wide + SPAN + SLIM + MILD_OUT + STEEP_OUT) / 2 + margin
    mast = -foot_x + margin + CORBEL
    gap = mast + wide
    foot_y = deep / 2 + margin + (0.0 if low else 2.0)
    return _Frame(deep / 2, foot_x, foot_y, mast, gap, gap + SPAN, gap + SPAN + SLIM)


def size(step_mm: float, count: int) -> tuple[float, float]:
    """How wide and deep a ladder of so many steps is, mm: its foot."""
    frame = _frame(step_mm, count)
    return 2 * frame.foot_x, 2 * frame.foot_y


def ladder(values_c: tuple[float, ...], step_mm: float, foot_mm: float) -> Piece:
    """A ladder with one step a value, first value at the bottom.

    `step_mm` is a step's height and `foot_mm` the plate's; both must be whole layers so that a change of
    temperature falls between two layers.
    """
    frame = _frame(step_mm, len(values_c))
    y0, y1 = -frame.half, frame.half
    foot = block((-frame.foot_x, -frame.foot_y, 0), (frame.foot_x, frame.foot_y, foot_mm))
    parts: list[Part] = [Part("foot", foot)]
    places: list[Place] = []
    for index, value in enumerate(values_c):
        z = foot_mm + index * step_mm
        parts += _step(frame, z, step_mm, y0, y1, f"{value:g}")
        places.append(Place(index, value, f"{value:g}", (-frame.foot_x, y0, z), (frame.foot_x, y1, z + step_mm)))
    order = {"foot": 0, "wing": 1, "mast": 2, "rung": 3, "needle": 4, "post": 5, "digits": 6}
    parts.sort(key=lambda part: order[part.look])
    return Piece("Ladder", union(part.solid for part in parts), tuple(parts), tuple(places))


def _step(frame: _Frame, z: float, high: float, y0: float, y1: float, label: str) -> list[Part]:
    top = z + high
    text = high * 0.62
    digits = text_shape(label, text, min(1.15, text * 0.18)).translate((frame.digits, z + high / 2))
    return [
        Part("mast", block((frame.mast, y0, z - SEAM), (frame.gap, y1, top))),
        Part("mast", block((frame.slim, y0, z - SEAM), (frame.wing, y1, top))),
        Part("wing", _corbel(frame, top, y0, y1)),
        Part("wing", _wing(frame, top, y0, y1)),
        Part("rung", block((frame.gap - 1, y0, top - RUNG), (frame.slim + 1, y1, top))),
        *(Part("needle", needle) for needle in _needles(frame, z, high)),
        Part("post", _post(frame, z, high)),
        Part("digits", along_y(digits, y0 - 0.5, y0 + 0.3)),
    ]


def _corbel(frame: _Frame, top: float, y0: float, y1: float) -> Manifold:
    x = frame.mast + 0.5
    out = frame.mast - CORBEL
    edge = 0.6
    outline = [(x, top - edge - CORBEL - 0.5), (x, top), (out, top), (out, top - edge)]
    return prism(outline, y0, y1)


def _wing(frame: _Frame, top: float, y0: float, y1: float) -> Manifold:
    x, lip = frame.wing, 0.8
    steep_low = top - lip - STEEP_OUT / STEEP_TAN
    outline = [
        (x - 0.5, steep_low - MILD_OUT - 0.5),
        (x + MILD_OUT, steep_low),
        (x + MILD_OUT + STEEP_OUT, top - lip),
        (x + MILD_OUT + STEEP_OUT, top),
        (x - 0.5, top),
    ]
    return prism(outline, y0, y1)


def _needles(frame: _Frame, z: float, high: float) -> list[Manifold]:
    tip = z + high - RUNG - 1.6
    return [cone(frame.gap + SPAN * place, 0.0, z - SEAM, tip, 2.0, 0.45) for place in (0.2, 0.44, 0.8)]


def _post(frame: _Frame, z: float, high: float) -> Manifold:
    """A head on a thin neck: snapped by hand, it tells how well layers hold."""
    x, half = frame.mast - CORBEL / 2 - 0.4, NECK / 2
    neck_top = z + min(1.8, high * 0.2)
    head, head_half = min(1.6, high * 0.17), half + 0.6
    outline = [
        (x - half, z - SEAM), (x + half, z - SEAM), (x + half, neck_top), (x + head_half, neck_top + 0.6),
        (x + head_half, neck_top + 0.6 + head), (x - head_half, neck_top + 0.6 + head),
        (x - head_half, neck_top + 0.6), (x - half, neck_top),
    ]  # fmt: skip
    return prism(outline, -half, half)
