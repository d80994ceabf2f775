"""From where a rising wall turns matt, gapes and splits to the flow at which 95 % still arrives.

Past its capability a hot end delivers less and less of what is asked:

    share(Q) = 1 / (1 + ((1 − 0.95)/0.95) · (Q/Q₉₅)^p)

How steeply (p) differs between plastics, how much has to be missing before somebody sees it differs between people, and
who is strict sees every sign early. None of it is known for the wall at hand. So limits, steepnesses, thresholds and
severities are drawn evenly from what is plausible and weighed by how likely each makes the bands at which the signs
began, or the wall ended without them. 5 % are missing at Q₉₅; with p = 6, 8 % at 1.087 times as much.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr, ndtri

from drumbo.core.fit.evenly import evenly
from drumbo.core.fit.ordinal import USUAL, Leaning

Floats = NDArray[np.float64]

THRESHOLD = 0.95
POWERS = (2.0, 9.0)
"""How steeply the delivered share falls past the limit, from soft plastics that slip early to stiff ones."""
STRICTER = 0.9
"""Somebody who scores a whole point lower sees a sign where so much less is missing, in logarithms of the share."""
PLACED = 0.05
"""Spread of where one look puts a beginning, as a share of the flow."""
DRAWS_LOG2 = 14
MOST_SIGNS = 3


@dataclass(frozen=True, slots=True)
class Sign:
    """Something that is seen once the share `missing` does not arrive, known to a factor of e^`spread` (one standard
    deviation).
    """

    key: str
    missing: float
    spread: float


@dataclass(frozen=True, slots=True)
class Seen:
    """A sign, and the flows between which it began, mm³/s: `low` is 0 where it was there from the start, `high`
    infinite where it never came.
    """

    sign: Sign
    low: float
    high: float


@dataclass(frozen=True, slots=True)
class Onset:
    """The limit, mm³/s, with its standard error; what each sign that began says by itself, (key, limit, error); and how
    far the signs contradict each other, in standard errors. `reader` is what is known by then of who looked,
    `sways` how much more the limit would be for somebody stricter than that.
    """

    limit: float
    error: float
    each: tuple[tuple[str, float, float], ...]
    apart: float
    reader: Leaning
    sways: float


def times_at(missing: float | Floats, power: float | Floats = 6.0) -> Floats:
    """At how many times the limit so much is missing. 0.05 → 1; 0.08 → 1.087 where the power is 6."""
    return np.asarray((missing / (1 - missing) * THRESHOLD / (1 - THRESHOLD)) ** (1 / power))


def fit_onset(seen: Sequence[Seen], reader: Leaning = USUAL) -> Onset:
    """Weigh all that was seen, and not seen. ValueError where no sign began at all."""
    began = [one for one in seen if one.low > 0 and np.isfinite(one.high)]
    if not began:
        raise ValueError("a limit needs at least one sign that began")
    middles = np.log([(one.low + one.high) / 2 for one in began])
    span = middles.min() - 1.5, middles.max() + 1.0
    limit, power, normal, thresholds = _plausible()
    severity = reader.mean + reader.sd * normal
    log_limit = span[0] + (span[1] - span[0]) * limit
    likely = np.zeros(len(limit))
    each, best = [], 0.0
    for column, one in enumerate(seen):
        missing = one.sign.missing * np.exp(one.sign.spread * thresholds[:, column] + STRICTER * severity)
        told = _told(one, log_limit + np.log(times_at(np.clip(missing, 0.005, 0.95), power)))
        likely += told
        best += float(told.max())
        if one in began:
            value, error = _mean(np.exp(log_limit), told)
            each.append((one.sign.key, value, error))
    value, error = _mean(np.exp(log_limit), likely)
    harsh = _mean(severity, likely)
    both = _mean((np.exp(log_limit) - value) * (severity - harsh[0]), likely)[0]
    # Each sign by itself can be made sense of; where all together cannot, they contradict each other.
    apart = math.sqrt(2 * max(best - float(likely.max()), 0.0))
    return Onset(value, error, tuple(each), apart, Leaning(*harsh), -reader.sd * both / max(harsh[1] ** 2, 1e-9))


def _told(one: Seen, begins: Floats) -> Floats:
    """(m,) log-likelihood that a sign which begins at these flows (their logarithms) is seen to begin where it was."""
    above = ndtr((np.log(one.high) - begins) / PLACED) if np.isfinite(one.high) else 1.0
    below = ndtr((np.log(one.low) - begins) / PLACED) if one.low > 0 else 0.0
    return np.asarray(np.log(np.maximum(above - below, 0.0) + SLIPS))


SLIPS = 0.005
"""Likelihood of a beginning that was put anywhere."""


def _mean(values: Floats, likely: Floats) -> tuple[float, float]:
    weight = np.exp(likely - likely.max())
    weight /= weight.sum()
    mean = float(weight @ values)
    return mean, float(np.sqrt(weight @ (values - mean) ** 2))


@cache
def _plausible() -> tuple[Floats, Floats, Floats, Floats]:
    """(m,) places of the limit 0..1, powers; severities (m,) and thresholds (m, 3) in standard deviations."""
    even = evenly(3 + MOST_SIGNS, DRAWS_LOG2)
    power = POWERS[0] * (POWERS[1] / POWERS[0]) ** even[:, 1]
    normal = ndtri(np.clip(even[:, 2:], 1e-4, 1 - 1e-4))
    return even[:, 0], power, normal[:, 0], normal[:, 1:]
