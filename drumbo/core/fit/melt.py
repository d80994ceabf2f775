"""From the weights of blobs to what a hot end can melt, and how that grows with heat.

Of a flow Q that is asked at T only a share arrives, and the hotter, the more can be had:

    share(Q, T) = g / (1 + c · ((Q / Q₉₅(T) − o)₊ / (1 − o))^p)        c = (1 − 0.95) / 0.95
    Q₉₅(T)      = Q₀ · e^(k · (T − T₀))

g is what any slow blob weighs against what is reckoned: grip, diameter and density are in it, and none of them is a
matter of melting; o is the share of the limit up to which nothing is lost at all. All five numbers are fitted to all
weights at once; a weight that stands apart loses its say. p, o and k are held loosely where they commonly lie.
Each temperature is fitted by itself too, with the same g and p, which shows
whether the curve does it justice.

Q₉₅ = 12, p = 6: at Q = 12 the share is 0.95 g, at 15 it is 0.83 g.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

from drumbo.core.fit.onset import LOSS, MOST_ONSET, ONSET, ONSET_SD, THRESHOLD, past, times_at

Floats = NDArray[np.float64]

LOG_POWER, POWER_SD = np.log(4.5), 0.5
"""log p, held loosely: some plastics slip early and gently, others late and at once."""
LOG_LIMIT_SD = 3.0
"""ln Q₀ around the flows that were pushed: next to nothing, but blobs that all came still have an answer."""
RATE, RATE_SD = 0.017, 0.006
"""k, 1/°C: a plain hot end gains 1.5 to 2 % per °C."""
GAIN_SD = 0.10
BLOB_SD = 0.006
"""Scatter of one blob's share."""
NOTHING = 0.04
"""A blob with less than this share of a slow one is no blob: the drive has ground the filament."""
FEWEST = 4


@dataclass(frozen=True, slots=True)
class Melt:
    """g, p, k, o and ln Q₀ at `at_c`, with their covariance (5, 5) in the order ln g, ln p, ln Q₀, k, o.

    `own` are (temperature, Q₉₅, standard error) of each temperature by itself; `kept` (n,) tells which weights had a
    say; `misfit` is the scatter against what is usual.
    """

    gain: float
    power: float
    ln_q0: float
    rate: float
    onset: float
    at_c: float
    cov: Floats
    own: tuple[tuple[float, float, float], ...]
    kept: NDArray[np.bool_]
    misfit: float

    def share(self, flow: Floats, heat_c: Floats) -> Floats:
        """Share that arrives, against a slow blob."""
        load = flow / np.exp(self.ln_q0 + self.rate * (heat_c - self.at_c))
        return np.asarray(1.0 / (1.0 + LOSS * past(load, self.onset) ** self.power))

    def limit(self, heat_c: float, share: float = THRESHOLD) -> tuple[float, float]:
        """(flow, standard error), mm³/s, at which so much of it still arrives."""
        beyond = float(times_at(1 - share, self.power))
        times = self.onset + (1 - self.onset) * beyond
        by_power = -(1 - self.onset) * beyond * float(np.log(beyond)) / times
        slopes = np.array([0.0, by_power, 1.0, heat_c - self.at_c, (1 - beyond) / times])
        value = float(np.exp(self.ln_q0 + self.rate * (heat_c - self.at_c))) * times
        return value, value * float(np.sqrt(slopes @ self.cov @ slopes))


def fit_melt(flow: Floats, heat_c: Floats, share: Floats, weighed_sd: Floats) -> Melt:
    """Fit shares (n,) of what was reckoned, of blobs at flows (n,), mm³/s, and temperatures (n,), °C.

    `weighed_sd` (n,) is what the scale adds to a share. ValueError for fewer than four blobs.
    """
    kept = share > NOTHING
    if kept.sum() < FEWEST:
        raise ValueError("a curve needs four blobs")
    rows, which = np.unique(heat_c[kept], return_inverse=True)
    q, t, s, sd = flow[kept], heat_c[kept], share[kept], np.hypot(BLOB_SD, weighed_sd[kept])
    at = float(rows.mean())
    slow = float(np.median(s[q <= np.quantile(q, 0.3)]))
    start = np.array([np.log(slow), LOG_POWER, np.log(np.median(q)), RATE, ONSET])

    held, held_sd = start.copy(), np.array([GAIN_SD, POWER_SD, LOG_LIMIT_SD, RATE_SD, ONSET_SD])
    held[0] = 0.0

    def model(theta: Floats, log_limits: Floats) -> Floats:
        lost = LOSS * past(q / np.exp(log_limits), theta[4]) ** np.exp(theta[1])
        return np.asarray(np.exp(theta[0]) / (1.0 + lost))

    def rests(theta: Floats) -> Floats:
        off = (model(theta, theta[2] + theta[3] * (t - at)) - s) / sd
        return np.concatenate([_tamed(off), (theta - held) / held_sd])

    low, high = np.array([[-1.0, 0.0, -5.0, -0.1, 0.0], [1.0, 3.0, 8.0, 0.1, MOST_ONSET]])
    # Weights that cannot be lie beyond any curve; the fit begins at the nearest one.
    start = np.clip(start, low + 1e-6, high - 1e-6)
    found = least_squares(rests, start, x_scale=(0.05, 0.2, 0.2, 0.005, 0.1), bounds=(low, high))
    theta = found.x
    off = (model(theta, theta[2] + theta[3] * (t - at)) - s) / sd
    misfit = float(np.sqrt(np.mean(np.minimum(np.abs(off), OUT) ** 2)))
    cov = np.linalg.inv(found.jac.T @ found.jac) * max(1.0, misfit) ** 2
    say = kept.copy()
    say[kept] = np.abs(off) < OUT * max(1.0, misfit)
    return Melt(
        gain=float(np.exp(theta[0])), power=float(np.exp(theta[1])), ln_q0=float(theta[2]), rate=float(theta[3]),
        onset=float(theta[4]),
        at_c=at, cov=cov, own=_by_itself(theta, rows, which, q, s, sd, misfit), kept=say, misfit=misfit,
    )  # fmt: skip


OUT = 4.0
"""Standard deviations from which on a weight is put down to a slip."""


def _tamed(off: Floats) -> Floats:
    """Departures, with those past `OUT` / 2 growing ever more slowly: one misread weight pulls no curve."""
    far = np.abs(off) > OUT / 2
    return np.where(far, np.sign(off) * np.sqrt(np.maximum(OUT * np.abs(off) - OUT**2 / 4, 0.0)), off)


def _by_itself(
    theta: Floats, rows: Floats, which: NDArray[np.int64], q: Floats, s: Floats, sd: Floats, misfit: float
) -> tuple[tuple[float, float, float], ...]:
    """Q₉₅ of each temperature from its own blobs, where they reach far enough to tell."""
    own = []
    for index, heat in enumerate(rows):
        mine = which == index

        def rests(log_limit: Floats, mine: NDArray[np.bool_] = mine) -> Floats:
            lost = LOSS * past(q[mine] / np.exp(log_limit[0]), theta[4]) ** np.exp(theta[1])
            model = np.exp(theta[0]) / (1.0 + lost)
            return _tamed((model - s[mine]) / sd[mine])

        found = least_squares(rests, [np.log(q[mine].max())], x_scale=0.2)
        told = float((found.jac**2).sum())
        error = max(1.0, misfit) / np.sqrt(told) if told > 0 else np.inf
        if error < 0.25:
            own.append((float(heat), float(np.exp(found.x[0])), float(np.exp(found.x[0]) * error)))
    return tuple(own)
