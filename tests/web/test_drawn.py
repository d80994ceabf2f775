"""Pictures say what their numbers say: paths are read back by the ticks that stand beside them."""

from __future__ import annotations

import math
import re
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from drumbo.core.gcode.roles import ROADS
from drumbo.core.piece import Drawing, Place
from drumbo.core.planner import Planned, RoleRow, Stage
from drumbo.services.check import Track
from drumbo.trials.pictures import Axis, Chart, Curve, Series, Spread
from drumbo.trials.readings import Step
from drumbo.trials.result import Result
from drumbo.web.chart import BOTTOM, HEIGHT, LEFT, RIGHT, TOP, WIDTH, chart_picture
from drumbo.web.figure import (
    FIT_WIDTH,
    LEAST_ROW_PX,
    ROW_PX,
    FitPicture,
    fit_picture,
    piece_picture,
    spread_picture,
)
from drumbo.web.tracks import bars, strips
from drumbo.web.waterfall import flow_picture, waterfall_picture

TICK_PX = 0.06
"""Places are rounded to a tenth of a pixel."""


def _by_ticks(ticks: tuple[tuple[float, str], ...], *, log: bool = False) -> tuple[float, float]:
    """Value at 0 px, and how much a pixel is (of the logarithm, on such an axis)."""
    (a, first), (b, last) = ticks[0], ticks[-1]
    values = [math.log(float(text)) if log else float(text) for text in (first, last)]
    per_px = (values[1] - values[0]) / (b - a)
    return values[0] - a * per_px, per_px


def _places(path: str) -> np.ndarray:
    return np.array([[float(n) for n in place.split()] for place in path.strip("MZ").split("L")])


@given(
    st.lists(st.tuples(st.floats(-50, 50), st.floats(-1000, 1000)), min_size=3, max_size=12, unique_by=lambda p: p[0])
)
def test_a_charts_line_is_where_its_ticks_say(points: list[tuple[float, float]]) -> None:
    x, y = (tuple(column) for column in zip(*sorted(points), strict=True))
    if max(x) - min(x) < 1 or max(y) - min(y) < 1:
        return
    picture = chart_picture(Chart("c", Axis("a", "s"), Axis("b", "µm"), (Series("l", "line", x, y),)))
    drawn = _places(picture.lines[0][1])
    assert picture.x_ticks
    for column, ticks, data in ((0, picture.x_ticks, x), (1, picture.y_ticks, y)):
        if len(ticks) < 2:
            continue
        start, per_px = _by_ticks(ticks)
        slack = abs(per_px) * (2 + 3 * np.ptp(drawn[:, column]) / abs(ticks[-1][0] - ticks[0][0])) * TICK_PX
        assert start + per_px * drawn[:, column] == pytest.approx(np.array(data), abs=slack + 1e-9)
    assert drawn[:, 0].min() >= LEFT - TICK_PX
    assert drawn[:, 0].max() <= WIDTH - RIGHT + TICK_PX
    assert drawn[:, 1].min() >= TOP - TICK_PX
    assert drawn[:, 1].max() <= HEIGHT - BOTTOM + TICK_PX


@pytest.mark.parametrize(("low", "high"), [(1.0, 16.0), (0.3, 4.0), (2.0, 3.1), (5.0, 900.0)])
def test_a_logarithmic_axis_has_round_ticks_in_their_places(low: float, high: float) -> None:
    x = tuple(np.geomspace(low, high, 9).tolist())
    line = Series("l", "line", x, tuple(math.log(v) for v in x))
    picture = chart_picture(Chart("c", Axis("Light", "s", log=True), Axis("b", "µm"), (line,)))
    assert len(picture.x_ticks) >= 3
    start, per_px = _by_ticks(picture.x_ticks, log=True)
    drawn = _places(picture.lines[0][1])
    assert start + per_px * drawn[:, 0] == pytest.approx(np.log(x), abs=4 * TICK_PX * per_px + 1e-9)
    # Over the logarithm a logarithm is straight.
    steps = np.diff(drawn, axis=0)
    assert np.ptp(steps[:, 1] / steps[:, 0]) < 0.02


def test_error_bars_and_bands_reach_as_far_as_they_say() -> None:
    x, y, error = (1.0, 2.0, 3.0), (10.0, 20.0, 15.0), (2.0, 4.0, 0.0)
    points = Series("p", "points", x, y, error, (True, True, False))
    band = Series("b", "band", x, (5.0, 12.0, 10.0), (15.0, 28.0, 20.0))
    picture = chart_picture(Chart("c", Axis("a", "s"), Axis("b", "µm"), (points, band)))
    start, per_px = _by_ticks(picture.y_ticks)
    for dot, value, wide in zip(picture.dots, y, error, strict=True):
        assert start + per_px * dot.y == pytest.approx(value, abs=0.1)
        assert start + per_px * dot.low == pytest.approx(value - wide, abs=0.1)
        assert start + per_px * dot.high == pytest.approx(value + wide, abs=0.1)
    assert [dot.kept for dot in picture.dots] == [True, True, False]
    assert picture.dots[2].says.endswith(", left out")
    outline = start + per_px * _places(picture.bands[0])[:, 1]
    assert outline == pytest.approx([15.0, 28.0, 20.0, 10.0, 12.0, 5.0], abs=0.1)


def test_names_at_the_ends_of_lines_do_not_lie_on_each_other() -> None:
    lines = tuple(Series(f"line {k}", "line", (0.0, 1.0), (0.0, 1.0 + 0.001 * k)) for k in range(4))
    low = Series("low", "line", (0.0, 1.0), (0.0, -1.0))
    picture = chart_picture(Chart("c", Axis("a", "s"), Axis("b", "µm"), (*lines, low)))
    heights = sorted(line[4] for line in picture.lines)
    assert all(b - a >= 12 for a, b in pairwise(heights))


# -- a file along its time


def _steps(path: str) -> list[tuple[float, float]]:
    """Places of a path of steps."""
    first = re.match(r"M([\d.-]+) ([\d.-]+)", path)
    assert first is not None
    places = [(float(first[1]), float(first[2]))]
    places += [(float(a), float(b)) for a, b in re.findall(r"H([\d.-]+)V([\d.-]+)", path)]
    return places


def test_a_strip_steps_where_its_value_changes_and_its_limit_lies_on_its_scale() -> None:
    track = Track("flow", "mm³/s", np.array([0.0, 10.0, 25.0, 40.0]), np.array([2.0, 8.0, 4.0, 4.0]), limit=10.0)
    found = strips([track], "time")
    (strip,) = found.strips
    assert (found.unit, found.low, found.high) == ("min", 0.0, 40.0)
    x_start, x_px = _by_ticks(found.marks)
    y_start, y_px = _by_ticks(strip.marks)
    drawn = np.array(_steps(strip.path))
    assert x_start + x_px * drawn[:, 0] == pytest.approx(track.x, abs=0.2)
    assert y_start + y_px * drawn[:, 1] == pytest.approx(track.y, abs=0.1)
    assert strip.limit is not None
    assert y_start + y_px * strip.limit == pytest.approx(10.0, abs=0.1)
    assert strip.limit_says == "limit 10"
    assert strip.says == "flow from 2 to 8 mm³/s"


def test_temperatures_are_drawn_where_they_differ_and_cold_ones_do_not_leave_the_strip() -> None:
    track = Track("nozzle", "°C", np.array([0.0, 1.0, 2.0, 3.0]), np.array([21.0, 215.0, 210.0, 0.0]))
    (strip,) = strips([track], "time").strips
    assert all(float(text) > 190 for _, text in strip.marks)
    drawn = dict(_steps(strip.path))
    heights = list(drawn.values())
    assert heights[1] < heights[2] < heights[3] == heights[0], "what is cold lies on the floor"


def test_strips_without_a_move_are_drawn_empty() -> None:
    empty = np.array([])
    found = strips([Track("fan", "%", empty, empty)], "height")
    assert found.strips[0].path == ""
    assert found.unit == "mm high"


def test_bars_stand_on_each_other_and_are_as_high_as_the_time_they_mean() -> None:
    edges = np.array([0.0, 2.0, 4.0, 6.0])
    minutes = np.zeros((len(ROADS), 3))
    minutes[0], minutes[1] = (3.0, 0.0, 1.0), (1.0, 2.0, 0.0)
    found = bars(edges, minutes, 5.0)
    y_start, y_px = _by_ticks(found.y_marks)
    x_start, x_px = _by_ticks(found.x_marks)
    read = {}
    for role, path in found.paths:
        for x, low, high, right in re.findall(r"M([\d.]+) ([\d.]+)V([\d.]+)H([\d.]+)V", path):
            middle = x_start + x_px * (float(x) + float(right)) / 2
            read[role, round(middle)] = (y_start + y_px * float(low), y_start + y_px * float(high))
    assert read == {
        (ROADS[0], 1): pytest.approx((0, 3), abs=0.05), (ROADS[0], 5): pytest.approx((0, 1), abs=0.05),
        (ROADS[1], 1): pytest.approx((3, 4), abs=0.05), (ROADS[1], 3): pytest.approx((0, 2), abs=0.05),
    }  # fmt: skip
    assert found.limit is not None
    assert x_start + x_px * found.limit == pytest.approx(5.0, abs=0.02)
    assert bars(edges, minutes, None).limit is None


# -- the planner's


def test_a_fall_begins_where_the_one_before_it_ended() -> None:
    steps = [
        Stage(("layer_mm",), "layers", "0.2 to 0.28 mm", 3600, 2700),
        Stage(("walls",), "walls", "2 to 3", 2700, 3000),
        Stage(("speed",), "speed", "60 to 61 mm/s", 3000, 3000.2),
    ]
    found = waterfall_picture(steps)
    assert found is not None
    per_s = found.before_width / 3600
    assert [fall.width for fall in found.falls[:2]] == pytest.approx([900 * per_s, 300 * per_s], abs=0.1)
    assert [fall.saves for fall in found.falls] == [True, False, False]
    ends = [fall.x if fall.saves else fall.x + fall.width for fall in found.falls]
    begins = [fall.x + fall.width if fall.saves else fall.x for fall in found.falls]
    assert begins[0] == pytest.approx(found.left + found.before_width, abs=0.1)
    assert begins[1:] == pytest.approx(ends[:-1], abs=0.2)
    assert found.falls[-1].width == 1.5, "what is nearly nothing can still be seen"
    assert found.left + found.after_width == pytest.approx(begins[-1], abs=0.2)
    assert [fall.worth for fall in found.falls] == ["−15 min 00 s, 25 %", "+5 min 00 s, 8 %", "±0"]
    assert found.last_y == 4 * found.row == found.height - found.row
    assert waterfall_picture([]) is None


def test_what_is_asked_beyond_what_melts_is_drawn_apart() -> None:
    rows = (
        RoleRow("outer", "outer walls", 0.45, 0.2, 40, 40, 3.3, 600),
        RoleRow("infill", "infill", 0.5, 0.2, 150, 120, 15, 600),
    )
    found = flow_picture(Planned(12.0, True, rows, 1200, 0.0, 10.0, None))
    slow, quick = found.bars
    per_flow = slow.comes / 3.3
    assert (slow.beyond, slow.says) == (0.0, "")
    assert quick.comes == pytest.approx(found.limit, abs=0.1)
    assert quick.beyond == pytest.approx(3.0 * per_flow, abs=0.5)
    assert quick.says == "held to 120 mm/s"
    assert quick.comes + quick.beyond <= found.width
    assert found.limit_says == "12.0 mm³/s melt"


# -- the piece with its readings


def _tower(count: int = 9, wide: float = 60.0) -> Drawing:
    places = tuple(
        Place(k, 230.0 - 5 * k, f"{230 - 5 * k}", (-30, -5, 1 + 8.0 * k), (30, 5, 9 + 8.0 * k)) for k in range(count)
    )
    return Drawing(wide, 8.0 * count + 1, -wide / 2, 8.0 * count + 1, "front", (), places)


def _steps_of(drawing: Drawing) -> list[Step]:
    return [Step(place.index, place.value, place.label) for place in drawing.places]


def test_a_towers_rows_are_as_high_as_its_steps_and_its_top_is_at_the_top() -> None:
    drawing = _tower()
    picture = piece_picture(drawing, None, (110.0, 110.0))
    assert not picture.lies
    assert [band.label for band in picture.bands] == [str(190 + 5 * k) for k in range(9)], "the top one first"
    assert picture.px_per_mm * 8.0 == pytest.approx(picture.row_px, abs=0.01)
    assert LEAST_ROW_PX <= picture.row_px <= ROW_PX
    assert picture.bands[0].y == pytest.approx(-73.0)
    heights = [band.height for band in picture.bands]
    assert heights == pytest.approx([8.0] * 9)


def test_a_wide_tower_gets_low_rows_but_none_that_no_score_fits_into() -> None:
    assert piece_picture(_tower(wide=60.0), None, (0, 0)).row_px == ROW_PX
    assert piece_picture(_tower(wide=140.0), None, (0, 0)).row_px == LEAST_ROW_PX


@pytest.mark.parametrize("count", [5, 9])
def test_the_fit_meets_the_steps_it_is_of(count: int) -> None:
    drawing = _tower(count)
    picture, steps = piece_picture(drawing, None, (0, 0)), _steps_of(drawing)
    grid = tuple(step.value for step in steps)
    curve = Curve(grid, (50.0,) * count, (40.0,) * count, (60.0,) * count, tuple((x, 75.0) for x in grid))
    result = Result("good", value=steps[2].value, error=2.0, low=steps[3].value, high=steps[1].value, curve=curve)
    found = fit_picture(result, steps, picture)
    assert found.width == FIT_WIDTH
    # Each point stands in the middle of its step's row; the hottest step is the lowest.
    middles = [picture.row_px * (count - 1 - k + 0.5) for k in range(count)]
    assert [y for _, y in found.points] == pytest.approx(middles, abs=0.1)
    assert found.best == pytest.approx(middles[2], abs=0.1)
    assert found.good_from == pytest.approx(middles[3], abs=0.1)
    assert found.good_size == pytest.approx(2 * picture.row_px, abs=0.2)
    assert found.head > 0
    at_75 = next(x for x, quality in found.ticks if quality == 75)
    assert found.points[0][0] == pytest.approx(at_75, abs=0.1)


def test_a_fit_without_a_value_has_only_its_scale() -> None:
    drawing = _tower()
    picture = piece_picture(drawing, None, (0, 0))
    for result in (None, Result("few")):
        found = fit_picture(result, _steps_of(drawing), picture)
        assert isinstance(found, FitPicture)
        assert (found.curve, found.points, found.best) == ("", (), None)
        assert [quality for _, quality in found.ticks] == [25, 50, 75, 100]


def test_a_strips_columns_stand_under_its_pads() -> None:
    places = tuple(
        Place(k, 0.9 + 0.025 * k, f"{k}", (22.0 * k, 0, 0), (22.0 * k + 20, 20, 2), axis=0) for k in range(6)
    )
    drawing = Drawing(130.0, 20.0, 0.0, 20.0, "top", (), places)
    picture = piece_picture(drawing, None, (0, 0))
    assert picture.lies
    assert picture.pitch_px == pytest.approx(22.0 * picture.px_per_mm, abs=0.01)
    found = fit_picture(Result("good", value=0.95, error=0.01, low=0.94, high=0.96), _steps_of(drawing), picture)
    middle_of_third = (2 + 22.0 * 2 + 10) * picture.px_per_mm
    assert found.best == pytest.approx(middle_of_third, abs=0.3)
    assert found.head == 0


@pytest.mark.parametrize("lies", [True, False])
def test_a_fit_over_steps_that_grow_meets_each_of_them_and_keeps_on_beyond_the_ends(lies: bool) -> None:
    values = [0.012 * 1.2**k for k in range(7)]
    low = [(7.0 * k, 0, 0) if lies else (0, 0, 8.0 * k) for k in range(7)]
    high = [(7.0 * k + 6, 40, 1) if lies else (40, 10, 8.0 * k + 8) for k in range(7)]
    axis = 0 if lies else 2
    places = tuple(Place(k, v, f"{v:.3f}", low[k], high[k], axis=axis) for k, v in enumerate(values))
    drawing = Drawing(*((49.0, 40.0, 0.0, 40.0, "top") if lies else (40.0, 56.0, 0.0, 56.0, "front")), (), places)
    picture, steps = piece_picture(drawing, None, (0, 0)), _steps_of(drawing)

    def place_of(value: float) -> float:
        return fit_picture(Result("good", value=value, error=0.001), steps, picture).best or 0.0

    apart = np.diff([place_of(v) for v in values])
    each = picture.pitch_px if lies else -picture.row_px
    assert apart == pytest.approx(np.full(6, each), abs=0.2)
    halfway = place_of((values[2] + values[3]) / 2)
    assert halfway == pytest.approx((place_of(values[2]) + place_of(values[3])) / 2, abs=0.2)
    last = values[-1] - values[-2]
    assert place_of(values[-1] + last) - place_of(values[-1]) == pytest.approx(each, abs=0.2)
    assert place_of(values[0] - (values[1] - values[0])) - place_of(values[0]) == pytest.approx(-each, abs=0.2)


def test_measured_numbers_stack_where_they_are_equal_and_their_mean_has_its_error() -> None:
    points = (("left", 0.45, True), ("right", 0.45, True), ("back", 0.47, True), ("front", 0.95, False))
    found = spread_picture(Spread("wall", "mm", 2, points, mean=0.457, error=0.004, aim=0.45))
    x = {dot[3].split(",")[1].strip(): dot[0] for dot in found.dots}
    y = [dot[1] for dot in found.dots]
    assert x["left"] == x["right"] < found.mean < x["back"]
    assert y[0] - y[1] == 9.0
    assert y[0] == y[2]
    assert x["front"] > max(place for place, _ in found.ticks), "what is left out does not squeeze the others"
    assert found.mean_says == "0.457 ± 0.007 mm"
    start, per_px = _by_ticks(found.ticks)
    assert start + per_px * found.mean == pytest.approx(0.457, abs=0.001)
    assert start + per_px * found.error[1] == pytest.approx(0.457 + 1.645 * 0.004, abs=0.001)
    assert found.aim == x["left"]
    assert found.aim_says == "right: 0.45"
