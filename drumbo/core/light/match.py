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
from dataclasses import dataclass

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
        return float(self.bleed_mm * _moved(np.array([math.log(seconds / self.exposure_s)]))[0])


def _moved(u: Floats) -> Floats:
    """−Φ⁻¹(½ e^(−u)), carried on straight where hardly anything sets."""
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
    spread = _spread(found, x[kept], sign[kept]) * max(misfit, 1.0) ** 2
    bleed = math.exp(found[1])
    return Match(
        exposure_s=math.exp(found[0]),
        log_error=math.sqrt(float(spread[0, 0])),
        bleed_mm=bleed,
        bleed_error_mm=bleed * math.sqrt(float(spread[1, 1])),
        offset_mm=float(found[2]),
        jaw_mm=float(found[3]),
        kept=tuple(bool(k) for k in kept),
        misfit=misfit,
    )


def _model(found: Floats, x: Floats, sign: Floats) -> Floats:
    return np.asarray(found[2] + 2 * sign * (math.exp(found[1]) * _moved(x - found[0]) + found[3]))


def _rests(found: Floats, x: Floats, sign: Floats, error_mm: Floats) -> Floats:
    """Residuals in standard deviations, and what is known beforehand of bleed, offset and jaws as three more."""
    before = [
        (found[1] - math.log(USUAL_BLEED_MM)) / BLEED_LOG_SD, found[2] / OFFSET_SD_MM, (found[3] - JAW_MM) / JAW_SD_MM
    ]  # fmt: skip
    return np.append((error_mm - _model(found, x, sign)) / CALLIPER_SD_MM, before)


def _fit(x: Floats, sign: Floats, error_mm: Floats, kept: NDArray[np.bool_]) -> Floats:
    start = np.array([float(np.median(x)), math.log(USUAL_BLEED_MM), float(np.median(error_mm)), JAW_MM])
    least, most = float(x.min()), float(x.max())
    room = 0.6 * (most - least) + 0.1
    bounds = ([least - room, math.log(0.004), -0.3, -0.02], [most + room, math.log(0.2), 0.3, 0.04])
    found = least_squares(
        _rests, np.clip(start, *bounds), args=(x[kept], sign[kept], error_mm[kept]), bounds=bounds, loss="soft_l1",
        f_scale=2.0,
    )  # fmt: skip
    return np.asarray(found.x)


def _spread(found: Floats, x: Floats, sign: Floats) -> Floats:
    """Covariance (4, 4) of ln t*, ln b, the offset and what jaws add, by numerical slopes."""
    zero = np.zeros(len(x))
    slopes = np.empty((len(x) + 3, 4))
    for column in range(4):
        step = np.zeros(4)
        step[column] = 1e-4
        up, down = (_rests(found + way * step, x, sign, zero) for way in (1, -1))
        slopes[:, column] = (up - down) / 2e-4
    return np.asarray(np.linalg.inv(slopes.T @ slopes))
