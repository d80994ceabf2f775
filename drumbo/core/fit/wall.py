"""From calliper readings of single and double walls to how full their roads are.

A road of height h that is filled to u is u·s + c wide, with s the spacing at which full roads close and
c = h·(1 − π/4) what its round sides add. A single wall is one road. Two neighbouring roads lie s apart; what they have
too much or too little shows on both outsides, and the more so the more they push each other (g, 0 to 1, unknown):

    single = c + s·u + j      double = c + 2·s + s·(u − 1)·(1 + g) + j

Near u = 1 both say the same whatever g is, so the double wall counts in full there and less further away. Jaws bear on
a wall's ridges and are not quite sharp: whatever they close on reads a little more than it is, by an unknown j.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from drumbo.core.fit.callipers import CALLIPER_SD_MM, JAWS_MM, JAWS_SD_MM

Floats = NDArray[np.float64]

COMMON_SD_MM = 0.003
"""Error that all readings of one calliper share."""
APART_MM = 0.06
"""Readings of one wall that lie no further than this from the middle one are never thrown out."""


@dataclass(frozen=True, slots=True)
class WallFill:
    """`fill` ± `error` is u. `kept` per wall tells which readings have a say; `means` (mm) and their `errors` (mm) are
    of those. `apart` is how many standard errors the two walls differ, 0 where there is only one.
    """

    fill: float
    error: float
    kept: tuple[NDArray[np.bool_], NDArray[np.bool_]]
    means: tuple[float, float]
    errors: tuple[float, float]
    apart: float


def spread_kept(numbers: Floats) -> NDArray[np.bool_]:
    """(n,) whether each reading belongs with the others: within 3.5 robust deviations of the middle one.

    >>> spread_kept(np.array([0.45, 0.46, 0.44, 0.75])).tolist()
    [True, True, True, False]
    """
    if len(numbers) < 3:
        return np.ones(len(numbers), bool)
    away = np.abs(numbers - np.median(numbers))
    return np.asarray(away <= max(3.5 * 1.4826 * float(np.median(away)), APART_MM) + 1e-9)


def nominal_mm(walls: int, spacing_mm: float, height_mm: float) -> float:
    """Width of so many roads side by side when they are just full, mm. 2 at 0.407 and 0.2: 0.857."""
    return walls * spacing_mm + height_mm * (1 - np.pi / 4)


def fit_wall(single: Sequence[float], double: Sequence[float], spacing_mm: float, height_mm: float) -> WallFill:
    """Fill of the roads from readings in mm; either wall may have none, ValueError if both have fewer than two."""
    readings = (np.asarray(single, float), np.asarray(double, float))
    if max(len(r) for r in readings) < 2:
        raise ValueError("a wall needs at least two readings")
    kept = (spread_kept(readings[0]), spread_kept(readings[1]))
    walls = (_mean(readings[0][kept[0]]), _mean(readings[1][kept[1]]))
    fill, push, jaws = np.linspace(0.6, 1.4, 801), np.linspace(0.0, 1.0, 11), JAWS_SD_MM * np.linspace(-2.5, 2.5, 11)
    likely = np.zeros((len(fill), len(push), len(jaws))) - 0.5 * (jaws / JAWS_SD_MM) ** 2
    expected = (
        (nominal_mm(1, spacing_mm, height_mm) + spacing_mm * (fill - 1))[:, None],
        nominal_mm(2, spacing_mm, height_mm) + spacing_mm * np.outer(fill - 1, 1 + push),
    )
    for (mean, error), width in zip(walls, expected, strict=True):
        if np.isfinite(mean):
            likely -= 0.5 * ((width[..., None] + JAWS_MM + jaws - mean) / error) ** 2
    weight = np.exp(likely - likely.max()).sum(axis=(1, 2))
    weight /= weight.sum()
    best = float(fill @ weight)
    sd = float(np.sqrt(((fill - best) ** 2) @ weight))
    return WallFill(
        fill=best,
        error=float(np.hypot(sd, COMMON_SD_MM / spacing_mm)),
        kept=kept,
        means=(walls[0][0], walls[1][0]),
        errors=(walls[0][1], walls[1][1]),
        apart=_apart(*walls, spacing_mm, height_mm),
    )


def _mean(numbers: Floats) -> tuple[float, float]:
    """Mean and its standard error, never below what the calliper itself scatters; NaN where there is nothing."""
    if not len(numbers):
        return float("nan"), float("nan")
    sd = max(float(numbers.std(ddof=1)) if len(numbers) > 1 else CALLIPER_SD_MM, CALLIPER_SD_MM)
    return float(numbers.mean()), sd / float(np.sqrt(len(numbers)))


def _apart(single: tuple[float, float], double: tuple[float, float], spacing_mm: float, height_mm: float) -> float:
    """Standard errors by which the walls contradict each other, whatever the push; positive if the single is fuller."""
    one = (single[0] - JAWS_MM - nominal_mm(1, spacing_mm, height_mm)) / spacing_mm
    two = (double[0] - JAWS_MM - nominal_mm(2, spacing_mm, height_mm)) / spacing_mm
    if not (np.isfinite(one) and np.isfinite(two)):
        return 0.0
    low, high = sorted((one, 2 * one))
    beyond = two - min(max(two, low), high)
    return float(-beyond * spacing_mm / np.hypot(single[1], double[1]))
