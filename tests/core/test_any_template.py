"""Start and end G-code as somebody types it, whatever that is: it is filled in, or said in words why not; and a file
that is made with it begins and ends as Drumbo's own do.
"""

from __future__ import annotations

import re
from dataclasses import replace
from functools import cache

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from drumbo.core.errors import InvalidInput
from drumbo.core.gcode.templates import fill_template, heat_of, look, template_names
from drumbo.core.gcode.writer import PrintJob, write
from drumbo.core.piece import block
from drumbo.core.printer import Printer
from drumbo.core.toolpath import PrintSettings, Toolpath, build
from drumbo.standins.filament.interpreter import Machine

PRINTER = Printer("Petrel One")
HEATS = {"nozzle_first_c": 215.0, "nozzle_c": 210.0, "bed_first_c": 60.0, "bed_c": 55.0}
NAMES = template_names(PRINTER, HEATS)


@cache
def _path() -> Toolpath:
    small = block((-3, -3, 0), (3, 3, 1.04))
    return build(small, PrintSettings(skirt_loops=0), middle=PRINTER.bed_middle, purge_from=(5, 5))


name = st.sampled_from(sorted(NAMES)).map("{{{}}}".format)
line = st.one_of(
    st.builds("G1 X{} Y{} F{}".format, st.integers(-20, 300), st.integers(-20, 300), st.integers(300, 9000)),
    st.builds("{} S{}".format, st.sampled_from(["M104", "M109", "m140", "M190"]), name | st.integers(0, 320).map(str)),
    st.builds("G1 X{} Y{} E{} F900".format, name, st.integers(0, 200), st.integers(-2, 30)),
    st.sampled_from(["G28", "G91", "G90", "G20", "G21", "M82", "M83", "G92 E0", "M220 S50", "M221 S80", "M106 S255",
                     "; {nozzle_c} °C", "M117 {height_mm}", "", "  G28 ; home", "T1", "T0", "M600", "M0"]),
)  # fmt: skip
odd = st.text(max_size=40) | st.sampled_from(
    [
        "{",
        "}",
        "{}",
        "{{nozzle_c}}",
        "{nozzle_c",
        "{ nozzle_c }",
        "{nozzle_c:.1f}",
        "{__class__}",
        "{0}",
        "%",
        "M104 S{heat}",
    ]
)


@given(st.lists(line | odd, max_size=12), st.lists(line | odd, max_size=6))
def test_whatever_is_typed_is_looked_over_in_words(start: list[str], end: list[str]) -> None:
    printer = replace(PRINTER, start_gcode="\n".join(start), end_gcode="\n".join(end))
    found = look(printer, HEATS)
    assert set(found.wrong) <= {"start_gcode", "end_gcode"}
    assert all(re.match(r"line \d+: ", said) for said in found.wrong.values())
    assert all(said.strip().endswith((".", "”", "?")) for said in found.odd), found.odd
    if not found.wrong:
        assert len(found.start) == len(printer.start_gcode.splitlines())
        assert not any(re.search(r"\{[a-z_]+\}", text) for text in (*found.start, *found.end))


@given(st.lists(st.one_of(name, st.text("GMXYZ0123456789 .-;", max_size=12)), max_size=8))
def test_names_become_their_numbers_and_nothing_else_changes(parts: list[str]) -> None:
    template = " ".join(parts)
    (filled,) = fill_template("start_gcode", template, NAMES) or [""]
    expected = re.sub(r"\{(\w+)\}", lambda found: f"{NAMES[found[1]]:g}", template)
    assert filled == expected
    assert "e+" not in filled, "firmware reads no exponents"


@given(
    st.integers(1, 9), st.sampled_from(["heat", "nozzle", "__class__", "nozzle_c.real", " nozzle_c", "", "nozzle c"])
)
def test_an_unknown_name_is_told_with_its_line_and_those_there_are(before: int, unknown: str) -> None:
    template = "\n".join([*["G28"] * (before - 1), f"M104 S{{{unknown}}}"])
    try:
        fill_template("end_gcode", template, NAMES)
    except InvalidInput as error:
        said = error.problems["end_gcode"]
    else:
        raise AssertionError("it was filled in")
    assert said.startswith(f"line {before}: {{{unknown}}} is no known name")
    assert "nozzle_first_c" in said


@settings(max_examples=60)
@given(st.lists(line, max_size=10))
def test_a_file_begins_in_a_known_state_whatever_its_start_does(start: list[str]) -> None:
    """Modes, factors and the fan that a template leaves behind have no say in what is printed."""
    lines = [text for text in start if text not in {"T1", "M600", "M0"}]
    job = PrintJob(replace(PRINTER, start_gcode="\n".join(["G28", *lines])), 215, 210, 60, 55)
    plain = PrintJob(replace(PRINTER, start_gcode="G28"), 215, 210, 60, 55)
    laid = []
    for each in (job, plain):
        machine = Machine()
        for text in write(_path(), each).splitlines():
            machine.run(text)
        moves = {key: np.array(column) for key, column in machine.moves.items()}
        count = len(_path()) - 1
        tail = {key: column[-count - 2 :] for key, column in moves.items() if key not in {"wait_s"}}
        laid.append((tail, machine))
    for key, column in laid[1][0].items():
        np.testing.assert_allclose(laid[0][0][key], column, atol=1e-9, err_msg=key)
    machine = laid[0][1]
    assert machine.nozzle.target_c == machine.bed.target_c == machine.fan == 0
    assert (machine.speed_factor, machine.flow_factor) == (1.0, 1.0)


def test_what_a_line_heats() -> None:
    assert heat_of("M109 S215 ; hot") == ("nozzle", 215.0)
    assert heat_of("  m190 r60.5") == ("bed", 60.5)
    assert heat_of("M104 T1 S240") == ("nozzle", 240.0)
    assert heat_of("; M104 S215") is None
    assert heat_of("M1040 S215") is None
    assert heat_of("M106 S255") is None
