"""From leaves laid together to how much more or less light a resin wants: a reading without jaws in it.

n leaves drawn w wide are broken off and laid together; beside them stands a block drawn n·w wide. Both are measured
between the same jaws, so that what those add, where the calliper has its zero and what all shrinks is in both alike:

    stack − block = 2 (n − 1) · g(u) + J

with g(u) how far one face has moved outwards at u = ln(light / right light), as in `match`, and J what rough faces keep
apart. At n 8, b 0.026 mm and a quarter too much light: 14 · 0.0066 = 0.092 mm.

How far light bleeds (b) and what joints keep (J) are not known beforehand; both are averaged over, as likely as they
make the readings. What the same leaves came to on the same printer while the light was right says most of J.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from drumbo.core.fit.callipers import CALLIPER_SD_MM, DUST_MM, JOINT_MM, JOINT_SD_MM
from drumbo.core.light.match import BLEED_LOG_SD, USUAL_BLEED_MM, moved

Floats = NDArray[np.float64]

WANTS_SD = 0.3
"""How far the light of a bottle, as its logarithm, may be from right before anything is known."""
B_GRID, WIDE_SD = 21, 2.5
REACH, U_GRID = 0.9, 361


@dataclass(frozen=True, slots=True)
class Leaves:
    """How much more light is wanted, as a logarithm (0.14 is 15 % more), with its standard error. `weight` (u,) is how
    likely each amount `u` (u,) is.
    """

    wants: float
    error: float
    u: Floats
    weight: Floats

    def beyond(self, amount: float) -> float:
        """Probability that more than `amount` more or less light is wanted."""
        return float(self.weight[np.abs(self.u) > amount].sum())


def scatter_mm(readings: int) -> float:
    """What stack − block scatters, where each was read so many times."""
    return math.hypot(CALLIPER_SD_MM * math.sqrt(2 / readings), DUST_MM)


def fit_leaves(
    offsets: Sequence[float], differences_mm: Sequence[float], leaves: int, *, readings: int = 2,
    before_mm: float | None = None,
) -> Leaves:  # fmt: skip
    """Fit stacks (k,): how much more light each got than is printed with, as logarithms, and stack − block. `before_mm`
    is what a stack of the same leaves came to when the light was right.
    """
    u = np.linspace(-REACH, REACH, U_GRID)
    wide = np.linspace(-WIDE_SD, WIDE_SD, B_GRID)
    bleed = USUAL_BLEED_MM * np.exp(BLEED_LOG_SD * wide)
    x, d = np.asarray(offsets, float), np.asarray(differences_mm, float)
    grown = 2 * (leaves - 1) * bleed[None, :, None] * moved(x[None, None, :] - u[:, None, None])
    rests = d - grown - (leaves - 1) * JOINT_MM
    if before_mm is not None:
        rests = np.concatenate([rests, np.full((*rests.shape[:2], 1), before_mm - (leaves - 1) * JOINT_MM)], axis=2)
    # The joints of all stacks are of the same kind: what they keep is averaged over in closed form.
    sd, joint = scatter_mm(readings), (leaves - 1) * JOINT_SD_MM
    count, total = rests.shape[2], rests.sum(axis=2)
    likely = -0.5 * ((rests**2).sum(axis=2) / sd**2 - total**2 / sd**4 / (count / sd**2 + joint**-2))
    likely -= 0.5 * (wide**2 + (u[:, None] / WANTS_SD) ** 2)
    weight = np.exp(likely - likely.max()).sum(axis=1)
    weight /= weight.sum()
    mean = float(weight @ u)
    return Leaves(mean, math.sqrt(float(weight @ (u - mean) ** 2)), u, weight)
