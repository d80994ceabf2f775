"""Steps of a sweep that goes on evenly."""

from __future__ import annotations

import math
from collections.abc import Sequence

from drumbo.core.prior import Before
from drumbo.trials.readings import Step

_GRAIN = 1e-6
MOST_DECIMALS = 6


def count_between(first: float, last: float, step: float) -> int:
    """How many steps there are from first to last, both among them; `step` is above 0 whichever way it goes.

    >>> count_between(230, 190, 5), count_between(0.1, 0.35, 0.1)
    (9, 3)
    """
    return int(abs(last - first) / step + _GRAIN) + 1


def around(before: Before | None, step: float, fewest: int, most: int) -> tuple[float, int] | None:
    """(middle, steps) of a sweep that holds where nine of ten next spools lie, by what earlier ones came to: an odd
    number of steps. None where nothing is known, or so little that it takes more steps than are printed otherwise.
    """
    if before is None:
        return None
    count = max(2 * math.ceil(before.half / step - _GRAIN) + 1, fewest)
    return (before.mean, count) if count < most else None


def even_steps(first: float, step: float, count: int, least: int = 0) -> tuple[Step, ...]:
    """`count` steps from `first`, each further by `step`; labels have as many decimals as tell them apart, `least` of
    them anyhow.

    >>> [s.label for s in even_steps(230, -5, 3)], [s.label for s in even_steps(0.9, 0.025, 3)]
    (['230', '225', '220'], ['0.900', '0.925', '0.950'])
    """
    values = [round(first + i * step, 4) + 0.0 for i in range(count)]
    decimals = decimals_of(values, least)
    return tuple(Step(i, value, f"{value:.{decimals}f}") for i, value in enumerate(values))


def growing_steps(first: float, step: float, grows_percent: float, count: int, decimals: int) -> tuple[Step, ...]:
    """`count` steps from `first`, the second further by `step`, every next one by so many percent more than the one
    before it. With so many decimals; with more, where two would be the same.

    >>> [s.label for s in growing_steps(0.012, 0.002, 16, 5, decimals=3)]
    ['0.012', '0.014', '0.016', '0.019', '0.022']
    >>> [s.label for s in growing_steps(0.02, 0.0004, 2, 3, decimals=3)]
    ['0.0200', '0.0204', '0.0208']
    """
    times = 1 + grows_percent / 100
    exact = [first + step * (i if times == 1 else (times**i - 1) / (times - 1)) for i in range(count)]
    while len({round(value, decimals) for value in exact}) < count and decimals < MOST_DECIMALS:
        decimals += 1
    return tuple(Step(i, round(v, decimals) + 0.0, f"{v:.{decimals}f}") for i, v in enumerate(exact))


def decimals_of(values: Sequence[float], least: int = 0, most: int = 4) -> int:
    """How many decimals tell such values apart.

    >>> decimals_of([0.9, 0.925]), decimals_of([3.0, 4.0], 1), decimals_of([0.12345], most=2)
    (3, 1, 2)
    """
    return max(least, *(len(f"{value:.{most}f}".rstrip("0").partition(".")[2]) for value in values))
