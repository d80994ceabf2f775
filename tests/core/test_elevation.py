"""A print from the front and from the side: what stands where, what hangs, and layers that share a row."""

from __future__ import annotations

import numpy as np
import pytest

from bench.check import FAULTS
from bench.gate import LAYERS, LINTEL, STEP_MM, WHOLE
from bench.styles import STYLES, write
from drumbo.core.gcode.analysis import FileAnalysis
from drumbo.core.gcode.elevation import FRONT, HANGS, LOOSE, SIDE, Elevation, elevation
from drumbo.core.gcode.inspect import analyse
from drumbo.core.gcode.reader import read
from drumbo.core.gcode.roles import OUTER


def _case(fault: str = "") -> FileAnalysis:
    return analyse(read(write(STYLES["relative extrusion"], FAULTS[fault].change if fault else None).text))


def _column(seen: Elevation, mm: float) -> int:
    return int((mm - seen.left) / (seen.right - seen.left) * seen.shades.shape[1])


def test_a_gate_is_a_gate_from_the_front_and_a_wall_from_the_side() -> None:
    case = _case()
    front, side = (elevation(case, case.found.flow, each) for each in (FRONT, SIDE))
    assert front.shades.shape[0] == LAYERS
    assert (front.left, front.right) == pytest.approx((WHOLE[0] + 0.225, WHOLE[2] - 0.225))
    middle = _column(front, 101)
    there = front.shades[:, middle] > 0
    assert not there[:LINTEL].any(), "nothing between the posts"
    assert there[LINTEL:].all()
    assert (front.shades[:, _column(front, 90)] > 0).all()
    assert (side.shades[:, _column(side, 100)] > 0).sum() >= LAYERS - 3
    assert front.tops[-1] == pytest.approx(LAYERS * STEP_MM)
    hangs = (front.marks[:, middle] & HANGS) > 0
    assert hangs[LINTEL]
    assert not front.marks[: LINTEL - 1].any()
    assert not (front.marks & LOOSE).any()


def test_what_begins_in_the_air_is_marked_and_named_colours_go_by_most() -> None:
    case = _case("a post in the air")
    front = elevation(case, case.role, FRONT, named=True)
    loose = np.argwhere(front.marks & LOOSE)
    assert len(loose)
    assert set(loose[:, 0]) == {9}, "on its lowest layer only"
    assert all(_column(front, 125) - 1 <= column <= _column(front, 131) + 1 for column in loose[:, 1])
    assert front.shades[15, _column(front, 128)] == OUTER + 1


def test_more_layers_than_rows_share_them(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("drumbo.core.gcode.elevation.MOST_ROWS", 10)
    case = _case()
    seen = elevation(case, case.program.nozzle_c, FRONT)
    assert seen.shades.shape[0] == 9
    assert seen.first.tolist() == list(range(0, LAYERS, 4))
    assert (seen.bottoms[1], seen.tops[0]) == pytest.approx((4 * STEP_MM, 4 * STEP_MM))
    assert seen.low == pytest.approx(210)
    assert 210 < seen.high <= 215
