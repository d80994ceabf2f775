"""Pictures of a result, as numbers: what a kind draws of what it found. The page decides how they look."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Curve:
    """The picture of a fit: quality 0..100 over the swept value, with its band and the points it rests on. `name` says
    what of, where it is not of all that is scored.
    """

    x: tuple[float, ...]
    y: tuple[float, ...]
    low: tuple[float, ...]
    high: tuple[float, ...]
    points: tuple[tuple[float, float], ...]
    unit: str = ""
    name: str = ""

    @classmethod
    def of(cls, grid: Floats, mean: Floats, sd: Floats, x: Floats, quality: Floats, digits: int = 4) -> Curve:
        """The picture of a fit over `grid` (g,) with the quality of each step at x (n,), NaN where there is none."""

        def column(values: Floats, decimals: int = 2) -> tuple[float, ...]:
            return tuple(round(float(v), decimals) for v in values[::2])

        points = tuple((float(a), float(b)) for a, b in zip(x, quality, strict=True) if np.isfinite(b))
        return cls(column(grid, digits), column(mean), column(mean - sd), column(mean + sd), points)


@dataclass(frozen=True, slots=True)
class Spread:
    """The picture of measured numbers: a row of dots with its mean and what would be right.

    `points` are (where, number, kept); a number that is not kept stands apart and has no say. `aim` is what the
    number would be if all were right, `mean` ± `error` what it is.
    """

    name: str
    unit: str
    decimals: int
    points: tuple[tuple[str, float, bool], ...]
    mean: float
    error: float
    aim: float | None = None


@dataclass(frozen=True, slots=True)
class Axis:
    """One side of a chart."""

    name: str
    unit: str = ""
    log: bool = False


@dataclass(frozen=True, slots=True)
class Series:
    """One thing on a chart, in the units of its axes.

    `look` is "line", "band" (`y` low and `more` high), "points" (`more` the standard errors, `kept` which have a say),
    "level" (a line across at y[0]) or "mark" (one place, with its name beside it). `tone` counts those that belong
    together; each tone has its own dash and shade.
    """

    name: str
    look: str
    x: tuple[float, ...]
    y: tuple[float, ...]
    more: tuple[float, ...] = ()
    kept: tuple[bool, ...] = ()
    tone: int = 0


@dataclass(frozen=True, slots=True)
class MapSpot:
    """One place of a map: where it is, mm from the middle, what was read there, whether it has a say, and a word on it
    where there is one to say.
    """

    x: float
    y: float
    value: float
    kept: bool = True
    flag: str = ""


@dataclass(frozen=True, slots=True)
class Map:
    """A plate seen from above, with numbers at places; `plane` is height at its middle and slopes along x and y, mm/mm.

    Numbers are drawn as higher or lower than `level`, as far as `full` away from it; `legend` says what that means.
    """

    title: str
    unit: str
    decimals: int
    level: float
    plane: tuple[float, float, float]
    spots: tuple[MapSpot, ...]
    full: float = 0.08
    legend: str = ""

    @classmethod
    def from_json(cls, data: Mapping[str, Any]) -> Map:
        """The map that `asdict` wrote."""
        spots = tuple(MapSpot(**spot) for spot in data["spots"])
        return cls(**{**data, "plane": tuple(data["plane"]), "spots": spots})


@dataclass(frozen=True, slots=True)
class Chart:
    """A picture of a result where one curve along the piece is not enough."""

    title: str
    x: Axis
    y: Axis
    series: tuple[Series, ...]

    @classmethod
    def from_json(cls, data: Mapping[str, Any]) -> Chart:
        """The chart that `asdict` wrote."""
        rows = []
        for row in data["series"]:
            x, y, more, kept = (tuple(row[column]) for column in ("x", "y", "more", "kept"))
            rows.append(Series(row["name"], row["look"], x, y, more, kept, row["tone"]))
        return cls(data["title"], Axis(**data["x"]), Axis(**data["y"]), tuple(rows))
