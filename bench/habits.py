"""What a careful maker does with the same readings and no program: the usual rules of thumb, with no slip in counting.

Each takes what was read and gives one number, or None where the rule finds nothing.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

PLATEAU = 0.05
"""Smoothed totals within so much of their best, as a share of it, are one plateau."""


def smoothed(totals: Floats) -> Floats:
    """(n,) mean of each step and its neighbours; the ends have one only. 1 4 1 → 2.5 2 2.5."""
    padded = np.concatenate([[np.nan], totals, [np.nan]])
    return np.asarray(np.nanmean(np.stack([padded[:-2], padded[1:-1], padded[2:]]), axis=0))


def plateau_middle(values: Sequence[float], totals: Floats) -> float:
    """Middle of the steps around the best one whose three-step means are as good."""
    mean = smoothed(np.asarray(totals, float))
    good = mean >= (1 - PLATEAU) * mean.max()
    top = int(mean.argmax())
    low = high = top
    while low and good[low - 1]:
        low -= 1
    while high + 1 < len(good) and good[high + 1]:
        high += 1
    return (values[low] + values[high]) / 2


def within_one_mark(values: Sequence[float], totals: Floats) -> float:
    """Mean of all steps whose scores add up to the best or one less."""
    good = totals >= np.nanmax(totals) - 1
    return float(np.mean(np.asarray(values)[good]))


def first_of_two(values: Sequence[float], there: Sequence[bool]) -> float | None:
    """The first step that is, and whose next one is too; None where none is."""
    for k, is_there in enumerate(there):
        if is_there and (k + 1 == len(there) or there[k + 1]):
            return values[k]
    return None


def crossing(x: Sequence[float], y: Sequence[float], level: float) -> float | None:
    """Where a line from point to point first falls to a level; None where it never does."""
    for k in range(1, len(x)):
        if y[k - 1] >= level > y[k]:
            return x[k - 1] + (x[k] - x[k - 1]) * (y[k - 1] - level) / (y[k - 1] - y[k])
    return None
