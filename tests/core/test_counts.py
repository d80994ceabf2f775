"""Where counts on a tower begin to lack a fifth: worked numbers, and intervals that hold however counts fall."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest

from drumbo.core.fit.counts import LOST, Fall, fit_fall

LEVELS = np.arange(1.0, 8.0)
FALLS: dict[str, Callable[[np.ndarray], np.ndarray]] = {
    "at once": lambda past: np.where(past > 0, 0.9, 0.0),
    "evenly": lambda past: np.clip(LOST + 0.25 * past, 0, 1),
    "to what is sturdy": lambda past: np.clip(LOST + 0.4 * past, 0, 0.5),
    "slowly at first": lambda past: np.clip(LOST * np.exp(0.7 * past), 0, 1),
}


def _fit(*counts: float) -> Fall:
    return fit_fall(np.arange(1.0, len(counts) + 1), np.array(counts), 8.0)


def test_the_numbers_of_the_docstring() -> None:
    found = _fit(8, 8, 8, 5, 1)
    assert (round(found.at, 1), round(found.error, 1)) == (3.7, 0.2)
    assert found.before < 0.01
    assert found.beyond < 0.01


def test_falling_values_tell_the_same_mirrored() -> None:
    up = _fit(8, 7, 8, 6, 3)
    down = fit_fall(np.array([5.0, 4, 3, 2, 1]), np.array([8.0, 7, 8, 6, 3]), 8.0)
    assert down.at == pytest.approx(6 - up.at, abs=1e-9)
    assert down.error == pytest.approx(up.error)
    unit = fit_fall(10 * np.arange(1.0, 6.0), np.array([8.0, 7, 8, 6, 3]), 8.0)
    assert (unit.at, unit.error) == (pytest.approx(10 * up.at), pytest.approx(10 * up.error))


def test_nothing_lies_below_what_can_be() -> None:
    rests = np.array([0.8, 0.6, 0.4, 0.2, 0.0])
    assert fit_fall(rests, np.array([8.0, 8, 8, 8, 8]), 8.0).at >= 0
    free = fit_fall(rests, np.array([8.0, 8, 8, 8, 8]), 8.0, least_x=-1.0)
    assert free.at < 0


def test_all_that_stands_and_nothing_that_does_lie_outside() -> None:
    assert _fit(8, 8, 8, 8, 8).beyond > 0.9
    assert _fit(2, 2, 2, 2, 2).before > 0.9
    gentle = _fit(8, 8, 7, 7, 6)
    assert 0.1 < gentle.beyond < 0.9, "who can say"


@pytest.mark.parametrize("fall", FALLS)
def test_intervals_hold_however_counts_fall(fall: str) -> None:
    rng, inside, off = np.random.default_rng(11), [], []
    for _ in range(150):
        right, most = rng.uniform(2.2, 5.8), rng.integers(6, 9)
        mean = most * (1 - FALLS[fall](LEVELS - right))
        counts = np.clip(np.rint(mean + rng.normal(0, 0.35, len(LEVELS))), 0, 8)
        slip = rng.random(len(LEVELS)) < 0.06
        counts = np.clip(counts + slip * rng.choice([-1, 1], len(LEVELS)), 0, 8)
        found = fit_fall(LEVELS, counts, 8.0)
        inside.append(abs(found.at - right) < 1.645 * found.error)
        off.append(abs(found.at - right))
    assert np.mean(inside) > 0.82
    assert np.median(off) < 0.45, "within half a level"
