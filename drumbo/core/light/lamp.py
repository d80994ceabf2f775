"""How even the light is over a screen: from numbers at places to a map, and what a map is good for.

Lamps are smooth: brighter to one side, darker to the corners, with a broad hump or hollow somewhere. So what is read at
places, as the logarithm of the light, is smoothed by a Gaussian process whose curves are such: a slope and a bow over
the screen, and what is left over bends within some half of it. Nothing else is taken for granted of a lamp.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

COLUMNS, ROWS = 9, 7
"""A map is kept as so many places, the outer ones at the screen's edges."""
SLOPE_SD, BOW_SD, HUMP_SD, HUMP_WIDE = 0.06, 0.10, 0.03, 0.5
"""What is common of lamps, as shares of the light; how wide a hump is, in halves of the screen."""
MASK_STEP = 1 / 127.5
"""A mask is told in steps of two of 255 greys: half a per cent of light, and pictures stay small."""
EVEN = 0.06
"""Where light differs by less than this over the screen, as a share of the middle's, it is even enough."""
FAR = 4.5
FEWEST = 6


@dataclass(frozen=True, slots=True)
class LampMap:
    """Light over the screen as shares of that at its middle: `shares` by row from the front, each from the left."""

    columns: int
    rows: int
    shares: tuple[float, ...]

    def grid(self) -> Floats:
        """(rows, columns) shares, front row first."""
        return np.array(self.shares).reshape(self.rows, self.columns)

    def at(self, x: Floats, y: Floats) -> Floats:
        """(n,) shares at places from −1 to 1, straight between the places that are kept."""
        grid = self.grid()
        across = np.clip((x + 1) / 2 * (self.columns - 1), 0, self.columns - 1)
        up = np.clip((y + 1) / 2 * (self.rows - 1), 0, self.rows - 1)
        left, low = np.minimum(across.astype(int), self.columns - 2), np.minimum(up.astype(int), self.rows - 2)
        right, high = across - left, up - low
        return np.asarray(
            (grid[low, left] * (1 - right) + grid[low, left + 1] * right) * (1 - high)
            + (grid[low + 1, left] * (1 - right) + grid[low + 1, left + 1] * right) * high
        )

    def mask(self, pixels: tuple[int, int]) -> Floats:
        """(rows, columns) by how much each pixel of a screen is dimmed so that all get what the darkest place gets, in
        steps of `MASK_STEP`; rows from the back.
        """
        x, y = ((np.arange(count) + 0.5) / count * 2 - 1 for count in pixels)
        grid = self.grid()
        across = np.array([np.interp(x, np.linspace(-1, 1, self.columns), row) for row in grid])
        at = np.clip((1 - y[:, None]) / 2 * (self.rows - 1), 0, self.rows - 1)
        low = np.minimum(at.astype(int), self.rows - 2)
        shares = across[low[:, 0]] * (1 - (at - low)) + across[low[:, 0] + 1] * (at - low)
        return np.asarray(np.rint(min(self.shares) / shares / MASK_STEP) * MASK_STEP)

    @property
    def longer(self) -> float:
        """How many times as long all is lit where pictures dim it to what the darkest place gets."""
        return 1 / min(self.shares)

    @property
    def uneven(self) -> float:
        """How far the light of the brightest place and of the darkest lie apart, as a share of the middle's."""
        return max(self.shares) - min(self.shares)

    @property
    def advice(self) -> str:
        """Where fine parts are better not put, in a sentence; nothing where it hardly matters."""
        if self.uneven < EVEN:
            return ""
        row, column = np.unravel_index(int(np.argmin(self.grid())), (self.rows, self.columns))
        return (
            f"Least at the {_where(int(row), int(column), self.rows, self.columns)}: keep fine parts away from there."
        )

    def to_json(self) -> list[float]:
        """Plain numbers; `of` gives an equal map back."""
        return [float(self.columns), float(self.rows), *self.shares]

    @classmethod
    def of(cls, kept: Sequence[float]) -> LampMap | None:
        """The map that `to_json` wrote; None for none, or for what is no map."""
        if len(kept) < 2 or not all(math.isfinite(n) for n in kept):
            return None
        columns, rows = int(kept[0]), int(kept[1])
        shares = tuple(float(n) for n in kept[2:])
        sound = columns > 1 and rows > 1 and len(shares) == columns * rows and min(shares) > 0
        return cls(columns, rows, shares) if sound else None


PLACES = (("front", "middle", "back"), ("left", "middle", "right"))


def _where(row: int, column: int, rows: int, columns: int) -> str:
    """A place of the screen in words."""
    along, across = PLACES[0][3 * row // rows], PLACES[1][3 * column // columns]
    if along == across == "middle":
        return "middle"
    return along if across == "middle" else across if along == "middle" else f"{along} {across}"


@dataclass(frozen=True, slots=True)
class FoundLamp:
    """A map, how sure its shares commonly are, how sure what it says of unevenness is, and which readings had a say."""

    map: LampMap
    error: float
    uneven_error: float
    kept: tuple[bool, ...]
    smooth: Floats


def fit_lamp(at: Floats, logarithm: Floats, noise_sd: float) -> FoundLamp:
    """Fit logarithms of light (n,), each with the same noise, at places (n, 2) from −1 to 1. ValueError for fewer than
    six. What stands apart from the surface through all others has no say.
    """
    if len(at) < FEWEST:
        raise ValueError("a map needs six places")
    kept = np.ones(len(at), bool)
    for _ in range(max(len(at) // 8, 1)):
        away = _left_out(at, logarithm, noise_sd, kept)
        worst = int(np.argmax(np.where(kept, away, 0.0)))
        if away[worst] <= FAR:
            break
        kept[worst] = False
    grid = np.array([(x, y) for y in np.linspace(-1, 1, ROWS) for x in np.linspace(-1, 1, COLUMNS)])
    wanted = np.vstack([grid, at])
    mean, spread = _posterior(at[kept], logarithm[kept], noise_sd, wanted)
    middle, count = (len(grid) - 1) // 2, len(grid)
    away = mean - mean[middle]
    # Against the middle, so that what all share is in neither.
    sd = np.sqrt(np.maximum(np.diag(spread) + spread[middle, middle] - 2 * spread[:, middle], 0.0))[:count]
    shares = np.exp(away[:count])
    high, low = int(np.argmax(shares)), int(np.argmin(shares))
    between = spread[high, high] + spread[low, low] - 2 * spread[high, low]
    found = LampMap(COLUMNS, ROWS, tuple(round(float(s), 4) for s in shares))
    return FoundLamp(
        found, float(np.median(sd)), math.sqrt(max(float(between), 0.0)), tuple(bool(k) for k in kept),
        np.exp(away[count:]),
    )  # fmt: skip


def _kernel(one: Floats, other: Floats) -> Floats:
    """(n, m) how places go together: the level is not known at all, slopes, bows and humps to within what is common."""
    x, y = one[:, None, 0] * other[None, :, 0], one[:, None, 1] * other[None, :, 1]
    bow = (one[:, None, 0] ** 2 * other[None, :, 0] ** 2) + (one[:, None, 1] ** 2 * other[None, :, 1] ** 2)
    far = ((one[:, None, :] - other[None, :, :]) ** 2).sum(axis=2)
    hump = HUMP_SD**2 * np.exp(-far / (2 * HUMP_WIDE**2))
    return np.asarray(1.0 + SLOPE_SD**2 * (x + y) + BOW_SD**2 * (bow + x * y) + hump)


def _posterior(at: Floats, value: Floats, sd: float, wanted: Floats) -> tuple[Floats, Floats]:
    """Mean (m,) and covariance (m, m) of the surface at places that are wanted."""
    level = float(value.mean())
    inner = _kernel(at, at) + sd**2 * np.eye(len(at))
    cross = _kernel(wanted, at)
    weights = np.linalg.solve(inner, cross.T)
    return level + weights.T @ (value - level), _kernel(wanted, wanted) - cross @ weights


def _left_out(at: Floats, value: Floats, sd: float, kept: NDArray[np.bool_]) -> Floats:
    """(n,) how far each reading is from the surface through the others, in standard deviations."""
    rows = np.flatnonzero(kept)
    level = float(value[rows].mean())
    turned = np.linalg.inv(_kernel(at[rows], at[rows]) + sd**2 * np.eye(len(rows)))
    away = np.zeros(len(at))
    away[rows] = np.abs(turned @ (value[rows] - level)) / np.sqrt(np.diag(turned))
    return away
