"""What each word does to the state of a machine, by dialect; and what happens between the lines of a file."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from drumbo.core.gcode.command import What
from drumbo.core.gcode.dialects import DIALECTS
from drumbo.core.gcode.move_columns import move_columns
from drumbo.core.gcode.program import Program
from drumbo.core.gcode.reader import read
from drumbo.core.gcode.retractions import retraction_statistics

DIALECT = {dialect.key: dialect for dialect in DIALECTS}
MOVE = "G1 X{} F1200\n"


def _program(*words: str, dialect: str = "m900") -> Program:
    """A move, then each word with a move behind it."""
    text = "G21\nG90\nM83\n" + MOVE.format(1)
    for k, word in enumerate(words, 2):
        text += f"{word}\n{MOVE.format(k)}"
    return read(text.encode(), DIALECT[dialect])


STATES = [
    ("m900", "M104 S210", "nozzle_c", 210.0), ("m900", "M109 R180", "nozzle_c", 180.0),
    ("m900", "M140 S60", "bed_c", 60.0), ("m900", "M190 R40", "bed_c", 40.0),
    ("m900", "M106 S51", "fan", 0.2), ("m900", "M106", "fan", 1.0), ("m900", "M106 S400", "fan", 1.0),
    ("m900", "M106 S-3", "fan", 0.0), ("m900", "M106 P1 S255", "fan", 0.0), ("m900", "M106 P0 S255", "fan", 1.0),
    ("m900", "M220 S85", "speed_factor", 0.85), ("m900", "M221 S112", "flow_factor", 1.12),
    ("m900", "M900 K0.045", "pressure_advance", 0.045), ("m900", "T3", "tool", 3),
    ("m900", "G10 P0 S205", "nozzle_c", 205.0),
    ("m572", "M106 S0.4", "fan", 0.4), ("m572", "M106 S102", "fan", 0.4),
    ("m572", "M572 D0 S0.03", "pressure_advance", 0.03),
    ("m572", "M572 D1 S0.03", "pressure_advance", 0.0), ("m572", "M568 P0 S222", "nozzle_c", 222.0),
    ("key-value", "SET_PRESSURE_ADVANCE ADVANCE=0.05", "pressure_advance", 0.05),
    ("key-value", "SET_PRESSURE_ADVANCE EXTRUDER=extruder ADVANCE=0.05", "pressure_advance", 0.05),
    ("key-value", "SET_PRESSURE_ADVANCE EXTRUDER=extruder1 ADVANCE=0.05", "pressure_advance", 0.0),
    ("key-value", "SET_HEATER_TEMPERATURE HEATER=extruder TARGET=215", "nozzle_c", 215.0),
    ("key-value", "SET_HEATER_TEMPERATURE HEATER=heater_bed TARGET=65", "bed_c", 65.0),
    ("key-value", "ACTIVATE_EXTRUDER EXTRUDER=extruder1", "tool", 1),
    ("key-value", "START_PRINT BED_TEMP=60 EXTRUDER_TEMP=210", "nozzle_c", 210.0),
    ("key-value", "START_PRINT BED_TEMP=60 EXTRUDER_TEMP=210", "bed_c", 60.0),
    ("key-value", "START_PRINT LAYERS=210 EXTRUDER=1", "nozzle_c", 0.0),
]  # fmt: skip


@pytest.mark.parametrize(("dialect", "word", "column", "value"), STATES, ids=[f"{d} {w} {c}" for d, w, c, _ in STATES])
def test_a_word_holds_from_its_place_on_and_not_before(dialect: str, word: str, column: str, value: float) -> None:
    program = _program(word, "G4 P1", dialect=dialect)
    states = getattr(program, column)[program.kind < 4]
    before = {"speed_factor": 1.0, "flow_factor": 1.0}.get(column, 0.0)
    assert states.tolist() == pytest.approx([before, value, value])


def test_heaters_that_are_switched_off_are_off() -> None:
    both = "SET_HEATER_TEMPERATURE HEATER={} TARGET=200"
    program = _program(both.format("extruder"), both.format("heater_bed"), "TURN_OFF_HEATERS", dialect="key-value")
    assert program.nozzle_c.tolist() == [0, 200, 200, 0]
    assert program.bed_c.tolist() == [0, 0, 200, 0]
    program = _program("M104 S200", "SET_HEATER_TEMPERATURE HEATER=extruder", dialect="key-value")
    assert program.nozzle_c.tolist() == [0, 200, 0], "without a target it is off"


def test_each_tool_keeps_what_was_set_for_it() -> None:
    program = _program("M104 T0 S210", "M104 T1 S240", "T1", "M104 T1 S235", "T0")
    assert program.nozzle_c.tolist() == [0, 210, 210, 240, 235, 210]
    assert program.tools == {0, 1}
    assert program.tool_changes == [3, 5]


def test_where_no_tool_is_named_what_is_set_is_set_for_all() -> None:
    program = _program("M104 S210", "T1", "M104 S235", "T0")
    assert program.nozzle_c.tolist() == [0, 210, 210, 235, 235]


@pytest.mark.parametrize(("dialect", "word", "effects"), [
    ("m900", "M204 S1200", {What.ACCEL: 1200, What.TRAVEL_ACCEL: 1200}),
    ("m900", "M204 P900 T1500", {What.ACCEL: 900, What.TRAVEL_ACCEL: 1500}),
    ("m900", "M204 S1 P900", {What.ACCEL: 900, What.TRAVEL_ACCEL: 1}),
    ("m900", "M205 X9 Y9", {What.JUNCTION: 9}),
    ("m900", "M205 J0.02", {What.DEVIATION: 0.02}),
    ("m900", "M205 X0 J0.02", {What.DEVIATION: 0.02}),
    ("m572", "M566 X600 Y600", {What.JUNCTION: 10}),
    ("m572", "M203 X12000", {What.MOST_SPEED: 200}),
    ("m900", "M203 X200", {What.MOST_SPEED: 200}),
    ("key-value", "SET_VELOCITY_LIMIT ACCEL=3000 SQUARE_CORNER_VELOCITY=5",
     {What.ACCEL: 3000, What.TRAVEL_ACCEL: 3000, What.JUNCTION: 5 * math.sqrt(2)}),
    ("m900", "M302 S150", {What.COLD_LIMIT: 150}), ("m900", "M302 P1", {What.COLD_LIMIT: 0}),
    ("m900", "M302", {What.COLD_LIMIT: 0}), ("m900", "M302 P0", {}),
    ("m900", "M84", {What.MOTORS: 0}), ("m900", "M17", {What.MOTORS: 1}),
    ("m900", "M104", {}), ("m900", "M204 S0", {}), ("m900", "M220", {}), ("m900", "G10", {}),
])  # fmt: skip
def test_a_word_sets_just_what_it_says(dialect: str, word: str, effects: dict[What, float]) -> None:
    found = {effect.what: effect.value for _, effect in _program(word, dialect=dialect).effects}
    assert found == pytest.approx(effects)


@pytest.mark.parametrize(("word", "seconds"), [("G4 S2", 2.0), ("G4 P1500", 1.5), ("G4 S0 P300", 0.3), ("G4", 0.0)])
def test_a_dwell_adds_its_time_where_it_stands(word: str, seconds: float) -> None:
    plain, waits = _program("M105").motion(), _program(word).motion()
    # The head comes to rest there too, which takes a little.
    assert seconds <= waits.seconds.sum() - plain.seconds.sum() < seconds + (0.05 if seconds else 1e-9)


def test_a_speed_factor_makes_a_long_line_as_much_longer() -> None:
    def seconds(word: str) -> float:
        text = f"G21\nG90\nM83\n{word}\nG1 X200 E9 F1200\n"
        return float(read(text.encode()).motion(accel=100_000, junction=20).seconds.sum())

    assert seconds("M220 S100") == pytest.approx(10.0, rel=0.01)
    assert seconds("M220 S50") == pytest.approx(20.0, rel=0.01)
    assert seconds("M203 X10") == pytest.approx(20.0, rel=0.01), "no faster than the axis may go"
    assert seconds("M203 Y1") == pytest.approx(10.0, rel=0.01), "what does not move limits nothing"
    assert seconds("M203 E0.45") == pytest.approx(20.0, rel=0.01), "nor faster than the filament may"


@pytest.mark.parametrize(("arc", "length"), [
    ("G2 X20 Y0 I10 J0", math.pi * 10), ("G3 X20 Y0 I10 J0", math.pi * 10),
    ("G2 X0 Y0 I10 J0", 2 * math.pi * 10), ("G3 X10 Y10 I0 J10", 1.5 * math.pi * 10 / 3),
    ("G2 X20 Y0 R10", math.pi * 10), ("G2 X10 Y10 R10", math.pi / 2 * 10), ("G2 X10 Y10 R-10", 1.5 * math.pi * 10),
    ("G3 X10 Y10 R10", math.pi / 2 * 10), ("G3 X10 Y10 R-10", 1.5 * math.pi * 10),
])  # fmt: skip
def test_a_turn_is_as_long_as_its_arc(arc: str, length: float) -> None:
    program = read(f"G21\nG90\nM83\nG1 X0 Y0 F600\n{arc} E1\n".encode())
    steps = np.hypot(np.diff(program.x, prepend=0.0), np.diff(program.y, prepend=0.0))
    assert steps.sum() == pytest.approx(length, rel=2e-3)
    assert program.e_mm.sum() == pytest.approx(1.0)
    ends = [float(number[1:]) for number in arc.split()[1:3]]
    assert [program.x[-1], program.y[-1]] == ends


@given(st.floats(-20, 20), st.floats(-20, 20), st.floats(0.5, 50), st.booleans(), st.booleans())
def test_a_turn_by_its_radius_keeps_that_radius(x: float, y: float, more: float, long: bool, clockwise: bool) -> None:
    way = math.hypot(x, y)
    if way < 1:
        return
    radius = way / 2 + more
    text = f"G21\nG90\nM83\n{'G2' if clockwise else 'G3'} X{x:.6f} Y{y:.6f} R{'-' if long else ''}{radius:.6f} F600\n"
    program = read(text.encode())
    points = np.column_stack([np.append(0.0, program.x), np.append(0.0, program.y)])
    half, rise = np.array([x, y]) / 2, math.sqrt(max(radius**2 - way**2 / 4, 0.0)) / way
    middles = [half + s * rise * np.array([-y, x]) for s in (1, -1)]
    assert min(np.abs(np.hypot(*(points - middle).T) - radius).max() for middle in middles) < 1e-3
    length = np.hypot(*np.diff(points, axis=0).T).sum()
    short = 2 * radius * math.asin(min(way / 2 / radius, 1.0))
    # Chords of half a millimetre are as much shorter than their arc.
    within = 1e-3 + (0.5 / radius) ** 2 / 20
    assert length == pytest.approx(2 * math.pi * radius - short if long else short, rel=within)


def _between(gap: str) -> dict[str, float]:
    """What is found between two lines with something between them."""
    text = f"G21\nG90\nM83\nG1 Z0.2 F600\nG1 X10 E1 F1200\n{gap}\nG1 X60 E1 F1200\nG1 X10 Z10 F600\n"
    program = read(text.encode())
    found = retraction_statistics(program, move_columns(program, program.motion(), 1.75))
    assert len(found.first) == 1
    names = ("depth_mm", "pulled_mm", "pushed_mm", "way_mm", "lift_mm", "speed_mm_s")
    return {name: float(getattr(found, name)[0]) for name in names}


def test_a_retraction_with_a_lift_is_told_in_all_its_parts() -> None:
    found = _between("G1 E-0.8 F2100\nG0 Z0.6 F600\nG0 X50 F9000\nG0 Z0.2 F600\nG1 E0.7 F2100")
    assert found == pytest.approx(
        {"depth_mm": 0.8, "pulled_mm": 0.8, "pushed_mm": 0.7, "way_mm": 40.0, "lift_mm": 0.4, "speed_mm_s": 35.0},
        abs=1e-4,
    )


def test_two_pulls_in_a_row_go_as_deep_as_both() -> None:
    found = _between("G1 E-0.5 F2400\nG1 E-1.5 F1200\nG0 X50 F9000\nG1 E2 F2100")
    assert found["depth_mm"] == pytest.approx(2.0)
    assert found["speed_mm_s"] == pytest.approx((0.5 * 40 + 1.5 * 20) / 2), "by how much each pulls"


def test_a_pull_that_is_pushed_and_pulled_again_is_no_deeper() -> None:
    found = _between("G1 E-0.8 F2100\nG1 E0.8 F2100\nG0 X50 F9000\nG1 E-0.8 F2100\nG1 E0.8 F2100")
    assert (found["depth_mm"], found["pulled_mm"]) == pytest.approx((0.8, 1.6))


def test_a_wipe_pulls_on_its_way_and_tells_no_speed() -> None:
    found = _between("G1 X5 E-0.6 F3000\nG0 X50 F9000\nG1 E0.6 F2100")
    assert found["pulled_mm"] == pytest.approx(0.6)
    assert math.isnan(found["speed_mm_s"])


def test_a_bare_travel_is_told_as_such() -> None:
    found = _between("G0 X50 F9000")
    assert (found["pulled_mm"], found["way_mm"]) == pytest.approx((0.0, 40.0))
