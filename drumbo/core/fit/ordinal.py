"""Whole scores 0 to 4 as a person gives them: how likely they are under what was expected.

A look scatters by `LOOK_SD` around the expected score, is rounded to a whole score, and is plainly wrong once in
1/`SLIP`. All looks of one aspect lean the same way by `BIAS_SD`; and people differ: all that one of them scores lies
higher or lower by `SEVERITY_SD`, as raters of looks commonly do by half a mark to a whole one on a scale of five. What
somebody's earlier readings tell of that is their `Leaning`.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

LOOK_SD = 0.5
BIAS_SD = 0.35
SEVERITY_SD = 0.6
SLIP = 0.05


def log_likelihood(scores: Floats, expected: Floats) -> Floats:
    """(m,) log-likelihood of scores (n,) under expected ones (m, n). 4 and 0 stand for all beyond them."""
    # Fetched when scores are there: pages without a fit need not wait for it.
    from scipy.special import ndtr  # noqa: PLC0415

    above = np.where(scores < 4, ndtr((scores + 0.5 - expected) / LOOK_SD), 1.0)
    below = np.where(scores > 0, ndtr((scores - 0.5 - expected) / LOOK_SD), 0.0)
    return np.asarray(np.log((1 - SLIP) * (above - below) + SLIP / 5).sum(axis=1))


def pick(log_likely: Floats, count: int, rng: np.random.Generator) -> NDArray[np.int64]:
    """(count,) rows drawn by how likely they are: importance resampling."""
    weight = np.exp(log_likely - log_likely.max())
    return rng.choice(len(weight), count, p=weight / weight.sum())


@dataclass(frozen=True, slots=True)
class Leaning:
    """How much higher somebody scores than is usual, in scores, with its standard deviation; below 0 is strict."""

    mean: float = 0.0
    sd: float = SEVERITY_SD


USUAL = Leaning()
LEAST_TOLD, LEAST_KNOWN = 0.4, 0.2
"""One trial tells no more of somebody than that, and all together no more than this: some of what looks like a person's
severity is a fault of the curves.
"""


def leaned(normal: Floats, leaning: Leaning) -> Floats:
    """Leans of one aspect's looks, from standard normal numbers."""
    return np.asarray(leaning.mean + math.hypot(BIAS_SD, leaning.sd) * normal)


def learned(leans: Sequence[Floats], before: Leaning) -> Leaning:
    """What the drawn leans of several aspects, (d,) each, make of what was known of somebody before.

    A lean is the person's and the aspect's own together; each aspect tells as much as its draws are narrower than what
    was expected of them.
    """
    expected = before.sd**2 + BIAS_SD**2
    precision, pull = before.sd**-2, before.mean * before.sd**-2
    for draws in leans:
        mean, spread = float(draws.mean()), max(float(draws.var()), 1e-4)
        told = 1 / spread - 1 / expected
        if told > 0:
            alone = (mean / spread - before.mean / expected) / told
            weight = 1 / (1 / told + BIAS_SD**2)
            precision, pull = precision + weight, pull + weight * alone
    return Leaning(pull / precision, precision**-0.5)


def known_of(trials: Sequence[tuple[Leaning, Leaning]]) -> Leaning:
    """What many trials tell of somebody: of each what was known of them before and after it.

    One that moved the usual 0 ± 0.6 to −0.6 ± 0.42 tells −1.18 ± 0.59 by itself; with the usual before it, −0.6 again.
    """
    precision, pull = USUAL.sd**-2, USUAL.mean * USUAL.sd**-2
    for before, after in trials:
        told = after.sd**-2 - before.sd**-2
        if told > 1e-6:
            alone = (after.mean * after.sd**-2 - before.mean * before.sd**-2) / told
            weight = min(told, LEAST_TOLD**-2)
            precision, pull = precision + weight, pull + weight * alone
    return Leaning(pull / precision, max(precision**-0.5, LEAST_KNOWN))


def swayed(values: Floats, severities: Floats, by: float) -> float:
    """By how much a drawn value (d,) differs for somebody who is so much stricter: its slope over the severity."""
    spread = float(severities.var())
    slope = float(np.mean((values - values.mean()) * (severities - severities.mean()))) / spread if spread > 1e-9 else 0
    return -by * slope
