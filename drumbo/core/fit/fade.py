"""From scores of strings at rising retraction lengths to the shortest length that is clean enough.

What oozes over a travel falls as the pull-back nears a length d* that holds it all; moisture and heat leave a floor
that no pull-back takes away. The score falls with what is left (r):

    r(d) = a · max(0, 1 − d/d*)^p + b          score(d) = 4 / (1 + r^1.1) + bias

Many such curves are drawn evenly from what is plausible and weighed by how likely each makes the scores given. Clean
enough is where a curve comes within `WITHIN` of what it reaches at last; that is the small safety.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtri

from drumbo.core.fit.evenly import evenly
from drumbo.core.fit.ordinal import BIAS_SD, LOOK_SD, log_likelihood, pick

Floats = NDArray[np.float64]

WITHIN = 0.5
"""Scores: what nobody tells apart from clean, not even in a second look."""
AMOUNT, FLOOR, POWER = (0.8, 20.0), (0.004, 1.5), (1.0, 2.2)
BEYOND = 4.0
"""How many steps past the longest length the answer may lie."""
FALLS = 1.1
CURVES_LOG2, DRAWS, GRID = 14, 1000, 121
FLAT = 0.9


@dataclass(frozen=True, slots=True)
class Fade:
    """`clean` ± `error` is the shortest length that is clean enough. `x` (g,) with `mean` and `sd` 0..4 is the score
    as it was found; `reaches` is what it comes to at last, with `left` the score lost to a floor. `beyond` is the
    probability that the answer lies past the longest length. `flat`: no step differs from another. `misfit` is the
    scatter against what is usual.
    """

    clean: float
    error: float
    x: Floats
    mean: Floats
    sd: Floats
    reaches: float
    beyond: float
    flat: bool
    misfit: float


def fit_fade(x: Floats, scores: Floats, *, seed: int = 0) -> Fade:
    """Fit scores (n,) 0..4, NaN where nobody looked, at rising lengths x (n,). ValueError for fewer than three."""
    x, seen = np.asarray(x, float), np.isfinite(scores)
    if seen.sum() < 3:
        raise ValueError("a fit needs scores at three steps")
    step = float(np.diff(x).mean())
    table = _plausible().copy()
    table[:, 0] = 0.25 * step + (x[-1] + BEYOND * step - 0.25 * step) * table[:, 0]
    drawn = table[pick(log_likelihood(scores[seen], _scores(table, x[seen])), DRAWS, np.random.default_rng(seed))]
    grid = np.linspace(x[0], x[-1], GRID)
    curves = _scores(drawn, grid)
    clean = _clean(drawn)
    rests = scores[seen] - _scores(drawn, x[seen]).mean(axis=0)
    return Fade(
        clean=float(clean.mean()),
        error=float(clean.std()),
        x=grid,
        mean=curves.mean(axis=0),
        sd=curves.std(axis=0),
        reaches=float((4 / (1 + drawn[:, 2] ** FALLS)).mean()),
        beyond=float(np.mean(clean > x[-1] + 0.25 * step)),
        flat=bool(np.ptp(curves.mean(axis=0)) < FLAT),
        misfit=float(np.sqrt(np.mean(rests**2)) / LOOK_SD),
    )


@cache
def _plausible() -> Floats:
    """(m, 5) curves spread evenly: d* 0..1, amount, floor, power, bias."""
    even = evenly(5, CURVES_LOG2)
    table = np.empty_like(even)
    table[:, 0] = even[:, 0]
    for column, (least, most) in zip((1, 2, 3), (AMOUNT, FLOOR, POWER), strict=True):
        table[:, column] = least * (most / least) ** even[:, column]
    table[:, 4] = BIAS_SD * ndtri(np.clip(even[:, 4], 1e-4, 1 - 1e-4))
    return np.asarray(table)


def _scores(table: Floats, at: Floats) -> Floats:
    """(m, n) scores of curves (m, 5) at lengths (n,)."""
    free = np.clip(1.0 - at[None, :] / table[:, 0:1], 0.0, None)
    left = table[:, 1:2] * free ** table[:, 3:4] + table[:, 2:3]
    return np.asarray(np.clip(4.0 / (1.0 + left**FALLS) + table[:, 4:5], 0.0, 4.0))


def _clean(table: Floats) -> Floats:
    """(m,) where each curve comes within `WITHIN` of its last score; 0 where it starts there."""
    last = 4.0 / (1.0 + table[:, 2] ** FALLS)
    enough = (4.0 / np.maximum(last - WITHIN, 0.05) - 1.0) ** (1 / FALLS)
    free = np.clip((enough - table[:, 2]) / table[:, 1], 0.0, 1.0) ** (1 / table[:, 3])
    return np.asarray(table[:, 0] * (1.0 - free))
