"""The planner against physics: a brute-force integration, a worked number, and properties."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from drumbo.core.motion import _plan_loop, plan_moves


def test_the_worked_number_of_the_docstring() -> None:
    zero = np.zeros(1)
    motion = plan_moves(np.array([10.0]), zero, zero, zero, np.array([100.0]), 1000.0, 8.0)
    assert motion.total_s == pytest.approx(0.2)


def _integrated(dx: np.ndarray, dy: np.ndarray, speed: np.ndarray, accel: float, junction: float) -> float:
    """Time by cutting every move into hair-thin slices and letting speed limits spread by v² = u² + 2as."""
    way = np.hypot(dx, dy)
    unit = np.stack([dx, dy], axis=1) / way[:, None]
    counts = np.maximum(50, (way / 0.002).astype(int))
    limit = np.repeat(speed, counts).astype(float)
    slices = np.repeat(way / counts, counts)
    nodes = np.concatenate([[0.0], np.minimum(limit[:-1], limit[1:]), [0.0]])
    for i, edge in enumerate(np.cumsum(counts)[:-1]):
        top = min(speed[i], speed[i + 1])
        turn = np.linalg.norm(unit[i + 1] - unit[i])
        nodes[edge] = min(top, junction / turn) if turn > 1e-9 else top
    for i in range(len(slices)):
        nodes[i + 1] = min(nodes[i + 1], np.sqrt(nodes[i] ** 2 + 2 * accel * slices[i]))
    for i in range(len(slices) - 1, -1, -1):
        nodes[i] = min(nodes[i], np.sqrt(nodes[i + 1] ** 2 + 2 * accel * slices[i]))
    mean = np.maximum((nodes[:-1] + nodes[1:]) / 2, 1e-9)
    return float((slices / mean).sum())


@pytest.mark.parametrize("seed", range(4))
def test_within_two_per_cent_of_brute_force(seed: int) -> None:
    rng = np.random.default_rng(seed)
    n = 60
    dx, dy = rng.normal(0, 3, n), rng.normal(0, 3, n)
    speed = rng.choice([20.0, 60.0, 150.0], n)
    accel, junction = float(rng.choice([800, 3000])), float(rng.choice([2, 10]))
    zero = np.zeros(n)
    planned = plan_moves(dx, dy, zero, zero, speed, accel, junction).total_s
    assert planned == pytest.approx(_integrated(dx, dy, speed, accel, junction), rel=0.02)


moves = st.lists(
    st.tuples(st.floats(-20, 20), st.floats(-20, 20), st.floats(-2, 2), st.floats(1, 300)), min_size=1, max_size=30
)


@settings(max_examples=60)
@given(moves, st.floats(100, 8000), st.floats(0.5, 20))
def test_no_move_breaks_a_limit(rows: list[tuple[float, ...]], accel: float, junction: float) -> None:
    dx, dy, dz, speed = (np.array(column) for column in zip(*rows, strict=True))
    motion = plan_moves(dx, dy, dz, np.zeros(len(rows)), speed, accel, junction)
    way = np.sqrt(dx**2 + dy**2 + dz**2)
    moving = way > 1e-9
    assert np.all(motion.cruise <= speed * (1 + 1e-9))
    assert np.allclose(motion.leave[:-1], motion.entry[1:]), "no jump of speed between moves"
    assert np.all(motion.cruise[moving] ** 2 <= motion.entry[moving] ** 2 + 2 * accel * way[moving] + 1e-6)
    assert np.all(motion.seconds[moving] >= way[moving] / speed[moving] * (1 - 1e-9))
    assert motion.entry[0] == 0
    assert motion.leave[-1] == 0


def test_the_compiled_planner_says_what_the_plain_loop_says() -> None:
    rng = np.random.default_rng(5)
    n = 500
    x, y, z = (rng.normal(0, 2, n) * (rng.random(n) > 0.1) for _ in range(3))
    feed, speed, limits = rng.normal(0, 1, n), rng.uniform(5, 200, n), np.full(n, 1500.0)
    plain = _plan_loop(x, y, z, feed, speed, limits, np.full(n, 8.0))
    compiled = plan_moves(x, y, z, feed, speed, 1500.0, 8.0)
    for one, other in zip(plain, (compiled.entry, compiled.cruise, compiled.leave, compiled.seconds), strict=True):
        np.testing.assert_allclose(one, other, rtol=1e-12)


def test_filament_alone_moves_from_rest_to_rest() -> None:
    zero = np.zeros(3)
    dx, de = np.array([10.0, 0.0, 10.0]), np.array([1.0, -0.8, 1.0])
    motion = plan_moves(dx, zero, zero, de, np.array([50.0, 60.0, 50.0]), 2000.0, 8.0)
    assert motion.leave[0] == motion.entry[2] == 0
    assert motion.seconds[1] == pytest.approx(2 * np.sqrt(0.8 / 2000), rel=1e-6), "too short to reach 60 mm/s"
