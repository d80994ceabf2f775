"""What is odd about a file: each finding on a file that has just that wrong, and none on one that has nothing wrong."""

from __future__ import annotations

import re

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from drumbo.core.errors import GcodeError
from drumbo.core.gcode.inspect import Inspection, inspect
from drumbo.core.gcode.reader import read
from drumbo.core.gcode.roles import ROADS, TRAVEL
from drumbo.core.printer import Printer
from drumbo.trials import kinds_of
from tests.conftest import plain_context

CONTEXT = plain_context("petg", start_gcode="G28\nM190 S{bed_first_c}\nM109 S{nozzle_first_c}", bed_x_mm=200.0)
NUMBERS = {**CONTEXT.profile.numbers(), "pressure_advance_s": 0.04}


def _file(*, layers: int = 20, retract: float = 0.8) -> str:
    """A box as a slicer would write it for the profile: 240 °C, then 245, no fan on three layers."""
    lines = ["M204 S1500", "M205 X8 Y8", "G21", "G90", "M83", "M140 S75", "M104 S240", "G28", "M190 S75", "M109 S240",
             "M900 K0.04", "M107", "G92 E0"]  # fmt: skip
    for layer in range(layers):
        z = 0.2 + 0.2 * layer
        if layer == 1:
            lines.append("M104 S245")
        if layer == 3:
            lines.append("M106 S102")
        lines += [f"G1 Z{z:.2f} F600", f"G1 E-{retract} F2100", "G0 X80 Y80 F9000", f"G1 E{retract} F2100"]
        for x, y in ((110, 80), (110, 110), (80, 110), (80, 80)):
            lines.append(f"G1 X{x} Y{y} E1.0 F2400")
    lines += ["M107", "M104 S0", "M140 S0", "G0 X0 Y190 F6000"]
    return "\n".join(lines) + "\n"


def _look(text: str) -> Inspection:
    return inspect(read(text.encode()), printer=CONTEXT.printer, numbers=NUMBERS)


def test_a_file_that_does_what_the_profile_says_has_no_finding() -> None:
    found = _look(_file())
    assert found.remarks == ()
    assert (found.layers, found.layer_mm, found.retraction_mm) == (20, pytest.approx(0.2), 0.8)
    assert found.seconds_of(*ROADS, TRAVEL) < found.seconds


def _stepped(text: str) -> str:
    parts = re.split(r"(?=G1 Z)", text)
    return "".join(
        (f"M104 S{245 - 5 * (n // 12)}\n" if n > 1 and n % 12 == 0 else "") + part for n, part in enumerate(parts)
    )


WRONG = {
    "a forgotten speed factor": (lambda t: t.replace("G1 Z1.00", "M220 S35\nG1 Z1.00"), "bad", 5,
                                 "speed factor 35%", "M220 S100"),
    "a forgotten flow factor": (lambda t: t.replace("G1 Z1.00", "M221 S90\nG1 Z1.00"), "bad", 5,
                                "flow factor 90%", "M221"),
    "another temperature": (lambda t: t.replace("M104 S245", "M104 S225"), "bad", 2,
                            "prints mostly at 225 °C; the profile says 245", "Slice it again"),
    "a wrong first layer": (lambda t: t.replace("M109 S240", "M109 S215"), "odd", 1,
                            "first layer at 215 °C; the profile says 240", "start G-code"),
    "a cold bed": (lambda t: t.replace("M190 S75", "M190 S40"), "odd", 1, "bed of 40 °C; the profile says 75", "bed"),
    "steps of a test": (_stepped, "bad", 12, "steps with height (240, 235, 230", "Left over from a test?"),
    "too much flow": (lambda t: t.replace("E1.0 F2400", "E3.5 F6000"), "bad", 1,
                      "of outer walls; the profile's limit is 9", "Slow"),
    "another retraction": (lambda t: _file(retract=2.5), "odd", 1, "retracts 2.5 mm; the profile says 0.8", "M207"),
    "cold extrusion": (lambda t: t.replace("M109 S240", "M109 S100"), "bad", 1, "below 150 °C", "M109"),
    "off the bed": (lambda t: t.replace("X110 Y80", "X260 Y80"), "bad", 1, "beside the bed of Petrel", "zero point"),
    "no homing": (lambda t: t.replace("G28\n", ""), "bad", 1, "prints before homing", "Add G28"),
    "an early fan": (lambda t: t.replace("M107\nG92", "M106 S255\nG92"), "odd", 1,
                     "fan runs at 100% on layer 1", "slicer"),
    "too much fan": (lambda t: t.replace("M106 S102", "M106 S255"), "odd", 4, "runs at 100%; the profile never", "fan"),
    "no limits": (lambda t: t.replace("M204 S1500\nM205 X8 Y8\n", ""), "note", 0, "sets no acceleration", "M204"),
    "left hot": (lambda t: t.replace("M104 S0\n", ""), "bad", 1, "left at 245 °C at the end", "M104 S0"),
    "modes mixed up": (lambda t: t.replace("G1 Z1.00", "M82\nG92 E0\nG1 X82 E60\nM83\nG1 Z1.00"), "bad", 4,
                       "feeds 60 mm of filament on 2.0 mm of line", "M82, M83"),
    "pressure advance": (lambda t: t.replace("M900 K0.04\n", ""), "odd", 0, "never sets a pressure advance", "slicer"),
    "a pause": (lambda t: t.replace("G1 Z1.00", "M600\nG1 Z1.00"), "odd", 4, "pauses here (M600)", "Stay near"),
    "nobody waits for the nozzle": (lambda t: t.replace("M109 S240\n", ""), "bad", 1,
                                    "prints before the nozzle is at 240 °C; nothing waits", "M109 S240"),
    "nobody waits for the bed": (lambda t: t.replace("M190 S75\n", ""), "bad", 1,
                                 "prints before the bed is at 75 °C; nothing waits", "M190 S75"),
    "two materials at one speed": (lambda t: t.replace("G1 Z2.00", "T1\nM104 S238\nG1 Z2.00"), "odd", 10,
                                   "T0 and T1 print at one speed (40 mm/s)", "its own limits"),
    "too hot": (lambda t: t.replace("M104 S245", "M104 S310\nM104 S245"), "bad", 1, "may run 300 °C", "this printer"),
}  # fmt: skip


@pytest.mark.parametrize(("spoil", "weight", "layer", "says", "do"), WRONG.values(), ids=WRONG)
def test_each_thing_wrong_is_told_with_its_place_and_remedy(
    spoil: object, weight: str, layer: int, says: str, do: str
) -> None:
    text = spoil(_file(layers=60) if spoil is _stepped else _file())
    remarks = _look(text).remarks
    mine = [r for r in remarks if says in r.text]
    assert mine, [r.text for r in remarks]
    assert (mine[0].weight, mine[0].layer) == (weight, layer)
    assert do in mine[0].do
    assert 0 <= mine[0].share <= 1
    assert [r.weight for r in remarks] == sorted((r.weight for r in remarks), key=lambda w: w != "bad")


def test_two_tools_with_limits_of_their_own_are_no_finding() -> None:
    text = _file()
    where = text.index("G1 Z2.00")
    slower = text[:where] + "T1\n" + text[where:].replace("F2400", "F1500")
    assert _look(slower).remarks == ()
    two_colours = text[:where] + "T1\n" + text[where:]
    assert _look(two_colours).remarks == (), "of one material, at one speed"


def test_a_heater_that_cools_to_its_next_target_is_not_waited_for() -> None:
    assert _look(_file().replace("M109 S240", "M109 S250\nM104 S240")).remarks == ()
    assert _look(_file().replace("M190 S75\nM109 S240", "M116")).remarks == (), "one word waits for all heaters"
    assert _look(_file().replace("M190 S75\nM109 S240", "HEAT_AND_WAIT")).remarks == (), "a macro of the printer's may"


def test_how_much_of_the_print_a_factor_touches() -> None:
    half = _file().replace("G1 Z2.20 F600", "M220 S50\nG1 Z2.20 F600")
    share = next(r.share for r in _look(half).remarks if "speed factor" in r.text)
    assert share == pytest.approx(2 / 3, abs=0.05), "half of the roads, at half the speed"


@pytest.mark.parametrize("trial", [pytest.param(k, id=slug) for slug, k in kinds_of("filament").items()])
def test_drumbos_own_files_have_no_finding(trial: object) -> None:
    context = plain_context()
    file = trial.print_file(trial.suggest(context), context)
    assert inspect(read(file.gcode.encode()), printer=context.printer).remarks == ()


def _inches(text: str) -> str:
    def scale(line: str) -> str:
        if not line.startswith(("G0 ", "G1 ")):
            return line.replace("G21", "G20")
        return re.sub(r"([XYZEF])(-?[\d.]+)", lambda m: f"{m[1]}{float(m[2]) / 25.4:.9f}", line)

    return "\n".join(scale(line) for line in text.splitlines()) + "\n"


def _relative(text: str) -> str:
    place = {"X": 0.0, "Y": 0.0, "Z": 0.0}

    def step(line: str) -> str:
        if not line.startswith(("G0 ", "G1 ")):
            return line.replace("G90", "G91")

        def one(found: re.Match[str]) -> str:
            before, place[found[1]] = place[found[1]], float(found[2])
            return f"{found[1]}{place[found[1]] - before:.6f}"

        return re.sub(r"([XYZ])(-?[\d.]+)", one, line)

    return "\n".join(step(line) for line in text.splitlines()) + "\n"


def _absolute(text: str) -> str:
    fed = 0.0

    def total(line: str) -> str:
        nonlocal fed
        found = re.search(r"E(-?[\d.]+)", line)
        if not line.startswith(("G0 ", "G1 ")) or found is None:
            return line.replace("M83", "M82")
        fed += float(found[1])
        return line.replace(found[0], f"E{fed:.6f}")

    return "\n".join(total(line) for line in text.splitlines()) + "\n"


SPELLINGS = {
    "small letters": str.lower,
    "no spaces": lambda t: re.sub(r"(?m) (?=[A-Z])", "", t),
    "many spaces": lambda t: t.replace(" ", "   \t"),
    "windows": lambda t: "\ufeff" + t.replace("\n", "\r\n"),
    "comments": lambda t: t.replace("\n", " ; so G1 X9 (or not)\n(M104 S300)\n"),
    "leading zeros": lambda t: t.replace("G1 ", "G01 ").replace("G0 ", "G00 "),
    "numbered": lambda t: "".join(_numbered(n, line) for n, line in enumerate(t.splitlines(), 1)),
    "inches": _inches,
    "relative": _relative,
    "absolute extrusion": _absolute,
}


def _numbered(number: int, line: str) -> str:
    said = f"N{number} {line}"
    total = 0
    for byte in said.encode():
        total ^= byte
    return f"{said}*{total}\n"


@pytest.mark.parametrize("respell", SPELLINGS.values(), ids=SPELLINGS)
def test_another_spelling_is_the_same_print(respell: object) -> None:
    plain, again = _look(_file()), _look(respell(_file()))
    assert again.remarks == ()
    for name in ("moves", "layers", "retractions"):
        assert getattr(again, name) == getattr(plain, name)
    for name in ("seconds", "filament_mm", "flow_median", "width_mm", "layer_mm", "retraction_mm"):
        assert getattr(again, name) == pytest.approx(getattr(plain, name), rel=1e-5)
    assert again.high == pytest.approx(plain.high, abs=1e-5)
    assert [part.role for part in again.parts] == [part.role for part in plain.parts]
    assert [part.seconds for part in again.parts] == pytest.approx([part.seconds for part in plain.parts], rel=1e-5)


@settings(max_examples=200, deadline=None)
@given(st.lists(st.one_of(
    st.binary(max_size=30),
    st.text("GMTXYZEFS0123456789.-+; ()*N=\"\n", max_size=40).map(str.encode),
    st.sampled_from([b"G1 X10 E1 F100\n", b"G28\n", b"G92\n", b"G2 X1 Y1 I1\n", b"M104 S999\n", b"G91 G20\n", b"T1\n"]),
), max_size=25))  # fmt: skip
def test_whatever_comes_is_looked_at_or_refused_with_a_line(parts: list[bytes]) -> None:
    data = b"".join(parts)
    found, refused = None, 0
    try:
        found = inspect(read(data), printer=Printer("any"), numbers=NUMBERS)
    except GcodeError as error:
        refused = error.line
    assert 0 <= (found.lines if found else refused) <= data.count(b"\n") + data.count(b"\r") + 1
