"""A part of two materials by turns: its three times, and where it has to be changed."""

from __future__ import annotations

import pytest

from drumbo.core import planner
from drumbo.core.errors import InvalidInput
from drumbo.core.pair import Partner
from drumbo.core.part_of_two import PartOfTwo, part_of_two, read_heights
from drumbo.core.piece import block
from drumbo.core.workshop import Printer
from tests.conftest import plain_context

PRINTER = Printer("Petrel One", nozzle_max_c=300)
BOX = block((-20, -15, 0), (20, 15, 12.24))
STIFF, SOFT = (Partner(c.material, c.profile) for c in (plain_context("petg"), plain_context("tpu")))


def _planned(heights: tuple[float, ...], one: Partner = STIFF, other: Partner = SOFT, hand_min: float = 4) -> PartOfTwo:
    return part_of_two(BOX, one, other, PRINTER, heights, hand_min=hand_min, purge_mm=(40, 60))


def test_each_at_its_own_speed_lies_between_the_stiff_one_alone_and_all_as_the_softer() -> None:
    def alone(partner: Partner) -> float:
        wish = planner.as_now(partner.profile, PRINTER)
        path = planner.roads(BOX, wish, partner.profile, PRINTER)
        return planner.planned(wish, path, partner.profile, PRINTER).seconds

    found = _planned((4.0, 8.0))
    assert alone(STIFF) < found.own_s < found.softer_s
    assert found.softer_s == pytest.approx(alone(SOFT), rel=0.15)
    assert [(r.low_mm, r.high_mm, r.first) for r in found.ranges] == [
        (0, 4.04, True),
        (4.04, 8.04, False),
        (8.04, 12.24, True),
    ]
    assert found.own_s == pytest.approx(sum(r.seconds for r in found.ranges))
    more = _planned((2.0, 10.0))
    assert found.own_s < more.own_s < found.softer_s, "the more of the softer one, the longer"
    same = _planned((4.0, 8.0), other=STIFF)
    assert same.own_s == pytest.approx(alone(STIFF), rel=0.001)
    assert same.own_s == pytest.approx(same.softer_s, rel=0.001)


def test_changes_are_told_with_their_layer_purge_and_hand() -> None:
    found = _planned((4.0, 8.0))
    first, second = found.changes
    assert (first.layer, first.height_mm, first.to_first, first.purge_mm) == (21, 4.04, False, 40)
    assert (second.layer, second.to_first, second.purge_mm) == (41, True, 60)
    assert first.machine_s == pytest.approx(20 + 40 * 2.405 / 4, abs=0.1), "20 °C apart, and 40 mm pushed"
    assert found.hand_s == pytest.approx(2 * 240)
    assert found.changes_s == pytest.approx(first.machine_s + second.machine_s + 480)
    assert found.purge_g == pytest.approx((40 * 2.405 * 1.21 + 60 * 2.405 * 1.27) / 1000, rel=0.01)


@pytest.mark.parametrize(
    ("typed", "says"),
    [("", "are needed"), ("4 x", "number"), ("8; 4", "must rise"), (" ".join(str(k) for k in range(1, 70)), "69")],
)
def test_heights_that_cannot_be_are_named(typed: str, says: str) -> None:
    with pytest.raises(InvalidInput, match=says):
        read_heights(typed)


def test_heights_beyond_the_part_or_on_one_layer_are_named() -> None:
    assert read_heights("4; 8,2") == (4.0, 8.2)
    for heights, says in (((30.0,), "12.2 mm high"), ((0.05,), "within the first layer"), ((4.0, 4.05), "same layer")):
        with pytest.raises(InvalidInput, match=says):
            _planned(heights)
