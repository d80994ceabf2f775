"""What earlier spools say of the next one holds as often as it says."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest

from drumbo.core.catalogue import BY_KEY
from drumbo.core.prior import before, unlike
from drumbo.standins.filament.physics import fed_share
from drumbo.standins.filament.spool import Spool, draw_spool
from drumbo.standins.worlds import VARIED


@pytest.mark.parametrize("count", [3, 5, 12])
def test_nine_of_ten_next_spools_lie_within_however_few_came_before(count: int) -> None:
    rng = np.random.default_rng(count)
    drawn = rng.normal(0.97, 0.02, (4000, count + 1))
    held = [before(row[:-1].tolist(), 1e-6) for row in drawn]
    inside = np.mean([b.low <= row[-1] <= b.high for b, row in zip(held, drawn, strict=True)])
    assert inside == pytest.approx(0.9, abs=0.015)
    departs = np.mean([b.departs(float(row[-1]), None) for b, row in zip(held, drawn, strict=True)])
    assert departs == pytest.approx(0.02, abs=0.008), "one in fifty is said to lie far off, of spools like the others"


def test_a_spool_unlike_all_before_is_told_and_an_unsure_one_is_not() -> None:
    found = before([0.96, 0.97, 0.965, 0.955], 0.001)
    assert found is not None
    assert found.departs(0.90, 0.005)
    assert not found.departs(0.90, 0.05), "it may as well be like the others"
    assert not found.departs(0.97, 0.002)


def test_few_say_nothing_and_equal_ones_are_no_surer_than_can_be_told_apart() -> None:
    assert before([0.96, 0.97], 0.001) is None
    equal = before([210.0, 210.0, 210.0], 1.0)
    assert equal is not None
    assert equal.half == pytest.approx(2.92 * 1.0 * (4 / 3) ** 0.5, rel=0.01)


def test_a_result_is_moved_where_it_is_unsure_and_left_alone_where_it_lies_far_off() -> None:
    found = before([0.95, 0.96, 0.97], 0.001, 0.02)
    assert found is not None
    sure, unsure, far = found.joined(0.985, 0.003), found.joined(0.962, 0.03), found.joined(1.15, 0.02)
    assert sure.value == pytest.approx(0.985, abs=0.0015)
    assert unsure.error < 0.025
    assert unsure.share > 0.3
    assert abs(far.value - 1.15) < 0.012
    assert far.share < 0.1


def test_joined_intervals_hold_nine_of_ten_among_spools_alike_and_unlike() -> None:
    rng, inside, gain = np.random.default_rng(3), [], []
    for _ in range(3000):
        others = rng.normal(0.97, 0.02, 3)
        # One spool in ten is of another kind.
        right = rng.normal(0.97, 0.02 if rng.random() > 0.1 else 0.08)
        told = rng.normal(right, 0.02)
        found = before(others.tolist(), 1e-3, 0.02)
        assert found is not None
        joined = found.joined(told, 0.02)
        inside.append(abs(joined.value - right) < 1.645 * joined.error)
        gain.append((abs(joined.value - right), abs(told - right)))
    assert np.mean(inside) == pytest.approx(0.9, abs=0.025)
    with_history, without = np.mean(gain, axis=0)
    assert with_history < 0.9 * without


def test_a_spool_is_unlike_the_others_by_all_that_is_known_of_it_together() -> None:
    assert not unlike([])
    assert not unlike([0.3, 0.5, 0.2])
    assert unlike([0.1, 0.1, 0.1])
    rng = np.random.default_rng(5)
    assert np.mean([unlike(rng.random(4).tolist()) for _ in range(3000)]) == pytest.approx(0.1, abs=0.015)


@pytest.mark.parametrize(
    ("key", "drive", "needs"),
    [
        ("flow_ratio", "direct", lambda spool: 1 / fed_share(spool)),
        ("pressure_advance_s", "direct", lambda spool: spool.lag_s),
        ("pressure_advance_s", "bowden", lambda spool: spool.lag_s),
        ("retraction_mm", "direct", lambda spool: spool.pull_full_mm),
        ("retraction_mm", "bowden", lambda spool: spool.pull_full_mm),
    ],
)
def test_what_three_spools_say_holds_for_spools_that_differ_as_they_come(
    key: str, drive: str, needs: Callable[[Spool], float]
) -> None:
    """Three say little of how far spools differ; what the catalogue adds to that is wide enough."""
    right = np.array([needs(draw_spool("pla", seed, drive, VARIED)) for seed in range(1600)]).reshape(-1, 4)
    held = [before(row[:3].tolist(), 1e-3, BY_KEY[key].spread_at(float(row[:3].mean()))) for row in right]
    inside = np.mean([b.low <= row[3] <= b.high for b, row in zip(held, right, strict=True) if b])
    assert 0.85 < inside < 0.995
