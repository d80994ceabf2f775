"""The estimator: known answers, honest errors, and the cases in which it must not pretend."""

import numpy as np
import pytest

from drumbo.core.fit.quality import fit_quality

X = np.arange(190.0, 231.0, 5.0)
WEIGHTS = np.array([0.25, 0.25, 0.25, 0.25])


def _scores(best: float, rng: np.random.Generator | None = None, noise: float = 0.5) -> np.ndarray:
    """Two aspects that fall above the best and two that fall below it."""
    hot = 4 / (1 + np.exp((X - best - 14) / 4))
    cold = 4 / (1 + np.exp((best - 14 - X) / 4))
    exact = np.stack([hot, cold, hot, cold], axis=1)
    shaken = exact if rng is None else exact + rng.normal(0, noise, exact.shape)
    return np.clip(np.rint(shaken), 0, 4)


@pytest.mark.parametrize("best", [202.0, 210.0, 217.0])
def test_clean_scores_give_the_answer(best: float) -> None:
    found = fit_quality(X, _scores(best), WEIGHTS)
    assert found.best == pytest.approx(best, abs=1.5)
    assert found.low < best < found.high
    assert found.edge == 0


def test_errors_are_as_large_as_they_are_said_to_be() -> None:
    rng = np.random.default_rng(11)
    misses = []
    for _ in range(60):
        best = rng.uniform(202, 218)
        found = fit_quality(X, _scores(best, rng), WEIGHTS)
        misses.append((found.best - best) / found.error)
    assert 0.75 < np.mean(np.abs(misses) < 1.645) <= 1.0
    assert np.median(np.abs(misses)) < 1.2


def test_one_wrong_look_moves_little() -> None:
    clean = _scores(210.0)
    wrong = clean.copy()
    wrong[4, 0] = 0
    before, after = fit_quality(X, clean, WEIGHTS), fit_quality(X, wrong, WEIGHTS)
    assert abs(after.best - before.best) < 3
    assert before.apart == ()
    assert after.apart == ((4, 0),), "and it is named"


def test_flat_scores_are_called_flat() -> None:
    found = fit_quality(X, np.full((9, 4), 3.0), WEIGHTS)
    assert found.drop < 2.5
    assert found.error > 3


def test_a_rise_to_the_end_points_beyond_it() -> None:
    cold = np.stack([np.clip(np.rint(4 / (1 + np.exp((222 - X) / 6))), 0, 4)] * 4, axis=1)
    assert fit_quality(X, cold, WEIGHTS).edge == 1
    assert fit_quality(X, cold[::-1], WEIGHTS).edge == -1


def test_open_scores_widen_the_error_and_nothing_else() -> None:
    full = _scores(210.0)
    few = full.copy()
    few[1::2] = np.nan
    assert fit_quality(X, few, WEIGHTS).error > fit_quality(X, full, WEIGHTS).error
    with pytest.raises(ValueError, match="three steps"):
        fit_quality(X, np.where(np.arange(9)[:, None] < 2, full, np.nan), WEIGHTS)


def test_the_same_scores_give_the_same_answer() -> None:
    one, other = (fit_quality(X, _scores(207.0), WEIGHTS) for _ in range(2))
    assert one.best == other.best
    assert np.array_equal(one.mean, other.mean)
