"""Flow from scores and from callipers: worked numbers, known answers, and what must be said as uncertain."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from drumbo.core.fit.callipers import JAWS_MM
from drumbo.core.fit.fade import WITHIN, fit_fade
from drumbo.core.fit.ordinal import BIAS_SD, SEVERITY_SD, USUAL, Leaning, learned, log_likelihood
from drumbo.core.fit.vee import fit_vee
from drumbo.core.fit.wall import fit_wall, nominal_mm, spread_kept

FLOWS = np.round(np.arange(0.90, 1.101, 0.025), 4)


def _scores(best: float, gap: float = 0.03, ridge: float = 0.05, at: np.ndarray = FLOWS) -> tuple[np.ndarray, ...]:
    """Whole scores as exact eyes would give them where a departure of `gap` or `ridge` halves them."""
    gaps = 4 / (1 + (np.clip(1 - at / best, 0, None) / gap) ** 1.4)
    ridges = 4 / (1 + (np.clip(at / best - 1, 0, None) / ridge) ** 1.4)
    return np.rint(gaps), np.rint(ridges)


@given(st.floats(0.93, 1.07), st.floats(0.02, 0.05), st.floats(1.0, 2.0))
@settings(max_examples=25, deadline=None)
def test_the_v_finds_where_gaps_end_and_ridges_begin(best: float, gap: float, wider: float) -> None:
    found = fit_vee(FLOWS, *_scores(best, gap, gap * wider))
    assert abs(found.best - best) < min(3 * found.error, 0.022)
    assert found.edge == 0
    assert not found.flat


def test_finer_steps_and_what_is_known_make_it_surer() -> None:
    coarse = fit_vee(FLOWS, *_scores(0.973))
    fine_at = np.round(np.arange(0.95, 0.991, 0.005), 4)
    fine = fit_vee(fine_at, *_scores(0.973, at=fine_at))
    both = fit_vee(fine_at, *_scores(0.973, at=fine_at), known=(coarse.best, coarse.error))
    assert both.error <= fine.error
    assert both.error < 0.8 * coarse.error
    assert both.best == pytest.approx(0.973, abs=0.008)


def test_one_plain_slip_does_not_move_it_far() -> None:
    gaps, ridges = _scores(1.0)
    slipped = gaps.copy()
    slipped[7] = 1
    assert fit_vee(FLOWS, slipped, ridges).best == pytest.approx(fit_vee(FLOWS, gaps, ridges).best, abs=0.01)


@pytest.mark.parametrize(("best", "edge"), [(0.86, -1), (1.16, 1), (1.0, 0)])
def test_the_end_of_the_sweep_is_said(best: float, edge: int) -> None:
    assert fit_vee(FLOWS, *_scores(best)).edge == edge


def test_nothing_to_tell_apart_is_flat_and_two_steps_are_too_few() -> None:
    same = np.full(len(FLOWS), 3.0)
    assert fit_vee(FLOWS, same, same).flat
    few = np.where(np.arange(len(FLOWS)) < 2, 3.0, np.nan)
    with pytest.raises(ValueError, match="three steps"):
        fit_vee(FLOWS, few, few)


def test_likelihoods_of_all_scores_together_are_one() -> None:
    expected = np.array([[1.3], [3.9], [0.0]])
    total = sum(np.exp(log_likelihood(np.array([float(score)]), expected)) for score in range(5))
    np.testing.assert_allclose(total, 1.0)


def test_worked_widths() -> None:
    assert nominal_mm(2, 0.407, 0.2) == pytest.approx(0.857, abs=5e-4)
    assert spread_kept(np.array([0.45, 0.46, 0.44, 0.75])).tolist() == [True, True, True, False]
    assert spread_kept(np.array([0.45, 0.49, 0.44, 0.46])).all(), "0.04 mm apart is what callipers do"


@given(st.floats(0.88, 1.12), st.floats(0, 1))
@settings(max_examples=40, deadline=None)
def test_walls_tell_the_fill_whatever_the_roads_push(fill: float, push: float) -> None:
    spacing, height = 0.41, 0.2
    single = nominal_mm(1, spacing, height) + spacing * (fill - 1)
    double = nominal_mm(2, spacing, height) + spacing * (fill - 1) * (1 + push)
    single, double = single + JAWS_MM, double + JAWS_MM
    found = fit_wall([single] * 4, [double] * 4, spacing, height)
    assert found.fill == pytest.approx(fill, abs=max(0.004, 0.8 * found.error))
    assert abs(found.apart) < 1e-6
    alone = fit_wall([], [nominal_mm(2, spacing, height) + JAWS_MM] * 4, spacing, height)
    assert alone.fill == pytest.approx(1.0, abs=1e-3), "a double wall that is right says so alone"


def test_a_misread_digit_has_no_say_and_is_named() -> None:
    clean = fit_wall([0.44, 0.45, 0.45, 0.44], [0.85, 0.86, 0.86, 0.85], 0.407, 0.2)
    slip = fit_wall([0.44, 0.45, 0.45, 0.44, 0.74], [0.85, 0.86, 0.86, 0.85], 0.407, 0.2)
    assert slip.means == clean.means == pytest.approx((0.445, 0.855))
    assert all(0.002 < error < 0.02 for error in slip.errors)
    assert slip.apart == clean.apart
    assert slip.kept[0].tolist() == [True] * 4 + [False]
    assert slip.fill == pytest.approx(clean.fill, abs=0.002)


def test_walls_that_contradict_each_other_are_found_out() -> None:
    found = fit_wall([0.40] * 4, [0.95] * 4, 0.407, 0.2)
    assert abs(found.apart) > 4
    with pytest.raises(ValueError, match="two readings"):
        fit_wall([0.4], [0.9], 0.407, 0.2)


LENGTHS = np.round(np.arange(0.2, 1.41, 0.1), 2)


@given(st.floats(0.5, 1.2), st.floats(1.5, 8), st.floats(0.01, 0.15))
@settings(max_examples=25, deadline=None)
def test_the_shortest_clean_length_is_found(full: float, amount: float, floor: float) -> None:
    left = amount * np.clip(1 - LENGTHS / full, 0, None) ** 1.5 + floor
    found = fit_fade(LENGTHS, np.rint(4 / (1 + left**1.1)))
    last = 4 / (1 + floor**1.1)
    enough = (4 / (last - WITHIN) - 1) ** (1 / 1.1)
    clean = full * (1 - min((enough - floor) / amount, 1) ** (1 / 1.5))
    assert found.clean == pytest.approx(clean, abs=max(2.5 * found.error_of(found.clean), 0.12))


def test_lengths_that_change_nothing_are_flat_and_a_range_that_ends_too_early_is_said() -> None:
    assert fit_fade(LENGTHS, np.full(len(LENGTHS), 2.0)).flat
    rising = fit_fade(LENGTHS, np.array([0, 0, 0, 0, 0, 0, 0, 1, 1, 1, 1, 2, 2], float))
    assert rising.beyond > 0.5


@given(st.floats(-1.2, 1.2), st.integers(0, 1000))
@settings(max_examples=20, derandomize=True)
def test_how_somebody_scores_is_told_from_the_leans_of_several_aspects(severity: float, seed: int) -> None:
    """Posteriors as wide as fits commonly leave them, around the person's severity and each aspect's own lean."""
    rng = np.random.default_rng(seed)
    own = rng.normal(0, BIAS_SD, 6)
    drawn = []
    for lean in own:
        known, prior = 0.3, np.hypot(BIAS_SD, SEVERITY_SD)
        seen = severity + lean + rng.normal(0, known)
        weight = known**-2 / (known**-2 + prior**-2)
        drawn.append(rng.normal(weight * seen, (known**-2 + prior**-2) ** -0.5, 4000))
    found = learned(drawn, USUAL)
    assert found.sd < 0.3
    assert abs(found.mean - severity) < 4 * found.sd
    assert learned(drawn, Leaning(0.0, 0.05)).sd <= 0.05, "who is well known is not known worse for it"


def test_a_known_reader_makes_a_strict_strip_no_wider_than_a_usual_one() -> None:
    gaps, ridges = (np.clip(scores - 1, 0, 4) for scores in _scores(1.0))
    unknown, known = (fit_vee(FLOWS, gaps, ridges, reader=reader) for reader in (USUAL, Leaning(-1.0, 0.2)))
    assert unknown.reader.mean < -0.4, "full marks nowhere"
    assert known.error < 1.1 * unknown.error
    assert known.best == pytest.approx(1.0, abs=2 * known.error)


def test_strings_that_fade_and_strings_that_end_are_both_told_how_sure_that_is() -> None:
    ends = 6 * np.clip(1 - LENGTHS / 0.8, 0, None) ** 1.5 + 0.05
    fades = 6 * np.exp(-4 * LENGTHS / 0.8) + 0.05
    for left in (ends, fades):
        found = fit_fade(LENGTHS, np.rint(4 / (1 + left**1.1)))
        clean = LENGTHS[np.argmax(4 / (1 + left**1.1) > 4 / (1 + left[-1] ** 1.1) - WITHIN)]
        assert abs(found.clean - clean) < 2.5 * found.error_of(found.clean)
    assert found.error_of(found.clean + 1) > 1
