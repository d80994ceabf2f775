"""A part of two materials by turns of its layers or by its bodies: its three times, and where it has to be changed."""

from __future__ import annotations

import time
from dataclasses import replace
from itertools import chain, pairwise, product

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from manifold3d import Manifold

from drumbo.core import planner
from drumbo.core.errors import InvalidInput
from drumbo.core.pair import Partner, common_ground
from drumbo.core.part_of_two import (
    Body,
    PartOfTwo,
    changes_in,
    order_of,
    part_of_bodies,
    part_of_two,
    read_bodies,
    read_heights,
)
from drumbo.core.piece import block
from drumbo.core.printer import NOZZLES, Printer
from drumbo.core.toolpath import Role
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


def test_a_nozzle_for_each_costs_no_purge_but_the_way_back_from_standby() -> None:
    own = replace(PRINTER, swaps=NOZZLES, tool_change_s=7.0)
    found = part_of_two(BOX, STIFF, SOFT, own, (4.0, 8.0), hand_min=0, purge_mm=(40, 60))
    assert [change.purge_mm for change in found.changes] == [0, 0]
    taken = [change.machine_s for change in found.changes]
    assert taken == pytest.approx([57.0, 57.0]), "50 °C at 1 °C/s, and the tool"
    assert (found.hand_s, found.purge_g) == (0, 0)
    words = " ".join(common_ground(STIFF, SOFT, own).warnings)
    assert "pushed out" not in words


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


CORE, RING = (
    block((-12, -12, 0), (12, 12, 8.04)),
    block((-20, -15, 0), (20, 15, 4.04)) - block((-12, -12, 0), (12, 12, 5)),
)


def _of_bodies(*solids: Manifold, of_first: tuple[bool, ...] = (True, False), hand_min: float = 4) -> PartOfTwo:
    bodies = [Body(f"body {k}", solid) for k, solid in enumerate(solids)]
    return part_of_bodies(bodies, of_first, STIFF, SOFT, PRINTER, hand_min=hand_min, purge_mm=(40, 60))


def test_bodies_above_each_other_come_to_what_heights_come_to() -> None:
    lower, upper = block((-20, -15, 0), (20, 15, 4.04)), block((-20, -15, 4.04), (20, 15, 12.24))
    found, by_heights = _of_bodies(lower, upper), _planned((4.0,))
    assert [(c.layer, c.to_first, c.within) for c in found.changes] == [(21, False, False)]
    assert [(r.low_mm, r.high_mm) for r in found.ranges] == [(r.low_mm, r.high_mm) for r in by_heights.ranges]
    # The lower body has a top of its own, which the part that only changes its material has not.
    assert found.grams(False) == pytest.approx(by_heights.grams(False), rel=0.25)
    assert found.own_s == pytest.approx(by_heights.own_s, rel=0.25)
    assert found.own_s < found.softer_s
    bodies = [Body("lower", lower), Body("upper", upper)]
    same = part_of_bodies(bodies, (True, False), STIFF, STIFF, PRINTER, hand_min=4, purge_mm=(40, 60))
    assert same.own_s == pytest.approx(same.softer_s), "of one material twice no limit is the softer one"


def test_a_body_that_rests_on_another_neither_bridges_nor_hangs() -> None:
    wish = planner.as_now(SOFT.profile, PRINTER)
    between = block((-10, -15, 0), (10, 15, 4.04))
    table = block((-20, -15, 0), (20, 15, 8.04)) - between

    def in_air(resting_on: Manifold | None) -> int:
        path = planner.roads(table, wish, SOFT.profile, PRINTER, resting_on)
        return int(np.isin(path.role, [Role.BRIDGE, Role.OVERHANG]).sum())

    assert in_air(None) > 10
    assert in_air(between) == 0


def test_layers_of_both_begin_with_what_is_in_the_nozzle() -> None:
    found = _of_bodies(CORE, RING)
    assert len(found.changes) == 20, "one on each layer of both; above them the core alone, which is in there by then"
    assert found.in_turn == 40
    assert {c.within for c in found.changes} == {True}
    assert found.changes[-1].to_first
    assert found.hand_s == pytest.approx(20 * 240)
    assert _of_bodies(CORE, RING, hand_min=0).changes_s == pytest.approx(found.changes_s - found.hand_s)


@given(st.lists(st.sampled_from([(True, False), (False, True), (True, True), (False, False)]), max_size=7))
def test_no_order_changes_less(layers: list[tuple[bool, bool]]) -> None:
    prints = np.array(layers, bool).reshape(-1, 2).T
    found = order_of(prints)
    visits = [[own for own in (0, 1) if prints[own, layer]] for layer in range(prints.shape[1])]
    assert sorted(found) == sorted((layer, own) for layer, owns in enumerate(visits) for own in owns)
    assert [layer for layer, _ in found] == sorted(layer for layer, _ in found)
    every = product(*([owns] if len(owns) < 2 else [owns, owns[::-1]] for owns in visits))
    assert changes_in(found) == min(sum(a != b for a, b in pairwise(chain.from_iterable(order))) for order in every)


def test_bodies_that_overlap_or_do_not_touch_or_lack_a_material_are_named() -> None:
    for far, says in ((block((-12, -12, 4), (12, 12, 20)), "in both"), (RING.translate((0, 0, 9)), "close the gap")):
        with pytest.raises(InvalidInput, match=says):
            _of_bodies(CORE, far)
    dense = block((-30, -30, 0), (30, 30, 1)).refine(100)
    began = time.monotonic()
    with pytest.raises(InvalidInput, match="close the gap"):
        _of_bodies(dense, dense.translate((0, 0, 7)))
    assert time.monotonic() - began < 20, "two dense sheets with a gap are no work for minutes"
    with pytest.raises(InvalidInput) as missing:
        read_bodies(("core", "ring", "sole"), {"body_0": "one", "body_2": "neither"})
    assert set(missing.value.problems) == {"body_1", "body_2"}
    with pytest.raises(InvalidInput, match="the same material"):
        read_bodies(("core", "ring"), {"body_0": "one", "body_1": "one"})
    assert read_bodies(("core", "ring"), {"body_0": "one", "body_1": "other"}) == (True, False)
