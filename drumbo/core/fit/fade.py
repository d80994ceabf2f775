"""From scores of strings at rising retraction lengths to the shortest length that is clean enough.

What oozes over a travel falls as the pull-back grows; moisture and heat leave a floor that no pull-back takes away.
Some plastics are held altogether by a length d*, others fade with it and are never held quite; nobody knows which
beforehand, nor how soon an eye minds. The score falls with what is left (r):

    r(d) = a · max(0, 1 − d/d*)^p + b     or     r(d) = a · e^(−c · d/d*) + b
    score(d) = 4 / (1 + r^q) + lean

Many such curves of both forms are drawn evenly from what is plausible and weighed by how likely each makes the scores
given. Clean enough is where a curve comes within `WITHIN` of what it reaches at last; that is the small safety.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtri

from drumbo.core.fit.evenly import evenly
from drumbo.core.fit.ordinal import LOOK_SD, USUAL, Leaning, leaned, learned, log_likelihood, pick, swayed

Floats = NDArray[np.float64]

WITHIN = 0.5
"""Scores: what nobody tells apart from clean, not even in a second look."""
AMOUNT, FLOOR, POWER, RATE = (0.5, 30.0), (0.004, 1.5), (0.8, 3.0), (2.0, 5.0)
MINDS = (0.8, 2.0)
"""q: how steeply a score falls with what is left."""
FADING = 0.4
"""Share of the curves that fade."""
BEYOND = 4.0
"""How many steps past the longest length the answer may lie."""
CURVES_LOG2, DRAWS, GRID = 14, 1000, 121
FLAT = 0.9


@dataclass(frozen=True, slots=True)
class Fade:
    """`clean` is the shortest length that is clean enough, with its draws `places` (d,). `x` (g,) with `mean` and `sd`
    0..4 is the score as it was found; `reaches` is what it comes to at last. `beyond` is the probability that the
    answer lies past the longest length. `flat`: no step differs from another. `misfit` is the scatter against what is
    usual. `reader` is what is known by then of who looked, `sways` how much more it would be for somebody stricter.
    """

    clean: float
    places: Floats
    x: Floats
    mean: Floats
    sd: Floats
    reaches: float
    beyond: float
    flat: bool
    misfit: float
    reader: Leaning
    sways: float

    def error_of(self, value: float) -> float:
        """How far a value, this one or another that is taken in its stead, commonly is from the right one."""
        return float(np.sqrt(np.mean((self.places - value) ** 2)))


def fit_fade(x: Floats, scores: Floats, *, reader: Leaning = USUAL, seed: int = 0) -> Fade:
    """Fit scores (n,) 0..4, NaN where nobody looked, at rising lengths x (n,). ValueError for fewer than three."""
    x, seen = np.asarray(x, float), np.isfinite(scores)
    if seen.sum() < 3:
        raise ValueError("a fit needs scores at three steps")
    step = float(np.diff(x).mean())
    table = _plausible().copy()
    table[:, 0] = 0.25 * step + (x[-1] + BEYOND * step - 0.25 * step) * table[:, 0]
    table[:, 4] = leaned(table[:, 4], reader)
    drawn = table[pick(log_likelihood(scores[seen], _scores(table, x[seen])), DRAWS, np.random.default_rng(seed))]
    grid = np.linspace(x[0], x[-1], GRID)
    curves = _scores(drawn, grid)
    clean = _clean(drawn)
    rests = scores[seen] - _scores(drawn, x[seen]).mean(axis=0)
    return Fade(
        clean=float(clean.mean()),
        places=clean,
        x=grid,
        mean=curves.mean(axis=0),
        sd=curves.std(axis=0),
        reaches=float((4 / (1 + drawn[:, 2] ** drawn[:, 5])).mean()),
        beyond=float(np.mean(clean > x[-1] + 0.25 * step)),
        flat=bool(np.ptp(curves.mean(axis=0)) < FLAT),
        misfit=float(np.sqrt(np.mean(rests**2)) / LOOK_SD),
        reader=learned([drawn[:, 4]], reader),
        sways=swayed(clean, drawn[:, 4], reader.sd),
    )


@cache
def _plausible() -> Floats:
    """(m, 7) curves spread evenly: d* 0..1, amount, floor, power or rate, how far the lean lies
    out, q, and 1 where it fades.
    """
    even = evenly(7, CURVES_LOG2)
    table = np.empty_like(even)
    table[:, 0] = even[:, 0]
    for column, (least, most) in zip((1, 2, 5), (AMOUNT, FLOOR, MINDS), strict=True):
        table[:, column] = least * (most / least) ** even[:, column]
    table[:, 6] = even[:, 6] < FADING
    for row, (least, most) in ((table[:, 6] == 0, POWER), (table[:, 6] == 1, RATE)):
        table[row, 3] = least * (most / least) ** even[row, 3]
    table[:, 4] = ndtri(np.clip(even[:, 4], 1e-4, 1 - 1e-4))
    return np.asarray(table)


def _scores(table: Floats, at: Floats) -> Floats:
    """(m, n) scores of curves (m, 7) at lengths (n,)."""
    share = at[None, :] / table[:, 0:1]
    fades = table[:, 6] == 1
    free = np.empty_like(share)
    free[fades] = np.exp(-table[fades, 3:4] * share[fades])
    free[~fades] = np.clip(1.0 - share[~fades], 0.0, None) ** table[~fades, 3:4]
    left = table[:, 1:2] * free + table[:, 2:3]
    return np.asarray(np.clip(4.0 / (1.0 + left ** table[:, 5:6]) + table[:, 4:5], 0.0, 4.0))


def _clean(table: Floats) -> Floats:
    """(m,) where each curve comes within `WITHIN` of its last score; 0 where it starts there."""
    minds, power = table[:, 5], table[:, 3]
    last = 4.0 / (1.0 + table[:, 2] ** minds)
    enough = (4.0 / np.maximum(last - WITHIN, 0.05) - 1.0) ** (1 / minds)
    free = np.clip((enough - table[:, 2]) / table[:, 1], 1e-9, 1.0)
    return np.asarray(table[:, 0] * np.where(table[:, 6] == 1, -np.log(free) / power, 1.0 - free ** (1 / power)))
