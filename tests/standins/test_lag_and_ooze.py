"""Pressure that lags, roads that start and end, and what is seen of what oozes."""

import numpy as np
import pytest

from drumbo.core.motion import plan_moves
from drumbo.standins.filament import physics
from drumbo.standins.filament.geometry import geometry
from drumbo.standins.filament.interpreter import Machine
from drumbo.standins.filament.lag import delivered_share
from drumbo.standins.filament.printing import blobs, melt
from drumbo.standins.filament.spool import draw_spool
from drumbo.trials import kind
from tests.conftest import plain_context

SPOOL = draw_spool("pla", 3)
WAYS, SPEEDS, ACCEL, AREA = np.array([12.0, 30.0, 12.0]), np.array([20.0, 100.0, 20.0]), 2000.0, 0.08


def _shares(lag_s: float, advance_s: float) -> tuple[np.ndarray, np.ndarray]:
    zero, ones = np.zeros(3), np.ones(3)
    motion = plan_moves(WAYS, zero, zero, 0.03 * WAYS, SPEEDS, ACCEL, 8.0)
    moves = {"entry": motion.entry, "cruise": motion.cruise, "leave": motion.leave, "accel": ACCEL * ones, "way": WAYS,
             "area": AREA * ones, "pulled": zero}  # fmt: skip
    counts = WAYS.astype(np.int64)
    shares = delivered_share(moves, np.cumsum(counts) - counts, counts, lag_s * ones, advance_s * ones)
    return shares, np.repeat(np.arange(3), counts)


def test_an_advance_that_equals_the_lag_makes_every_road_even() -> None:
    shares, _ = _shares(0.04, 0.04)
    np.testing.assert_allclose(shares, 1.0, atol=1e-9)


def test_without_advance_a_road_swells_where_the_head_brakes_and_starves_where_it_pulls_away() -> None:
    shares, leg = _shares(0.04, 0.0)
    assert shares[leg == 1][0] < 0.8, "pulling away"
    assert shares[leg == 1][-1] > 1.3, "braking"
    assert shares[leg == 2][0] > 1.3
    over, leg = _shares(0.04, 0.08)
    assert over[leg == 1][0] > 1.2, "too much does the opposite"
    assert over[leg == 1][-1] < 0.8


def test_the_lag_agrees_with_a_brute_force_integration() -> None:
    """A thousand Euler steps a millimetre of K·y' = q − y over the same trapezoid."""
    shares, _ = _shares(0.05, 0.0)
    motion = plan_moves(WAYS, 0 * WAYS, 0 * WAYS, 0.03 * WAYS, SPEEDS, ACCEL, 8.0)
    expected, y = [], 0.0
    for i, way in enumerate(WAYS):
        for piece in range(int(way)):
            came = 0.0
            for part in range(1000):
                at = piece + (part + 0.5) / 1000
                v = min(np.sqrt(motion.entry[i] ** 2 + 2 * ACCEL * at), motion.cruise[i],
                        np.sqrt(motion.leave[i] ** 2 + 2 * ACCEL * (way - at)))  # fmt: skip
                seconds = 0.001 / max(v, 0.5)
                came += y * seconds
                y += (v * AREA - y) / 0.05 * seconds
            expected.append(came / AREA)
    np.testing.assert_allclose(shares, expected, rtol=0.05, atol=0.02)
    assert shares @ np.ones(len(shares)) == pytest.approx(sum(expected), rel=0.01)


def test_relations_lean_the_way_makers_know() -> None:
    def felt(*speeds: float) -> np.ndarray:
        return physics.felt_pull(SPOOL, np.ones(len(speeds)), np.array(speeds))

    assert np.all(np.diff(felt(5, 10, 15)) > 0), "slow pulls come too late"
    assert felt(35)[0] == 1.0
    assert felt(90)[0] < 0.6, "fast ones slip"
    even = np.array([SPOOL.restart_mm])
    assert physics.start_surplus(SPOOL, even, np.array([0.5]))[0] == 0.0
    assert physics.start_surplus(SPOOL, even, np.array([SPOOL.pull_limit_mm + 1]))[0] < 0, "too long a pull lets air in"
    assert physics.end_surplus(SPOOL, np.array([0.0]))[0] > 0 > physics.end_surplus(SPOOL, np.array([0.6]))[0]
    assert physics.lag_seconds(SPOOL, np.array([230.0]))[0] < physics.lag_seconds(SPOOL, np.array([200.0]))[0]


def test_what_oozes_inside_an_object_is_not_seen() -> None:
    """A square with infill: travels within it are hidden; the one to its neighbour goes through the air."""
    lines = ["G90", "M83", "G1 Z0.2 F600"]
    for x0 in (0, 40):
        lines += [f"G0 X{x0} Y0 F9000", f"G1 X{x0 + 20} Y0 E1 F1800", f"G1 X{x0 + 20} Y20 E1", f"G1 X{x0} Y20 E1",
                  f"G1 X{x0} Y0 E1", f"G0 X{x0 + 5} Y2", f"G1 X{x0 + 5} Y18 E1", f"G0 X{x0 + 15} Y18",
                  f"G1 X{x0 + 15} Y2 E1"]  # fmt: skip
    machine = Machine()
    for line in lines:
        machine.run(line)
    shape = geometry(machine.moves)
    far = shape.travel_air_mm > 1.0
    assert far.sum() == 1
    assert shape.travel_b[far][0].tolist() == [40.0, 0.0]


def test_blobs_lie_where_too_much_is_pushed_back() -> None:
    context = plain_context("pla")
    trial = kind("retraction-restart")
    plan = trial.suggest(context)
    machine = Machine()
    for line in trial.print_file(plan, context).gcode.splitlines():
        machine.run(line)
    thing = melt(geometry(machine.moves), SPOOL)
    at, radius, _ = blobs(thing)
    last = trial.piece(plan, context).places[-1]
    low, high = last.box(context.printer.bed_middle)
    there = (at[:, 0] > low[0]) & (at[:, 0] < high[0]) & (at[:, 2] > low[2])
    assert radius[there].max() > 0.4
    assert thing.width_mm.min() < 0.2, "and gaps where too little is"


@pytest.mark.parametrize("line", ["M900 K0.05", "M572 D0 S0.05", "SET_PRESSURE_ADVANCE ADVANCE=0.05"])
def test_the_stand_in_understands_every_word_for_pressure_advance(line: str) -> None:
    machine = Machine()
    machine.run(line)
    assert machine.pressure_advance == 0.05
