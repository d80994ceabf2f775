"""Resin's sums: leaves that tell the light, a lamp's map, undersides made up for, time and what changes buy."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from manifold3d import Manifold

from drumbo.core.errors import InvalidInput
from drumbo.core.light.job import LitSolid, Screen, evened, job, layers_off
from drumbo.core.light.lamp import COLUMNS, ROWS, LampMap, fit_lamp
from drumbo.core.light.leaves import fit_leaves
from drumbo.core.light.match import moved
from drumbo.core.light.pace import pace, shares, total_s
from drumbo.exchange.layer_package import package_bytes, read_package
from drumbo.standins.resin.bottle import draw_bottle
from drumbo.standins.resin.lamp import draw_lamp
from drumbo.standins.resin.physics import print_through_um
from drumbo.standins.resin.thing import cure
from drumbo.standins.worlds import VARIED
from drumbo.trials.toolkit.leaves import in_percent
from tests.conftest import resin_context

NUMBERS = resin_context().profile.numbers()
SCREEN = Screen((400, 200), 50.0)


def _grown(bleed_mm: float, u: float, leaves: int = 8) -> float:
    return float(2 * (leaves - 1) * bleed_mm * moved(np.array([u]))[0])


def test_known_answers() -> None:
    assert _grown(0.026, math.log(1.25)) == pytest.approx(0.092, abs=5e-4)
    assert in_percent(0.14) == pytest.approx(15.03, abs=0.01)
    assert print_through_um(1.855, 50, 150, 0.3) == pytest.approx(79, abs=0.5)
    assert layers_off({"z_um": -80, "layer_um": 50}) == 2
    assert layers_off({"z_um": 20, "layer_um": 50}) == 0


@settings(max_examples=40, deadline=None)
@given(st.floats(0.017, 0.038), st.floats(-0.3, 0.25), st.floats(0.0, 0.006))
def test_leaves_tell_the_light_whatever_bleeds_and_keeps_apart(bleed: float, wants: float, joint: float) -> None:
    offsets = [-0.18, 0.0, 0.18]
    differences = [_grown(bleed, x - wants) + 7 * joint for x in offsets]
    found = fit_leaves(offsets, differences, 8, before_mm=7 * joint)
    assert abs(found.wants - wants) < 1.645 * found.error + 0.01
    assert found.error < 0.09
    alone = fit_leaves([0.0], differences[1:2], 8)
    assert alone.error > found.error, "one set with nothing to hold it against tells less"
    assert np.sum(found.weight) == pytest.approx(1.0)


def test_a_lamp_is_found_again_and_a_torn_skin_has_no_say() -> None:
    lamp, rng = draw_lamp(3, 4.0, VARIED), np.random.default_rng(1)
    at = np.array([(x, y) for y in np.linspace(-0.85, 0.85, 4) for x in np.linspace(-0.9, 0.9, 6)])
    light = np.log(lamp.at(at[:, 0] * 60, at[:, 1] * 40, (120.0, 80.0)))
    read = light + rng.normal(0, 0.02, len(at))
    read[7] -= 0.5
    found = fit_lamp(at, read, 0.02)
    assert [k for k, kept in enumerate(found.kept) if not kept] == [7]
    x, y = rng.uniform(-0.9, 0.9, (2, 200))
    true = lamp.at(x * 60, y * 40, (120.0, 80.0)) / 4.0
    assert np.median(np.abs(found.map.at(x, y) / true - 1)) < 0.02
    assert LampMap.of(found.map.to_json()) == found.map
    assert LampMap.of([]) is LampMap.of([3.0, 3.0, 1.0]) is None
    with pytest.raises(ValueError, match="six"):
        fit_lamp(at[:5], read[:5], 0.02)


def test_pictures_even_an_uneven_lamp() -> None:
    lamp = draw_lamp(3, 4.0, VARIED)
    wide, deep = SCREEN.size_mm
    grid = np.array([(x, y) for y in np.linspace(-1, 1, ROWS) for x in np.linspace(-1, 1, COLUMNS)])
    light = lamp.at(grid[:, 0] * wide / 2, grid[:, 1] * deep / 2, (wide, deep))
    known = LampMap(COLUMNS, ROWS, tuple(float(share) for share in light / 4.0))
    plate = Manifold.cube((wide - 0.2, deep - 0.2, 1.0)).translate((-wide / 2 + 0.1, -deep / 2 + 0.1, 0.0))
    plain = job([LitSolid(plate, 2.5, 20.0)], NUMBERS, SCREEN)
    x, y = np.array([-8.5, 0.0, 8.0]), np.array([4.0, 0.0, -3.5])
    last = len(plain.layers) - 1
    for made, even in ((plain, False), (evened(plain, known), True)):
        got = cure(package_bytes(made), draw_bottle("resin-standard", 1), lamp).light(last, x, y)
        assert bool(np.ptp(got) < 0.12) == even
    assert got == pytest.approx([10.0] * 3, rel=0.012), "all get what the middle is to get"


def test_undersides_begin_later_by_what_light_adds_and_the_plate_does_not() -> None:
    arm = Manifold.cube((2, 2, 2)) + Manifold.cube((4, 2, 0.5)).translate((2, 0, 1.0))
    plain, off = (
        job([LitSolid(arm, 2.5, 20.0, compensated)], {**NUMBERS, "z_um": -90.0, "xy_mm": 0.0}, SCREEN)
        for compensated in (False, True)
    )
    areas = [[made.areas_mm2[layer.lights[0].shape] for layer in made.layers] for made in (plain, off)]
    assert areas[0][20] == pytest.approx(12.0)
    assert areas[1][20:23] == pytest.approx([4.0, 4.0, 12.0]), "two layers of 50 µm are left out"
    assert areas[1][:3] == areas[0][:3] == pytest.approx([4.0] * 3)


def test_where_the_time_of_a_layer_goes() -> None:
    numbers = {**NUMBERS, "exposure_s": 2.5, "rest_before_s": 1.0, "lift_mm": 6.0, "lift_speed_mm_min": 80.0,
               "retract_mm_min": 150.0, "rest_after_s": 0.5, "lift_slow_mm": 0.0}  # fmt: skip
    assert [share.seconds for share in shares(numbers)] == pytest.approx([2.5, 1.0, 4.5, 2.4, 0.5])
    box = Manifold.cube((2, 2, 3.0))
    made = job([LitSolid(box, 2.5, numbers["bottom_exposure_s"])], numbers, SCREEN)
    assert total_s(numbers, 3.0) == pytest.approx(made.seconds), "as the file itself takes"
    found = pace(numbers, 40.0)
    assert found.total_s == pytest.approx(total_s(numbers, 40.0))
    assert [each.saves_s for each in found.buys] == sorted((each.saves_s for each in found.buys), reverse=True)
    bought = {each.key: each.saves_s for each in found.buys}
    assert bought["lift_slow_mm"] == pytest.approx(total_s(numbers, 40) - total_s({**numbers, "lift_slow_mm": 3}, 40))
    for other in ({"lift_slow_mm": 3.0}, {"lift_mm": 3.0}):
        assert "lift_slow_mm" not in {each.key for each in pace({**numbers, **other}, 40.0).buys}, other
    for height in (0.0, -1.0, math.nan, 1e9):
        with pytest.raises(InvalidInput, match="height_mm"):
            pace(numbers, height)


def test_a_package_with_greys_is_read_back() -> None:
    known = LampMap(2, 2, (1.0, 0.8, 1.0, 0.9))
    made = evened(job([LitSolid(Manifold.cube((4, 4, 1)), 2.0, 20.0)], NUMBERS, SCREEN), known)
    package = read_package(package_bytes(made))
    assert package.layers[-1].lights[0].seconds == pytest.approx(2.0 / 0.8)
    lit = package.lit(package.layers[-1].lights[0].shape)[2]
    assert lit.max() <= 255
    assert lit.min() < 240
    assert replace(made, mask=None).seconds == made.seconds


@pytest.mark.parametrize(
    ("row", "column", "name"),
    [
        (0, 0, "front left"), (0, 4, "front"), (0, 8, "front right"), (3, 0, "left"), (3, 4, "middle"), (3, 8, "right"),
        (6, 0, "back left"), (6, 4, "back"), (6, 8, "back right"),
    ],
)  # fmt: skip
def test_a_place_of_the_screen_has_its_name(row: int, column: int, name: str) -> None:
    """The darkest place is told by where it is."""
    shares = np.ones((ROWS, COLUMNS))
    shares[row, column] = 0.8
    assert LampMap(COLUMNS, ROWS, tuple(shares.ravel())).advice.startswith(f"Least at the {name}:")


def test_where_light_is_even_enough_nothing_is_advised_and_a_map_survives_being_kept() -> None:
    even = LampMap(COLUMNS, ROWS, tuple(np.linspace(0.98, 1.02, COLUMNS * ROWS)))
    assert even.advice == ""
    assert even.uneven == pytest.approx(0.04)
    assert LampMap.of(even.to_json()) == even
    for broken in (
        [],
        [9.0],
        [9.0, 7.0, 1.0],
        [1.0, 1.0, 1.0],
        [*even.to_json()[:-1], math.nan],
        [2.0, 2.0, 1, 1, 1, 0],
    ):
        assert LampMap.of(broken) is None, broken
