"""From counts on the levels of a tower to the value at which about a fifth of what stood before is missing.

How counts fall is not known: at once or over the whole tower, ever faster or along an S, to nothing or to what stands
all of it. So all falls that are plausible are weighed by how likely each makes the counts given, and so is what a level
holds where nothing fails; a count that is out of line by a slip has little say:

    count(x) = m · (1 − lost(u)),   u = (x − x*) / r towards what fails,
    lost(u) = l · e^u, up to 1 − f   or   (1 − f) / (1 + ((1 − f) / l − 1) · e^(−u))

At x* a share l of m is lost, whatever r and f. Of eight, 8 8 8 5 1 on levels 1 to 5: 6.5 are left at 3.7 ± 0.2.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

LOST = 1.5 / 8
"""About a fifth: where a count of eight turns from seven to six."""
COUNT_SD = 0.5
"""Something stands or does not; what half stands is counted by one and not by the next."""
SLIP = 0.05
"""Share of counts that say nothing."""
REACH = (0.06, 1.2)
"""Over how much of the tower's range counts fall, as a share of that."""
STURDY = (0.0, 0.3, 0.6)
"""What may stand however far one goes, as a share."""
GRID, REACHES, MOST_STEP = 241, 9, 0.5
FURTHER = 40.0


@dataclass(frozen=True, slots=True)
class Fall:
    """`at` ± `error` is where about a fifth is missing, in the unit of the levels. `before` and `beyond` are how likely
    that is on this side of the first level, and past the last.
    """

    at: float
    error: float
    before: float
    beyond: float


def fit_fall(x: Floats, counts: Floats, most: float, *, least_x: float = 0.0) -> Fall:
    """Fit counts (n,) of at most `most` at levels x (n,), from what holds to what fails, rising or falling evenly. What
    lies more than a level outside is not told apart from that, nor what lies below `least_x`.
    """
    way = 1.0 if x[-1] > x[0] else -1.0
    step, span = abs(float(x[1] - x[0])), abs(float(x[-1] - x[0]))
    low, high = max(float(x.min()) - step, least_x), float(x.max()) + step
    at = np.linspace(low, high, GRID)[:, None, None, None]
    reach = (np.geomspace(*REACH, REACHES) * span)[None, :, None, None]
    whole = np.arange(most / 2, most + 0.01, MOST_STEP)[None, None, :, None]
    past = np.clip(way * (x - at) / reach, -FURTHER, FURTHER)
    told = []
    for most_lost in (1 - sturdy for sturdy in STURDY):
        for lost in (
            np.minimum(LOST * np.exp(past), most_lost),
            most_lost / (1 + (most_lost / LOST - 1) * np.exp(-past)),
        ):
            away = (counts - whole * (1 - lost)) / COUNT_SD
            likely = (1 - SLIP) * np.exp(-(away**2) / 2) / (COUNT_SD * math.sqrt(2 * math.pi)) + SLIP / (most + 1)
            told.append(np.log(likely).sum(axis=-1))
    likely_at = np.array(told)
    weight = np.exp(likely_at - likely_at.max()).sum(axis=(0, 2, 3))
    weight /= weight.sum()
    values = at[:, 0, 0, 0]
    mean = float(weight @ values)
    outside = way * (values - x[0]) < 0, way * (values - x[-1]) > 0
    before, beyond = (float(weight[side].sum()) for side in outside)
    return Fall(mean, math.sqrt(float(weight @ (values - mean) ** 2)), before, beyond)
