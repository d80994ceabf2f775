"""What earlier spools say of the next one holds as often as it says."""

from __future__ import annotations

import numpy as np
import pytest

from drumbo.core.prior import before


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
