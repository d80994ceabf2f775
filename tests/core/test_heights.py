"""What stands on the bed, and what a nozzle, a head or a carriage would run into."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from drumbo.core.heights import CARRIAGE, HEAD, NOZZLE, HeadClearance, runs_into

Way = list[tuple[float, float, float, bool]]
"""Where each move goes, mm, and whether it lays something."""


def _hits(way: Way, clearance: HeadClearance | None = None, thick_mm: float = 0.2) -> list[int]:
    x, y, z = (np.array([place[k] for place in way], float) for k in range(3))
    laid = np.array([place[3] for place in way])
    moves = np.ones(len(way), bool)
    moves[0] = False
    return [int(hit) for hit in runs_into(x, y, z, laid, moves, thick_mm, clearance)]


WALL: Way = [(0, 0, 0.2, False), (100, 0, 0.2, True), (0, 0, 8.0, False), (100, 0, 8.0, True)]
"""Along X, up to 8 mm."""


def test_while_every_move_is_above_what_was_laid_nothing_is_looked_at() -> None:
    rising: Way = [(0, 0, 0, False)]
    for layer in range(20):
        rising += [(30, layer % 3, 0.2 * (layer + 1), True), (0, layer % 3, 0.2 * (layer + 1), True)]
    assert set(_hits(rising)) == {0}
    assert _hits([(0, 0, 5, False), (9, 9, 1, False)]) == [0, 0], "nothing was laid at all"


@pytest.mark.parametrize(
    ("y", "z", "hit"), [(40.0, 3.0, 0), (0.0, 3.0, NOZZLE), (0.0, 7.95, 0), (0.0, 8.0, 0), (0.0, 7.5, NOZZLE)]
)
def test_a_nozzle_that_crosses_a_wall_below_its_top_runs_into_it(y: float, z: float, hit: int) -> None:
    """By little it only scrapes; where nothing stands it may go as low as it likes."""
    away: Way = [*WALL, (100, 40, 9, False), (100, y, 9, False)]
    assert _hits([*away, (50, y, z, False)])[-1] == hit


def test_a_line_that_rises_stands_as_high_as_it_is_at_each_place() -> None:
    slope: Way = [(0, 0, 0.2, False), (100, 0, 10.2, True), (100, 40, 12, False)]

    def crossing(x: float, z: float) -> int:
        return _hits([*slope, (x, 40, 12, False), (x, 40, z, False), (x, -40, z, False)])[-1]

    for x in (10.0, 30.0, 55.0, 90.0):
        top = 0.2 + x / 10
        assert crossing(x, top - 0.6) == NOZZLE, x
        assert crossing(x, top + 0.4) == 0, x


def test_what_is_laid_low_beside_a_wall_is_hit_by_the_head_and_further_off_by_the_carriage() -> None:
    head = HeadClearance(radius_mm=20.0, height_mm=6.0)

    def at(y: float, z: float) -> int:
        return _hits(
            [*WALL, (100, 60, 9, False), (40, 60, 9, False), (40, y, 9, False), (40, y, z, False), (50, y, z, True)],
            head,
        )[-1]

    assert at(10.0, 0.2) & HEAD, "the head reaches the wall, and is lower than its top"
    assert not at(40.0, 0.2) & HEAD
    assert at(10.0, 5.6) == 0, "the tip stands out below the head by so much"
    assert at(10.0, 1.0) & CARRIAGE
    assert not at(10.0, 2.5) & CARRIAGE
    assert not at(40.0, 0.2) & CARRIAGE, "the beam is as broad as the head, and the wall lies along X"


def test_without_a_clearance_only_the_nozzle_counts() -> None:
    beside: Way = [*WALL, (100, 60, 9, False), (40, 60, 9, False), (40, 5, 9, False), (41, 5, 0.2, True)]
    assert _hits(beside)[-1] == 0


@given(st.integers(0, 10_000))
def test_what_a_nozzle_runs_into_is_what_a_plain_map_says(seed: int) -> None:
    """Random walls of a few lines and low passes, against the heights of the lines themselves without any short cut."""
    rng = np.random.default_rng(seed)
    way: Way = [(0.0, 0.0, 0.3, False)]
    for _ in range(6):
        x, y, z = rng.uniform(0, 60), rng.uniform(0, 60), float(rng.uniform(1, 9))
        long = rng.uniform(-30, 30, 2)
        aside = np.array([-long[1], long[0]]) / np.linalg.norm(long) * 0.45
        for k in range(4):
            at = np.array([x, y]) + k * aside
            way += [(*at, 12.0, False), (*at, z, False), (*(at + long), z, True)]
    stands = _lines(way)
    x0, y0, x1, y1 = rng.uniform(0, 60, 4)
    low = float(rng.uniform(0.5, 9))
    hit = _hits([*way, (x0, y0, 14.0, False), (x0, y0, low, False), (x1, y1, low, False)])[-1]
    steps = np.linspace(0, 1, 400)[:, None]
    points = (1 - steps) * [x0, y0] + steps * [x1, y1]
    # Within a wall there are two of its lines close by; on its edge, of less than a cell, one may pass by.
    within = stands(points, 0.46, low + 0.2) >= 2
    if within.mean() * float(np.hypot(x1 - x0, y1 - y0)) > 2:
        assert hit == NOZZLE
    if stands(points, 1.7, low + 0.1).max() == 0:
        assert hit == 0


def _lines(way: Way) -> Callable[[np.ndarray, float, float], np.ndarray]:
    """How many of the lines that were laid are close to places, within a reach, and higher than asked."""
    laid = [(np.array(a[:2]), np.array(b[:2]), b[2]) for a, b in pairwise(way) if b[3]]

    def count(points: np.ndarray, reach: float, above: float) -> np.ndarray:
        found = np.zeros(len(points), int)
        for a, b, z in laid:
            along = np.clip(((points - a) @ (b - a)) / max(float((b - a) @ (b - a)), 1e-9), 0, 1)[:, None]
            away = np.linalg.norm(points - (a + along * (b - a)), axis=1)
            found += (away <= reach) & (z > above)
        return found

    return count
