"""One part in many styles: a clean file gets no remark and comes to the same; planted faults are found in place."""

from __future__ import annotations

import pytest

from bench.check import FAULTS, PRINTER, judged, look
from bench.styles import STYLES, write
from drumbo.core.gcode.dialects import dialect
from drumbo.core.gcode.inspect import Inspection, inspect
from drumbo.core.gcode.reader import read
from drumbo.core.printer import Printer
from drumbo.core.remark import NOTE


def _look(text: bytes, printer: Printer = PRINTER) -> Inspection:
    return inspect(read(text), printer=printer)


@pytest.fixture(scope="module")
def plain() -> Inspection:
    return _look(write(STYLES["relative extrusion"]).text)


@pytest.mark.parametrize("name", STYLES)
def test_a_clean_file_gets_no_remark_and_comes_to_the_same(name: str, plain: Inspection) -> None:
    style = STYLES[name]
    found = _look(write(style).text)
    assert [r for r in found.remarks if r.weight != NOTE] == []
    assert len(found.remarks) == (2 if style.macro else 0), "what cannot be known is said once, of start and end"
    if style.alike:
        assert found.seconds == pytest.approx(plain.seconds, rel=1e-3)
        assert found.filament_mm == pytest.approx(plain.filament_mm, rel=1e-4)
        assert found.flow_high == pytest.approx(plain.flow_high, rel=2e-3)
        assert found.retraction_mm == pytest.approx(plain.retraction_mm, rel=1e-4)
        assert [(b.nozzle_c, round(b.low, 3)) for b in found.bands] == [
            (b.nozzle_c, round(b.low, 3)) for b in plain.bands
        ]
        assert (found.layers, found.bed_c) == (plain.layers, plain.bed_c)


@pytest.mark.parametrize("name", FAULTS)
def test_a_planted_fault_is_found_where_it_stands(name: str) -> None:
    fits = [(key, style) for key, style in STYLES.items() if FAULTS[name].fits(style)]
    for _, style in fits[:: max(len(fits) // 3, 1)][:4]:
        written = write(style, FAULTS[name].change)
        found = look(written.text)
        there, at_line = judged(name, found, written.planted[0])
        assert there, [(r.rule, r.line, r.text) for r in found]
        assert at_line or name in {"absolute values as relative"}, (written.planted, [(r.rule, r.line) for r in found])
        assert all(r.do and r.rule for r in found)


def _lines(*lines: str) -> bytes:
    return ("\n".join(lines) + "\n").encode()


def test_a_dwell_takes_its_time_and_a_change_of_tool_too() -> None:
    moves = ["G28", "G90", "M83", "G1 X10 Y10 F6000", "G1 X20 E1 F1200"]
    still = _look(_lines(*moves, "T1", "G1 X30 E1"))
    assert _look(_lines(*moves, "G4 P1500", "T1", "G1 X30 E1")).seconds == pytest.approx(still.seconds + 1.5, abs=0.1)
    assert _look(_lines(*moves, "G4 S2", "T1", "G1 X30 E1")).seconds == pytest.approx(still.seconds + 2, abs=0.1)
    slow = Printer("two heads", tool_change_s=12.0)
    assert _look(_lines(*moves, "T1", "G1 X30 E1"), slow).seconds == pytest.approx(still.seconds + 12, rel=0.02)
    assert still.tool_changes == 1


def test_each_tool_has_a_temperature_of_its_own() -> None:
    start = ("M104 S210", "M104 T1 S100", "G28", "G1 X5 E1 F600")
    program = read(_lines(*start, "T1", "G1 X9 E1", "M109 T1 S240", "G1 X5 E1"))
    assert program.nozzle_c.tolist() == [210, 210, 100, 240]
    assert read(_lines("G10 P1 S230 R180", "T1", "G1 X5 E1 F600")).nozzle_c[-1] == 230
    assert read(_lines("M568 P0 S205", "G1 X5 E1 F600")).nozzle_c[-1] == 205
    one = read(_lines("M104 S210", "G1 X5 E1 F600", "T1", "G1 X9 E1"))
    assert one.nozzle_c.tolist() == [210, 210], "one nozzle, and two filaments through it"
    off = _lines("G28", "M109 S210", "M109 T1 S220", "G1 X50 E2 F600", "T1", "G1 X5 E2", "G1 Z9", "M104 T0 S0")
    assert any("nozzle of T1 is left at 220" in r.text for r in _look(off).remarks)


def test_limits_of_the_firmware_count_for_the_time() -> None:
    path = ["G28", "G90", "M83", *(f"G1 X{20 + 100 * (k % 2)} E3 F9000" for k in range(10))]
    free = _look(_lines("M204 S3000", *path)).seconds
    for slow in ("M203 X50 Y50", "M201 X100", "SET_VELOCITY_LIMIT VELOCITY=50", "SET_VELOCITY_LIMIT ACCEL=100",
                 "M204 P100 T100", "M203 E1.5"):  # fmt: skip
        assert _look(_lines("M204 S3000", slow, *path)).seconds > 1.2 * free, slow
    by_minute = read(_lines("M572 D0 S0.04", "M566 X600", "M203 X6000 Y6000", *path))
    assert by_minute.dialect.key == "m572"
    assert by_minute.motion(3000).cruise.max() == pytest.approx(100), "mm/min there, mm/s elsewhere"
    as_seconds = read(_lines("M572 D0 S0.04", "M566 X600", "M203 X6000 Y6000", *path), dialect("m900"))
    assert as_seconds.motion(3000).cruise.max() == pytest.approx(150)


def test_volumes_exponents_and_names_that_nobody_filled_in() -> None:
    area = 2.405281875
    program = read(_lines("G28", "M83", "M200 D1.75", f"G1 X10 E{area} F600", "M200 D0", "G1 X20 E1"))
    assert program.e_mm.tolist() == pytest.approx([0, 1, 1])
    small = read(_lines("G28", "M83", "G1 X1e-05 Y2.5E-03 E1.5e-02 F600", "G1X10E-10"))
    assert (small.x[1], small.y[1], small.e_mm[1]) == pytest.approx((1e-5, 2.5e-3, 1.5e-2))
    assert (small.x[2], small.e_mm[2]) == pytest.approx((10, -10)), "a word of its own where nothing parts them"
    assert small.exponent_line == 3
    told = _look(_lines("G28", "M190 S{bed_temperature}", "M109 S[first_layer]", "M83", "G1 X9 E1 F600")).remarks
    mine = next(r for r in told if r.rule == "unfilled")
    assert (mine.line, mine.weight) == (2, "bad")
    assert "{bed_temperature}, {first_layer}" in mine.text


def test_a_macro_is_believed_as_far_as_its_words_are_plain() -> None:
    program = read(_lines("START BED_TEMP=65 EXTRUDER_TEMP=235 BED_MESH=1 NOZZLE=0.4", "M83", "G1 X9 E1 F600"))
    assert (program.nozzle_c[-1], program.bed_c[-1]) == (235, 65)
    found = _look(_lines("BEGIN", "M83", "G1 X99 Y9 Z.2 E4 F600", "G1 Y99 E4", "FINISH"))
    assert {r.weight for r in found.remarks} == {NOTE}
    assert "BEGIN" in found.remarks[0].text


def test_the_head_and_the_carriage_need_room() -> None:
    def post(x: float, top: float) -> list[str]:
        lines = []
        for k in range(round(top / 0.2)):
            lines += [f"G0 X{x} Y100 F9000", f"G0 Z{0.2 * (k + 1):.2f} F600"]
            lines += [f"G1 X{x + a} Y{100 + b} E.3 F1800" for a, b in ((8, 0), (8, 8), (0, 8), (0, 0))]
        return lines

    begin = ["G28", "M190 S60", "M109 S210", "M107", "G90", "M83", "M204 S1000"]
    end = ["M104 S0", "M140 S0", "G0 Z90", "G0 X0 Y0"]

    def rules(gap: float, top: float, printer: Printer) -> set[str]:
        text = _lines(*begin, *post(60, top), f"G0 Z{top + 3} F600", *post(60 + gap, 4), *end)
        wanted = {"collisions", "one-by-one"}
        return {f"{r.rule}: {r.text.split()[1]}" for r in _look(text, printer).remarks if r.rule in wanted}

    measured = Printer("measured", clearance_radius_mm=30, clearance_height_mm=25)
    assert rules(60, 20, measured) == set()
    assert rules(25, 20, measured) == {"collisions: head"}
    assert rules(60, 40, measured) == {"collisions: carriage"}
    assert rules(60, 40, Printer("not measured")) == {"one-by-one: one"}


def test_speeds_and_factors_below_nothing_are_none() -> None:
    found = _look(_lines("G28", "M83", "G1 X9 E1 F-600", "G1 X19 E1 F600", "M221 S-50", "G1 X29 E1"))
    assert any(r.rule == "crawl" and r.line == 3 for r in found.remarks)
    assert found.filament_mm == pytest.approx(2), "a flow factor below 0 feeds nothing"


def test_how_e_is_understood_after_g90_hangs_on_the_dialect() -> None:
    hop = ("M83", "G28", "G1 X10 E1 F600", "G91", "G1 Z1", "G90", "G1 X20 E1", "G1 X30 E1", "G1 X40 E1")
    told = {
        "key-value": read(_lines("SET_VELOCITY_LIMIT ACCEL=900", *hop)),
        "m900": read(_lines("M900 K0", *hop)),
        "nobody": read(_lines(*hop)),
    }
    assert told["key-value"].e_mm.sum() == pytest.approx(4), "there M83 holds until M82"
    assert told["m900"].e_mm.sum() == pytest.approx(1), "there G90 means E too"
    assert told["nobody"].e_mm.sum() == pytest.approx(1)
    many = (*hop[:6], *(f"G1 X{20 + k % 50} E{1 + k % 3}" for k in range(180)))
    assert read(_lines(*many)).e_mm.sum() == pytest.approx(361), "what feeds filament is meant where nobody tells"
    assert read(_lines(*many), dialect("m900")).e_mm.sum() == pytest.approx(3), "unless somebody says otherwise"


def test_each_tool_has_a_retraction_of_its_own() -> None:
    def gaps(pull: float, last_push: float) -> list[str]:
        lines = []
        for k in range(9):
            push = last_push if k == 8 else pull
            lines += [f"G1 X{20 + 40 * (k % 2)} E1 F1800", f"G1 E-{pull} F2100", f"G0 Y{10 + k} F6000", f"G1 E{push}"]
        return [*lines, "G1 X90 E1 F1800"]

    def rules(last_push: float) -> set[str]:
        start = ["G28", "M83", "M109 S210", "G0 Z.2 F600"]
        text = _lines(*start, *gaps(5.0, 5.0), "T1", *gaps(0.8, last_push), "M104 S0", "G0 Z9")
        return {r.rule for r in _look(text).remarks}

    assert not {"long-pull", "not-made-good"} & rules(0.8)
    assert "not-made-good" in rules(0.2), "0.6 mm are much of 0.8, though little of the other's 5"
