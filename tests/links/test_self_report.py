"""What a printer has stored, held against its page."""

from drumbo.links.greeting import greet
from drumbo.links.self_report import differences, settings
from tests.conftest import Standin

TOLD = [
    "echo:; Steps per unit:", "echo:  M92 X80.00 Y80.00 Z400.00 E415.50", "M203 X300.00 Y250.00 Z10 E60", "M900 K0.05",
        "echo:  M201 X3000.00 Y900.00 Z100.00 E5000.00", "Cap:EMERGENCY_PARSER:1"]  # fmt: skip


def test_settings_are_read_with_and_without_an_echo() -> None:
    assert settings(TOLD) == {
        "M92": {"X": 80, "Y": 80, "Z": 400, "E": 415.5}, "M203": {"X": 300, "Y": 250, "Z": 10, "E": 60},
        "M900": {"K": 0.05}, "M201": {"X": 3000, "Y": 900, "Z": 100, "E": 5000},
    }  # fmt: skip


def test_only_what_differs_is_said() -> None:
    said = differences(TOLD, {"steps_mm": 400, "accel_mm_s2": 1500, "speed_mm_s": 200})
    assert [sentence.split(";")[0] for sentence in said] == [
        "The printer stores 415.5 extruder steps per mm",
        "The printer allows an acceleration of 900 mm/s²",
        "The printer stores a pressure advance of 0.05 of its own",
    ]
    assert differences(TOLD[:3], {"steps_mm": 415.5, "speed_mm_s": 250}) == []
    other = differences(["echo:  M572 D0 S0.00"], {}, "M900")
    assert other == ["The printer sets its pressure advance by M572; its page says M900."]
    assert differences(TOLD[3:4], {}, "M900")[0].startswith("The printer stores a pressure advance")
    assert differences([], {"steps_mm": 400}) == [], "one that tells nothing is not doubted"


def test_a_printer_is_asked_when_the_connection_is_tested(standin: Standin) -> None:
    standin.device.machine.steps_mm = 93.0
    said = greet(standin.link, expects={"steps_mm": 400.0, "accel_mm_s2": 2000.0, "speed_mm_s": 200.0})
    assert "nozzle" in said
    assert said.endswith("The printer stores 93 extruder steps per mm; its page says 400, and files set that")
