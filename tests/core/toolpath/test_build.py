"""From a solid to lines: where walls run, what is closed, what hangs, how much is fed and how fast, layer by layer."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from drumbo.core.piece import block, union
from drumbo.core.toolpath import PrintSettings, build, path_motion
from drumbo.core.toolpath.columns import Role, Set
from tests.core.toolpath.laid import FILLS, PLAIN, WALLS, laid

CUBE = block((-8, -6, 0), (8, 6, 4.04))
"""Of 20 layers: one of 0.24 and nineteen of 0.2 mm."""


def test_layers_stand_on_one_another_and_each_is_as_high_as_it_says() -> None:
    made = laid(CUBE)
    tops = [float(made.path.z[made.draws & (made.path.layer == k)].max()) for k in range(made.layers)]
    assert tops == pytest.approx([0.24 + 0.2 * k for k in range(20)])
    heights = made.path.height[made.draws]
    assert set(np.round(heights, 3)) == {0.24, 0.2}
    assert np.all(np.diff(made.path.layer) >= 0), "nothing is laid below what is laid"


def test_a_raised_head_runs_higher_by_so_much_and_lays_the_same() -> None:
    flat, raised = laid(CUBE), laid(CUBE, raise_mm=0.07)
    np.testing.assert_allclose(raised.path.z[raised.draws] - flat.path.z[flat.draws], 0.07, atol=1e-9)
    np.testing.assert_array_equal(raised.path.e_mm, flat.path.e_mm)


@pytest.mark.parametrize(
    ("width", "outer", "grown"),
    [(0.45, 0.0, 0.0), (0.6, 0.0, 0.0), (0.45, 0.4, 0.0), (0.45, 0.0, 0.1), (0.5, 0.42, -0.15)],
)
def test_the_outside_of_the_outer_wall_is_the_outline(width: float, outer: float, grown: float) -> None:
    made = laid(CUBE, width_mm=width, outer_width_mm=outer, outline_mm=grown)
    rows = made.of(Role.OUTER)
    line = outer or width
    reach = np.abs(np.vstack((made.a[rows], made.b[rows]))[:, :2]).max(axis=0) + line / 2
    assert reach == pytest.approx([8 + grown, 6 + grown], abs=2e-3)


@pytest.mark.parametrize("walls", [1, 2, 3, 4])
def test_there_are_as_many_walls_as_asked_each_as_far_inside_as_it_should_be(walls: int) -> None:
    made = laid(CUBE, walls=walls)
    layer = 10
    found = set()
    for row in np.flatnonzero(made.of(*WALLS, layer=layer)):
        a, b = made.a[row], made.b[row]
        if abs(a[0] - b[0]) < 1e-6 and abs(a[1] - b[1]) > 6:
            found.add(round(8 - abs(float(a[0])), 3))
    assert sorted(found) == pytest.approx(made.settings.wall_insets(0.2), abs=2e-3)
    assert len(found) == walls


def test_walls_are_closed_loops() -> None:
    made = laid(CUBE, coasting_mm=0.0)
    rows = np.flatnonzero(made.of(Role.OUTER, layer=7))
    assert made.a[rows[0]][:2] == pytest.approx(made.b[rows[-1]][:2], abs=1e-3)
    around = float(made.lengths[rows].sum())
    assert around == pytest.approx(2 * (16 - 0.45) + 2 * (12 - 0.45), rel=1e-3)


def test_a_line_that_coasts_ends_its_filament_before_its_end_and_still_goes_there() -> None:
    whole, coasts = laid(CUBE), laid(CUBE, coasting_mm=0.3)
    one, other = (float(m.lengths[m.of(Role.OUTER, layer=7)].sum()) for m in (whole, coasts))
    assert one - other == pytest.approx(0.3, abs=1e-3)
    assert coasts.volume(coasts.draws) < whole.volume(whole.draws)


def test_tops_and_bottoms_are_closed_and_the_middle_is_not() -> None:
    made = laid(CUBE, top_layers=4, bottom_layers=3, infill=0.15)
    roles = [set(np.unique(made.path.role[made.draws & (made.path.layer == k)])) for k in range(made.layers)]
    solid = [bool({Role.SOLID, Role.TOP} & of) for of in roles]
    assert [k for k, closed in enumerate(solid) if closed] == [0, 1, 2, 16, 17, 18, 19]
    assert [k for k, of in enumerate(roles) if Role.TOP in of] == [19]
    assert [k for k, of in enumerate(roles) if Role.INFILL in of] == list(range(3, 16))


@pytest.mark.parametrize("share", [0.1, 0.25, 0.5, 1.0])
def test_infill_fills_the_share_that_it_says(share: float) -> None:
    made = laid(block((-20, -20, 0), (20, 20, 4.04)), infill=share, top_layers=0, bottom_layers=0)
    fills = made.of(*FILLS)
    inside = 40 - 2 * (made.settings.wall_insets(0.2)[-1] + made.settings.spacing(0.2) / 2)
    middle = fills & (made.path.layer > 3) & (made.path.layer < 17)
    per_layer = made.volume(middle) / 13
    assert per_layer / (inside**2 * 0.2) == pytest.approx(share, rel=0.06)


@pytest.mark.parametrize("layer", [1, 10, 19])
def test_what_is_full_is_full(layer: int) -> None:
    """Between the walls not a gap and nothing too much; where lines turn they reach into the walls, to hold on."""
    wide, deep = 40.0, 30.0
    made = laid(block((-wide / 2, -deep / 2, 0), (wide / 2, deep / 2, 4.04)), infill=1.0)
    rows = made.of(*FILLS, layer=layer)
    a, b = made.a[rows][:, :2], made.b[rows][:, :2]
    parts = np.linspace(0.0005, 0.9995, 1000)[:, None, None]
    places = a + parts * (b - a)
    inside = (np.abs(places[..., 0]) < 10) & (np.abs(places[..., 1]) < 10)
    fed = made.path.e_mm[rows] * made.settings.filament_area
    assert (inside.mean(axis=0) * fed).sum() == pytest.approx(20 * 20 * 0.2, rel=0.015)
    whole = made.volume(made.of(*WALLS, *FILLS, layer=layer)) / (wide * deep * 0.2)
    assert 1.0 < whole < 1.03


@pytest.mark.parametrize("times", [0.9, 1.07])
def test_flow_multiplies_what_is_fed_and_nothing_else(times: float) -> None:
    one, other = laid(CUBE), laid(CUBE, flow_ratio=times)
    rows = one.draws
    np.testing.assert_allclose(other.path.e_mm[rows], times * one.path.e_mm[rows], rtol=2e-3, atol=2e-5)
    np.testing.assert_array_equal(other.b, one.b)
    still = ~rows
    np.testing.assert_array_equal(other.path.e_mm[still], one.path.e_mm[still])


def test_outer_walls_and_the_first_layer_may_have_a_share_of_their_own() -> None:
    plain, shared = laid(CUBE), laid(CUBE, flow_outer_share=0.95, flow_first_share=1.1)
    for layer, outer in ((0, 0.95 * 1.1), (5, 0.95)):
        rows = plain.of(Role.OUTER, layer=layer)
        assert shared.volume(rows) / plain.volume(rows) == pytest.approx(outer, rel=1e-3)
    rows = plain.of(Role.INNER, layer=5)
    assert shared.volume(rows) == pytest.approx(plain.volume(rows))


@pytest.mark.parametrize("most", [2.0, 5.0, 9.0])
def test_nothing_is_laid_faster_than_the_nozzle_melts(most: float) -> None:
    made = laid(CUBE, max_flow_mm3_s=most)
    rows = made.draws
    flow = made.path.e_mm[rows] * made.settings.filament_area / made.lengths[rows] * made.path.speed[rows]
    assert flow.max() <= most * 1.02
    held = flow > 0.97 * most
    assert held.any() or most > 5, "where it binds, it is used"


def test_speeds_are_those_of_their_role_and_the_first_layer_goes_gently() -> None:
    made = laid(CUBE, max_flow_mm3_s=99.0)
    for role in (Role.OUTER, Role.INNER, Role.INFILL, Role.TOP):
        rows = made.of(role) & (made.path.layer > 0)
        assert set(np.round(made.path.speed[rows], 3)) == {made.settings.speeds[role]}, role
    first = made.draws & (made.path.layer == 0)
    fills = first & np.isin(made.path.role, (Role.SOLID, Role.TOP, Role.INFILL))
    assert made.path.speed[first & ~fills].max() <= made.settings.first_layer_speed
    most = made.settings.first_layer_speed * made.settings.first_fill_times
    assert made.settings.first_layer_speed < made.path.speed[fills].max() <= most
    travels = (made.path.role == Role.TRAVEL) & (made.lengths > 0) & (made.path.layer > 0)
    assert made.path.speed[travels].max() == made.settings.speeds[Role.TRAVEL]


TABLE = union(
    [block((-12, -5, 0), (-8, 5, 3.04)), block((8, -5, 0), (12, 5, 3.04)), block((-12, -5, 3.04), (12, 5, 4.04))]
)


def test_a_bridge_goes_from_pier_to_pier_with_its_own_fan_and_speed() -> None:
    made = laid(TABLE, fan=0.5, fan_bridge=0.9)
    rows = np.flatnonzero(made.of(Role.BRIDGE))
    assert set(made.path.layer[rows]) == {15}, "only what hangs in the air is one"
    way = np.abs(made.b[rows] - made.a[rows])
    # Walls that hang are bridges too.
    long = (made.lengths[rows] > 10) & (np.abs(made.a[rows, 1]) < 4.2)
    assert long.sum() > 10
    assert np.all(way[long, 0] > 20 * way[long, 1]), "along x, across the gap"
    assert np.all(np.maximum(np.abs(made.a[rows[long], 0]), np.abs(made.b[rows[long], 0])) > 8), "held at its ends"
    assert set(made.path.speed[rows]) == {made.settings.speeds[Role.BRIDGE]}
    fans = [event.value for event in made.path.events if event.what == Set.FAN]
    assert 0.9 in fans
    last = [event.value for event in made.path.events if event.what == Set.FAN and event.row > rows.max()]
    assert last, "after it the fan is as before"
    assert last[0] == pytest.approx(0.5)


def test_a_steep_overhang_is_told_from_a_mild_one() -> None:
    def leaning(by_mm: float) -> float:
        stairs = [block((-6 + k * by_mm, -4, 0.2 * k), (6 + k * by_mm, 4, 0.2 * (k + 1) + 0.04)) for k in range(20)]
        made = laid(union(stairs), overhang_from_deg=48.0)
        rows, outer = made.of(Role.OVERHANG), made.of(Role.OUTER, Role.OVERHANG)
        return float(made.lengths[rows].sum() / made.lengths[outer].sum())

    assert leaning(0.2 * math.tan(math.radians(30))) == 0
    assert leaning(0.2 * math.tan(math.radians(60))) > 0.1


def test_what_is_pulled_back_is_pushed_out_again() -> None:
    two = union([block((-20, -4, 0), (-12, 4, 4.04)), block((12, -4, 0), (20, 4, 4.04))])
    for extra in (0.0, -0.1, 0.05):
        made = laid(two, restart_extra_mm=extra)
        back = made.path.e_mm[made.path.role == Role.RETRACT]
        forth = made.path.e_mm[made.path.role == Role.RESTART]
        assert len(back) >= made.layers, "to the other part on every layer"
        assert set(np.round(back, 4)) == {-0.8}
        assert set(np.round(forth, 4)) == {round(0.8 + extra, 4)}
        assert abs(len(back) - len(forth)) <= 1


def test_the_air_between_two_parts_is_never_crossed_with_the_nozzle_open() -> None:
    two = union([block((-20, -4, 0), (-12, 4, 4.04)), block((12, -4, 0), (20, 4, 4.04))])
    made = laid(two)
    pulled = np.cumsum(np.where(np.isin(made.path.role, (Role.RETRACT, Role.RESTART)), made.path.e_mm, 0.0)) < -0.5
    across = (made.a[:, 0] * made.b[:, 0] < 0) & (made.lengths > 20)
    assert across.sum() >= made.layers - 1
    assert np.all(pulled[across])
    assert np.all(made.path.e_mm[across] == 0)


@pytest.mark.parametrize("hop", [0.0, 0.4])
def test_a_hop_lifts_the_nozzle_on_its_way_and_sets_it_down_again(hop: float) -> None:
    two = union([block((-20, -4, 0), (-12, 4, 4.04)), block((12, -4, 0), (20, 4, 4.04))])
    made = laid(two, z_hop_mm=hop)
    across = np.flatnonzero((made.a[:, 0] * made.b[:, 0] < 0) & (made.lengths > 20) & (made.path.layer > 0))
    for row in across:
        layer = made.path.layer[row]
        assert made.b[row][2] - (0.24 + 0.2 * layer) == pytest.approx(hop, abs=0.21), "at most the next layer's height"
        assert made.b[row][2] >= 0.24 + 0.2 * layer + hop - 0.2 - 1e-6
    drawn = made.draws
    np.testing.assert_allclose(made.path.z[drawn], 0.24 + 0.2 * made.path.layer[drawn], atol=1e-6)


@pytest.mark.parametrize("least", [4.0, 8.0, 15.0])
def test_a_small_layer_takes_its_time_or_goes_as_slowly_as_it_may(least: float) -> None:
    spire = block((-2, -2, 0), (2, 2, 4.04))
    made = laid(spire, layer_time_min_s=least, speed_floor=6.0)
    seconds = path_motion(made.path).seconds
    for layer in range(1, made.layers):
        rows = made.path.layer == layer
        slowest = made.path.speed[rows & made.draws].max() <= 6.0 + 1e-6
        assert seconds[rows].sum() >= 0.9 * least or slowest, layer
    # A large part needs no slowing.
    large = laid(block((-30, -30, 0), (30, 30, 1.04)), layer_time_min_s=least)
    plain = laid(block((-30, -30, 0), (30, 30, 1.04)))
    np.testing.assert_array_equal(large.path.speed, plain.path.speed)


def test_the_fan_waits_for_the_first_layers_and_is_full_from_where_it_should_be() -> None:
    made = laid(CUBE, fan=0.8, fan_off_layers=2, fan_full_layer=5, fan_bridge=0.8)
    starts = {int(layer): int(np.flatnonzero(made.path.layer == layer)[0]) for layer in np.unique(made.path.layer)}
    fan, at = {}, 0.0
    events = sorted((e.row, e.value) for e in made.path.events if e.what == Set.FAN)
    for layer, row in starts.items():
        told = [value for where, value in events if where <= row]
        at = told[-1] if told else 0.0
        fan[layer] = at
    assert (fan[0], fan[1]) == (0.0, 0.0)
    assert fan[2] == pytest.approx(0.8 / 3)
    assert fan[4] == fan[19] == pytest.approx(0.8)


@pytest.mark.parametrize("loops", [0, 1, 3])
def test_a_skirt_goes_round_the_part_as_often_as_asked_and_touches_nothing(loops: int) -> None:
    made = laid(CUBE, skirt_loops=loops, skirt_gap_mm=4.0)
    rows = (made.path.role == Role.SKIRT) & (made.path.e_mm > 0) & (made.lengths > 0)
    assert rows.any() == (loops > 0)
    if loops:
        places = np.vstack((made.a[rows], made.b[rows]))
        beyond = np.maximum(np.abs(places[:, 0]) - 8, np.abs(places[:, 1]) - 6)
        assert beyond.min() >= 4.0 - 0.45
        assert set(made.path.layer[rows]) == {0}
        around = 2 * (16 + 8) + 2 * (12 + 8)
        assert loops * around * 0.85 < made.lengths[rows].sum() < loops * (around + 8 * 4 * loops)


def test_the_nozzle_is_primed_before_anything_is_laid() -> None:
    made = laid(CUBE, purge=True)
    purge = np.flatnonzero((made.path.role == Role.PURGE) & (made.path.e_mm > 0))
    assert len(purge)
    assert purge.max() < np.flatnonzero(made.draws).min()
    assert made.path.e_mm[purge].sum() * made.settings.filament_area > 5, "enough to fill the nozzle"


def test_the_same_is_built_twice_and_elsewhere_on_the_bed() -> None:
    made = PrintSettings(**PLAIN)
    one, again = (build(TABLE, made, middle=(0.0, 0.0), purge_from=(-40.0, -40.0)) for _ in range(2))
    there = build(TABLE, made, middle=(30.0, 50.0), purge_from=(-10.0, 10.0))
    for name in ("x", "y", "z", "e_mm", "speed", "role"):
        np.testing.assert_array_equal(getattr(one, name), getattr(again, name), err_msg=name)
    assert len(there) == len(one)
    np.testing.assert_allclose(there.x[1:] - one.x[1:], 30.0, atol=1.5e-3)
    np.testing.assert_allclose(there.e_mm, one.e_mm, atol=1e-4)


boxes = st.lists(
    st.tuples(st.integers(-12, 6), st.integers(-12, 6), st.integers(4, 14), st.integers(4, 14), st.integers(1, 4)),
    min_size=1, max_size=4,
)  # fmt: skip


@settings(max_examples=8, deadline=None)
@given(boxes)
def test_whatever_stands_there_is_filled_and_nothing_outside_of_it(drawn: list[tuple[int, int, int, int, int]]) -> None:
    parts = [((x, y), (x + wide, y + deep), 0.24 + 0.2 * (5 * high - 1)) for x, y, wide, deep, high in drawn]
    solid = union([block((*low, 0), (*far, top)) for low, far, top in parts])
    made = laid(solid, infill=1.0)
    rows = made.draws
    assert 0.98 * solid.volume() < made.volume(rows) < 1.13 * solid.volume()
    # Every line's middle lies within a box that is as high as that.
    middle = (made.a[rows] + made.b[rows]) / 2
    held = np.zeros(len(middle), bool)
    for low, far, top in parts:
        inside = (middle[:, :2] > np.array(low) - 1e-3) & (middle[:, :2] < np.array(far) + 1e-3)
        held |= inside.all(axis=1) & (middle[:, 2] <= top + 1e-6)
    assert held.mean() > 0.999
    for layer in range(made.layers):
        bottom, height = (0.0, 0.24) if layer == 0 else (0.04 + 0.2 * layer, 0.2)
        area = solid.slice(bottom + height / 2).area()
        filled = made.volume(rows & (made.path.layer == layer)) / (area * height)
        assert 0.95 < filled < 1.16, f"layer {layer}"


def test_more_walls_or_a_wider_line_leave_the_part_as_heavy() -> None:
    plain = laid(CUBE, infill=1.0)
    for change in ({"walls": 4}, {"width_mm": 0.55}, {"layer_mm": 0.1, "first_layer_mm": 0.24}):
        other = laid(CUBE, infill=1.0, **change)
        assert other.volume(other.draws) == pytest.approx(plain.volume(plain.draws), rel=0.02), change


def test_settings_say_what_a_line_is() -> None:
    made = replace(PrintSettings(), width_mm=0.45)
    assert made.road_area(0.2) == pytest.approx(0.0814, abs=1e-4)
    assert made.spacing(0.2) == pytest.approx(0.407, abs=1e-3)
    assert made.wall_insets(0.2) == pytest.approx((0.225, 0.632), abs=1e-3)
    assert made.road_area_of(np.array([0.1, 0.2])) == pytest.approx([made.road_area(0.1), made.road_area(0.2)])
    late = replace(made, fan=0.3, fan_short=1.0, fan_normal_layer_s=20.0, layer_time_min_s=10.0)
    assert late.fan_in_time(9, 15.0) == pytest.approx(0.65)
    assert late.fan_in_time(9, 5.0) == pytest.approx(1.0)
    assert late.fan_in_time(9, 30.0) == pytest.approx(0.3)
    assert late.fan_in_time(0, 5.0) == 0.0, "not on the first layer"
