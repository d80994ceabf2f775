"""A print that rested goes on as if it had not: whatever the file is like and wherever it was left, on a printer that
takes every line at its word.
"""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from drumbo.links.modal import Modal
from drumbo.links.resting import AWAY_MM_MIN, LIFT_MM, Excerpt, Resting, span, until
from drumbo.standins.filament.interpreter import Machine

ASIDE = Resting(aside=(4.0, 170.0), highest_mm=180.0, standby_c=150.0)
STAYS = Resting(aside=None, highest_mm=180.0, standby_c=None)

place = st.decimals(1, 150, places=2)
push = st.decimals(-4, 9, places=3).map(str)
LINES = st.one_of(
    st.builds(lambda x, y, e, f: f"G1 X{x} Y{y} E{e} F{f}", place, place, push, st.integers(300, 9000)),
    st.builds("G0 X{} Y{} F7200".format, place, place),
    st.builds("G1 Z{} F600".format, st.decimals(1, 90, places=2)),
    st.builds("G1 E{} F2100".format, push),
    st.builds("G92 E{}".format, push),
    st.builds("G92 X{} Z{}".format, place, place),
    st.builds("M106 S{}".format, st.integers(0, 255)),
    st.builds("M106 P2 S{}".format, st.integers(0, 255)),
    st.builds("M104 S{}".format, st.integers(170, 260)),
    st.builds("M140 S{}".format, st.integers(0, 100)),
    st.builds("G1 F{}".format, st.integers(300, 9000)),
    st.sampled_from(["G90", "G91", "M82", "M83", "M107", "G20", "G21", "M107 P1"]),
)
OPENING = ["G21", "G90", "M83", "G28", "M140 S60", "M104 S215", "G1 X20 Y20 Z2 F3000"]
COLUMNS = ("x", "y", "z", "e", "feed", "fan", "nozzle_target", "bed_target")


def _made(lines: list[str]) -> Machine:
    machine = Machine()
    for line in lines:
        machine.run(line)
    return machine


@settings(max_examples=150)
@given(st.lists(LINES, max_size=25), st.lists(LINES, min_size=1, max_size=15), st.sampled_from([ASIDE, STAYS]))
def test_what_comes_after_a_rest_is_what_would_have_come(before: list[str], after: list[str], rest: Resting) -> None:
    at = Modal()
    at.follow([*OPENING, *before])
    lines = [*OPENING, *before]
    rested = [*lines, *rest.away(at), *rest.back(at)]
    through, paused = _made([*lines, *after]), _made([*rested, *after])
    first, resumed = (len(_made(each).moves["x"]) for each in (lines, rested))
    for name in COLUMNS:
        plain, other = (np.array(machine.moves[name]) for machine in (through, paused))
        np.testing.assert_allclose(other[resumed:], plain[first:], rtol=1e-4, atol=2e-3, err_msg=name)
    assert paused.position == pytest.approx(through.position, abs=2e-3)
    assert paused.nozzle.target_c == through.nozzle.target_c
    assert paused.bed.target_c == through.bed.target_c


@given(st.lists(LINES, max_size=25))
def test_a_head_goes_up_before_it_goes_aside_and_comes_down_last(before: list[str]) -> None:
    at = Modal()
    at.follow([*OPENING, *before])
    machine = _made([*OPENING, *before])
    here, moves = machine.position[:3], len(machine.moves["x"])
    for line in ASIDE.away(at):
        machine.run(line)
    lifted = machine.moves["z"][moves:]
    room = 180.0 - at.place["Z"] * at.mm
    assert lifted[-1] == pytest.approx(here[2] + min(LIFT_MM, max(room, 0.0)), abs=0.02)
    aside = [(x, y) for x, y in zip(machine.moves["x"][moves:], machine.moves["y"][moves:], strict=True)]
    for (x, y), z in zip(aside, lifted, strict=True):
        gone = abs(x - here[0]) > 0.01 or abs(y - here[1]) > 0.01
        assert not gone or z == pytest.approx(lifted[-1], abs=1e-6), "nothing is dragged over the piece"
    assert machine.moves["e"][moves] == pytest.approx(-1.5), "pulled back first"
    assert machine.nozzle.target_c <= 150, "and no hotter than it has to be"
    began = len(machine.moves["x"])
    for line in ASIDE.back(at):
        machine.run(line)
    zs = list(machine.moves["z"][began:])
    assert zs[0] == pytest.approx(lifted[-1], abs=1e-6), "over the piece first, then down"
    assert sum(machine.moves["e"][moves:]) == pytest.approx(0, abs=1e-6), "all that was pulled is pushed back"


def test_what_was_never_said_is_not_made_up() -> None:
    cold = Modal()
    cold.follow(["G28", "G1 X5"])
    assert not cold.moved
    assert ASIDE.away(cold) == ["M400", "M400"], "nobody knows where the head is, so it stays there"
    assert "M109" not in " ".join(ASIDE.back(cold))
    homed = Modal()
    homed.follow(["G90", "G1 X5 Y5 Z5", "G28 Z"])
    assert not homed.moved, "where it homes is the firmware's"
    homed.take("G1 Z2")
    assert homed.known == set("XYZ"), "said anew"
    relative = Modal()
    relative.follow(["G91", "G1 X5 Y5 Z5"])
    assert not relative.moved


@pytest.mark.parametrize(("lines", "nozzle", "nozzles"), [
    (["M104 S210"], 210.0, {None: 210.0}),
    (["M104 T1 S240", "M104 S210"], 210.0, {1: 240.0, None: 210.0}),
    (["M104 T1 S240", "T1"], 240.0, {1: 240.0}),
    (["T0", "M109 R205"], 205.0, {0: 205.0}),
    (["m104s215"], 215.0, {None: 215.0}),
        (["M104 S210 (not S999)", "(M104 S5)"], 210.0, {None: 210.0}),
])  # fmt: skip
def test_how_hot_which_nozzle_is_to_be(lines: list[str], nozzle: float, nozzles: dict[int | None, float]) -> None:
    at = Modal()
    at.follow(lines)
    assert at.nozzle == nozzle
    assert at.nozzles == nozzles


def test_a_rest_is_put_off_to_the_next_travel_but_not_for_long() -> None:
    lines = ["G1 X1 E1"] * 10 + ["G0 X5 Y5"] + ["G1 X2 E1"] * 400 + ["G0 X6"]
    part = Excerpt(lines, 2)
    assert (len(part), part[0]) == (len(lines) - 2, "G1 X1 E1")
    part.cut(3)
    assert part.stop == 10, "at the travel"
    far = Excerpt(lines, 12)
    far.cut(5)
    assert far.stop == 17, "none is near: there and then"
    far.end(14)
    far.end(300)
    assert far.stop == 14, "never later than it was"
    assert until([3, 9, 27], 9) == 27
    assert until([3], 9) is None


@pytest.mark.parametrize(
    ("seconds", "says"), [(30, "30 s"), (89, "89 s"), (90, "2 min"), (2700, "45 min"), (7200, "2 h")]
)
def test_a_time_to_wait_is_said_as_people_say_it(seconds: float, says: str) -> None:
    assert span(seconds) == says


def test_the_way_aside_is_quick_and_the_way_down_is_not() -> None:
    at = Modal()
    at.follow(OPENING)
    lines = ASIDE.back(at)
    along = next(line for line in lines if line.startswith("G1 X"))
    down = next(line for line in lines if line.startswith("G1 Z"))
    assert f"F{AWAY_MM_MIN}" in along
    assert float(down.split("F")[1]) < AWAY_MM_MIN / 5
    assert lines.index(along) < lines.index(down)
