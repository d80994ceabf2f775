"""The stand-in's ear and Drumbo's reader were written apart: on whatever file, they understand the same."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from drumbo.core.gcode.dialects import DIALECTS
from drumbo.core.gcode.reader import read
from drumbo.standins.filament.interpreter import Machine

COUPLED = next(each for each in DIALECTS if not each.e_apart)
"""Of a printer on which G90 is for E too, as the stand-in's."""

place = st.decimals(-200, 200, places=3).map(str)
part = st.decimals(1, 40, places=2)
push = st.decimals(-9, 30, places=4).map(str)
move = st.fixed_dictionaries(
    {}, optional={"X": place, "Y": place, "Z": place, "E": push, "F": st.integers(60, 9000).map(str)}
)


@st.composite
def turn(draw: st.DrawFn) -> str:
    """Half of a round or, by its radius, less than half or more, in relative places: it ends where it should."""
    a, b = draw(part), draw(part)
    head = f"{draw(st.sampled_from(['G2', 'G3']))} X{2 * a} Y{2 * b} E{draw(push)}"
    if draw(st.booleans()):
        return f"{head} I{a} J{b}"
    radius = math.hypot(float(a), float(b)) * draw(st.floats(1.001, 4)) * draw(st.sampled_from([1, -1]))
    return f"{head} R{radius:.5f}"


def _line(head: str, words: dict[str, str]) -> str:
    return " ".join([head, *(key + value for key, value in words.items())])


LINES = st.one_of(
    st.builds(_line, st.sampled_from(["G0", "G1", "G01", "g1"]), move),
    turn().map(lambda arc: f"G91\n{arc}\nG90"),
    turn().map(lambda arc: f"G91\n{arc}"),
    st.builds(_line, st.just("G92"), st.dictionaries(st.sampled_from("XYZE"), place, min_size=1)),
    st.sampled_from(["G90", "G91", "M82", "M83", "G20", "G21", "G28", "G28 X Y", "G28 Z", "G10", "G11", "M107",
                     "M107 P1", "M106 P2 S99", "G4 P200", "; G1 X5", "(G1 X5)", "M117 hello", "M400", ""]),
    st.builds(lambda word, s: f"{word} S{s}", st.sampled_from(["M104", "M109", "M140", "M190"]), st.integers(0, 290)),
    st.builds(lambda word, s: f"{word} S{s}", st.sampled_from(["M106", "M220", "M221"]), st.integers(10, 255)),
    st.builds(lambda s, f: f"G11\nM207 S{s} F{f}\nM208 F{f + 60}", st.decimals(0, 5, places=2), st.integers(600, 4800)),
    st.builds(lambda k: f"M900 K{k}", st.decimals(0, 1, places=3)),
    st.builds(lambda k: f"M572 S{k}", st.decimals(0, 1, places=3)),
    st.builds(lambda k: f"SET_PRESSURE_ADVANCE ADVANCE={k}", st.decimals(0, 1, places=3)),
)  # fmt: skip


FACTS = ("x", "y", "z", "fed", "speed", "nozzle", "bed", "fan", "flow", "pa")


def _heard(lines: Sequence[str]) -> dict[str, list[float]]:
    """What the stand-in has done after each line that moves: where it is, what it fed there, and its state."""
    machine = Machine()
    told: dict[str, list[float]] = {
        name: [] for name in ("x", "y", "z", "fed", "speed", "nozzle", "bed", "fan", "flow", "pa")
    }
    for line in lines:
        before = len(machine.moves["e"])
        word, _ = machine.run(line)
        if word == "G28" or len(machine.moves["e"]) > before:
            where, log = machine.position, machine.moves
            facts = {
                "x": where[0], "y": where[1], "z": where[2], "fed": sum(log["e"][before:]),
                "speed": _speed(machine, word), "nozzle": machine.nozzle.target_c,
                "bed": machine.bed.target_c, "fan": machine.fan, "flow": machine.flow_factor,
                "pa": machine.pressure_advance,
            }  # fmt: skip
            for name, value in facts.items():
                told[name].append(value)
    return told


def _speed(machine: Machine, word: str) -> float:
    feed = {"G10": machine.retract_feed, "G11": machine.unretract_feed}.get(word, machine.feed)
    return feed / 60 * machine.speed_factor


def _read(lines: Sequence[str]) -> dict[str, np.ndarray]:
    """The same of Drumbo's reader."""
    program = read(("\n".join(lines) + "\n").encode(), COUPLED)
    # What only waits moves nothing, nor does a retraction where it is retracted.
    idle = (program.kind == 4) | ((program.kind >= 10) & (program.kind <= 11) & (program.e_mm == 0))
    moved = np.flatnonzero(~idle)
    # Rounds are many short moves here as there, though not of the same length: what counts is the line as a whole.
    line = program.line[moved]
    first = np.flatnonzero(np.diff(line, prepend=-1))
    ends = moved[np.append(first[1:], len(moved)) - 1]
    return {
        "x": program.x[ends], "y": program.y[ends], "z": program.z[ends],
        "fed": np.add.reduceat(program.e_mm[moved], first),
        "speed": (program.feed / 60 * program.speed_factor)[ends], "nozzle": program.nozzle_c[ends],
        "bed": program.bed_c[ends], "fan": program.fan[ends], "flow": program.flow_factor[ends],
        "pa": program.pressure_advance[ends],
    }  # fmt: skip


@settings(max_examples=200)
@given(st.lists(LINES, min_size=1, max_size=40))
def test_both_are_at_the_same_place_in_the_same_state_after_every_move(chunks: list[str]) -> None:
    lines = ["G1 X1 Y1 Z1 F1500", *(line for chunk in chunks for line in chunk.split("\n"))]
    heard, understood = _heard(lines), _read(lines)
    assert len(heard["x"]) == len(understood["x"])
    for name, column in understood.items():
        np.testing.assert_allclose(heard[name], column, rtol=1e-5, atol=2e-3, err_msg=name)


@pytest.mark.parametrize(
    ("written", "plain"),
    [
        ("g1x10y5e.5f900", "G1 X10 Y5 E0.5 F900"),
        ("G01 X+10 Y-5.", "G1 X10 Y-5"),
        ("G1 X10 (to the side) Y5 ; done", "G1 X10 Y5"),
        ("  G1\tX10   Y5  ", "G1 X10 Y5"),
        ("G1 F900 X10", "G1 X10 F900"),
        ("M106", "M106 S255"),
        ("m104s210", "M104 S210"),
        ("G1 X10 X12", "G1 X12"),
    ],
)
def test_ways_to_write_it_are_one(written: str, plain: str) -> None:
    after = ["G1 X20 Y20 E1 F1200"]
    assert _heard([written, *after])["x"] == _heard([plain, *after])["x"]
    for one, other in zip(_heard([written, *after]).values(), _heard([plain, *after]).values(), strict=True):
        assert one == other
    understood, same = _read([written, *after]), _read([plain, *after])
    for name, column in understood.items():
        np.testing.assert_array_equal(column, same[name])


def test_a_full_round_and_a_helix_come_back_to_where_they_began() -> None:
    machine = Machine()
    machine.run("G1 X50 Y40 Z1 F3000")
    _, seconds = machine.run("G2 X50 Y40 I10 J0 Z2 E4")
    x, y, z, fed = (np.array(machine.moves[name]) for name in ("x", "y", "z", "e"))
    assert machine.position[:3] == pytest.approx([50, 40, 2])
    np.testing.assert_allclose(np.hypot(x[1:] - 60, y[1:] - 40), 10, atol=1e-9)
    assert np.all(np.diff(z) > 0), "it climbs all the way"
    assert fed.sum() == pytest.approx(4)
    assert len(x) - 1 == math.ceil(20 * math.pi), "no chord is longer than a millimetre"
    assert seconds == pytest.approx(20 * math.pi / 50, rel=0.01)
