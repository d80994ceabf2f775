"""Charts of results: the same as a table, and names that cover nothing."""

from __future__ import annotations

import pytest

from drumbo.trials.pictures import Axis, Chart, Series
from drumbo.web.chart import LABEL_PX, LEFT, LETTER_PX, WIDTH, chart_picture


def test_a_chart_is_a_table_too() -> None:
    x, y = Axis("Light", "s"), Axis("Thickness", "µm")
    points = Series("skins", "points", (2.0, 4.0), (55.0, 112.5), (4.0, 0.0), (True, False))
    line = Series("fit", "line", tuple(map(float, range(21))), tuple(3.0 * k for k in range(21)))
    found = chart_picture(Chart("Skins", x, y, (points, line, Series("wanted", "level", (0.0,), (100.0,)))))
    assert found.head == ("", "Light, s", "Thickness, µm", "±")
    assert found.rows[:2] == (("skins", "2", "55", "6.6"), ("skins, left out", "4", "112.5", ""))
    assert [row[1:3] for row in found.rows[2:7]] == [("0", "0"), ("5", "15"), ("10", "30"), ("15", "45"), ("20", "60")]
    assert found.rows[7] == ("wanted", "", "100", "")


@pytest.mark.parametrize("way", [1.0, -1.0])
@pytest.mark.parametrize("share", [0.0, 0.3, 0.9, 1.0])
def test_a_marks_name_lies_beside_the_lines_and_within_the_frame(way: float, share: float) -> None:
    along = tuple(k / 20 for k in range(21))
    line = Series("slits", "line", along, tuple(way * k for k in along))
    mark = Series("2.45 s", "mark", (share,), (way * share,))
    picture = chart_picture(Chart("Skins", Axis("Light", "s"), Axis("Thickness", "µm"), (line, mark)))
    (found,), ((_, path, _, _, _),) = picture.marks, picture.lines
    wide = len(mark.name) * LETTER_PX
    assert found.says_x >= LEFT
    assert found.says_x + wide <= WIDTH
    places = [tuple(map(float, place.split())) for place in path[1:].split("L")]
    hidden = [(x, y) for x, y in places if 0 <= x - found.says_x <= wide and -LABEL_PX <= y - found.says_y <= 0]
    assert not hidden
