"""Reading and writing: the reader against its plain twin, files against their toolpaths, and every complaint."""

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from drumbo.core.errors import GcodeError, InvalidInput
from drumbo.core.gcode import kernel
from drumbo.core.gcode.dialects import DIALECTS
from drumbo.core.gcode.inspect import inspect
from drumbo.core.gcode.loop import read_loop
from drumbo.core.gcode.reader import read
from drumbo.core.gcode.writer import PrintJob, write
from drumbo.core.piece import block
from drumbo.core.printer import NOZZLES, Printer
from drumbo.core.toolpath import Override, PrintSettings, build, path_motion
from drumbo.core.toolpath.columns import Role
from drumbo.trials import kind
from tests.conftest import plain_context

COUPLED = next(each for each in DIALECTS if not each.e_apart)
coordinate = st.decimals(-300, 300, places=3).map(str)
word = st.one_of(
    st.tuples(st.sampled_from(["G0", "G01"]), st.dictionaries(st.sampled_from("XYZE"), coordinate, min_size=1)),
    st.tuples(st.sampled_from(["G1"]), st.fixed_dictionaries({"X": coordinate, "F": st.integers(60, 9000).map(str)})),
    st.tuples(st.sampled_from(["G2", "G3"]), st.fixed_dictionaries({
        "X": coordinate, "Y": coordinate, "I": st.decimals("0.1", 9, places=2).map(str),
        "J": st.decimals(-9, 9, places=2).map(str)})),
    st.tuples(st.sampled_from(["G92"]), st.dictionaries(st.sampled_from("XYZE"), coordinate, min_size=1)),
    st.tuples(st.sampled_from(["G90", "G91", "M82", "M83", "G20", "G21", "G28", "M107", "M84"]), st.just({})),
    st.tuples(
        st.sampled_from(["M104", "M140", "M220", "M221"]), st.fixed_dictionaries({"S": st.integers(1, 300).map(str)})
    ),
)  # fmt: skip


@settings(max_examples=150, deadline=None)
@given(st.lists(word, min_size=1, max_size=40), st.booleans())
def test_the_compiled_reader_agrees_with_the_plain_one(words: list[tuple[str, dict[str, str]]], windows: bool) -> None:
    lines = [" ".join([head, *(k + v for k, v in values.items())]) for head, values in words]
    text = ("\r\n" if windows else "\n").join(lines) + "\n"
    # Of a printer on which G90 is for E too: where nobody says that, the reader goes by what feeds filament.
    program, plain = read(text.encode(), COUPLED), read_loop(text)
    assert len(program) == len(plain.rows)
    if plain.rows:
        line, kind, *columns = (np.array(c) for c in zip(*plain.rows, strict=True))
        assert np.array_equal(program.line, line)
        assert np.array_equal(program.kind, kind)
        for mine, theirs in zip((program.x, program.y, program.z, program.e_mm), columns, strict=False):
            np.testing.assert_allclose(mine, theirs, atol=1e-9)
        np.testing.assert_allclose(program.feed, columns[4], rtol=1e-6)
    told = [(w, n) for w, n, _, _ in plain.commands]
    assert [(c.word, c.line) for c in program.commands] == told


def test_a_file_as_slicers_and_people_write_it() -> None:
    text = (
        b"\xef\xbb\xbf; made by hand\r\n%\r\ng21 (mm) g90\r\nM83\r\nN7 G28 X Y Z\r\n"
        b"m104s210\r\nG1X10Y-5.25E.5F1200;go\r\n"
        b"M117 Layer 3 of 9\r\nG10\r\nG11\r\nM106 S127\r\nSET_PRESSURE_ADVANCE ADVANCE=0.045\r\nM900 K0.02\r\n"
        b"G2 X20 Y-5.25 I5 J0 E1\r\nT1\r\nM600\r\nM9999 S1\r\nM9999\r\n"
    )
    program = read(text)
    laid = program.kind == 2
    assert program.x[laid][-1] == 20
    assert program.e_mm[laid].sum() == pytest.approx(1.0)
    assert program.y[laid].max() == pytest.approx(-0.25, abs=0.01), "clockwise from the left goes over the top"
    assert program.e_mm[program.kind == 10] == pytest.approx([-1.0])
    assert program.nozzle_c[-1] == 210
    assert program.fan[-1] == pytest.approx(127 / 255)
    assert program.pressure_advance[-1] == 0.02
    assert program.unknown == {"M9999": 2}
    assert [c.line for c in program.found("M600")] == [16]


def test_several_commands_on_a_line_are_all_carried_out() -> None:
    program = read(b"G21 G90 M83 G28\nG1 X10 F1200 M106 S255 G1 Y5 E1\nM104 S210 M140 S60\nT1 M6\nM486 AG2 part\n")
    assert program.x.tolist() == [0, 10, 10]
    assert program.y.tolist() == [0, 0, 5]
    assert program.line.tolist() == [1, 2, 2]
    assert program.fan.tolist() == [0, 0, 1]
    assert [c.word for c in program.commands if c.line > 2] == ["M104", "M140", "T1", "M6", "M486"]
    checked = b"N3 G1 X5 G1 Y7"
    total = 0
    for byte in checked:
        total ^= byte
    assert read(checked + b"*%d\n" % total).y[-1] == 7
    with pytest.raises(GcodeError, match="checksum"):
        read(checked + b"*%d\n" % (total ^ 1))


@pytest.mark.parametrize(
    ("plane", "start", "arc", "over"),
    [("G17", "X10 Y0", "G3 X0 Y10 I-10 J0", (7.07, 7.07, 0)), ("G18", "Z10 X0", "G3 Z0 X10 K-10 I0", (7.07, 0, 7.07)),
     ("G19", "Y10 Z0", "G3 Y0 Z10 J-10 K0", (0, 7.07, 7.07)), ("G18", "Z10 X0", "G3 Z0 X10 R10", (7.07, 0, 7.07))],
)  # fmt: skip
def test_arcs_turn_in_their_plane(plane: str, start: str, arc: str, over: tuple[float, float, float]) -> None:
    """A quarter turn with radius 10 around the origin goes over the middle of its arc."""
    program = read(f"{plane}\nG0 {start}\n{arc} F600\n".encode())
    way = np.column_stack([program.x, program.y, program.z])[1:]
    assert np.abs(np.linalg.norm(way, axis=1) - 10).max() < 1e-9
    assert np.linalg.norm(way - np.array(over), axis=1).min() < 0.3


@pytest.mark.parametrize(
    ("typed", "value"),
    [("1.5", 1.5), ("-.25", -0.25), ("+3.", 3.0), ("0.1", 0.1), ("123456.789", 123456.789),
     ("7" * 30, 7.777777777777778e29),
     ("0." + "0" * 40 + "1", 0.0), ("0.12345678901234567890123", 0.12345678901234568), ("007", 7.0)],
)  # fmt: skip
def test_numbers_of_any_length_are_rounded_once(typed: str, value: float) -> None:
    for ending in ("\n", "", " ", "\r\n", ";x"):
        assert read(f"G1 X{typed}{ending}".encode()).x[-1] == pytest.approx(value, rel=1e-15, abs=1e-20)


@pytest.mark.parametrize(("typed", "value"), [("1.5e-05", 1.5e-5), ("-4e-06", -4e-6), ("7.25e-05", 7.25e-5)])
def test_a_number_with_an_exponent_is_read_and_its_line_told(typed: str, value: float) -> None:
    program = read(f"G28\nG1 X1 F600\nG1 X{typed}\n".encode())
    assert program.x[-1] == pytest.approx(value, rel=1e-12)
    assert program.exponent_line == 3
    fed = read(b"G28\nM83\nG1X10E.5F600\nG1 X20 E1\n")
    assert fed.exponent_line == 0, "an E with a number of its own behind a number is filament"
    assert fed.e_mm.tolist() == [0, 0.5, 1.0]


def test_inches_offsets_and_relative_moves() -> None:
    program = read(b"G20\nG1 X1 E0.1 F10\nG92 X0\nG1 X1\nG91\nG1 X-0.5 E0.1\nG21\nG1 X1\n")
    assert program.x.tolist() == pytest.approx([25.4, 50.8, 38.1, 39.1])
    assert program.e_mm.tolist() == pytest.approx([2.54, 0, 2.54, 0])
    assert program.feed[0] == pytest.approx(254)


@pytest.mark.parametrize(
    ("data", "line", "reason"),
    [
        (b"", 0, "empty"),
        (b"\x00\x01\x02\x03PNG", 0, "not a text file"),
        (bytes(range(256)) * 20, 0, "not a text file"),
        (b"hello world\nhow are you\n", 0, "no G-code"),
        (b"G28\nG1 X10 Y\nG1 X2", 2, "without a number"),
        (b"G28\n\nG1 X--3\n", 3, "without a number"),
        (b"G28\nG1 X5 \xff\xfe", 2, "no G-code"),
        (b"G28\nG2 X10 Y10\n", 2, "arc"),
        (b"G28\nG2 X10 Y0 R2\n", 2, "arc"),
        (b"N1 G28*18\nN2 G1 X5*1\n", 2, "checksum"),
    ],
)
def test_every_complaint_names_its_line(data: bytes, line: int, reason: str) -> None:
    with pytest.raises(GcodeError, match=reason) as caught:
        read(data)
    assert caught.value.line == line


@settings(max_examples=12, deadline=None)
@given(
    size=st.tuples(st.floats(5, 40), st.floats(5, 30), st.floats(1, 6)),
    width=st.floats(0.35, 0.7), walls=st.integers(1, 3), infill=st.sampled_from([0.0, 0.15, 0.4]),
    retraction=st.sampled_from([0.0, 0.8, 5.0]), hop=st.sampled_from([0.0, 0.3]), flow=st.floats(0.9, 1.1),
    origin=st.sampled_from(["corner", "centre"]), dialect=st.sampled_from([d.key for d in DIALECTS]),
)  # fmt: skip
def test_what_is_written_is_what_is_read(
    size: tuple[float, float, float], width: float, walls: int, infill: float, retraction: float, hop: float,
    flow: float, origin: str, dialect: str,
) -> None:  # fmt: skip
    settings_ = PrintSettings(width_mm=width, walls=walls, infill=infill, retraction_mm=retraction, z_hop_mm=hop,
                              flow_ratio=flow)  # fmt: skip
    printer = Printer("any", origin=origin, dialect=dialect)
    solid = block((-size[0] / 2, -size[1] / 2, 0), (size[0] / 2, size[1] / 2, size[2]))
    low_x, low_y = printer.bed_low
    path = build(solid, settings_, middle=printer.bed_middle, purge_from=(low_x + 5, low_y + 5))
    program = read(write(path, PrintJob(printer, 215, 210, 60, 55, 0.04)).encode())
    first = next(i for i in range(len(program)) if program.line[i] > max(c.line for c in program.found("G92"))) + 2
    rows = slice(first, first + len(path))
    for mine, theirs, within in (
        (program.x, path.x, 1e-9), (program.y, path.y, 1e-9),
        (program.z, path.z, 1e-9), (program.e_mm, path.e_mm, 6e-6),
    ):  # fmt: skip
        np.testing.assert_allclose(mine[rows], theirs, atol=within)
    np.testing.assert_allclose(program.feed[rows] / 60, path.speed, atol=0.5 / 60 + 1e-6)
    assert program.motion(2000, 8).seconds[rows].sum() == pytest.approx(path_motion(path).total_s, rel=0.01, abs=0.2)


def _written(context_printer: Printer, **job: Any) -> str:
    solid = block((-8, -8, 0), (8, 8, 4))
    path = build(solid, PrintSettings(), middle=(110, 110), purge_from=(10, 8), overrides=[Override(2.04, 200, "200")])
    return write(path, PrintJob(context_printer, 215, 210, 60, 55, **job))


@pytest.mark.parametrize("dialect", [d.key for d in DIALECTS])
def test_a_file_ends_as_clean_as_it_began(dialect: str) -> None:
    """Whatever the templates hold: heaters off, fan off, factors at 100 %, the profile's pressure advance."""
    printer = Printer("any", dialect=dialect, start_gcode="M220 S35\nM221 S80\nG28", end_gcode="M104 S50\nM106 S9")
    program = read(_written(printer, pressure_advance_s=0.05).encode())
    laid = program.e_mm > 0
    assert np.all(program.speed_factor[laid] == 1)
    assert np.all(program.flow_factor[laid] == 1)
    for words in (("M104", "M109"), ("M140", "M190")):
        assert [c.values["S"] for c in program.found(*words)][-1] == 0
    assert [c.word for c in program.found("M106", "M107")][-1] == "M107"
    if dialect != "plain":
        assert set(program.pressure_advance[laid]) == {0.05}
    assert not [r for r in inspect(program, printer=printer).remarks if r.weight == "bad"]


def test_an_unknown_name_in_a_template_is_named_with_its_line() -> None:
    with pytest.raises(InvalidInput, match=r"line 2: \{nozle\} is no known name"):
        _written(Printer("any", start_gcode="G28\nM109 S{nozle}"))


def test_temperatures_change_exactly_where_the_step_begins() -> None:
    program = read(_written(Printer("any")).encode())
    laid = (program.e_mm > 0) & (program.z > 0.3)
    hot, cool = program.z[laid & (program.nozzle_c == 210)], program.z[laid & (program.nozzle_c == 200)]
    assert hot.max() == pytest.approx(2.04)
    assert cool.min() == pytest.approx(2.24), "the layer on top of z = 2.04 is the first at 200 °C"


def test_the_check_finds_what_slows_heats_and_strays() -> None:
    text = (
        "M104 S310\nM83\nG1 X10 Y10 Z0.2 F3000\nG1 X50 E2\nG28\nM220 S35\nG1 X300 E5\nG1 X310 Y20 E5\nM600\nM104 S200\n"
    )
    found = inspect(read(text.encode()), printer=Printer("small", nozzle_max_c=280), numbers={"nozzle_c": 205.0})
    told = {(r.line, r.text.split(";")[0]) for r in found.remarks}
    assert (4, "prints before homing (no G28 above)") in told
    assert (6, "speed factor 35% from here on, for 67% of all lines") in told
    assert any(line == 1 and "sets the nozzle to 310" in text for line, text in told)
    assert any(line == 7 and "beside the bed" in text for line, text in told)
    assert any(line == 10 and "left at 200" in text for line, text in told)
    assert any(line == 9 and "pauses" in text for line, text in told)
    assert any("profile says 205" in text for _, text in told | {(0, r.text) for r in found.remarks})


def test_bridges_and_overhangs_are_found_by_what_lies_beneath() -> None:
    table = block((-15, -4, 0), (-10, 4, 6)) + block((10, -4, 0), (15, 4, 6)) + block((-15, -4, 5), (22, 4, 6))
    path = build(table, PrintSettings(), middle=(50, 50), purge_from=(5, 5))
    over = path.role == Role.BRIDGE
    steps = np.diff(path.x, prepend=0)[over], np.diff(path.y, prepend=0)[over]
    assert np.abs(steps[0]).sum() > 20 * np.abs(steps[1]).sum(), "bridges run along the short span, in x"
    hanging = path.role == Role.OVERHANG
    assert path.x[hanging].max() > 50 + 21, "the free end is an overhang, not a bridge"
    assert not (over & (path.x > 50 + 16)).any()
    first_over = path.z[over].min()
    assert first_over == pytest.approx(5.24, abs=0.11)


def test_the_filament_fed_is_the_volume_of_a_solid_block() -> None:
    settings_ = PrintSettings(infill=1.0, skirt_loops=0, walls=2)
    path = build(block((-10, -10, 0), (10, 10, 4.04)), settings_, middle=(50, 50), purge_from=(5, 5))
    part = path.role >= Role.OUTER
    volume = path.e_mm[part].sum() * settings_.filament_area
    assert volume == pytest.approx(20 * 20 * 4.04, rel=0.05)


def test_a_file_that_needs_more_room_than_it_was_given_reads_the_same() -> None:
    """Arcs become many rows, and lines many commands: what was read is moved, and the command read again."""
    lines = [
        f"G1 X{k % 90} E1 F{600 + k}\nN{k} G2 X{k % 80} Y{k % 7} I5 J5 E.2\nM106 S{k % 255} M900 K.0{k % 9}"
        for k in range(900)
    ]
    data = np.frombuffer(("\n".join(lines) + "\n").encode(), np.uint8)
    (some, count, *rest), (plenty, same, *others) = (kernel.scan(data, kernel.columns(room)) for room in (1, 200_000))
    assert count == same > 20_000
    for short, long in zip(some, plenty, strict=True):
        np.testing.assert_array_equal(short[:count], long[:count])
    told = rest[2]
    assert told == others[2] == 1800
    np.testing.assert_array_equal(rest[0][:told], others[0][:told])
    np.testing.assert_array_equal(rest[1][:told], others[1][:told])


def test_a_file_of_one_material_has_the_other_nozzle_off() -> None:
    context, trial = plain_context(swaps=NOZZLES), kind("temperature")
    lines = trial.print_file(trial.suggest(context), context).gcode.splitlines()
    first = lines.index("T0")
    assert lines[first - 1] == "M104 T1 S0", "whichever nozzle the template has heated"
    assert lines[first + 1].startswith("M109 S")
    assert lines[-5:] == ["M107", "M104 T0 S0", "M104 T1 S0", "M104 S0", "M140 S0"]
    single = trial.print_file(trial.suggest(plain_context()), plain_context()).gcode
    assert "T0" not in single.splitlines()
    assert " T1 " not in single
