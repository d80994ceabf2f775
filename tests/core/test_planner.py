"""The speed planner: roads at another pace, flows against the limit, each change's share in the time."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest

from drumbo.core import planner
from drumbo.core.errors import InvalidInput
from drumbo.core.profile import Dependency, Origin, OriginKind, Value
from drumbo.core.toolpath import PrintSettings, Role, Toolpath, build, settings_for
from drumbo.core.toolpath.pace import at_pace
from drumbo.trials.base import Context

PART = planner.reference_part()


def _roads(context: Context) -> Callable[[planner.Wish], Toolpath]:
    kept: dict[tuple[float, ...], Toolpath] = {}

    def roads(wish: planner.Wish) -> Toolpath:
        key = tuple(wish[name] for name in planner.ROADS)
        if key not in kept:
            kept[key] = planner.roads(PART, wish, context.profile, context.printer)
        return kept[key]

    return roads


def test_roads_at_another_pace_are_what_building_them_anew_gives(context: Context) -> None:
    slow = replace(settings_for(context.profile.numbers(), context.printer), outer_width_mm=0.5)
    fast = replace(
        slow, speeds={**slow.speeds, Role.INNER: 170.0, Role.INFILL: 190.0, Role.TRAVEL: 90.0}, max_flow_mm3_s=8.0,
        accel_mm_s2=5000.0, junction_mm_s=12.0, first_layer_speed=30.0,
    )  # fmt: skip
    built = [build(PART, s, middle=(110, 110), purge_from=(10, 8)) for s in (slow, fast)]
    paced = at_pace(built[0], fast)
    np.testing.assert_array_equal(paced.speed, built[1].speed)
    np.testing.assert_array_equal(paced.e_mm, built[1].e_mm)
    assert (paced.accel_mm_s2, paced.junction_mm_s) == (5000.0, 12.0)


def test_walls_of_two_widths_touch_and_fill_the_same_volume() -> None:
    even = PrintSettings(walls=3)
    assert even.wall_insets(0.2) == pytest.approx((0.225, 0.632, 1.039), abs=5e-4)
    wide = replace(even, outer_width_mm=0.6)
    outer, second, _ = wide.wall_insets(0.2)
    assert outer == pytest.approx(0.3)
    half_each = (wide.road_area(0.2, 0.6) + wide.road_area(0.2, 0.45)) / 0.2 / 2
    assert second - outer == pytest.approx(half_each)


def test_the_limit_holds_back_what_asks_for_more(context: Context) -> None:
    wish = planner.read_wish({"speed_inner": "180"}, context.profile, context.printer)
    found = planner.planned(wish, _roads(context)(wish), context.profile, context.printer)
    rows = {row.key: row for row in found.rows}
    area = 0.2 * 0.25 + np.pi * 0.01
    assert rows["inner"].flow_mm3_s == pytest.approx(180 * area)
    assert rows["inner"].had_mm_s == pytest.approx(12 / area)
    assert [key for key, row in rows.items() if row.held] == ["inner"]
    assert found.carries_c is None, "nobody measured how the limit follows heat"
    assert found.seconds == pytest.approx(sum(row.seconds for row in found.rows) + found.other_s)


def test_a_measured_curve_tells_the_heat_that_carries_a_wish(context: Context) -> None:
    law = Dependency("nozzle_c", at=210, number=12.0, rate=0.018, low=200, high=230)
    value = Value(12.0, Origin(OriginKind.TRIAL, "", 1), 0.2, dependency=law)
    profile = replace(context.profile, values={**context.profile.values, "max_flow_mm3_s": value})
    assert planner.limit_at(profile, 220) == (pytest.approx(12 * np.exp(0.18)), True)
    assert planner.limit_at(profile, 280)[1] is False
    wish = planner.read_wish({"speed_inner": "180"}, profile, context.printer)
    found = planner.planned(wish, _roads(context)(wish), profile, context.printer)
    assert found.carries_c is not None
    carried = planner.planned(
        {**wish, "nozzle_c": found.carries_c + 0.01}, _roads(context)(wish), profile, context.printer
    )
    assert not any(row.held for row in carried.rows)
    assert carried.seconds < found.seconds


def test_each_changes_share_adds_up_to_the_whole(context: Context) -> None:
    now = planner.as_now(context.profile, context.printer)
    typed = {"layer_mm": "0.28", "width_mm": "0,6", "walls": "1", "speed_infill": "120", "junction_mm_s": "15"}
    wish = planner.read_wish(typed, context.profile, context.printer)
    roads = _roads(context)

    def seconds(a_wish: planner.Wish) -> float:
        return planner.planned(a_wish, roads(a_wish), context.profile, context.printer).seconds

    steps = planner.stages(now, wish, context.printer, seconds)
    assert [step.name for step in steps] == ["Layer height", "Line widths, walls", "Speeds", "Junction speed"]
    assert "layer height 0.2 → 0.28 mm" in steps[0].says
    for before, after in pairwise(steps):
        assert before.after_s == after.before_s
    assert all(step.after_s < step.before_s for step in steps)
    assert (steps[0].before_s, steps[-1].after_s) == (pytest.approx(seconds(now)), pytest.approx(seconds(wish)))
    assert planner.stages(now, now, context.printer, seconds) == ()


@pytest.mark.parametrize(
    ("typed", "field", "told"),
    [
        ({"layer_mm": "0.32", "width_mm": "0.36"}, "layer_mm", "0.31 is the most"),
        ({"speed_outer": "9000"}, "speed_outer", "above 200 mm/s"),
        ({"walls": "1.5"}, "walls", "whole"),
        ({"nozzle_c": "hot"}, "nozzle_c", "not a number"),
    ],
)
def test_settings_that_cannot_be_printed_are_told_by_field(
    context: Context, typed: dict[str, str], field: str, told: str
) -> None:
    with pytest.raises(InvalidInput) as refused:
        planner.read_wish(typed, context.profile, context.printer)
    assert told in refused.value.problems[field]
