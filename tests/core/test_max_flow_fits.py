"""The limit from signs on a wall and from weights, and how it follows heat: known answers."""

from __future__ import annotations

import json
import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from drumbo.core.fit.melt import Melt, fit_melt
from drumbo.core.fit.onset import LOSS, THICKNESS, THRESHOLD, Seen, Sign, fit_onset, past, times_at
from drumbo.core.fit.ordinal import Leaning
from drumbo.core.fit.thinning import Thickness
from drumbo.core.profile import Dependency, Origin, OriginKind, Profile, Value, changed, with_basis
from tests.conftest import plain_context


def test_a_sign_begins_at_the_multiple_of_the_limit_that_its_missing_share_says() -> None:
    assert times_at(0.05) == pytest.approx(1.0)
    assert times_at(0.08) == pytest.approx(1.087, abs=5e-4)
    assert times_at(0.35) > times_at(0.08)


GAPS, SPLITS = Sign("gaps", 0.08, 0.35), Sign("splits", 0.35, 0.25)


@given(st.floats(2.5, 8.0), st.floats(6.0, 20.0), st.floats(-0.7, 0.7))
@settings(max_examples=30, deadline=None)
def test_the_limit_is_found_however_steeply_a_plastic_slips_and_whoever_looks(
    power: float, limit: float, severity: float
) -> None:
    """Both signs begin where so much is missing as this reader sees; nobody told the fit how much."""
    seen = []
    for sign in (GAPS, SPLITS):
        at = limit * float(times_at(sign.missing * math.exp(0.8 * severity), power))
        seen.append(Seen(sign, 0.97 * at, 1.03 * at))
    found = fit_onset(seen)
    assert abs(found.limit - limit) < 3 * found.error
    assert found.limit == pytest.approx(limit, rel=0.6)
    assert found.apart < 1.5, "these can be made sense of"
    usual = fit_onset(seen, Leaning(severity, 0.2))
    # One set of readings may fit a known reader a little worse; by much it never is less sure.
    assert usual.error < 1.1 * found.error, "who reads is known: the limit is surer"


def test_a_second_sign_makes_it_surer_and_one_that_never_came_is_heard() -> None:
    one = fit_onset([Seen(GAPS, 10.0, 10.5)])
    assert fit_onset([Seen(GAPS, 10.0, 10.5), Seen(SPLITS, 14.0, 14.5)]).error < one.error
    held = fit_onset([Seen(GAPS, 10.0, 10.5), Seen(SPLITS, 25.0, math.inf)])
    assert held.reader.mean > one.reader.mean - 0.05, "who saw no split up to there is not strict"
    assert held.apart < 0.5, "and that can be made sense of"
    upside_down = fit_onset([Seen(GAPS, 18.0, 18.5), Seen(SPLITS, 6.0, 6.5)])
    assert upside_down.apart > 2.6
    with pytest.raises(ValueError, match="began"):
        fit_onset([Seen(GAPS, 25.0, math.inf)])


BANDS = np.linspace(5.0, 18.0, 14)


def _wall(limit: float, power: float, onset: float, gain: float, seed: int) -> Thickness:
    """A wall of 0.56 mm in layers of 0.3 mm, by callipers that err by up to 0.02 mm."""
    share = 1 / (1 + LOSS * past(BANDS / limit, onset) ** power)
    exact = Thickness(BANDS, BANDS, 0.56, 0.3)
    sizes = gain * share * exact.full_mm + exact.round_mm + np.random.default_rng(seed).uniform(-0.02, 0.02, len(BANDS))
    return Thickness(BANDS, np.round(sizes, 2), 0.56, 0.3)


def test_a_wall_is_as_thick_as_what_arrives_says() -> None:
    wall = Thickness(np.array([10.0, 12.0]), np.array([0.46, 0.56]), 0.56, 0.3)
    np.testing.assert_allclose(wall.arrived(1.0), [0.8, 1.0], atol=0.002)
    np.testing.assert_allclose(wall.arrived(1.25), [0.64, 0.8], atol=0.002)


@given(
    st.floats(9.0, 14.0), st.floats(2.5, 9.0), st.floats(0.0, 0.5), st.floats(0.93, 1.07), st.integers(0, 10_000)
)  # fmt: skip
@settings(max_examples=40, derandomize=True)
def test_a_wall_that_was_measured_tells_the_limit_whoever_looks(
    limit: float, power: float, onset: float, gain: float, seed: int
) -> None:
    """However full its lines are and however blunt the jaws; nobody's eye is asked. It begins far enough below."""
    wall = _wall(limit, power, onset, gain, seed)
    found = fit_onset([], wall=wall)
    assert abs(found.limit - limit) < 3.5 * found.error
    assert found.limit == pytest.approx(limit, rel=0.25)
    assert found.arrives is not None
    assert np.all(np.diff(found.arrives.mean) < 1e-9), "less and less arrives"
    strict = fit_onset([], Leaning(-1.0, 0.2), wall)
    assert (strict.limit, strict.error) == (found.limit, found.error)


def test_signs_beside_a_measured_wall_have_their_say_or_are_named() -> None:
    wall = _wall(11.0, 5.0, 0.1, 1.0, 7)
    alone = fit_onset([], wall=wall)
    fits = fit_onset([Seen(GAPS, 12.0, 13.0), Seen(SPLITS, 15.0, 16.0)], wall=wall)
    assert fits.apart < 1.5
    assert fits.error < alone.error
    assert {key for key, _, _ in fits.each} == {"gaps", "splits", THICKNESS}
    assert abs(fits.limit - 11.0) < 2 * fits.error
    assert fit_onset([Seen(GAPS, 5.0, 6.0), Seen(SPLITS, 6.0, 7.0)], wall=wall).apart > 2.6, "callipers say otherwise"
    strict = fit_onset([Seen(GAPS, 10.0, 10.5), Seen(SPLITS, 12.5, 13.0)], wall=wall).reader
    mild = fit_onset([Seen(GAPS, 14.0, 14.5), Seen(SPLITS, 17.0, 17.5)], wall=wall).reader
    assert strict.mean < -0.2 < 0.2 < mild.mean, "and where all begins too early or too late tells of who looked"
    assert 0.3 < strict.sd < 0.6


def test_one_misread_digit_hardly_moves_a_measured_wall() -> None:
    wall = _wall(11.0, 5.0, 0.1, 1.0, 7)
    sizes = wall.sizes.copy()
    sizes[4] += 0.3
    clean, slipped = fit_onset([], wall=wall), fit_onset([], wall=Thickness(BANDS, sizes, 0.56, 0.3))
    assert abs(slipped.limit - clean.limit) < clean.error


def test_a_wall_that_is_as_thick_everywhere_leaves_the_limit_above_it() -> None:
    found = fit_onset([], wall=_wall(40.0, 6.0, 0.2, 1.0, 3))
    assert found.limit > BANDS[-1]


def _shares(gain: float, power: float, at_210: float, rate: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    flow, heat = (grid.ravel() for grid in np.meshgrid(np.linspace(6, 19, 7), [200.0, 215.0, 230.0]))
    limit = at_210 * np.exp(rate * (heat - 210))
    return flow, heat, gain / (1 + (1 / THRESHOLD - 1) * (flow / limit) ** power)


@given(
    st.floats(0.9, 1.1), st.floats(5.0, 7.5), st.floats(9.0, 13.0), st.floats(0.013, 0.021), st.integers(0, 10_000)
)  # fmt: skip
@settings(derandomize=True)  # noise that is drawn anew each time lies far out once in some thousand runs
def test_weights_give_back_limit_gain_and_rate(
    gain: float, power: float, at_210: float, rate: float, seed: int
) -> None:
    flow, heat, share = _shares(gain, power, at_210, rate)
    noisy = share * np.random.default_rng(seed).normal(1, 0.006, len(share))
    found = fit_melt(flow, heat, noisy, np.full(len(flow), 0.002))
    value, error = found.limit(222)
    truth = at_210 * math.exp(rate * 12)
    assert value == pytest.approx(truth, rel=0.06)
    assert abs(value - truth) < 5 * error
    assert found.gain == pytest.approx(gain, rel=0.015)
    assert [t for t, _, _ in found.own] == [200, 215, 230]
    assert found.limit(215, 0.90)[0] > found.limit(215, 0.95)[0] > found.limit(215, 0.97)[0]


def _fit(share: np.ndarray, flow: np.ndarray, heat: np.ndarray) -> Melt:
    return fit_melt(flow, heat, share, np.full(len(flow), 0.002))


def test_one_misread_weight_and_blobs_that_never_came_pull_nothing() -> None:
    flow, heat, share = _shares(1.0, 6.0, 11.0, 0.017)
    clean = _fit(share, flow, heat).limit(210)[0]
    wrong = share.copy()
    wrong[9] += 0.2
    wrong[-2:] = 0.0
    found = _fit(wrong, flow, heat)
    assert found.limit(210)[0] == pytest.approx(clean, rel=0.015)
    assert np.flatnonzero(~found.kept).tolist() == [9, 19, 20]


def test_a_curve_needs_four_blobs() -> None:
    with pytest.raises(ValueError, match="four"):
        fit_melt(np.arange(3.0) + 5, np.full(3, 210.0), np.ones(3), np.full(3, 0.01))


def test_blobs_that_all_came_leave_the_limit_wide_open() -> None:
    flow = np.linspace(0.3, 0.5, 6)
    value, error = fit_melt(flow, np.full(6, 210.0), np.ones(6), np.full(6, 0.002)).limit(210)
    assert value > 0.5
    assert error > 0.5 * value, "nobody knows"


LAW = Dependency("nozzle_c", at=210, number=12.0, rate=0.018, low=200, high=230, note="max flow by weight")


def _with_law() -> Profile:
    profile = plain_context().profile
    value = Value(12.0, Origin(OriginKind.TRIAL, LAW.note, 3), 0.24, dependency=LAW)
    return changed(profile, {"max_flow_mm3_s": with_basis(value, "max_flow_mm3_s", profile.numbers())})


def _at(profile: Profile, nozzle_c: float) -> Profile:
    return changed(profile, {"nozzle_c": Value(nozzle_c, Origin(OriginKind.HAND, "by hand"))})


def test_the_limit_moves_along_its_curve_and_says_so() -> None:
    assert LAW.of(215) == pytest.approx(13.13, abs=0.01)
    assert LAW.where(LAW.of(227)) == pytest.approx(227)
    hotter = _at(_with_law(), 220)
    value = hotter.values["max_flow_mm3_s"]
    assert value.number == round(12 * math.exp(0.18), 1)
    assert value.error == pytest.approx(0.24 * value.number / 12)
    assert value.recheck is None
    assert value.origin == Origin(OriginKind.TRIAL, "max flow by weight, along its curve to 220 °C", 3)
    back = _at(hotter, 210).values["max_flow_mm3_s"]
    assert (back.number, back.origin.note, back.recheck) == (12.0, "max flow by weight", None), "there and back again"


def test_beyond_what_was_measured_the_limit_moves_but_wants_a_recheck() -> None:
    assert _at(_with_law(), 238).values["max_flow_mm3_s"].recheck is None
    far = _at(_with_law(), 250).values["max_flow_mm3_s"]
    assert far.recheck == "Nozzle, other layers is 250 °C; its curve was measured from 200 to 230 °C"
    assert far.number == round(LAW.of(250), 1)


def test_a_value_without_a_curve_only_wants_a_recheck() -> None:
    profile = plain_context().profile
    plain = changed(profile, {"max_flow_mm3_s": Value(12.0, Origin(OriginKind.TRIAL, "wall", 4), 0.5)})
    value = _at(plain, 225).values["max_flow_mm3_s"]
    assert value.number == 12.0
    assert value.recheck


def test_a_curve_survives_the_profile_file() -> None:
    profile = _with_law()
    assert Profile.from_json(json.loads(json.dumps(profile.to_json()))) == profile
