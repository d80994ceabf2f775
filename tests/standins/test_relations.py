"""Worked numbers of the stand-ins' physics, as docs/physics.md tells the relations; and what holds of all of them."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from drumbo.core.families import FAMILIES
from drumbo.core.pair import Bonds, common_bond
from drumbo.standins.filament import physics
from drumbo.standins.filament.bed import FLAT, Bed, draw_bed
from drumbo.standins.filament.joint import HOLDS, Joint, draw_joint
from drumbo.standins.filament.mixing import MixedMelt, Mixing, draw_mixing, unpacked
from drumbo.standins.filament.spool import Spool, draw_spool
from drumbo.standins.resin import physics as resin
from drumbo.standins.resin.lamp import Lamp, draw_lamp
from drumbo.standins.worlds import VARIED, WORLDS

PLAIN = replace(
    draw_spool("pla", 3), centre_c=210.0, melt_mm3_s=12.0, melt_rate=0.017, ooze_mm3=0.1, ooze_rate=0.05,
    pull_full_mm=0.8, moisture=0.0, sag_mm=0.4, sag_rate=0.04, droop_mm=0.3, droop_rate=0.04, curl_c=200.0,
    bond_c=195.0, bond_width=7.0, sheen_c=198.0, damage_c=232.0, usual_fan=1.0, chills=1.0, grip=1.02,
    diameter_mm=1.75, lag_s=0.03, lag_rate=0.01, pull_slow_mm_s=20.0, pull_fast_mm_s=55.0, pull_limit_mm=1.4,
    restart_mm=-0.1, coast_mm=0.2, set_s=8.0, stick_c=50.0,
)  # fmt: skip
"""A spool of round numbers."""
HEATS = st.floats(170, 260)


def _one(number: float) -> np.ndarray:
    return np.array([number])


@pytest.mark.parametrize(
    ("what", "found", "right"),
    [
        ("ten degrees more melt a sixth more", physics.capability(PLAIN, _one(220), 0.4), 12 * math.exp(0.17)),
        ("a nozzle of 0.6 melts more", physics.capability(PLAIN, _one(210), 0.6), 12 * 1.5**1.3),
        ("at the limit 95 of 100 arrive", physics.delivered(_one(12), _one(12)), 1 / 1.0526),
        ("at half of it all but a thousandth", physics.delivered(_one(6), _one(12)), 1 / (1 + 0.0526 / 64)),
        ("twice the limit", physics.delivered(_one(24), _one(12)), 1 / (1 + 0.0526 * 64)),
        ("a line of 0.0814 mm² at 0.2 mm is 0.45 wide", physics.road_width(_one(0.0814), _one(0.2)), 0.4499),
        ("a top that is filled to 0.96 is open by 4 %", physics.openness(_one(0.96)), 0.04),
        ("and one of 1.10 ridged, and dragged along", physics.ridging(_one(1.10)), 0.1 + 0.6 * 0.04),
        ("lag at the centre", physics.lag_seconds(PLAIN, _one(210)), 0.03),
        ("and twenty degrees hotter", physics.lag_seconds(PLAIN, _one(230)), 0.03 * math.exp(-0.2)),
        ("a pull between the speeds is felt", physics.felt_pull(PLAIN, _one(0.8), _one(35)), 0.8),
        ("one at half the slow speed", physics.felt_pull(PLAIN, _one(0.8), _one(10)), 0.8 * 0.5**0.7),
        ("one 15 mm/s too fast slips by half", physics.felt_pull(PLAIN, _one(0.8), _one(70)), 0.4),
        ("0.1 mm too much at a start", physics.start_surplus(PLAIN, _one(0.0), _one(0.8)), 0.1),
        ("air after too long a pull", physics.start_surplus(PLAIN, _one(-0.1), _one(2.4)), -0.35),
        ("0.1 mm of pressure left at an end", physics.end_surplus(PLAIN, _one(0.1)), 0.1),
        ("half the pull that holds all", physics.ooze(PLAIN, _one(210), _one(0.4), _one(99)), 0.1 * 0.5**1.5),
        ("no string at the whole one", physics.ooze(PLAIN, _one(210), _one(0.8), _one(99)), 0.0),
        ("a bridge of 28 mm", physics.sag(PLAIN, _one(210), _one(28), _one(1), _one(30)), 0.4),
        ("without fan four times as much", physics.sag(PLAIN, _one(210), _one(28), _one(0), _one(30)), 1.6),
        ("four times as fast, half", physics.sag(PLAIN, _one(210), _one(28), _one(1), _one(60)), 0.4 * 0.5**0.5),
        ("an overhang of 62°", physics.droop(PLAIN, _one(210), _one(62), _one(1)), 0.3),
        ("ten degrees below where it curls", physics.curl(PLAIN, _one(190), _one(62)), 0.35),
        ("bond at its middle, at the usual fan, in 8 s", physics.bond(PLAIN, _one(195), _one(1), _one(8)), 0.5),
        ("twice as long a layer", physics.bond(PLAIN, _one(195), _one(1), _one(16)), 0.5 * 0.95),
        ("half missing, a quarter left", physics.starved_bond(_one(0.5)), 0.25),
        ("a foot on a plate ten degrees too warm", physics.foot(55, _one(65)), 0.1),
        ("and no more than 0.15", physics.foot(55, _one(99)), 0.15),
        ("ten degrees past what it stands", physics.damage(PLAIN, _one(242)), 1 - math.exp(-1)),
        ("a plate at the edge, lines well pressed", physics.hold(PLAIN, _one(50), _one(2)), 0.5),
    ],
)  # fmt: skip
def test_worked_numbers(what: str, found: np.ndarray, right: float) -> None:
    assert found == pytest.approx(right, rel=1e-3, abs=1e-9), what


def test_a_feed_is_what_grip_and_diameter_make_of_it() -> None:
    assert physics.fed_share(PLAIN) == pytest.approx(1.02)
    assert physics.fed_share(replace(PLAIN, diameter_mm=1.77)) == pytest.approx(1.02 * (1.77 / 1.75) ** 2)


def test_it_grinds_after_twenty_seconds_without_a_rest_and_a_rest_forgives() -> None:
    seconds, warm = np.full(10, 6.0), np.zeros(10, bool)
    hard = np.full(10, 2.0)
    assert physics.grinds(seconds, hard, warm).tolist() == [False] * 3 + [True] * 7
    rested = np.array([2, 2, 2, 0.5, 2, 2, 2, 0.5, 2, 2], float)
    assert not physics.grinds(seconds, rested, warm).any()
    assert physics.grinds(seconds, np.full(10, 1.6), warm).sum() == 0
    assert physics.grinds(seconds, np.full(10, 0.1), ~warm).any(), "what does not melt is ground at any pace"


@given(st.integers(0, 500), st.sampled_from([kin.key for kin in FAMILIES]), HEATS, HEATS)
def test_what_heat_does_has_one_direction_for_every_spool_of_every_world(
    seed: int, family: str, one_c: float, other_c: float
) -> None:
    spool = draw_spool(family, seed, world=VARIED)
    t = np.array(sorted((one_c, other_c)))
    ones = np.ones(2)
    for more in (
        physics.capability(spool, t, 0.4), physics.ooze(spool, t, 0.3 * ones, ones),
        physics.sag(spool, t, 30 * ones, ones, 30 * ones), physics.droop(spool, t, 60 * ones, ones),
        physics.bond(spool, t, ones, 10 * ones), physics.sheen(spool, t, 0.5 * ones), physics.damage(spool, t),
        physics.slump(spool, t, ones, 5 * ones), -physics.curl(spool, t, 60 * ones), -physics.lag_seconds(spool, t),
    ):  # fmt: skip
        assert more[1] >= more[0] - 1e-12
    for share in (physics.bond(spool, t, 0 * ones, 4 * ones), physics.sheen(spool, t, ones), physics.damage(spool, t)):
        assert ((share >= 0) & (share <= 1)).all()


@given(st.integers(0, 200), st.sampled_from(sorted(WORLDS)), st.lists(st.floats(0, 30), min_size=2, max_size=9))
def test_more_asked_is_never_a_larger_share(seed: int, world: str, flows: list[float]) -> None:
    spool = draw_spool("petg", seed, world=WORLDS[world])
    asked = np.array(sorted(flows))
    share = physics.delivered(asked, np.full(len(asked), 9.0), spool.slip_power, spool.slip_onset)
    assert (np.diff(share) <= 1e-12).all()
    assert ((share > 0) & (share <= 1)).all()
    assert physics.delivered(_one(9), _one(9), spool.slip_power, spool.slip_onset) == pytest.approx(0.95, abs=1e-3)


@given(st.integers(0, 300), st.sampled_from(["direct", "bowden"]))
def test_truths_lie_where_makers_find_them(seed: int, drive: str) -> None:
    spool: Spool = draw_spool("pla", seed, drive)
    assert 198 <= spool.centre_c <= 226
    assert 0.94 <= spool.grip <= 1.06
    assert 1.72 <= spool.diameter_mm <= 1.78
    low, high = (3.0, 6.5) if drive == "bowden" else (0.4, 1.3)
    assert low <= spool.pull_full_mm <= high < spool.pull_limit_mm + high
    assert spool.pull_full_mm < spool.pull_limit_mm, "what holds the string does not yet let air in"
    assert spool.pull_slow_mm_s < spool.pull_fast_mm_s
    assert (0.3 <= spool.lag_s <= 0.9) if drive == "bowden" else (0.015 <= spool.lag_s <= 0.06)


def test_a_plate_leans_and_bows_as_it_is_told() -> None:
    bed = Bed(gap_mm=0.02, lean_x=0.05, lean_y=-0.03, bow_mm=0.01, middle=(110.0, 110.0))
    spots = np.array([[110.0, 110.0], [210.0, 110.0], [110.0, 10.0]])
    assert bed.above(spots) == pytest.approx([0.02, 0.02 + 0.05 + 0.01, 0.02 + 0.03 + 0.01])
    assert (FLAT.above(spots) == 0).all()
    assert draw_bed(0) == FLAT
    assert draw_bed(7) == draw_bed(7) != draw_bed(8)


def test_where_a_joint_holds_is_where_its_strength_is_three_quarters() -> None:
    joint = Joint(most=1.0, at_c=220.0, width_c=6.0)
    assert joint.strength(joint.holds_from_c, 0.0) == pytest.approx(HOLDS)
    assert joint.strength(220.0, 0.0) == pytest.approx(0.5)
    assert joint.strength(220.0, 1.0) == pytest.approx(0.5 * 0.65)
    assert Joint(0.7, 220.0, 6.0).holds_from_c == math.inf


@given(
    st.sampled_from([kin.key for kin in FAMILIES]), st.sampled_from([kin.key for kin in FAMILIES]), st.integers(1, 99)
)
def test_a_joint_is_as_strong_as_the_trade_says_of_the_pair(one: str, other: str, seed: int) -> None:
    joint = draw_joint((one, seed), (other, seed + 100))
    how = common_bond(one, other).how
    assert joint == draw_joint((one, seed), (other, seed + 100))
    if how is Bonds.PARTS:
        assert joint.holds_from_c == math.inf
    if how is Bonds.STICKS:
        assert joint.most > 0.9


def test_an_old_colour_thins_out_and_what_clings_goes_on() -> None:
    plain, clinging = Mixing(20.0), Mixing(20.0, 0.1)
    assert plain.old_share(-5) == plain.old_share(0) == 1.0
    assert plain.old_share(20) == pytest.approx(math.exp(-1))
    assert clinging.old_share(140) == pytest.approx(0.9 * math.exp(-7) + 0.1 * math.exp(-2))
    there, back = draw_mixing(("pla", 3), ("petg", 9)), draw_mixing(("petg", 9), ("pla", 3))
    assert there != back, "each way has its own length"
    assert 15 <= min(there.thins_mm, back.thins_mm) <= max(there.thins_mm, back.thins_mm) <= 38


def test_what_comes_out_is_a_mixture_until_it_is_pure() -> None:
    melt = MixedMelt("#000000", "#ffffff", 0.0, Mixing(20.0))
    greys = [unpacked([melt.push(2.0)])[0] for _ in range(100)]
    levels = np.array([grey[0] for grey in greys])
    assert all(len(set(grey.tolist())) == 1 for grey in greys)
    assert (np.diff(levels) >= 0).all()
    assert levels[0] == pytest.approx(255 * (1 - math.exp(-1 / 20)), abs=1)
    assert levels[-1] == 255
    assert not melt.mixes
    assert melt.colour == "#ffffff"
    assert MixedMelt("#123456", "#123456", 0.0, Mixing(20.0)).colour == "#123456"


@pytest.mark.parametrize(
    ("what", "found", "right"),
    [
        ("cold resin needs a tenth more", resin.critical_mj_cm2(6.0, 0.02, 20.0), 6.6),
        ("e times the critical energy sets one depth", resin.cure_depth_um(6 * math.e, 6.0, 140.0), 140.0),
        ("below it nothing sets", resin.cure_depth_um(5.0, 6.0, 140.0), 0.0),
        ("no light sets nothing", resin.cure_depth_um(0.0, 6.0, 140.0), 0.0),
        ("at twice the energy a face stands still", resin.growth_mm(2.0, 0.03), 0.0),
        ("at 1 / Φ(-1) times it has gone one σ outwards", resin.growth_mm(1 / 0.158655, 0.03), 0.03),
        ("and at 1 / Φ(1) inwards", resin.growth_mm(1 / 0.841345, 0.03), -0.03),
        ("a tail leaves the middle where it is", resin.growth_mm(2.0, 0.03, 0.1), 0.0),
        ("one overdose of its own makes it firm by 63 %", resin.green(1.8, 0.8), 1 - math.exp(-1)),
        ("unset resin has no strength", resin.green(0.9, 0.8), 0.0),
        ("firm and slow", resin.thinnest_mm(0.2, 1.0, 60.0, 200.0), 0.2),
        ("four times as fast, twice as thick", resin.thinnest_mm(0.2, 1.0, 240.0, 300.0), 0.4),
        ("and past what tears, more", resin.thinnest_mm(0.2, 1.0, 240.0, 120.0), 0.4 * 4),
        ("half as firm, twice as thick", resin.thinnest_mm(0.2, 0.5, 60.0, 200.0), 0.4),
        ("a rest as long as it settles", resin.smear_mm(2.0, 2.0), 0.16 / math.e),
        ("print-through of docs/physics.md", resin.print_through_um(1.855, 50.0, 150.0, 0.3), 79.0),
        ("half a hold at its own dose", resin.hold(4.0, 4.0), 0.5),
        ("supports that are just enough", resin.carried(0.04, 1.0, 4.0, 60.0), 1.0),
    ],
)  # fmt: skip
def test_worked_numbers_of_light(what: str, found: float, right: float) -> None:
    assert found == pytest.approx(right, rel=5e-3, abs=2e-5), what


def test_what_has_not_set_does_not_stand() -> None:
    assert resin.thinnest_mm(0.2, 0.01, 60.0, 200.0) == math.inf


@given(st.floats(-0.2, 0.2), st.floats(0.02, 0.08), st.floats(0.01, 0.04))
def test_all_light_of_a_row_of_pixels_goes_somewhere(at: float, pixel: float, bleed: float) -> None:
    first = np.array([int(at / pixel) - 40])
    weights = resin.pixel_weights(np.array([at]), first, 80, pixel, bleed)
    assert weights.sum() == pytest.approx(1.0, abs=1e-6)
    assert (weights >= 0).all()


def test_a_lamp_is_what_it_says_in_the_middle_and_leans_from_side_to_side() -> None:
    size = (130.0, 80.0)
    even = Lamp(4.0, lean=0.0, dim=0.0)
    assert even.at(np.array([-65.0, 0.0, 65.0]), np.zeros(3), size) == pytest.approx(4.0)
    leaning = Lamp(4.0, lean=0.1, dim=0.0, lean_y=-0.04)
    left, right = leaning.at(np.array([-65.0, 65.0]), np.zeros(2), size)
    front, rear = leaning.at(np.zeros(2), np.array([-40.0, 40.0]), size)
    assert (right - left) / 4 == pytest.approx(0.1)
    assert (rear - front) / 4 == pytest.approx(-0.04)
    corners = Lamp(4.0, lean=0.0, dim=0.2).at(np.array([65.0]), np.array([40.0]), size)
    assert corners == pytest.approx(4.0 * 0.8)
    assert draw_lamp(3, world=VARIED) == draw_lamp(3, world=VARIED) != draw_lamp(4, world=VARIED)
