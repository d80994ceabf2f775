"""From scores that only fall, or only rise, along a sweep to how far it may go before that can be told.

An aspect that pays for every step of a sweep, or gains by it, is taken as

    score(x) = 4 · σ((b − x)/t) + bias,   σ(u) = 1/(1 + e^−u),   x from 0 to 1

falling; a rising one is the same from the other end. It is told apart from its better end once it has lost `within`
of a score: x = b − t · ln(v/(4 − v)) with v = score(0) − within. Many such curves are drawn evenly from what is
plausible and weighed by how likely each makes the scores given. b = 0.5, t = 0.1 and half a score: x = 0.311.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray
from scipy.special import expit, ndtri

from drumbo.core.fit.evenly import evenly
from drumbo.core.fit.ordinal import LOOK_SD, USUAL, Leaning, leaned, log_likelihood, pick

Floats = NDArray[np.float64]

MIDDLE, SOFTNESS = (-0.4, 2.2), (0.05, 0.6)
CURVES_LOG2, DRAWS, GRID = 14, 1000, 61


@dataclass(frozen=True, slots=True)
class Ramp:
    """`mean` and `sd` (g,) 0..4 over `x` (g,) 0..1. `places` (d,) are draws of where the better end can be told from
    here: as far as a falling aspect may go, or as far as a rising one has to. `misfit` is the scatter of the looks
    against what is usual. `curves` (d, 2) are the draws' middles and softnesses, of falling curves, `leans` (d,) how
    they lean.
    """

    x: Floats
    mean: Floats
    sd: Floats
    places: Floats
    misfit: float
    curves: Floats
    rising: bool
    leans: Floats

    def crossing(self, score: float) -> Floats:
        """(d,) x at which each draw passes a score between 0 and 4; it may lie outside of 0..1."""
        at = self.curves[:, 0] - self.curves[:, 1] * np.log(score / (4 - score))
        return np.asarray(1 - at if self.rising else at)


def fit_ramp(
    x: Floats, scores: Floats, *, rising: bool, within: float, reader: Leaning = USUAL, seed: int = 0
) -> Ramp:  # fmt: skip
    """Fit scores (n,) 0..4, NaN where nobody looked, at x (n,) from 0 to 1. ValueError for fewer than three."""
    seen = np.isfinite(scores)
    if seen.sum() < 3:
        raise ValueError("a fit needs scores at three steps")
    at = 1 - x[seen] if rising else x[seen]
    table = _plausible().copy()
    table[:, 2] = leaned(table[:, 2], reader)
    likely = log_likelihood(scores[seen], _scores(table, at))
    drawn = table[pick(likely, DRAWS, np.random.default_rng(seed))]
    grid = np.linspace(0, 1, GRID)
    curves = _scores(drawn, 1 - grid if rising else grid)
    places = told_at(drawn[:, 0], drawn[:, 1], within)
    rests = scores[seen] - _scores(drawn, at).mean(axis=0)
    return Ramp(
        x=grid,
        mean=curves.mean(axis=0),
        sd=curves.std(axis=0),
        places=1 - places if rising else places,
        misfit=float(np.sqrt(np.mean(rests**2)) / LOOK_SD),
        curves=drawn[:, :2],
        rising=rising,
        leans=drawn[:, 2],
    )


def told_at(middle: Floats, softness: Floats, within: float) -> Floats:
    """(m,) x from 0 to 1 at which falling curves have lost `within` of a score; 1 where they never do."""
    left = 4 * expit(middle / softness) - within
    safe = np.clip(left, 1e-6, 4 - 1e-6)
    return np.where(left > 0, np.clip(middle - softness * np.log(safe / (4 - safe)), 0.0, 1.0), 1.0)


@cache
def _plausible() -> Floats:
    """(m, 3) falling curves spread evenly: middle, softness, and how far the lean lies out."""
    even = evenly(3, CURVES_LOG2)
    table = np.empty_like(even)
    table[:, 0] = MIDDLE[0] + (MIDDLE[1] - MIDDLE[0]) * even[:, 0]
    table[:, 1] = SOFTNESS[0] * (SOFTNESS[1] / SOFTNESS[0]) ** even[:, 1]
    table[:, 2] = ndtri(np.clip(even[:, 2], 1e-4, 1 - 1e-4))
    return np.asarray(table)


def _scores(table: Floats, at: Floats) -> Floats:
    """(m, n) scores of curves (m, 3) at places (n,)."""
    fall = expit((table[:, 0:1] - at[None, :]) / table[:, 1:2])
    return np.asarray(np.clip(4 * fall + table[:, 2:3], 0, 4))
