"""From where a rising wall turns matt, gaps and splits to the flow at which 95 % still arrives.

Past its capability a hot end delivers less and less of what is asked:

    share(Q) = 1 / (1 + ((1 − 0.95)/0.95) · (Q/Q₉₅)^p)        p about 6

A sign is seen once so much is missing, so it begins at a multiple of Q₉₅ that is known within bounds. Each sign that
was found is a measurement of Q₉₅; it lies somewhere within the step at which it began, and together they are weighed.
5 % are missing at Q₉₅, 8 % at 1.087 times as much.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

THRESHOLD = 0.95
POWER = 6.0
"""How steeply the delivered share falls past the limit."""


@dataclass(frozen=True, slots=True)
class Sign:
    """Something that is seen from `times` the limit on, known to a share of `spread` (one standard deviation)."""

    key: str
    times: float
    spread: float


@dataclass(frozen=True, slots=True)
class Onset:
    """The limit, mm³/s, with its standard error; what each sign says by itself, (key, limit, error); and how far the
    signs lie apart, in standard errors of their difference.
    """

    limit: float
    error: float
    each: tuple[tuple[str, float, float], ...]
    apart: float


def times_at(missing: float, power: float = POWER) -> float:
    """At how many times the limit so much is missing. 0.05 → 1; 0.08 → 1.087."""
    return float((missing / (1 - missing) * THRESHOLD / (1 - THRESHOLD)) ** (1 / power))


def fit_onset(signs: Sequence[Sign], between: Sequence[tuple[float, float]]) -> Onset:
    """Weigh signs, each of which began between two flows (the last one without it and the first with it), mm³/s.

    ValueError where there is no sign at all.
    """
    if not signs:
        raise ValueError("a limit needs at least one sign")
    each = []
    for sign, (low, high) in zip(signs, between, strict=True):
        middle = (low + high) / 2
        spread = math.hypot(sign.spread, (high - low) / math.sqrt(12) / middle)
        each.append((sign.key, middle / sign.times, middle / sign.times * spread))
    weights = [error**-2 for _, _, error in each]
    limit = sum(w * value for w, (_, value, _) in zip(weights, each, strict=True)) / sum(weights)
    values = [value for _, value, _ in each]
    apart = (max(values) - min(values)) / math.sqrt(sum(error**2 for _, _, error in each)) if len(each) > 1 else 0.0
    return Onset(limit, sum(weights) ** -0.5, tuple(each), apart)
