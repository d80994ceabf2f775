"""From scores of gaps and of ridges at the steps of a flow sweep to the flow at which a surface just closes.

Below the right flow gaps open, above it ridges rise; each is seen as a fall of its own score from full marks:

    gaps(x)   = 4 − h · (4 − 4 / (1 + (max(0, 1 − d − x/x*) / g)^p)) + lean
    ridges(x) = 4 − h · (4 − 4 / (1 + (max(0, x/x* − 1 − d) / r)^q)) + lean

`g` and `r` are the departures that halve a score; `d` is how far off roads may be before anything shows, as plastic
flows together by itself; `h` is 1, or less where a plastic is filled and hides its faults. Both falls begin as far
from the same x*, so that all scores tell where it is. A lean is each aspect's own, and besides that the same for
both: who is strict with gaps is strict with ridges.
Whatever opens on one side and swells on the other reads the same way: where a road starts, or its width where the head
brakes; such departures are told in a unit of their own instead of x*. Many pairs are drawn evenly from what is
plausible and weighed by how likely each makes the scores given.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtri

from drumbo.core.fit.evenly import evenly
from drumbo.core.fit.ordinal import BIAS_SD, LOOK_SD, USUAL, Leaning, log_likelihood, pick, swayed

Floats = NDArray[np.float64]

BEYOND = 2.0
"""How many steps beyond either end of the sweep the answer may lie."""
HALF_GAP = (0.008, 0.09)
"""Departure from the right flow at which open gaps halve their score, as a share."""
RIDGE_PER_GAP = (0.5, 4.0)
"""Ridges are mostly seen and felt a little later than gaps."""
SHOWN = (0.3, 0.8)
"""How much of a fault shows on plastic that hides it."""
DEAD = 0.015
"""Departures of so much may show nothing at all."""
POWERS = (0.8, 2.5)
PAIRS_LOG2, DRAWS, GRID = 14, 2000, 161
FLAT = 0.9
"""Below so many whole scores between the best and the worst step, the steps cannot be told apart."""


@dataclass(frozen=True, slots=True)
class Vee:
    """`best` ± `error` is the flow at which the surface closes. `x` (g,) with `mean` and `sd` 0..100 is the sum of
    both scores as it was found. `edge` is −1 or +1 where the best lies at or beyond the low or high end, else 0.
    `flat` where no difference can be told. `misfit` is the scatter against what is usual. `reader` is
    what is known by then of whoever looked, `sways` how much more the best would be for somebody stricter than that.
    """

    best: float
    error: float
    x: Floats
    mean: Floats
    sd: Floats
    edge: int
    flat: bool
    misfit: float
    reader: Leaning
    sways: float


def fit_vee(
    x: Floats,
    gaps: Floats,
    ridges: Floats,
    *,
    unit: float | None = None,
    times: float = 1.0,
    ratio: tuple[float, float] = RIDGE_PER_GAP,
    known: tuple[float, float] | None = None,
    dead: float = DEAD,
    hides: bool = False,
    reader: Leaning = USUAL,
    seed: int = 0,
) -> Vee:
    """Fit scores (n,) 0..4, NaN where nobody looked, at rising x (n,): of what falls below the best and above it.

    A departure is a share of so many `times` the best, or of `unit` where the best may be 0 or less; a hundredth to a
    tenth of that halves a score. Any place among the steps is as plausible as another, also where they grow. `ratio`
    bounds how much later the fall above the best is seen. `known` is what an earlier sweep says: a value and its
    standard error; up to `dead` a departure may not show; a plastic may be one that `hides` its faults. Needs three
    steps at which something was scored; ValueError otherwise.
    """
    x = np.asarray(x, float)
    seen_gaps, seen_ridges = np.isfinite(gaps), np.isfinite(ridges)
    if (seen_gaps | seen_ridges).sum() < 3:
        raise ValueError("a fit needs scores at three steps")
    table = _plausible(ratio, dead).copy()
    table[:, 0] = _places(x, table[:, 0])
    table[:, 9] = SHOWN[0] + (SHOWN[1] - SHOWN[0]) * table[:, 9] if hides else 1.0
    table[:, 8] = reader.mean + reader.sd * table[:, 8]
    table[:, 5:7] = BIAS_SD * table[:, 5:7] + table[:, 8:9]
    likely = np.zeros(len(table))
    for scores, seen, side in ((gaps, seen_gaps, -1), (ridges, seen_ridges, 1)):
        if seen.any():
            likely += log_likelihood(scores[seen], _fall(table, x[seen], side, unit, times))
    if known is not None:
        likely -= 0.5 * ((table[:, 0] - known[0]) / known[1]) ** 2
    rng = np.random.default_rng(seed)
    drawn = table[pick(likely, DRAWS, rng)]
    grid = np.interp(np.linspace(0, len(x) - 1, GRID), np.arange(len(x)), x)
    sums = 12.5 * (_fall(drawn, grid, -1, unit, times) + _fall(drawn, grid, 1, unit, times))
    best, error = float(drawn[:, 0].mean()), float(drawn[:, 0].std())
    first, last = x[0] + 0.25 * (x[1] - x[0]), x[-1] - 0.25 * (x[-1] - x[-2])
    outside = float(np.mean(drawn[:, 0] > last) - np.mean(drawn[:, 0] < first))
    rests = np.concatenate([
        scores[seen] - _fall(drawn, x[seen], side, unit, times).mean(axis=0)
        for scores, seen, side in ((gaps, seen_gaps, -1), (ridges, seen_ridges, 1))
    ])  # fmt: skip
    spans = [float(np.ptp(scores[seen])) for scores, seen in ((gaps, seen_gaps), (ridges, seen_ridges)) if seen.any()]
    return Vee(
        best=best,
        error=error,
        x=grid,
        mean=sums.mean(axis=0),
        sd=sums.std(axis=0),
        edge=int(np.sign(outside)) if abs(outside) > 0.4 else 0,
        flat=max(spans) < FLAT,
        misfit=float(np.sqrt(np.mean(rests**2)) / LOOK_SD),
        reader=Leaning(float(drawn[:, 8].mean()), float(drawn[:, 8].std())),
        sways=swayed(drawn[:, 0], drawn[:, 8], reader.sd),
    )


@cache
def _plausible(ratio: tuple[float, float], dead: float) -> Floats:
    """(m, 10) pairs spread evenly: place 0..1, halves, powers and how far the own leans of gaps and ridges lie out;
    what may not show; how far the lean of both lies out; and 0..1 for how much shows of what is hidden.
    """
    even = evenly(10, PAIRS_LOG2)
    table = np.empty((len(even), 10))
    table[:, 0] = even[:, 0]
    for column, (least, most) in zip((1, 2, 3, 4), (HALF_GAP, ratio, POWERS, POWERS), strict=True):
        table[:, column] = least * (most / least) ** even[:, column]
    table[:, 2] *= table[:, 1]
    table[:, 7] = dead * even[:, 8]
    table[:, 9] = even[:, 9]
    normal = ndtri(np.clip(even[:, 5:8], 1e-4, 1 - 1e-4))
    table[:, 5:7], table[:, 8] = normal[:, :2], normal[:, 2]
    return np.asarray(table)


def _places(x: Floats, share: Floats) -> Floats:
    """Where the best may lie, evenly among the steps and `BEYOND` of them farther at both ends, for shares 0 to 1."""
    ends = x[0] - BEYOND * (x[1] - x[0]), x[-1] + BEYOND * (x[-1] - x[-2])
    at = np.concatenate([[-BEYOND], np.arange(len(x)), [len(x) - 1 + BEYOND]])
    return np.asarray(np.interp(at[0] + (at[-1] - at[0]) * share, at, [ends[0], *x, ends[1]]))


def _fall(table: Floats, at: Floats, side: int, unit: float | None, times: float) -> Floats:
    """(m, n) scores of pairs (m, 10) at places (n,): of gaps for side −1, of ridges for side +1."""
    which = 0 if side < 0 else 1
    best = table[:, 0:1]
    away = np.clip(side * (at[None, :] - best) / (times * best if unit is None else unit) - table[:, 7:8], 0.0, None)
    ratio = away / table[:, 1 + which, None]
    # exp(p·log(r)) is what r**p computes, at half the cost for a whole table; a departure of 0 leaves full marks.
    with np.errstate(divide="ignore"):
        fallen = np.exp(table[:, 3 + which, None] * np.log(ratio))
    lost = 4.0 * table[:, 9:10] * (1.0 - 1.0 / (1.0 + fallen))
    return np.asarray(np.clip(4.0 - lost + table[:, 5 + which, None], 0.0, 4.0))
