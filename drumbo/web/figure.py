"""Where things are on a trial's aligned picture: piece, rows of scores and fit share one axis.

Everything is in pixels of the drawing; the piece keeps its millimetres through a view box.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from drumbo.core.piece import Drawing
from drumbo.services.pictures import Picture
from drumbo.trials.base import Curve, Result, Step

ROW_PX = 48.0
FIT_WIDTH = 220.0


@dataclass(frozen=True, slots=True)
class PiecePicture:
    """The piece's column: a view box in mm (y downwards, 0 at the plate), its size in px, and the picture in it."""

    view: str
    width: float
    height: float
    px_per_mm: float
    image: tuple[int, float, float, float, float] | None
    places: tuple[tuple[int, str, float, float, float], ...]


def piece_picture(
    drawing: Drawing, picture: Picture | None, middle: tuple[float, float], row_px: float = ROW_PX
) -> PiecePicture:
    """Scale the piece so that one step is `row_px` high, and lay the camera's picture over it.

    `places` are (index, label, x, y, height) of every step's band, mm in the view box.
    """
    step = drawing.places[0].high[2] - drawing.places[0].low[2]
    scale = row_px / step
    top = drawing.places[-1].high[2]
    margin = 2.0
    view = f"{drawing.left - margin:.2f} {-top:.2f} {drawing.width + 2 * margin:.2f} {top + margin:.2f}"
    image = None
    if picture is not None and picture.frame is not None:
        f = picture.frame
        scale_mm = 1 / float(f["px_per_mm"])
        wide, high = f["width"] * scale_mm, f["height"] * scale_mm
        image = (picture.id, f["left_mm"] - middle[0], -(f["bottom_mm"] + high), wide, high)
    places = tuple((p.index, p.label, drawing.left, -p.high[2], p.high[2] - p.low[2]) for p in reversed(drawing.places))
    return PiecePicture(
        view=view,
        width=round((drawing.width + 2 * margin) * scale, 1),
        height=round((top + margin) * scale, 1),
        px_per_mm=scale,
        image=image,
        places=places,
    )


@dataclass(frozen=True, slots=True)
class FitPicture:
    """The fit turned on its side: the swept value runs along the piece, quality to the right."""

    width: float
    height: float
    curve: str
    band: str
    points: tuple[tuple[float, float], ...]
    best_y: float | None
    good_y: float
    good_height: float
    ticks: tuple[tuple[float, int], ...]


def fit_picture(result: Result | None, steps: Sequence[Step], row_px: float = ROW_PX) -> FitPicture:
    """The fit for rows in the order of the page: the last step on top."""
    height = row_px * len(steps)
    ticks = tuple((_x(q), q) for q in (25, 50, 75, 100))
    if result is None or result.curve is None or result.value is None:
        return FitPicture(FIT_WIDTH, height, "", "", (), None, 0, 0, ticks)
    top, per_row = steps[-1].value, steps[0].value - steps[1].value

    def y(value: float) -> float:
        return round((value - top) / per_row * row_px + row_px / 2, 1)

    curve: Curve = result.curve
    line = "L".join(f"{_x(q):.1f} {y(v):.1f}" for v, q in zip(curve.x, curve.y, strict=True))
    out = [f"{_x(q):.1f} {y(v):.1f}" for v, q in zip(curve.x, curve.high, strict=True)]
    back = [f"{_x(q):.1f} {y(v):.1f}" for v, q in zip(curve.x, curve.low, strict=True)]
    low, high = sorted((y(result.low or result.value), y(result.high or result.value)))
    return FitPicture(
        width=FIT_WIDTH,
        height=height,
        curve=f"M{line}",
        band="M" + "L".join(out + back[::-1]) + "Z",
        points=tuple((round(_x(q), 1), y(v)) for v, q in curve.points),
        best_y=y(result.value),
        good_y=low,
        good_height=high - low,
        ticks=ticks,
    )


def _x(quality: float) -> float:
    return 14 + (FIT_WIDTH - 30) * min(max(quality, 0.0), 100.0) / 100
