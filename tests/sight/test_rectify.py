"""Where on a photo each millimetre of a piece is."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from drumbo.core.errors import InvalidInput
from drumbo.sight.rectify import by_corners, by_frame

PLACES = [(-40.0, -20.0), (40.0, -20.0), (40.0, 20.0), (-40.0, 20.0)]
SQUARE = [(100.0, 500.0), (900.0, 500.0), (900.0, 100.0), (100.0, 100.0)]


def _plain(high: int = 600, wide: int = 1000) -> np.ndarray:
    return np.zeros((high, wide, 3), np.uint8)


def test_a_straight_view_is_a_matter_of_scale() -> None:
    view = by_corners(_plain(), PLACES, SQUARE)
    assert view.places([(0.0, 0.0), (10.0, 5.0)]) == pytest.approx(np.array([(500.0, 300.0), (600.0, 250.0)]))
    assert view.px_per_mm([(0.0, 0.0)]) == pytest.approx([10.0])
    same = by_frame(_plain(), left_mm=-50.0, bottom_mm=-30.0, px_per_mm=10.0)
    spots = [(-50.0, -30.0), (3.0, 7.0), (40.0, 20.0)]
    assert same.places(spots) == pytest.approx(view.places(spots))


@given(st.lists(st.floats(-60, 60), min_size=8, max_size=8), st.floats(-35, 35), st.floats(-18, 18))
def test_four_corners_tell_of_every_place_however_the_camera_was_held(off: list[float], x: float, y: float) -> None:
    """Straight lines stay straight: a place on both diagonals of the marks is the middle of the piece, and what lies on
    a line through two corners stays on it."""
    marks = (np.array(SQUARE) + np.array(off).reshape(4, 2)).tolist()
    view = by_corners(_plain(), PLACES, marks)
    assert view.places(PLACES) == pytest.approx(np.array(marks), abs=1e-6)
    middle = view.places([(0.0, 0.0)])[0]
    for a, b in ((0, 2), (1, 3)):
        assert _beside(marks[a], marks[b], middle) < 1e-6
    left, between, right = view.places([(-40.0, y), (x, y), (40.0, y)])
    assert _beside(left, right, between) < 1e-6


def _beside(one: Sequence[float], other: Sequence[float], point: Sequence[float]) -> float:
    """How far a point lies beside the line through two others, px."""
    (ax, ay), (bx, by), (x, y) = one, other, point
    return abs((bx - ax) * (y - ay) - (by - ay) * (x - ax)) / math.hypot(bx - ax, by - ay)


@pytest.mark.parametrize(
    ("marks", "says"),
    [
        ([SQUARE[1], SQUARE[0], SQUARE[3], SQUARE[2]], "go round as asked"),
        ([SQUARE[0], SQUARE[2], SQUARE[1], SQUARE[3]], "go round as asked"),
        ([(100.0, 101.0), (200.0, 101.0), (200.0, 100.0), (100.0, 100.0)], "nearer by"),
        ([*SQUARE[:3], (100.0, 900.0)], "in the picture"),
        ([*SQUARE[:3], (float("nan"), 100.0)], "in the picture"),
        ([(0.0, 600.0), (1000.0, 600.0), (520.0, 420.0), (480.0, 420.0)], "from above"),
    ],
)
def test_marks_that_cannot_be_are_refused_in_words(marks: list[tuple[float, float]], says: str) -> None:
    with pytest.raises(InvalidInput, match=says):
        by_corners(_plain(), PLACES, marks)


def test_colours_are_looked_up_and_what_is_outside_has_none() -> None:
    pixels = _plain()
    pixels[250, 600] = (10, 20, 30)
    view = by_corners(pixels, PLACES, SQUARE)
    inside, outside = view.colours([(10.05, 4.95), (400.0, 0.0)])
    assert inside.tolist() == [10, 20, 30]
    assert np.isnan(outside).all()
