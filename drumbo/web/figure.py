"""Where things are on a trial's aligned picture: piece, scores and fit share one axis.

A tower's steps are rows, a strip's are columns. Everything is in pixels of the drawing; the piece keeps its
millimetres through a view box.
"""

from __future__ import annotations

from bisect import bisect
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from drumbo.core.piece import Drawing, Place
from drumbo.core.sure import half_90
from drumbo.services.pictures import Picture
from drumbo.trials.pictures import Spread
from drumbo.trials.readings import Step, ToRead
from drumbo.trials.result import Result

ROW_PX, LEAST_ROW_PX, LEAST_MARK_PX = 48.0, 31.0, 24.0
TOWER_WIDTH = 500.0
"""A tower wider than this gets lower rows, down to the least that a score fits into."""
USUAL_ASPECTS, CROWDED_WIDTH = 5, 340.0
"""With more aspects than that the tower must leave them room, px."""
SIDE_BY_SIDE_PX = 74.0
"""So wide are the marks of a score beside each other."""
ALONE_PX = (440.0, 400.0)
"""The most room for a piece that has only one step, px."""
WIDEST_TOWER = 680.0
"""No tower is wider than this, however low its rows become: scores and fit stand beside it."""
FIT_WIDTH, FIT_HEIGHT, FIT_HEAD = 220.0, 138.0, 22.0
STRIP_WIDTH, STRIP_HEIGHT, STRIP_SCALE = 940.0, 330.0, 8.0
LEAST_PITCH_PX = 68.0
"""A deep strip is drawn smaller, so that its scores stay in sight, but its columns no narrower than a score."""
MARGIN_MM = 2.0
WIDEST_CROP = 6.8
"""How many times as wide as it is high the picture of one step may be."""


@dataclass(frozen=True, slots=True)
class Band:
    """A step on the picture, mm in the view box; `crop` is a view box around it alone."""

    index: int
    label: str
    x: float
    y: float
    width: float
    height: float
    crop: str


@dataclass(frozen=True, slots=True)
class PiecePicture:
    """A view box in mm (y downwards), its size in px, the camera's picture in it, and the steps in page order.

    Where steps lie in rows, `across` is how many there are in each, the back row first on the page. For a strip
    `first_px` and `pitch_px` tell where its columns are, for a tower `row_px` how high its rows.
    """

    view: str
    width: float
    height: float
    px_per_mm: float
    image: tuple[int, float, float, float, float] | None
    bands: tuple[Band, ...]
    lies: bool
    across: int = 0
    first_px: float = 0.0
    pitch_px: float = 0.0
    row_px: float = ROW_PX

    @property
    def narrow(self) -> bool:
        """Whether the marks of a score do not fit side by side beneath a column: then they stand on each other."""
        return self.lies and self.pitch_px < SIDE_BY_SIDE_PX


def piece_picture(
    drawing: Drawing,
    picture: Picture | None,
    middle: tuple[float, float],
    row_px: float = ROW_PX,
    most_px: float = STRIP_WIDTH,
    least_px: float = LEAST_ROW_PX,
) -> PiecePicture:
    """The piece to scale, with the camera's picture laid over it.

    A tower's step is `row_px` high, or less where it is wide, but not below `least_px`; a strip is at most `most_px`
    wide.
    """
    lies = drawing.view == "top"
    m = MARGIN_MM
    if lies:
        scale = min(most_px / (drawing.width + 2 * m), STRIP_SCALE, _deep_scale(drawing))
        view = f"{drawing.left - m:.2f} {-drawing.top - m:.2f} {drawing.width + 2 * m:.2f} {drawing.height + 2 * m:.2f}"
        high = drawing.height + 2 * m
    else:
        # A tower stands on its lower edge, without a margin there or above, so that rows meet its steps.
        step = drawing.places[0].high[2] - drawing.places[0].low[2]
        per_px = step / (drawing.width + 2 * m)
        row_px = min(row_px, max(least_px, min(TOWER_WIDTH, most_px) * per_px), WIDEST_TOWER * per_px)
        alone = ALONE_PX[0] / (drawing.width + 2 * m), ALONE_PX[1] / (drawing.height + m)
        scale = row_px / step if len(drawing.places) > 1 else min(alone)
        top = drawing.places[-1].high[2] if len(drawing.places) > 1 else drawing.height
        view = f"{drawing.left - m:.2f} {-top:.2f} {drawing.width + 2 * m:.2f} {top + m:.2f}"
        high = top + m
    places = drawing.places if lies else tuple(reversed(drawing.places))
    across = sum(place.low[1] == places[0].low[1] for place in places) if places[0].axis == 1 else 0
    if across:
        places = tuple(sorted(places, key=lambda place: -place.low[1]))
    return PiecePicture(
        view=view,
        width=round((drawing.width + 2 * m) * scale, 1),
        height=round(high * scale, 1),
        px_per_mm=scale,
        image=_image(picture, middle, lies),
        bands=tuple(_band(drawing, place, lies) for place in places),
        lies=lies,
        across=across,
        **(_columns(drawing, scale) if lies else {"row_px": round(row_px, 2)}),
    )


def tower_room(to_read: ToRead) -> dict[str, float]:
    """How wide a tower may be beside all that is scored, and how low its rows may become."""
    crowded = len(to_read.aspects) > USUAL_ASPECTS
    least = LEAST_MARK_PX if to_read.firsts or crowded else LEAST_ROW_PX
    return {"least_px": least, "most_px": CROWDED_WIDTH} if crowded else {"least_px": least}


def _pitch_mm(drawing: Drawing) -> float:
    """From one column of places to the next; the whole width where there is only one column."""
    columns = sorted({place.low[0] for place in drawing.places})
    return columns[1] - columns[0] if len(columns) > 1 else drawing.width


def _deep_scale(drawing: Drawing) -> float:
    return max(STRIP_HEIGHT / (drawing.height + 2 * MARGIN_MM), LEAST_PITCH_PX / _pitch_mm(drawing))


def _columns(drawing: Drawing, scale: float) -> dict[str, float]:
    places = drawing.places
    pitch = _pitch_mm(drawing)
    middle = (places[0].low[0] + places[0].high[0]) / 2
    return {
        "first_px": round((middle - pitch / 2 - drawing.left + MARGIN_MM) * scale, 1),
        "pitch_px": round(pitch * scale, 2),
    }


def _image(
    picture: Picture | None, middle: tuple[float, float], lies: bool
) -> tuple[int, float, float, float, float] | None:
    if picture is None or picture.frame is None:
        return None
    f = picture.frame
    scale_mm = 1 / float(f["px_per_mm"])
    wide, high = f["width"] * scale_mm, f["height"] * scale_mm
    lower = f["bottom_mm"] - (middle[1] if lies else 0.0)
    return (picture.id, f["left_mm"] - middle[0], -(lower + high), wide, high)


def _band(drawing: Drawing, place: Place, lies: bool) -> Band:
    low, high, index, label = place.low, place.high, place.index, place.label
    if place.axis == 1 or place.alone:
        wide, deep = high[0] - low[0], high[1] - low[1]
        crop = f"{low[0] - 1.5:.2f} {-high[1] - 1.5:.2f} {wide + 3:.2f} {deep + 3:.2f}"
        return Band(index, label, low[0], -high[1], wide, deep, crop)
    if lies:
        x, wide = low[0], high[0] - low[0]
        crop = f"{x - 1.5:.2f} {-drawing.top:.2f} {wide + 3:.2f} {drawing.height:.2f}"
        return Band(index, label, x, -drawing.top, wide, drawing.height, crop)
    # On a phone a low step of a wide tower shows its left part, with the digits, rather than all of it tiny.
    tall = high[2] - low[2] + 2
    crop = f"{drawing.left:.2f} {-high[2] - 1:.2f} {min(drawing.width, WIDEST_CROP * tall):.2f} {tall:.2f}"
    return Band(index, label, drawing.left, -high[2], drawing.width, high[2] - low[2], crop)


@dataclass(frozen=True, slots=True)
class FitPicture:
    """The fit along the piece. `curve` and `band` are paths; lines and points are in px of a picture so large.

    For a tower it is turned on its side: the swept value runs along y, quality along x.
    """

    width: float
    height: float
    lies: bool
    curve: str = ""
    band: str = ""
    points: tuple[tuple[float, float], ...] = ()
    best: float | None = None
    good_from: float = 0.0
    good_size: float = 0.0
    ticks: tuple[tuple[float, int], ...] = ()
    name: str = ""

    @property
    def head(self) -> float:
        """Room for the marks above a fit beside a tower; under a strip they stand in it."""
        return 0.0 if self.lies else FIT_HEAD

    @property
    def tall(self) -> float:
        """Its height with that room."""
        return self.height + self.head


def fit_picture(result: Result | None, steps: Sequence[Step], picture: PiecePicture) -> FitPicture:
    """The fit for the page's steps: beside a tower, under a strip."""
    if picture.lies:
        size = (picture.width, FIT_HEIGHT)
        first, per_step = picture.first_px + picture.pitch_px / 2, picture.pitch_px
    else:
        size = (FIT_WIDTH, picture.row_px * len(steps))
        first, per_step = picture.row_px / 2, picture.row_px
    ticks = tuple((_quality(q, picture.lies), q) for q in (25, 50, 75, 100))
    if result is None or result.value is None or len(steps) < 2:
        return FitPicture(*size, picture.lies, ticks=ticks)
    values = [step.value for step in (steps if picture.lies else reversed(steps))]

    def along(value: float) -> float:
        return round(first + _place(value, values) * per_step, 1)

    paths = _paths(result, along, picture.lies)
    if not result.usable:
        return FitPicture(*size, picture.lies, **paths, ticks=ticks)
    low, high = sorted((along(result.low or result.value), along(result.high or result.value)))
    return FitPicture(
        *size, picture.lies, **paths, best=along(result.value), good_from=low, good_size=high - low, ticks=ticks
    )


def _place(value: float, steps: Sequence[float]) -> float:
    """Where among rising or falling steps a value lies, the first at 0; beyond the ends at the pace of the last two.

    >>> _place(2.5, [1, 2, 4]), _place(3, [1, 2, 4]), _place(8, [1, 2, 4])
    (1.25, 1.5, 4.0)
    """
    falls = steps[1] < steps[0]
    k = min(max(bisect(steps, -value if falls else value, key=(lambda v: -v) if falls else None), 1), len(steps) - 1)
    return k - 1 + (value - steps[k - 1]) / (steps[k] - steps[k - 1])


def _paths(result: Result, along: Callable[[float], float], lies: bool) -> dict[str, Any]:
    curve = result.curve
    if curve is None:
        return {}

    def at(value: float, quality: float) -> tuple[float, float]:
        place, good = along(value), round(_quality(quality, lies), 1)
        return (place, good) if lies else (good, place)

    def line(qualities: Sequence[float]) -> list[str]:
        return ["{:.1f} {:.1f}".format(*at(v, q)) for v, q in zip(curve.x, qualities, strict=True)]

    return {
        "name": curve.name,
        "curve": "M" + "L".join(line(curve.y)),
        "band": "M" + "L".join(line(curve.high) + line(curve.low)[::-1]) + "Z",
        "points": tuple(at(v, q) for v, q in curve.points),
    }


def _quality(quality: float, lies: bool) -> float:
    share = min(max(quality, 0.0), 100.0) / 100
    return FIT_HEIGHT - 10 - (FIT_HEIGHT - 26) * share if lies else 14 + (FIT_WIDTH - 30) * share


@dataclass(frozen=True, slots=True)
class SpreadPicture:
    """Measured numbers as dots over a line, px: (x, y, kept, title); mean with its error, and what would be right."""

    name: str
    dots: tuple[tuple[float, float, bool, str], ...]
    mean: float
    mean_says: str
    error: tuple[float, float]
    aim: float | None
    aim_says: str
    ticks: tuple[tuple[float, str], ...]


SPREAD_WIDTH, MOST_TICKS = 440.0, 8


def spread_picture(spread: Spread) -> SpreadPicture:
    """One lane of dots; equal numbers stack."""
    kept = [value for _, value, keep in spread.points if keep] or [value for _, value, _ in spread.points]
    ends = [*kept, spread.mean, *([spread.aim] if spread.aim is not None else [])]
    room = max(max(ends) - min(ends), 6 * 10**-spread.decimals) * 0.18
    low, high = min(ends) - room, max(ends) + room

    def x(value: float) -> float:
        return round(float(20 + (SPREAD_WIDTH - 40) * min(max((value - low) / (high - low), -0.03), 1.03)), 1)

    seen: dict[float, int] = {}
    dots = []
    for where, value, keep in spread.points:
        level = seen[value] = seen.get(value, 0) + 1
        dots.append((x(value), 62.0 - 9 * (level - 1), keep, f"{value:.{spread.decimals}f} {spread.unit}, {where}"))
    each = 10.0**-spread.decimals
    while (high - low) / each > MOST_TICKS:
        each *= 2
    first = round(low / each + 0.5)
    ticks = tuple((x(n * each), f"{n * each:.{spread.decimals}f}") for n in range(first, int(high / each) + 1))
    show = f".{spread.decimals + 1}f"
    return SpreadPicture(
        name=spread.name,
        dots=tuple(dots),
        mean=x(spread.mean),
        mean_says=f"{spread.mean:{show}} ± {half_90(spread.error):{show}} {spread.unit}",
        error=(x(spread.mean - half_90(spread.error)), x(spread.mean + half_90(spread.error))),
        aim=None if spread.aim is None else x(spread.aim),
        aim_says="" if spread.aim is None else f"right: {spread.aim:.{spread.decimals}f}",
        ticks=ticks,
    )
