"""Whole scores 0 to 4 as a person gives them: how likely they are under what was expected.

A look scatters by `LOOK_SD` around the expected score, is rounded to a whole score, and is plainly wrong once in
1/`SLIP`. All looks of one aspect lean the same way by `BIAS_SD`.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr

Floats = NDArray[np.float64]

LOOK_SD = 0.5
BIAS_SD = 0.35
SLIP = 0.05


def log_likelihood(scores: Floats, expected: Floats) -> Floats:
    """(m,) log-likelihood of scores (n,) under expected ones (m, n). 4 and 0 stand for all beyond them."""
    above = np.where(scores < 4, ndtr((scores + 0.5 - expected) / LOOK_SD), 1.0)
    below = np.where(scores > 0, ndtr((scores - 0.5 - expected) / LOOK_SD), 0.0)
    return np.asarray(np.log((1 - SLIP) * (above - below) + SLIP / 5).sum(axis=1))


def pick(log_likely: Floats, count: int, rng: np.random.Generator) -> NDArray[np.int64]:
    """(count,) rows drawn by how likely they are: importance resampling."""
    weight = np.exp(log_likely - log_likely.max())
    return rng.choice(len(weight), count, p=weight / weight.sum())
