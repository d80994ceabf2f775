"""Quantities along a file as strips beneath each other, and how long which flow is asked for: all in pixels."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from drumbo.core.gcode.roles import ROADS
from drumbo.services.check import Track

WIDE, HIGH, LEFT, TOP = 1080.0, 92.0, 56.0, 22.0
MOST_TICKS = 9
BARS = (440.0, 190.0)
BAR_LEFT, BAR_TOP, BAR_FLOOR = 40.0, 10.0, 160.0


@dataclass(frozen=True, slots=True)
class Strip:
    """One quantity: its line as a path, marks (y, text), the limit's y, and what it says of the whole."""

    name: str
    unit: str
    path: str
    marks: tuple[tuple[float, str], ...]
    limit: float | None
    limit_says: str
    says: str


@dataclass(frozen=True, slots=True)
class Strips:
    """Strips over one axis; its marks are (x, text)."""

    strips: tuple[Strip, ...]
    marks: tuple[tuple[float, str], ...]
    unit: str
    low: float
    high: float


def strips(found: Sequence[Track], along: str) -> Strips:
    """The strips of tracks that share their axis."""
    low = min((float(t.x[0]) for t in found if len(t.x)), default=0.0)
    high = max((float(t.x[-1]) for t in found if len(t.x)), default=1.0)
    high = high if high > low else low + 1

    def px(x: NDArray[np.float64]) -> NDArray[np.float64]:
        return LEFT + (WIDE - LEFT) * (x - low) / (high - low)

    marks = tuple((round(float(px(np.array(x))), 1), f"{x:g}") for x in _round(low, high, MOST_TICKS))
    unit = "min" if along == "time" else "mm high"
    return Strips(tuple(_strip(track, px(track.x)) for track in found), marks, unit, low, high)


def _strip(track: Track, x: NDArray[np.float64]) -> Strip:
    most = max(float(track.y.max(initial=0.0)), (track.limit or 0.0) * 1.1, 1e-6)
    least = 0.0
    if track.unit == "°C" and len(track.y):
        hot = track.y[track.y > 100]
        least = float(hot.min()) - 8 if len(hot) else 0.0
        most += 4

    def py(y: NDArray[np.float64]) -> NDArray[np.float64]:
        return HIGH - (HIGH - TOP) * np.clip((y - least) / (most - least), 0, 1)

    # A value holds until the next one: steps, so that nothing is drawn that is not there.
    y = py(track.y)
    path = ""
    if len(x):
        steps = "".join(f"H{a:.1f}V{b:.1f}" for a, b in zip(x[1:], y[1:], strict=True))
        path = f"M{x[0]:.1f} {y[0]:.1f}{steps}"
    marks = tuple((round(float(py(np.array(v))), 1), f"{v:g}") for v in _round(least, most, 3))
    limit = None if track.limit is None else round(float(py(np.array(track.limit))), 1)
    says = f"{track.name} from {track.y.min():.3g} to {track.y.max():.3g} {track.unit}" if len(track.y) else track.name
    return Strip(track.name, track.unit, path, marks, limit, f"limit {track.limit:g}" if track.limit else "", says)


def _round(low: float, high: float, most: int) -> list[float]:
    rough = (high - low) / most or 1.0
    power = 10.0 ** math.floor(math.log10(rough))
    each = next(power * n for n in (1, 2, 5, 10) if power * n >= rough)
    return [n * each for n in range(math.ceil(low / each - 1e-9), math.floor(high / each + 1e-9) + 1)]


@dataclass(frozen=True, slots=True)
class Bars:
    """How long which flow is asked for: by role a path of bars that stand on those before, marks (x, text) and
    (y, text), and from where on, if anywhere, it is above the limit, and how wide that is.
    """

    paths: tuple[tuple[int, str], ...]
    x_marks: tuple[tuple[float, str], ...]
    y_marks: tuple[tuple[float, str], ...]
    limit: float | None
    beyond: float
    limit_says: str


def bars(edges: NDArray[np.float64], minutes: NDArray[np.float64], limit: float | None) -> Bars:
    """The bars of a histogram by role."""
    wide, most = BARS[0] - BAR_LEFT, max(float(minutes.sum(axis=0).max()), 1e-9)

    def px(flow: float) -> float:
        return round(BAR_LEFT + wide * flow / float(edges[-1]), 1)

    def py(value: float) -> float:
        return round(BAR_FLOOR - (BAR_FLOOR - BAR_TOP) * value / most, 1)

    paths, below = [], np.zeros(minutes.shape[1])
    for role, each in zip(ROADS, minutes, strict=True):
        bands = zip(edges[:-1], edges[1:], below, each, strict=True)
        path = "".join(
            f"M{px(a) + 0.6:.1f} {py(low)}V{py(low + more)}H{px(b) - 0.6:.1f}V{py(low)}Z"
            for a, b, low, more in bands if more > 0
        )  # fmt: skip
        paths.append((role, path))
        below = below + each
    x_marks = tuple((px(v), f"{v:g}") for v in _round(0, float(edges[-1]), 8))
    y_marks = tuple((py(v), f"{v:g}") for v in _round(0, most, 3))
    at = None if limit is None else px(limit)
    beyond = 0.0 if at is None else round(BARS[0] - at, 1)
    return Bars(tuple(paths), x_marks, y_marks, at, beyond, f"limit {limit:g}" if limit else "")
