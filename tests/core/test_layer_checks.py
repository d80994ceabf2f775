"""Layer packages: what cures in the air, cups, empty layers, light and lifts that jump; and nothing of a sound one."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace

import numpy as np
import pytest

from drumbo.core.light.checks import Mask, Stack, pulls_mm3_s, stack_remarks
from drumbo.core.light.job import Layer, Lift, Light
from drumbo.exchange.layer_package import package_bytes
from drumbo.exchange.package_check import _add, check_package
from drumbo.trials import kinds_of
from tests.conftest import resin_context

LIFT = Lift(6, 0, 60, 60, 180)
SIZE = 120
"""Cells a side; 0.25 mm each."""


def _mask(*boxes: tuple[int, int, int, int]) -> Mask:
    out = np.zeros((SIZE, SIZE), bool)
    for a, b, c, d in boxes:
        out[b:d, a:c] = True
    return out


def _stack(
    drawn: Callable[[int], Mask], count: int = 60, light: Callable[[int], float] | None = None, lift: Lift = LIFT,
    numbers: Mapping[str, float] | None = None,
) -> Stack:  # fmt: skip
    seconds = light or (lambda k: 30.0 if k < 5 else 2.5)
    layers = [Layer(50, (Light(k, seconds(k)),), lift, 1, 0) for k in range(count)]
    return Stack(layers, drawn, 0.25, numbers or {})


def _told(stack: Stack) -> list[tuple[str, int]]:
    return [(remark.rule, remark.layer) for remark in stack_remarks(stack)]


BLOCK = _mask((20, 20, 90, 90))


def _ring(open_at: bool) -> Mask:
    out = BLOCK & ~_mask((30, 30, 80, 80))
    return out & ~_mask((50, 15, 56, 35)) if open_at else out


def test_a_sound_package_has_no_remark() -> None:
    def mushroom(k: int) -> Mask:
        return _mask((50 - k // 2, 50 - k // 2, 60 + k // 2, 60 + k // 2))

    assert _told(_stack(mushroom)) == []
    steps = _stack(mushroom, light=lambda k: 30.0 if k < 5 else max(2.5, 30.0 - 6 * (k - 4)))
    assert _told(steps) == [], "bottom light may step down evenly"
    assert _told(_stack(lambda k: _ring(open_at=k < 10))) == [], "a hollow with a drain at the plate holds no suction"
    assert (
        _told(_stack(lambda k: BLOCK, numbers={"exposure_s": 2.5, "bottom_layers": 5, "lift_speed_mm_min": 60})) == []
    )


@pytest.mark.parametrize(
    ("drawn", "rule", "layer"),
    [
        (lambda k: BLOCK if k < 20 else BLOCK | _mask((100, 100, 110, 110)), "grown", 21),
        (lambda k: BLOCK & ~_mask((30, 30, 80, 80)) if k >= 10 else BLOCK, "grown", 11),
        (lambda _k: _ring(open_at=False), "grown", 1),
        (lambda k: _mask() if 20 <= k < 23 else BLOCK, "grown", 21),
    ],
    ids=["an island", "a cup with a roof", "a ring on the plate", "empty layers"],
)
def test_what_grows_wrong_is_found(drawn: Callable[[int], Mask], rule: str, layer: int) -> None:
    told = _told(_stack(drawn))
    assert told
    assert told[0] == (rule, layer), told


def test_light_and_lifts_that_are_odd() -> None:
    def one(k: int) -> float:
        return 30.0 if k < 5 else 6.0 if k == 40 else 2.5

    assert _told(_stack(lambda _k: BLOCK, light=one)) == [("light-steps", 41)]
    assert _told(_stack(lambda _k: BLOCK, light=lambda _k: 2.5)) == [("bottoms", 1)]
    assert _told(_stack(lambda _k: BLOCK, count=90, light=lambda k: 30.0 if k < 25 else 2.5)) == [("bottoms", 1)]
    profile = {"exposure_s": 3.1, "bottom_layers": 6, "lift_speed_mm_min": 40}
    told = {rule for rule, _ in _told(_stack(lambda _k: BLOCK, numbers=profile))}
    assert told == {"light-steps", "bottoms", "lifts"}
    wide = np.ones((SIZE * 4, SIZE * 4), bool)
    wide[0] = wide[-1] = wide[:, 0] = wide[:, -1] = False
    assert _told(_stack(lambda _k: wide, lift=replace(LIFT, mm_min=240))) == [("lifts", 1)]


@pytest.mark.parametrize("slug", kinds_of("resin"))
def test_drumbos_own_packages_have_no_finding(slug: str) -> None:
    context, trial = resin_context(), kinds_of("resin")[slug]
    package = package_bytes(trial.print_file(trial.suggest(context), context))
    assert check_package(package).remarks == ()


def test_cells_are_lit_where_any_of_their_pixels_is() -> None:
    rng = np.random.default_rng(5)
    for each, row, column in ((1, 0, 0), (3, 2, 7), (4, 5, 4), (5, 11, 3)):
        lit = rng.random((23, 31)) > 0.9
        side = 60 // each
        cells, whole = np.zeros((side, side), bool), np.zeros((60, 60), bool)
        _add(cells, lit, row, column, each)
        whole[row : row + 23, column : column + 31] = lit
        expected = whole[: side * each, : side * each].reshape(side, each, side, each).any(axis=(1, 3))
        assert np.array_equal(cells, expected)


def test_pull_is_area_times_speed_and_a_package_tells_it_over_its_height() -> None:
    plate = _stack(lambda k: BLOCK if k < 10 else _mask((20, 20, 30, 30)), count=20)
    pulls = pulls_mm3_s(plate)
    assert pulls[0] == pytest.approx(70 * 70 * 0.25**2 * 60 / 60)
    assert pulls[15] == pytest.approx(10 * 10 * 0.25**2)
    assert pulls_mm3_s(_stack(lambda _k: BLOCK, count=3, lift=replace(LIFT, mm=0.0))) == [0.0] * 3
    context = resin_context()
    tower = kinds_of("resin")["lift-speed"]
    told = check_package(package_bytes(tower.print_file(tower.suggest(context), context))).pulls
    assert len(told) == 120
    assert told[-20] > told[20], "the same floors are pulled off faster further up"
