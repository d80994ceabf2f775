"""From calliper readings of many sizes to shrinkage and a constant offset.

A size n that is meant comes out as

    outside  n · (1 − s) + c          gap  n · (1 − s) − g          height  n · (1 − sz) + cz

with a shrinkage s for each axis of the plate and constants c and g that do not grow with the size: roads that bulge.
One cube cannot tell them apart; a line through many sizes can. c and g are alike where all faces are, but a face on
which every layer starts may differ, so each is found by itself. 100 mm that measure 99.85 and 20 mm that measure 20.01:
s = 0.2 %, and 0.05 mm, of which the jaws that read it have added some.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

from drumbo.core.fit.callipers import CALLIPER_SD_MM, JAWS_MM, JAWS_SD_MM

Floats = NDArray[np.float64]

STANDS_APART = 4.0
"""Robust deviations from which on a reading has no say."""


@dataclass(frozen=True, slots=True)
class SizeFit:
    """Shrinkage as a share, with its standard error, along one axis."""

    axis: str
    shrink: float
    error: float


@dataclass(frozen=True, slots=True)
class Sizes:
    """`shrink` ± `error` is that of the plate's axes together, a share; `axes` each by itself where each was measured
    enough, and `apart` by how many standard errors they then differ. `offset_mm` ± `offset_error` is the constant error
    of outside sizes, of gaps with its sign turned where no outside size was measured; `gap_mm` is how much too small
    gaps are, None where none was. `kept` (n,) tells which readings have a say; `rests` (n,) are what the line leaves
    over, mm.
    """

    shrink: float
    error: float
    axes: tuple[SizeFit, ...]
    apart: float
    offset_mm: float
    offset_error: float
    gap_mm: float | None
    kept: NDArray[np.bool_]
    rests: Floats


def fit_sizes(meant: Floats, measured: Floats, axis: NDArray[np.str_], side: Floats) -> Sizes:
    """Fit readings (n,) in mm of sizes `meant` (n,) along `axis` (n,) of "x" or "y"; `side` (n,) is +1 for outside
    sizes and −1 for gaps. ValueError where fewer than three, or sizes too much alike, cannot tell slope from offset.
    """
    if len(meant) < 3 or np.ptp(meant) < 10:
        raise ValueError("a line needs three readings of sizes that differ")
    names = [name for name in ("x", "y") if (axis == name).any()]
    sides = [sign for sign in (1.0, -1.0) if (side == sign).any()]
    constants = [sign * (side == sign) for sign in sides]
    design = np.column_stack([*(-meant * (axis == name) for name in names), *constants])
    slopes = len(names)
    if np.linalg.matrix_rank(design) < design.shape[1]:
        # One axis was measured too little to speak for itself: both are taken to shrink alike.
        design, slopes = np.column_stack([-meant, *constants]), 1
        if np.linalg.matrix_rank(design) < design.shape[1]:
            raise ValueError("outside sizes or gaps must differ, to tell slope from offset")
    errors = measured - meant
    # A slip at the longest size would pull a plain line to itself; one that lets go of what stands apart finds it.
    scales = np.array([*([0.003] * slopes), *([0.03] * len(sides))])
    loose = least_squares(
        lambda at: design @ (at * scales) - errors, np.zeros(len(scales)), loss="cauchy", f_scale=2 * CALLIPER_SD_MM
    )
    rests = errors - design @ (loose.x * scales)
    away = 1.4826 * float(np.median(np.abs(rests)))
    kept = np.abs(rests) <= STANDS_APART * max(away, CALLIPER_SD_MM)
    if np.linalg.matrix_rank(design[kept]) < design.shape[1]:
        kept = np.ones(len(meant), bool)
    found, *_ = np.linalg.lstsq(design[kept], errors[kept], rcond=None)
    rests = errors - design @ found
    free = max(int(kept.sum()) - design.shape[1], 1)
    sd = max(float(np.sqrt((rests[kept] ** 2).sum() / free)), CALLIPER_SD_MM)
    cov = np.linalg.pinv(design[kept].T @ design[kept]) * sd**2
    own = range(slopes) if slopes == len(names) else [0] * len(names)
    axes = tuple(SizeFit(name, float(found[k]), float(np.sqrt(cov[k, k]))) for name, k in zip(names, own, strict=True))
    shrink, error = _together(found[:slopes], cov[:slopes, :slopes])
    apart = 0.0
    if slopes == 2:
        both = float(np.sqrt(max(cov[0, 0] + cov[1, 1] - 2 * cov[0, 1], 1e-18)))
        apart = abs(axes[0].shrink - axes[1].shrink) / both
    # Jaws read what they close on too wide, and what they open in too narrow: both constants hold that as well.
    offset, offset_error = float(found[slopes]) - JAWS_MM, float(np.hypot(np.sqrt(cov[slopes, slopes]), JAWS_SD_MM))
    gap = float(found[-1]) - JAWS_MM if sides[-1] < 0 else None
    return Sizes(shrink, error, axes, apart, offset, offset_error, gap, kept, rests)


def fit_height(meant: Floats, measured: Floats) -> SizeFit | None:
    """Shrinkage upwards from heights (n,) in mm; None where fewer than two different ones were measured."""
    if len(meant) < 2 or np.ptp(meant) < 5:
        return None
    design = np.column_stack([-meant, np.ones(len(meant))])
    errors = measured - meant
    found, *_ = np.linalg.lstsq(design, errors, rcond=None)
    rests = errors - design @ found
    free = max(len(meant) - 2, 1)
    sd = max(float(np.sqrt((rests**2).sum() / free)), CALLIPER_SD_MM)
    cov = np.linalg.pinv(design.T @ design) * sd**2
    return SizeFit("z", float(found[0]), float(np.sqrt(cov[0, 0])))


@dataclass(frozen=True, slots=True)
class Square:
    """By how much the axes are out of square: mm that X moves along for each mm of Y, with its standard error; above 0
    where the angle between them is less than a right one.
    """

    skew: float
    error: float

    @property
    def degrees(self) -> float:
        """The same as an angle."""
        return float(np.degrees(np.arctan(self.skew)))


def fit_square(meant: Floats, measured: Floats, sizes: Sizes) -> Square | None:
    """Squareness from gaps (n,) across the diagonal from −45° to the X axis to 135°, mm; None with fewer than two.

    A skew k makes (m, −m) into (m − k·m, −m): beyond what the plastic shrinks, it is shorter by the share k/2.
    Shrinkage of 0.2 % and 110 mm that measure 109.725 and 10 mm that measure 9.975: 0.25 %, k = 0.001.
    """
    line = fit_height(meant, measured)
    if line is None:
        return None
    return Square(2 * (line.shrink - sizes.shrink), 2 * float(np.hypot(line.error, sizes.error)))


def _together(values: Floats, cov: Floats) -> tuple[float, float]:
    """The best single value of several with their covariance."""
    weights = np.linalg.pinv(cov).sum(axis=0)
    total = float(weights.sum())
    return float(weights @ values / total), float(total**-0.5)
