"""From what stands and what is open to the exposure at which both come out as drawn.

A face stands where the dose is just critical. Light bleeds sideways with a spread b, so with u = ln(t / t*) it has
moved outwards by

    g(u) = −b · Φ⁻¹(½ · e^(−u))

which is 0 at t*, where half of the light that falls on an edge is just enough. What stands is then wider by 2 g, a gap
narrower by as much, and both share what has nothing to do with light, such as shrinkage or a calliper's zero:

    error of what stands = o + 2 g + 2 j,      error of a gap = o − 2 g − 2 j.

At u = 0.2 and b = 0.03 mm: Φ⁻¹(0.4094) = −0.2292, so g = 0.0069 mm. Jaws are never quite sharp: by j a side they read
what stands too wide and a gap too narrow, as more light would. They cannot tell themselves from light; what is known of
callipers beforehand has its say, and what is not makes the answer less sure.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares
from scipy.special import ndtri

from drumbo.core.fit.callipers import CALLIPER_SD_MM, JAW_MM, JAW_SD_MM

Floats = NDArray[np.float64]

USUAL_BLEED_MM, BLEED_LOG_SD = 0.026, 0.45
OFFSET_SD_MM = 0.03
FAR = 4.0
"""Residuals beyond so many standard deviations are named and left out."""
LEAST_SHARE = 0.02
FEWEST_STEPS = 3
T_GRID, B_GRID, J_GRID, WIDE_SD = 241, 21, 11, 2.5


@dataclass(frozen=True, slots=True)
class Match:
    """The exposure, s, with the standard error of its logarithm; bleed, common offset and what jaws add a side, mm;
    which readings (n,) have a say; and the scatter of those against the curves in units of what is usual.
    """

    exposure_s: float
    log_error: float
    bleed_mm: float
    bleed_error_mm: float
    offset_mm: float
    jaw_mm: float
    kept: tuple[bool, ...]
    misfit: float

    def growth_mm(self, seconds: float) -> float:
        """How far faces have moved outwards at an exposure, mm."""
        return float(self.bleed_mm * moved(np.array([math.log(seconds / self.exposure_s)]))[0])


def moved(u: Floats) -> Floats:
    """−Φ⁻¹(½ e^(−u)), of any shape: how many bleeds a face moves outwards at u = ln(light / right light). Carried on
    straight where hardly anything sets.
    """
    edge = -math.log(2 * (1 - LEAST_SHARE))
    inner = np.maximum(u, edge)
    share = 0.5 * np.exp(-inner)
    slope = (1 - LEAST_SHARE) * math.sqrt(2 * math.pi) * math.exp(float(ndtri(1 - LEAST_SHARE)) ** 2 / 2)
    return np.asarray(-ndtri(share) + slope * np.minimum(u - edge, 0.0))


def fit_match(seconds: Floats, sign: Floats, error_mm: Floats) -> Match | None:
    """Fit readings (n,): exposure, +1 for what stands and −1 for a gap, and measured − drawn. None where fewer than
    three exposures have readings, or only one side was measured.
    """
    if len(np.unique(seconds)) < FEWEST_STEPS or len(np.unique(sign)) < 2:
        return None
    x, kept = np.log(seconds), np.ones(len(seconds), dtype=bool)
    found = _fit(x, sign, error_mm, kept)
    for _ in range(max(len(x) // 8, 1)):
        away = np.abs(error_mm - _model(found, x, sign)) * kept
        worst = int(away.argmax())
        if away[worst] <= FAR * CALLIPER_SD_MM:
            break
        kept[worst] = False
        found = _fit(x, sign, error_mm, kept)
    rest = (error_mm - _model(found, x, sign))[kept] / CALLIPER_SD_MM
    misfit = math.sqrt(float((rest**2).sum()) / max(int(kept.sum()) - 3, 1))
    told = _weighed(x[kept], sign[kept], error_mm[kept], CALLIPER_SD_MM * max(misfit, 1.0))
    return replace(told, kept=tuple(bool(k) for k in kept), misfit=misfit)


def _weighed(x: Floats, sign: Floats, error_mm: Floats, sd_mm: float) -> Match:
    """All exposures, bleeds and jaws that are plausible, on a grid, by how likely they make the readings; the offset is
    averaged over in closed form. More light and blunter jaws read alike, so that one best fit says too little.
    """
    room = _room(x)
    t = np.linspace(x.min() - room, x.max() + room, T_GRID)[:, None, None]
    wide = np.linspace(-WIDE_SD, WIDE_SD, B_GRID)[:, None]
    bleed = USUAL_BLEED_MM * np.exp(BLEED_LOG_SD * wide)
    jaw = JAW_MM + JAW_SD_MM * np.linspace(-WIDE_SD, WIDE_SD, J_GRID)
    grown = moved(x - t[:, :, 0])  # (t, n)
    by_sign, all_moved, square = ((grown * w).sum(axis=1)[:, None, None] for w in (sign, 1.0, grown))
    with_error = (grown * sign * error_mm).sum(axis=1)[:, None, None]
    n = len(x)
    # Σ r² and Σ r of r = e − 2 s (b g + j), from sums over readings alone.
    squares = (
        float(error_mm @ error_mm) - 4 * bleed * with_error - 4 * jaw * float(sign @ error_mm)
        + 4 * (bleed**2 * square + 2 * bleed * jaw * all_moved + n * jaw**2)
    )  # fmt: skip
    sums = float(error_mm.sum()) - 2 * bleed * by_sign - 2 * jaw * float(sign.sum())
    sure = n / sd_mm**2 + OFFSET_SD_MM**-2
    likely = -0.5 * (squares / sd_mm**2 - sums**2 / sd_mm**4 / sure)
    likely -= 0.5 * (wide**2 + ((jaw - JAW_MM) / JAW_SD_MM) ** 2)
    weight = np.exp(likely - likely.max())
    weight /= weight.sum()

    def mean(values: Floats) -> tuple[float, float]:
        middle = float((weight * values).sum())
        return middle, math.sqrt(float((weight * (values - middle) ** 2).sum()))

    (log_t, log_error), (bled, bleed_error) = mean(t), mean(bleed)
    return Match(
        math.exp(log_t), log_error, bled, bleed_error, mean(sums / sd_mm**2 / sure)[0], mean(jaw)[0], (), 0.0
    )  # fmt: skip


def _room(x: Floats) -> float:
    """How far beyond the exposures tried the right one may lie, in logarithms."""
    return 0.6 * float(np.ptp(x)) + 0.1


def _model(found: Floats, x: Floats, sign: Floats) -> Floats:
    return np.asarray(found[2] + 2 * sign * (math.exp(found[1]) * moved(x - found[0]) + found[3]))


def _rests(found: Floats, x: Floats, sign: Floats, error_mm: Floats) -> Floats:
    """Residuals in standard deviations, and what is known beforehand of bleed, offset and jaws as three more."""
    before = [
        (found[1] - math.log(USUAL_BLEED_MM)) / BLEED_LOG_SD, found[2] / OFFSET_SD_MM, (found[3] - JAW_MM) / JAW_SD_MM
    ]  # fmt: skip
    return np.append((error_mm - _model(found, x, sign)) / CALLIPER_SD_MM, before)


def _fit(x: Floats, sign: Floats, error_mm: Floats, kept: NDArray[np.bool_]) -> Floats:
    start = np.array([float(np.median(x)), math.log(USUAL_BLEED_MM), float(np.median(error_mm)), JAW_MM])
    least, most, room = float(x.min()), float(x.max()), _room(x)
    bounds = ([least - room, math.log(0.004), -0.3, -0.02], [most + room, math.log(0.2), 0.3, 0.04])
    found = least_squares(
        _rests, np.clip(start, *bounds), args=(x[kept], sign[kept], error_mm[kept]), bounds=bounds, loss="soft_l1",
        f_scale=2.0,
    )  # fmt: skip
    return np.asarray(found.x)
