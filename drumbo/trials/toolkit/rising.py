"""One score a step that rises over the sweep: from which value on something holds, breaks or turns."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from drumbo.core.fit.ordinal import USUAL, Leaning
from drumbo.core.fit.ramp import Ramp, fit_ramp
from drumbo.trials.pictures import Curve
from drumbo.trials.readings import Step

WITHIN = 0.5


@dataclass(frozen=True, slots=True)
class Rise:
    """The curve through the scores of a sweep, whose first and last values are `low` and `high`."""

    low: float
    high: float
    found: Ramp
    curve: Curve

    def reached(self, score: float, beyond: float) -> tuple[float, float]:
        """The value from which a score is reached and its standard error: the median of all draws, within so much
        `beyond` what was printed, and half of what two thirds of them span.
        """
        places = self.low + (self.high - self.low) * self.found.crossing(score)
        value = float(np.clip(np.median(places), self.low - beyond, self.high + beyond))
        return value, float(np.quantile(places, 0.84) - np.quantile(places, 0.16)) / 2


def rise(steps: Sequence[Step], scores: np.ndarray, reader: Leaning = USUAL) -> Rise:
    """Through scores (n,) of all steps, 0 to 4, NaN where nobody looked. ValueError for fewer than three."""
    low, high = steps[0].value, steps[-1].value
    x = np.array([(step.value - low) / (high - low) for step in steps])
    found = fit_ramp(x, scores, rising=True, within=WITHIN, reader=reader)
    at = low + (high - low) * x
    curve = Curve.of(low + (high - low) * found.x, 25 * found.mean, 25 * found.sd, at, 25 * scores)
    return Rise(low, high, found, curve)
