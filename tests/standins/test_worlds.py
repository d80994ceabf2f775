"""Worlds that differ: at home nothing does, elsewhere what is said to differ does, and a reader keeps their habits."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from bench.rig import drawn, enter
from drumbo.standins.eye import as_seen
from drumbo.standins.filament import physics
from drumbo.standins.filament.geometry import Geometry, geometry
from drumbo.standins.filament.interpreter import Machine
from drumbo.standins.filament.printing import melt
from drumbo.standins.filament.spool import draw_spool
from drumbo.standins.resin import physics as light
from drumbo.standins.worlds import HOME, WORLDS, Reader, draw_reader, looking

SCORES = np.full((400, 3), 2.0)


def _mean(reader: Reader) -> float:
    with looking(reader):
        return float(as_seen(SCORES, np.random.default_rng(8)).mean())


def test_at_home_nothing_differs_and_a_seed_is_one_spool_in_a_world() -> None:
    assert draw_spool("petg", 9) == draw_spool("petg", 9, world=HOME)
    varied = draw_spool("petg", 9, world=WORLDS["varied"])
    assert varied == draw_spool("petg", 9, world=WORLDS["varied"])
    assert varied.melt_mm3_s == draw_spool("petg", 9).melt_mm3_s, "what does not differ is the same"
    assert 2 <= varied.slip_power <= 7
    assert varied.slip_power != draw_spool("petg", 10, world=WORLDS["varied"]).slip_power
    assert draw_spool("pa", 2, world=WORLDS["wet"]).moisture > 2.4 * draw_spool("pa", 2).moisture


def test_forms_bend_about_what_they_are_defined_by() -> None:
    load = np.array([0.6, 1.0, 1.5])
    early, usual, late = (physics.delivered(load, np.ones(3), power) for power in (2.5, 6.0, 9.0))
    assert early[1] == usual[1] == late[1] == pytest.approx(0.95, abs=1e-3), "the limit is where 95 % arrives"
    assert early[0] < usual[0] < late[0]
    assert early[2] > usual[2] > late[2]


def test_what_departs_in_a_world_departs_as_it_is_told() -> None:
    load = np.array([0.3, 0.5, 1.0])
    late = physics.delivered(load, np.ones(3), 6.0, onset=0.5)
    assert late[:2].tolist() == [1.0, 1.0], "nothing is lost up to the onset"
    assert late[2] == pytest.approx(0.95, abs=1e-3)
    fill = np.array([0.985, 1.0, 1.015, 1.05])
    assert physics.openness(fill, 0.04).tolist() == [0.0, 0.0, 0.0, 0.0]
    assert physics.ridging(fill, 0.04, 0.5)[3] == pytest.approx(0.5 * physics.ridging(fill, 0.04)[3])
    spool = draw_spool("petg", 9)
    heats, pulls, air = np.full(2, spool.centre_c), np.array([0.2, 3.0]), np.full(2, 0.1)
    held, fading = (physics.ooze(replace(spool, moisture=0.0, fades=f), heats, pulls, air) for f in (False, True))
    assert held[1] == 0.0
    assert 0 < fading[1] < fading[0]
    slow = physics.ooze(replace(spool, drips_s=2.0), heats, pulls * 0, air * np.array([1, 20]))
    assert slow[1] > 5 * slow[0], "it goes on dripping"
    sheared = replace(spool, lag_flow=0.25)
    assert physics.lag_seconds(sheared, heats, 12.0)[0] < physics.lag_seconds(sheared, heats, 2.0)[0]


def test_light_with_a_tail_moves_faces_further_but_leaves_them_where_half_falls() -> None:
    assert light.growth_mm(2.0, 0.03, 0.15) == pytest.approx(0.0, abs=1e-6)
    assert light.growth_mm(1.5, 0.03, 1e-9) == pytest.approx(light.growth_mm(1.5, 0.03), abs=1e-6)
    assert light.growth_mm(12.0, 0.03, 0.15) > light.growth_mm(12.0, 0.03)


def test_a_comment_changes_nothing_of_what_is_printed() -> None:
    text = ["G28", "M83", "G1 Z0.2 F600", *(f"G1 X{20 + 10 * k} Y{20 + k % 2} E0.4 F1200" for k in range(12))]
    plain, told = (melt(_laid(lines), draw_spool("pla", 3, world=WORLDS["varied"]))
                   for lines in (text, [f"{line} ; over the cliff" for line in text]))  # fmt: skip
    assert plain.digest == told.digest
    np.testing.assert_array_equal(plain.width_mm, told.width_mm)
    other = melt(_laid([*text, "G1 X25 Y40 E0.5"]), draw_spool("pla", 3, world=WORLDS["varied"]))
    assert other.digest != plain.digest


def _laid(lines: list[str]) -> Geometry:
    machine = Machine()
    for line in lines:
        machine.run(line)
    return geometry(machine.moves)


def test_readers_differ_and_keep_their_habits() -> None:
    plain, strict, mild = (_mean(draw_reader(WORLDS[name], 5)) for name in ("home", "strict", "mild"))
    assert strict == pytest.approx(plain - 1, abs=0.1)
    assert mild == pytest.approx(plain + 1, abs=0.1)
    habits = [draw_reader(WORLDS["varied"], seed).severity for seed in range(200)]
    assert np.std(habits) == pytest.approx(0.6, abs=0.1)
    assert draw_reader(WORLDS["varied"], 3) == draw_reader(WORLDS["varied"], 3)
    with looking(draw_reader(WORLDS["tails"], 1)):
        far = as_seen(SCORES, np.random.default_rng(8))
    usual = as_seen(SCORES, np.random.default_rng(8))
    assert np.isin(far, (0, 4)).mean() > 1.5 * np.isin(usual, (0, 4)).mean()


def test_a_bench_draws_from_the_world_that_it_entered() -> None:
    enter("home")
    at_home = drawn(1, 4).spool
    try:
        enter("late-slip")
        assert drawn(1, 4).spool.slip_power >= 7.5
    finally:
        enter("home")
    assert drawn(1, 4).spool == at_home
    enter("varied")


def test_words_without_spaces_move_the_printer() -> None:
    apart, together = Machine(), Machine()
    for line in ("G28 X", "G1 X10 E.2 F600", "G92 E0"):
        apart.run(line)
        together.run(line.replace(" ", ""))
    assert together.moves == apart.moves
    assert together.moves["x"].tolist() == [10.0]
    assert together.position == apart.position
