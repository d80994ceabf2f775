"""A wall of one line gets thinner where less arrives than is asked for: what its thickness says, band by band.

A line h high with half-round sides that holds the area A is A/h + h·(1 − π/4) thick. So where only a share of what is
asked arrives,

    thickness(Q) = g · share(Q) · (w − r) + r        r = h·(1 − π/4), w as thick as the line should be

g is what even slow bands have more or less than that: how full the lines are, and how blunt the jaws. It tells nothing
of melting, so each curve is given the g that suits it best. 0.3 mm high, 0.56 mm thick: at a share of 0.8 the wall
measures 0.46 mm.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

READ_MM, UNEVEN = 0.016, 0.012
"""Scatter of one reading by callipers, mm, and of the lines themselves, as a share of the thickness."""
GAIN_SD = 0.1
OUT = 2.0
"""Standard deviations from which on a reading loses its say, as a misread digit does."""
FEWEST = 5
"""A wall measured at fewer bands than that shows no curve."""


@dataclass(frozen=True, slots=True)
class Thickness:
    """A wall measured at rising flows (n,), mm³/s: `sizes` (n,), mm. It should be `width_mm` thick, of lines that are
    `high_mm` high.
    """

    flows: Floats
    sizes: Floats
    width_mm: float
    high_mm: float

    @property
    def round_mm(self) -> float:
        """How much of the thickness is there however little arrives: half-round sides."""
        return self.high_mm * (1 - math.pi / 4)

    @property
    def full_mm(self) -> float:
        """What is added to that where all arrives."""
        return self.width_mm - self.round_mm

    def arrived(self, gain: float) -> Floats:
        """(n,) share that arrived at each flow, where slow bands have so much of what was asked."""
        return np.asarray((self.sizes - self.round_mm) / (gain * self.full_mm))


def log_likelihood(wall: Thickness, shares: Floats) -> tuple[Floats, Floats]:
    """(m,) log-likelihood of what was measured under the shares (m, n) that arrive at its flows, and (m,) the g of
    each.
    """
    expected = shares * wall.full_mm
    found = wall.sizes - wall.round_mm
    sd = np.hypot(READ_MM, UNEVEN * wall.sizes)
    known = GAIN_SD**-2
    gain = ((expected * found / sd**2).sum(axis=1) + known) / ((expected**2 / sd**2).sum(axis=1) + known)
    off = np.abs(gain[:, None] * expected - found) / sd
    tamed = np.where(off > OUT, 2 * OUT * off - OUT**2, off**2)
    return np.asarray(-0.5 * (tamed.sum(axis=1) + known * (gain - 1) ** 2)), gain
