"""What fits say of their certainty, held against drawn truths: about nine of ten lie within 1.645 standard errors, one
slip moves nothing far, and what cannot be told is refused.
"""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray

from drumbo.core.fit.callipers import CALLIPER_SD_MM, JAWS_MM
from drumbo.core.fit.fade import fit_fade
from drumbo.core.fit.plane import fit_plane
from drumbo.core.fit.quality import as_good, fit_quality
from drumbo.core.fit.ramp import fit_ramp, told_at
from drumbo.core.fit.sizes import fit_height, fit_sizes, fit_square
from drumbo.core.sure import half_90

Floats = NDArray[np.float64]
DRAWS = 40
NINE_TENTHS = (0.78, 1.0)
"""Of 40 draws, 90 % come out between 78 and 100 all but always."""


def _held(found: Callable[[np.random.Generator], tuple[float, float, float]]) -> float:
    """Share of draws whose truth lies within the 90 % interval; a draw is (value, standard error, truth)."""
    hits = []
    for seed in range(DRAWS):
        value, error, truth = found(np.random.default_rng(seed))
        assert error > 0
        hits.append(abs(value - truth) <= half_90(error))
    return float(np.mean(hits))


FEW_PLACES = 1.943 / 1.645
"""Nine places leave six to tell the scatter by: Student's factor beside the normal one."""
GRID = np.array([(x, y) for y in (30.0, 110.0, 190.0) for x in (30.0, 110.0, 190.0)])


def test_a_plane_is_found_and_its_errors_hold() -> None:
    def middle(rng: np.random.Generator) -> tuple[float, float, float]:
        truth, slope = rng.uniform(-0.1, 0.1), rng.uniform(-1e-3, 1e-3, 2)
        height = truth + (GRID - 110) @ slope + rng.normal(0, 0.02, 9)
        plane = fit_plane(GRID, np.round(height, 2), 0.01)
        return plane.middle_mm, FEW_PLACES * plane.error_mm, truth

    def slope(rng: np.random.Generator) -> tuple[float, float, float]:
        truth = rng.uniform(-1e-3, 1e-3)
        height = (GRID[:, 0] - 110) * truth + rng.normal(0, 0.02, 9)
        plane = fit_plane(GRID, np.round(height, 2), 0.01)
        return plane.slopes[0], FEW_PLACES * plane.slope_errors[0], truth

    assert NINE_TENTHS[0] <= _held(middle) <= NINE_TENTHS[1]
    assert NINE_TENTHS[0] <= _held(slope) <= NINE_TENTHS[1]


@given(st.integers(0, 8), st.sampled_from([-1.0, 1.0]), st.floats(0.2, 3.0))
def test_one_place_that_stands_apart_has_no_say_in_the_plane(at: int, sign: float, by: float) -> None:
    height = 0.02 + (GRID - 110) @ np.array([4e-4, -2e-4])
    spoilt = height.copy()
    spoilt[at] += sign * by
    plane = fit_plane(GRID, spoilt, 0.01)
    assert list(np.flatnonzero(~plane.kept)) == [at]
    assert plane.middle_mm == pytest.approx(0.02, abs=1e-9)
    assert plane.slopes == pytest.approx((4e-4, -2e-4))
    assert plane.rests[at] == pytest.approx(sign * by)


@pytest.mark.parametrize("places", [[(0, 0), (10, 10)], [(0, 0), (5, 5), (10, 10)], [(3, 3)] * 4])
def test_places_in_a_line_span_no_plane(places: list[tuple[float, float]]) -> None:
    with pytest.raises(ValueError, match="three places"):
        fit_plane(np.array(places, float), np.zeros(len(places)), 0.01)


MEANT = np.array([20.0, 50, 100, 20, 50, 100, 20, 50, 100, 20, 50, 100])
AXIS = np.array(["x"] * 6 + ["y"] * 6)
SIDE = np.array(([1.0] * 3 + [-1.0] * 3) * 2)


def _sized(rng: np.random.Generator, shrink: float, bulge: float, gap: float, sd: float = CALLIPER_SD_MM) -> Floats:
    """What somebody reads: outside sizes are too large by the bulge, gaps too small."""
    constant = np.where(SIDE > 0, bulge + JAWS_MM, -(gap + JAWS_MM))
    return np.round(MEANT * (1 - shrink) + constant + rng.normal(0, sd, len(MEANT)), 2)


def test_shrinkage_and_offset_are_told_apart_and_their_errors_hold() -> None:
    def shrinkage(rng: np.random.Generator) -> tuple[float, float, float]:
        truth = rng.uniform(0, 0.01)
        found = fit_sizes(MEANT, _sized(rng, truth, rng.uniform(-0.1, 0.2), rng.uniform(-0.1, 0.2)), AXIS, SIDE)
        return found.shrink, found.error, truth

    def offset(rng: np.random.Generator) -> tuple[float, float, float]:
        truth = rng.uniform(-0.1, 0.2)
        found = fit_sizes(MEANT, _sized(rng, rng.uniform(0, 0.01), truth, 0.05), AXIS, SIDE)
        return found.offset_mm, found.offset_error, truth

    assert _held(shrinkage) >= NINE_TENTHS[0]
    assert _held(offset) >= NINE_TENTHS[0]


@pytest.mark.parametrize("at", range(12))
def test_a_misread_digit_has_no_say_in_the_shrinkage(at: int) -> None:
    numbers = _sized(np.random.default_rng(4), 0.004, 0.06, 0.08)
    slipped = numbers.copy()
    slipped[at] += 1.0
    found, plain = (fit_sizes(MEANT, each, AXIS, SIDE) for each in (slipped, numbers))
    assert not found.kept[at]
    assert found.shrink == pytest.approx(plain.shrink, abs=3e-4)
    assert found.offset_mm == pytest.approx(plain.offset_mm, abs=0.02)


def test_axes_that_shrink_differently_are_said_to() -> None:
    rng = np.random.default_rng(1)
    constant = np.where(SIDE > 0, 0.05, -0.05)
    apart = MEANT * (1 - np.where(AXIS == "x", 0.002, 0.006)) + constant + rng.normal(0, 0.02, 12)
    alike = MEANT * (1 - 0.004) + constant + rng.normal(0, 0.02, 12)
    assert fit_sizes(MEANT, apart, AXIS, SIDE).apart > 4
    assert fit_sizes(MEANT, alike, AXIS, SIDE).apart < 2.5
    by_axis = {each.axis: each.shrink for each in fit_sizes(MEANT, apart, AXIS, SIDE).axes}
    assert by_axis == {"x": pytest.approx(0.002, abs=8e-4), "y": pytest.approx(0.006, abs=8e-4)}


def test_gaps_alone_tell_the_offset_with_its_sign_turned_and_one_size_tells_nothing() -> None:
    gaps = SIDE < 0
    numbers = _sized(np.random.default_rng(2), 0.003, 0.0, 0.08)[gaps]
    found = fit_sizes(MEANT[gaps], numbers, AXIS[gaps], SIDE[gaps])
    assert found.gap_mm == pytest.approx(0.08, abs=0.04)
    assert found.shrink == pytest.approx(0.003, abs=1e-3)
    assert fit_sizes(MEANT[~gaps], MEANT[~gaps], AXIS[~gaps], SIDE[~gaps]).gap_mm is None
    with pytest.raises(ValueError, match="sizes that differ"):
        fit_sizes(np.full(4, 20.0), np.full(4, 20.1), np.array(["x"] * 4), np.ones(4))
    with pytest.raises(ValueError, match="must differ"):
        fit_sizes(np.array([20.0, 20, 50]), np.array([20.0, 20, 50]), np.array(["x"] * 3), np.array([1.0, 1, -1]))


def test_heights_and_squareness_by_worked_numbers() -> None:
    heights = np.array([10.0, 30, 60])
    up = fit_height(heights, heights * 0.995 + 0.1)
    assert up is not None
    assert up.shrink == pytest.approx(0.005)
    assert up.axis == "z"
    assert fit_height(np.array([10.0]), np.array([10.1])) is None
    assert fit_height(np.array([10.0, 12.0]), np.array([10.1, 12.0])) is None, "too much alike"
    sizes = fit_sizes(MEANT, MEANT * 0.998, AXIS, SIDE)
    square = fit_square(np.array([110.0, 10.0]), np.array([109.725, 9.975]), sizes)
    assert square is not None
    assert square.skew == pytest.approx(0.001, abs=1e-6)
    assert square.degrees == pytest.approx(math.degrees(0.001), rel=1e-3)
    assert fit_square(np.array([110.0]), np.array([109.7]), sizes) is None


# -- curves of scores


def _looked(rng: np.random.Generator, exact: Floats, lean: float = 0.0) -> Floats:
    """As somebody scores it: with a scatter of their looks, in whole scores."""
    return np.clip(np.rint(exact + lean + rng.normal(0, 0.45, len(exact))), 0, 4)


@pytest.mark.parametrize("rising", [False, True])
def test_how_far_a_sweep_may_go_is_told_as_surely_as_it_is_said(rising: bool) -> None:
    x = np.linspace(0, 1, 9)

    def found(rng: np.random.Generator) -> tuple[float, float, float]:
        middle, soft = rng.uniform(0.3, 1.0), rng.uniform(0.06, 0.25)
        exact = 4 / (1 + np.exp((x - middle) / soft))
        scores = _looked(rng, exact, rng.normal(0, 0.3))
        ramp = fit_ramp(x, scores[::-1] if rising else scores, rising=rising, within=0.5)
        truth = float(told_at(np.array([middle]), np.array([soft]), 0.5)[0])
        return float(ramp.places.mean()), max(float(ramp.places.std()), 0.02), 1 - truth if rising else truth

    assert _held(found) >= NINE_TENTHS[0]


def test_a_ramp_crosses_where_its_curve_does() -> None:
    assert told_at(np.array([0.5]), np.array([0.1]), 0.5)[0] == pytest.approx(0.311, abs=1e-3)
    x = np.linspace(0, 1, 11)
    ramp = fit_ramp(x, np.rint(4 / (1 + np.exp((x - 0.5) / 0.08))), rising=False, within=0.5)
    assert np.median(ramp.crossing(2.0)) == pytest.approx(0.5, abs=0.06)
    assert np.median(ramp.crossing(3.0)) < np.median(ramp.crossing(1.0))
    with pytest.raises(ValueError, match="three steps"):
        fit_ramp(x, np.where(x < 0.15, 4.0, np.nan), rising=False, within=0.5)


@pytest.mark.parametrize("step", [0.1, 0.5])
def test_the_shortest_clean_length_is_told_as_surely_as_it_is_said(step: float) -> None:
    x: Floats = np.arange(1.0, 13.0) * step

    def found(rng: np.random.Generator) -> tuple[float, float, float]:
        clean = rng.uniform(3, 9) * step
        left: Floats = np.clip(1 - x / clean, 0, None) ** rng.uniform(1.0, 2.0)
        exact = 4 / (1 + (rng.uniform(4, 15) * left) ** rng.uniform(1.0, 1.6))
        fade = fit_fade(x, _looked(rng, exact, rng.normal(0, 0.3)))
        # What nobody sees is clean: the right length is where the score is all but full.
        seen = 4 / (1 + (10 * np.clip(1 - x / clean, 0, None) ** 1.5) ** 1.3)
        truth = float(np.interp(3.5, seen, x))
        return fade.clean, float(fade.error_of(fade.clean)), truth

    assert _held(found) >= 0.75, "whatever law the strings fade by"


def test_best_values_of_humps_of_other_forms_are_told_as_surely_as_it_is_said() -> None:
    x = np.linspace(-20, 20, 9)
    weights = np.full(3, 1 / 3)

    def found(rng: np.random.Generator) -> tuple[float, float, float]:
        best, left, right = rng.uniform(-9, 9), rng.uniform(9, 16), rng.uniform(9, 16)
        wide = np.where(x < best, left, right)
        exact = 4 * np.exp(-(np.abs((x - best) / wide) ** rng.uniform(1.7, 3.0)))
        scores = np.array([_looked(rng, exact, rng.normal(0, 0.3)) for _ in range(3)]).T
        quality = fit_quality(x, scores, weights)
        return quality.best, quality.error, best

    assert _held(found) >= NINE_TENTHS[0]


@given(st.lists(st.floats(0, 4), min_size=5, max_size=30), st.floats(0.05, 1.0))
def test_what_is_as_good_holds_the_best_and_is_wider_the_more_is_allowed(mean: list[float], within: float) -> None:
    grid, curve = np.linspace(0, 1, len(mean)), np.array(mean)
    low, high = as_good(grid, curve, within)
    best = float(grid[int(np.argmax(curve))])
    assert low - 1e-9 <= best <= high + 1e-9
    wider = as_good(grid, curve, within + 0.5)
    assert wider[0] <= low + 1e-9
    assert wider[1] >= high - 1e-9
