"""What the eye finds in the layers of a resin print: gaps and pins where they were drawn, however much it looks at."""

from __future__ import annotations

import io

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from drumbo.core.light.job import NO_LIFT, Layer, LayerJob, Light, Screen
from drumbo.exchange.layer_package import write
from drumbo.standins.eye import Box
from drumbo.standins.resin import look, spots
from drumbo.standins.resin.bottle import draw_bottle
from drumbo.standins.resin.thing import Cured, cure

SCREEN = Screen((800, 600), 50.0)
WHOLE: Box = ((-20.0, -15.0, 0.0), (20.0, 15.0, 0.5))
SLIT_MM, PIN_MM = 0.3, 0.4
SLIT, PIN = (-3.0, 2.0), (6.0, -1.0)


def _block(x0: float, y0: float, x1: float, y1: float) -> np.ndarray:
    return np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1]], np.float32)


def _around(at: tuple[float, float], wide: float, deep: float) -> np.ndarray:
    return _block(at[0] - wide / 2, at[1] - deep / 2, at[0] + wide / 2, at[1] + deep / 2)


@pytest.fixture(scope="module")
def thing() -> Cured:
    """A block with a slit in it, and a pin beside it."""
    shape = (_block(-6, -1, 0, 5), _around(SLIT, SLIT_MM, 3.0)[::-1], _around(PIN, PIN_MM, PIN_MM))
    layers = tuple(Layer(50.0, (Light(0, 2.5),), NO_LIFT, 1.0, 2.0) for _ in range(6))
    out = io.BytesIO()
    write(LayerJob(("test",), SCREEN, layers, (shape,), (0.0,)), out)
    return cure(out.getvalue(), draw_bottle("resin-standard", 1))


@settings(max_examples=60)
@given(*(st.floats(0, 30) for _ in range(4)))
def test_more_of_the_screen_shows_no_more_and_no_less(
    thing: Cured, left: float, right: float, front: float, rear: float
) -> None:
    (low_x, low_y), (high_x, high_y) = (-6.5, -1.5), (6.7, 5.5)
    box: Box = ((low_x - left, low_y - front, 0.0), (high_x + right, high_y + rear, 0.3))
    (gap,), (pin,) = spots.gaps(thing, 2, box), spots.islands(thing, 2, box)
    assert (gap.x, gap.y) == pytest.approx(SLIT, abs=1.5), "a slit's most inner place lies anywhere along it"
    assert gap.x == pytest.approx(SLIT[0], abs=0.06)
    assert gap.width_mm == pytest.approx(SLIT_MM, abs=0.06)
    assert gap.area_mm2 == pytest.approx(3.0 * SLIT_MM, rel=0.1)
    assert (pin.x, pin.y) == pytest.approx(PIN, abs=0.06)
    assert pin.width_mm == pytest.approx(PIN_MM, abs=0.06)


def test_a_gap_that_reaches_the_edge_of_what_is_looked_at_is_not_closed(thing: Cured) -> None:
    assert spots.gaps(thing, 2, ((-6.5, -1.5, 0.0), (6.7, SLIT[1], 0.3))) == []
    assert len(spots.gaps(thing, 2, WHOLE)) == 1


def test_where_nothing_is_lit_nothing_is_found(thing: Cured) -> None:
    dark: Box = ((9.0, 9.0, 0.0), (14.0, 13.0, 0.3))
    assert spots.gaps(thing, 2, dark) == spots.islands(thing, 2, dark) == []
    assert look.share_open(thing, dark) == look.share_standing(thing, dark) == 1.0
    assert look.overdose(thing, dark) == 0.0


def test_a_bottom_holds_the_better_and_comes_off_the_worse_the_more_it_was_lit(thing: Cured) -> None:
    doses = np.geomspace(1.5, 60, 40)
    assert (np.diff([look.sticks(over, thing.bottle) for over in doses]) > 0).all()
    assert (np.diff([look.clean(over, thing.bottle) for over in doses]) <= 0).all()
    assert look.sticks(thing.bottle.sticks, thing.bottle) == pytest.approx(2.0), "half of 4 where half holds"
