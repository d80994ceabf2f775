"""The working curve: how thick a skin sets on glass, over the logarithm of its light.

Cd = Dp · ln(E / Ec), the published form for photopolymers. With a light of constant intensity E ÷ Ec is t ÷ tc, so the
line gives the penetration depth and the critical time whether or not anybody knows the intensity.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from drumbo.core.fit.callipers import PRESSED_SD_UM, PRESSED_UM, SKIN_SD_UM

Floats = NDArray[np.float64]

FEWEST = 4
LEAST_REACH_UM = 5.0
"""No resin that prints takes the light up within so little."""
FAR = 3.5
"""Residuals beyond so many times the usual one are outliers."""
UNEVEN_REACH, UNEVEN_CRITICAL = 0.012, 0.018
"""The light of a screen is not the same everywhere; over all skins that moves the results by about these shares."""


@dataclass(frozen=True, slots=True)
class WorkingCurve:
    """Penetration depth, µm, and critical time, s, with standard errors and their covariance; `usual_um` is how far
    skins lie from the line. `kept` (n,) tells which have a say. `bent_um` is how far the ends lie off a straight line
    against its middle, with `bent_error_um`: a resin that bleaches, or thick skins that are not rinsed clean.
    """

    reach_um: float
    reach_error_um: float
    critical_s: float
    log_critical_error: float
    covariance: float
    usual_um: float
    kept: tuple[bool, ...]
    bent_um: float
    bent_error_um: float
    low_s: float
    high_s: float

    def depth_um(self, seconds: float) -> float:
        """Thickness that a light of so many seconds sets, µm; 0 below the critical time."""
        return max(self.reach_um * math.log(seconds / self.critical_s), 0.0)

    def seconds(self, depth_um: float) -> float:
        """The light that sets so deep, s: tc · e^(Cd / Dp)."""
        return self.critical_s * math.exp(depth_um / self.reach_um)

    def log_error(self, depth_um: float) -> float:
        """Standard error of ln(seconds) for a depth."""
        slope = depth_um / self.reach_um**2
        variance = self.log_critical_error**2 + (slope * self.reach_error_um) ** 2 - 2 * slope * self.covariance
        return math.sqrt(max(variance, 0.0))


def fit(seconds: Floats, depth_um: Floats) -> WorkingCurve | None:
    """The line through skins: `seconds` (n,) and `depth_um` (n,) of the same patches. None where fewer than four
    different lights set, or where thickness does not grow with them.

    Skins of 69.3, 138.6, 207.9 and 277.3 µm after 2, 4, 8 and 16 s: Dp = 100 µm, and tc = 0.96 s, as
    they were a little thicker before jaws pressed them.
    """
    x = np.log(seconds)
    if len(np.unique(x)) < FEWEST:
        return None
    kept = np.ones(len(x), dtype=bool)
    for _ in range(len(x)):
        line, usual = _line(x[kept], depth_um[kept])
        away = np.abs(depth_um - line[0] - line[1] * x)
        away[~kept] = 0.0
        worst = int(away.argmax())
        if away[worst] <= FAR * usual or len(np.unique(np.delete(x, worst)[np.delete(kept, worst)])) < FEWEST:
            break
        kept[worst] = False
    # Whoever stands apart has no say any more: among the rest least squares wastes nothing.
    design = np.column_stack([np.ones(kept.sum()), x[kept]])
    line = np.linalg.lstsq(design, depth_um[kept], rcond=None)[0]
    away = depth_um[kept] - design @ line
    usual = max(math.sqrt(float(away @ away) / (kept.sum() - 2)), SKIN_SD_UM / 2)
    crossing, slope = float(line[0]), float(line[1])
    if slope < LEAST_REACH_UM:
        return None
    spread = np.linalg.inv(design.T @ design) * usual**2
    # ln tc = −a / b; its error and how it goes with Dp = b, to first order.
    to_log = np.array([-1 / slope, crossing / slope**2])
    bent, bent_error = _bend(x[kept], depth_um[kept], usual)
    return WorkingCurve(
        reach_um=slope,
        reach_error_um=math.hypot(math.sqrt(float(spread[1, 1])), UNEVEN_REACH * slope),
        critical_s=math.exp(-(crossing + PRESSED_UM) / slope),
        log_critical_error=math.hypot(
            math.sqrt(float(to_log @ spread @ to_log)), UNEVEN_CRITICAL, PRESSED_SD_UM / slope
        ),
        covariance=float(to_log @ spread[:, 1]),
        usual_um=usual,
        kept=tuple(bool(k) for k in kept),
        bent_um=bent,
        bent_error_um=bent_error,
        low_s=float(np.exp(x[kept].min())),
        high_s=float(np.exp(x[kept].max())),
    )


def _line(x: Floats, y: Floats) -> tuple[Floats, float]:
    """Intercept and slope, and the usual residual by its median: a slip must not widen what it is judged by."""
    design = np.column_stack([np.ones_like(x), x])
    weights = np.ones_like(x)
    line: Floats = np.zeros(2)
    for _ in range(12):
        scaled = design * weights[:, None]
        line = np.asarray(np.linalg.lstsq(scaled, y * weights, rcond=None)[0])
        away = np.abs(y - design @ line)
        usual = max(1.4826 * float(np.median(away)), SKIN_SD_UM / 2)
        weights = np.sqrt(1 / np.maximum(away / (1.5 * usual), 1.0))
    free = max(len(x) - 2, 1)
    return line, max(usual, SKIN_SD_UM / 2) * math.sqrt(len(x) / free)


def _bend(x: Floats, y: Floats, usual: float) -> tuple[float, float]:
    """How far a parabola through the same points leaves the line between its ends and its middle, with its error."""
    if len(np.unique(x)) < FEWEST:
        return 0.0, math.inf
    middle, half = (x.max() + x.min()) / 2, (x.max() - x.min()) / 2
    u = (x - middle) / half
    design = np.column_stack([np.ones_like(u), u, u**2])
    found, *_ = np.linalg.lstsq(design, y, rcond=None)
    spread = np.linalg.inv(design.T @ design) * usual**2
    return float(found[2]), math.sqrt(float(spread[2, 2]))
