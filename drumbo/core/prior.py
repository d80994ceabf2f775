"""What a workshop found before, as a measure for what it finds now.

Earlier spools of a polymer say where the next one will lie: nine of ten within an interval that is as wide as they
differ, and wider the fewer they were. It takes nothing for granted but that spools differ evenly to both sides. Where
it is to have a say in a result, it has less the farther off that lies: a spool unlike all before speaks for itself.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from drumbo.core.sure import half_90

Floats = NDArray[np.float64]

USUAL = 3
"""So many spools' worth is what is commonly known of a spread."""
FEWEST = 3
"""Fewer tell nothing of how much spools differ."""
UNLIKE, FAR = 0.1, 4.0
"""Share of spools that are of another kind, whatever the label says, and how many times as far those lie."""
TOGETHER = 0.1
UNLIKELY = 0.02
"""A result is worth a word where only so few spools lie so far off: one in fifty."""


@dataclass(frozen=True, slots=True)
class Joined:
    """A value with its standard error, and which share of what is known comes from before, 0 to 1."""

    value: float
    error: float
    share: float


@dataclass(frozen=True, slots=True)
class Before:
    """What earlier spools came to: how many, their mean, how far they spread (standard deviation), from where to where
    nine of ten next ones lie, and how many spools' worth of knowledge the spread rests on, less one.
    """

    count: int
    mean: float
    spread: float
    low: float
    high: float
    freedom: int

    @property
    def half(self) -> float:
        """Half of the interval."""
        return (self.high - self.low) / 2

    def departs(self, value: float, error: float | None) -> bool:
        """Whether a value, with its own standard error, lies farther off than one spool in fifty."""
        return self.chance(value, error) < UNLIKELY

    def chance(self, value: float, error: float | None) -> float:
        """Which share of spools lies as far off as a value with its own standard error, or farther."""
        apart = abs(value - self.mean) / math.hypot(self._next_sd, error or 0.0)
        return _beyond(apart, self.freedom)

    def joined(self, value: float, error: float) -> Joined:
        """A result with its standard error, and what the earlier ones say, as one.

        One spool in ten may be unlike all the others. Three that came to 0.95, 0.96 and 0.97 hardly move a result of
        0.985 ± 0.003, and nearly halve the error of one of 0.962 ± 0.02.
        """
        reach = 8 * error
        at = np.linspace(value - reach, value + reach, 2001)
        off, spread = at - self.mean, self._next_sd
        weight = np.exp(-0.5 * ((at - value) / error) ** 2)
        weight *= (1 - UNLIKE) * _student(off / spread, self.freedom) + UNLIKE / FAR * _student(off / spread / FAR, 1)
        weight /= weight.sum()
        mean = float(weight @ at)
        sd = float(np.sqrt(weight @ (at - mean) ** 2))
        return Joined(mean, sd, max(1.0 - (sd / error) ** 2, 0.0))

    @property
    def error(self) -> float:
        """The standard error with which the next one is known before anything is printed; its interval is theirs."""
        return self.half / half_90(1.0)

    @property
    def _next_sd(self) -> float:
        return self.spread * math.sqrt(1 + 1 / self.count)


def unlike(chances: Sequence[float]) -> bool:
    """Whether several values of one spool together lie farther off than those of one spool in ten; by R. A. Fisher's
    way of joining independent tests. Three chances of one in ten each: yes; of one in three each: no.
    """
    if not chances:
        return False
    from scipy.special import gammaincc  # noqa: PLC0415 - pages without it need not wait

    told = -sum(math.log(max(chance, 1e-12)) for chance in chances)
    return float(gammaincc(len(chances), told)) < TOGETHER


def before(values: Sequence[float], least_spread: float, usual_spread: float | None = None) -> Before | None:
    """The summary of earlier values; None of fewer than three. Values that happen to agree still differ by as much as
    can be told apart, `least_spread`. Where it is known by how much spools usually differ, that counts as `USUAL`
    spools more would: three values alone say little of their spread.

    >>> found = before([0.95, 0.96, 0.97, 0.96], 0.003)
    >>> round(found.mean, 3), round(found.low, 3), round(found.high, 3)
    (0.96, 0.939, 0.981)
    """
    if len(values) < FEWEST:
        return None
    numbers = np.asarray(values, np.float64)
    count, mean, freedom = len(numbers), float(numbers.mean()), len(numbers) - 1
    square = float(numbers.var(ddof=1))
    if usual_spread is not None:
        square = (freedom * square + USUAL * usual_spread**2) / (freedom + USUAL)
        freedom += USUAL
    spread = max(math.sqrt(square), least_spread)
    half = _t90(freedom) * spread * math.sqrt(1 + 1 / count)
    return Before(count, mean, spread, mean - half, mean + half, freedom)


def _student(t: Floats, freedom: int) -> Floats:
    """Density of Student's t."""
    scale = math.gamma((freedom + 1) / 2) / math.gamma(freedom / 2) / math.sqrt(freedom * math.pi)
    return np.asarray(scale * (1 + t**2 / freedom) ** (-(freedom + 1) / 2))


def _t90(freedom: int) -> float:
    """Half of the interval that holds 90 % of Student's t."""
    from scipy.special import stdtrit  # noqa: PLC0415 - pages without it need not wait

    return float(stdtrit(freedom, 0.95))


def _beyond(t: float, freedom: int) -> float:
    """How much of Student's t lies farther out on either side."""
    from scipy.special import stdtr  # noqa: PLC0415

    return 2 * float(stdtr(freedom, -abs(t)))
