"""What light does to resin: each relation one small function. See docs/physics.md."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray
from scipy.special import erf, ndtr, ndtri

Floats = NDArray[np.float64]

SLOW_MM_MIN = 60.0
USUAL_C = 25.0
SMEAR_MM = 0.16
SUPPORT_MM2 = 0.010
"""Cross-section of firm supports that hold a square millimetre of roof at a slow lift, mm²."""


def critical_mj_cm2(at_25_c: float, per_c: float, resin_c: float) -> float:
    """Critical energy at a resin's temperature: cold resin needs more."""
    return at_25_c * (1 + per_c * (USUAL_C - resin_c))


def cure_depth_um(dose_mj_cm2: float, critical: float, reach_um: float) -> float:
    """Jacobs' working curve: Dp · ln(E / Ec), 0 below the critical energy. E = e·Ec sets one Dp deep."""
    return max(reach_um * math.log(dose_mj_cm2 / critical), 0.0) if dose_mj_cm2 > 0 else 0.0


def pixel_weights(at: Floats, first: NDArray[np.int64], count: int, pixel_mm: float, bleed_mm: float) -> Floats:
    """(n, count) share of the light of `count` pixels from `first` (n,) on that reaches places `at` (n,), mm along one
    axis: each pixel an even strip, blurred by a normal distribution.
    """
    edges = (first[:, None] + np.arange(count + 1)[None, :]) * pixel_mm - at[:, None]
    below = 0.5 * (1 + erf(edges / (math.sqrt(2) * bleed_mm)))
    return np.asarray(np.diff(below, axis=1))


TAIL_FAR = 4.0
"""How much further the tail of the bleeding reaches."""
HALVINGS = 40


def growth_mm(overdose: float, bleed_mm: float, tail: float = 0.0) -> float:
    """How far a long straight face moves outwards: −σ · Φ⁻¹(Ec / D). At twice the critical energy it stands still. With
    a tail, where the sum of both bleedings falls to Ec / D.
    """
    wanted = min(max(1 / max(overdose, 1e-6), 1e-9), 1 - 1e-9)
    if not tail:
        return float(-bleed_mm * ndtri(wanted))
    near, far = -10 * TAIL_FAR * bleed_mm, 10 * TAIL_FAR * bleed_mm
    for _ in range(HALVINGS):
        middle = (near + far) / 2
        share = (1 - tail) * ndtr(-middle / bleed_mm) + tail * ndtr(-middle / (TAIL_FAR * bleed_mm))
        near, far = (middle, far) if share > wanted else (near, middle)
    return (near + far) / 2


def green(overdose: float, greens: float) -> float:
    """Share of its strength that resin has before the post-cure, by how far light has passed the critical energy."""
    return 1 - math.exp(-max(overdose - 1, 0.0) / greens)


def thinnest_mm(thin_mm: float, firm: float, speed_mm_min: float, tears_mm_min: float) -> float:
    """The thinnest pin that stands: soft resin and quick lifts want thicker ones. Infinite where nothing has set."""
    if firm <= 0.02:
        return math.inf
    return thin_mm / firm * math.sqrt(max(speed_mm_min, 1.0) / SLOW_MM_MIN) * max(speed_mm_min / tears_mm_min, 1.0) ** 2


def smear_mm(rest_s: float, settles_s: float) -> float:
    """How much of a gap is smeared shut because the resin still flows when the light comes on."""
    return SMEAR_MM * math.exp(-rest_s / settles_s)


def print_through_um(overdose: float, height_um: float, reach_um: float, remembers: float) -> float:
    """How far below its first layer an underside sets, µm: light that goes on past it, of that layer and those above.

    Of what one layer leaves there, the share m stays until the next: D(d) = D·e^(−(d + h)/Dp) / (1 − m·e^(−h/Dp)),
    which is critical at d = Dp · ln(D / (1 − m·e^(−h/Dp))) − h. At D 1.855, 50 µm, Dp 150 and m 0.3: 79 µm.
    """
    kept = 1 - remembers * math.exp(-height_um / reach_um)
    return max(reach_um * math.log(max(overdose / kept, 1.0)) - height_um, 0.0)


def hold(overdose: float, sticks: float) -> float:
    """How well a bottom holds to the plate, 0..1; a half at `sticks` times the critical energy."""
    return 1 / (1 + (sticks / max(overdose, 1e-6)) ** 6)


def carried(section_mm2: float, firm: float, roof_mm2: float, speed_mm_min: float) -> float:
    """How safely supports of a common resin hold a roof through a lift: 1 is just enough."""
    load = roof_mm2 * SUPPORT_MM2 * math.sqrt(max(speed_mm_min, 1.0) / SLOW_MM_MIN)
    return section_mm2 * firm / max(load, 1e-9)
