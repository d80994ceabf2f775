"""From scores at the steps of a sweep to the best value, how sure it is, and what else would do.

Every aspect is taken to get worse below some value and above some other:

    score(x) = 4 · σ((x − a)/s) · σ((b − x)/t) + bias,  σ(u) = 1/(1 + e^−u)

with either shoulder often far outside of the sweep, so that an aspect may only rise, only fall, or stay level.
How a person scores is told in `ordinal`. Many such curves are drawn evenly from what is plausible, weighed by how
likely each makes the scores that were given, and drawn again by that weight (importance resampling). Their weighted
sum is the quality; where each sum peaks, and how that scatters, is the answer with its error.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtri

from drumbo.core.fit.evenly import evenly
from drumbo.core.fit.ordinal import LOOK_SD, USUAL, Leaning, leaned, learned, log_likelihood, pick

Floats = NDArray[np.float64]

APART = 1.75
"""A score further than this from its curve is more likely a slip than scatter: 3.5 times `LOOK_SD`."""
SHOULDER = (-0.6, 1.1)
"""Where a shoulder's middle may lie, as a share of the sweep counted from its own end."""
SOFTNESS = (0.05, 0.3)
"""How gently a shoulder falls, as a share of the sweep."""
CURVES_LOG2, DRAWS, GRID = 13, 500, 121


@dataclass(frozen=True, slots=True)
class Quality:
    """Columns over `x` (g,): the quality 0..100 as `mean` with its `sd`, and per aspect `parts` (k, g) 0..4.

    `points` (n,) is the weighted score of each step, 0..100. `best` ± `error` is where the quality peaks;
    `low`..`high` is as good: its quality differs by less than the scatter of one step's looks. `edge` is −1 or
    +1 where the peak leans on the low or high end of the sweep, else 0. `drop` is how far the quality falls
    within the sweep, in units of one step's scatter. `misfit` is the scatter of the looks against the curves in
    units of what is usual. `apart` are (step, aspect) of single looks that stand far from their curve. `reader` is what
    is known by then of whoever looked.
    """

    x: Floats
    mean: Floats
    sd: Floats
    parts: Floats
    points: Floats
    best: float
    error: float
    low: float
    high: float
    edge: int
    drop: float
    misfit: float
    apart: tuple[tuple[int, int], ...]
    reader: Leaning


def fit_quality(x: Floats, scores: Floats, weights: Floats, *, reader: Leaning = USUAL, seed: int = 0) -> Quality:
    """Fit scores (n, k) 0..4, NaN where nobody looked, at rising x (n,); weights (k,) sum to 1. `reader` is what is
    known beforehand of whoever looked.

    Needs at least three steps with a score in some aspect of weight; ValueError otherwise.
    """
    x = np.asarray(x, float)
    if (np.isfinite(scores) & (weights > 0)).any(axis=1).sum() < 3:
        raise ValueError("a curve needs scores at three steps")
    span = float(x[-1] - x[0])
    at, grid = (x - x[0]) / span, np.linspace(0, 1, GRID)
    rng = np.random.default_rng(seed)
    total = np.zeros((DRAWS, GRID))
    parts = np.full((scores.shape[1], GRID), np.nan)
    rests = np.full(scores.shape, np.nan)
    heard = []
    for k, weight in enumerate(weights):
        seen = np.isfinite(scores[:, k])
        if weight <= 0 or not seen.any():
            continue
        picked = _draw(at[seen], scores[seen, k], reader, rng)
        heard.append(picked[:, 4])
        curves = _curves(picked, grid)
        total += 25 * weight * curves
        parts[k] = curves.mean(axis=0)
        rests[seen, k] = scores[seen, k] - _curves(picked, at[seen]).mean(axis=0)
    mean = total.mean(axis=0)
    peaks = _peaks(grid, total)
    scatter = 25 * LOOK_SD * float(np.sqrt((weights**2).sum()))
    low, high = as_good(grid, mean, 0.5 * scatter)
    # A peak at the border of the sweep is told from the share of draws that still rise there.
    leans = float(np.mean(total.argmax(axis=1) >= GRID - 2) - np.mean(total.argmax(axis=1) <= 1))
    return Quality(
        x=x[0] + span * grid,
        mean=mean,
        sd=total.std(axis=0),
        parts=parts,
        points=_points(scores, weights),
        best=float(x[0] + span * peaks.mean()),
        error=float(span * peaks.std()),
        low=float(x[0] + span * low),
        high=float(x[0] + span * high),
        edge=int(np.sign(leans)) if abs(leans) > 0.45 else 0,
        drop=float((mean.max() - mean.min()) / scatter),
        misfit=float(np.sqrt(np.nanmean(rests**2)) / LOOK_SD),
        apart=tuple((int(i), int(k)) for i, k in np.argwhere(np.abs(rests) > APART)),
        reader=learned(heard, reader),
    )


@cache
def _plausible() -> Floats:
    """(m, 5) curves spread evenly over what is plausible: both middles, both softnesses, how far the lean lies out."""
    even = evenly(5, CURVES_LOG2)
    (near, far), (sharp, soft) = SHOULDER, SOFTNESS
    table = np.empty_like(even)
    table[:, 0] = near + (far - near) * even[:, 0]
    table[:, 1] = 1 - near - (far - near) * even[:, 1]
    table[:, 2:4] = sharp * (soft / sharp) ** even[:, 2:4]
    table[:, 4] = ndtri(np.clip(even[:, 4], 1e-4, 1 - 1e-4))
    return np.asarray(table)


def _curves(table: Floats, at: Floats) -> Floats:
    """(m, n) scores of curves (m, 5) at places (n,)."""
    rise = (at[None, :] - table[:, 0:1]) / table[:, 2:3]
    fall = (table[:, 1:2] - at[None, :]) / table[:, 3:4]
    both = (1 + np.exp(-np.clip(rise, -30, 30))) * (1 + np.exp(-np.clip(fall, -30, 30)))
    return np.asarray(np.clip(4 / both + table[:, 4:5], 0, 4))


def _draw(at: Floats, scores: Floats, reader: Leaning, rng: np.random.Generator) -> Floats:
    """(DRAWS, 5) curves with their lean, drawn by how likely each makes these whole scores."""
    table = _plausible().copy()
    table[:, 4] = leaned(table[:, 4], reader)
    return np.asarray(table[pick(log_likelihood(scores, _curves(table, at)), DRAWS, rng)])


def _points(scores: Floats, weights: Floats) -> Floats:
    """(n,) weighted score of each step over what was scored there, 0..100; NaN where nothing was."""
    seen = np.isfinite(scores)
    weight = np.where(seen, weights, 0.0).sum(axis=1)
    value = np.where(seen, scores * weights, 0.0).sum(axis=1)
    return np.where(weight > 0, 25 * value / np.where(weight > 0, weight, 1), np.nan)


def _peaks(grid: Floats, draws: Floats) -> Floats:
    """(d,) where each drawn curve is best: the middle of all that is within a hair of its top."""
    near = np.exp(draws - draws.max(axis=1, keepdims=True))
    return np.asarray((near * grid).sum(axis=1) / near.sum(axis=1))


def as_good(grid: Floats, mean: Floats, within: float) -> tuple[float, float]:
    """The stretch around the peak that is no more than `within` below it."""
    top = int(mean.argmax())
    good = mean >= mean[top] - within
    left, right = top, top
    while left > 0 and good[left - 1]:
        left -= 1
    while right < len(grid) - 1 and good[right + 1]:
        right += 1
    return float(grid[left]), float(grid[right])
