"""Start and end G-code looked over, and the four temperatures of a start."""

from __future__ import annotations

from dataclasses import replace

import pytest

from drumbo.core.copying import Surroundings, moved
from drumbo.core.gcode.templates import heat_of, look
from drumbo.core.heats import heats
from drumbo.core.profile import Origin, OriginKind, Value, changed
from drumbo.core.toolpath import Role
from drumbo.trials import kind
from tests.conftest import plain_context

CONTEXT = plain_context("pla")
HEATS = {"nozzle_first_c": 215.0, "nozzle_c": 210.0, "bed_first_c": 60.0, "bed_c": 60.0}


def _odd(start: str = CONTEXT.printer.start_gcode, end: str = CONTEXT.printer.end_gcode) -> str:
    return " ".join(look(replace(CONTEXT.printer, start_gcode=start, end_gcode=end), HEATS).odd)


def test_the_usual_templates_are_filled_in_without_a_word() -> None:
    found = look(CONTEXT.printer, HEATS)
    assert found.wrong == {}
    assert found.odd == ()
    assert "M109 S215" in found.start
    assert "G1 X5 Y215 F6000" in found.end


@pytest.mark.parametrize(("start", "end", "why"), [
    ("M109 S{nozzle_first_c}", None, "does not home (G28)"),
    ("G28\nM109 S230", None, "“M109 S230” heats to a number of its own"),
    ("G28\nG90\nM83\nG1 X300 Y5 E8 F600", None, "extrudes at X300 Y5, which is off the bed"),
    ("G28\nM140 S60\nM104 S215", "M107", "leaves the nozzle and bed hot"),
    ("G28\nM140 S60", "M104 S0", "leaves the bed hot"),
    ("G28\nM9876", None, "No firmware that Drumbo knows has M9876"),
])  # fmt: skip
def test_what_spoils_prints_is_said(start: str, end: str | None, why: str) -> None:
    assert why in _odd(start, CONTEXT.printer.end_gcode if end is None else end)


def test_an_unknown_name_names_its_line_and_the_names_there_are() -> None:
    found = look(replace(CONTEXT.printer, start_gcode="G28\nM109 S{hotness}"), HEATS)
    assert "line 2: {hotness} is no known name; there are bed_c" in found.wrong["start_gcode"]
    assert heat_of("m190 s60 ; the plate") == ("bed", 60)
    assert heat_of("G1 X5") is None


def test_the_temperatures_of_a_start_agree_or_say_why_not() -> None:
    plain = heats(CONTEXT.profile, CONTEXT.material, CONTEXT.printer)
    assert [(p.name, p.nozzle_c, p.bed_c) for p in plain.phases] == [
        ("before", 215, 60), ("first layer", 215, 60), ("other layers", 210, 60), ("idle", 210, 60),
    ]  # fmt: skip
    assert plain.odd == ()
    for template, who in (
        ("G28\nM109 S215", "start G-code of"),
        ("G28\nM190 S60", "start G-code of"),
        ("G28", "the file's"),
    ):
        begins = heats(CONTEXT.profile, CONTEXT.material, replace(CONTEXT.printer, start_gcode=template)).phases[0]
        assert begins.who.startswith(who), "one heater that it sets is enough"
    by_hand = Origin(OriginKind.HAND)
    odd = changed(CONTEXT.profile, {"nozzle_c": Value(245.0, by_hand), "nozzle_standby_c": Value(260.0, by_hand)})
    printer = replace(CONTEXT.printer, start_gcode="G28\nM190 S70\nM109 S200", nozzle_max_c=250.0)
    said = " ".join(heats(odd, CONTEXT.material, printer).odd)
    assert "heats the nozzle to 200 °C, the first layer wants 215" in said
    assert "heats the bed to 70 °C" in said
    assert "30 °C apart" in said
    assert "245 °C (other layers) is outside" in said
    assert "Idle at 260 °C" in said
    assert "Idle is hotter than" in said
    bare = heats(CONTEXT.profile, CONTEXT.material, replace(CONTEXT.printer, start_gcode="G28"))
    assert bare.phases[0].who == "the file's own start"


def test_a_printer_begins_with_a_line_a_skirt_or_both() -> None:
    tower = kind("temperature")
    roles = {}
    for primes in ("both", "line", "skirt"):
        context = replace(CONTEXT, printer=replace(CONTEXT.printer, primes=primes))
        path = tower.print_file(replace(tower.suggest(context), hot_c=215.0, cold_c=205.0), context).path
        roles[primes] = {Role(r) for r in path.role} & {Role.PURGE, Role.SKIRT}
    assert roles == {"both": {Role.PURGE, Role.SKIRT}, "line": {Role.PURGE}, "skirt": {Role.SKIRT}}


def test_another_nozzle_in_the_printer_doubts_values_until_the_former_is_back() -> None:
    origin = Origin(OriginKind.TRIAL, "", 4)
    keys = ("nozzle_c", "max_flow_mm3_s", "retraction_mm")
    known = changed(CONTEXT.profile, {key: Value(CONTEXT.profile.number(key), origin) for key in keys})
    here = Surroundings(CONTEXT.material, CONTEXT.printer)
    there = Surroundings(CONTEXT.material, replace(CONTEXT.printer, nozzle_mm=0.6))
    doubted = moved(known, here, there)
    assert {key for key, value in doubted.values.items() if value.recheck} == {"max_flow_mm3_s", "retraction_mm"}
    assert doubted.values["retraction_mm"].recheck == "the printer has a nozzle of 0.6 mm instead of 0.4 now"
    assert doubted.number("max_flow_mm3_s") == known.number("max_flow_mm3_s"), "no number changes by itself"
    assert not [v for v in moved(doubted, there, here).values.values() if v.recheck]
