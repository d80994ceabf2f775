"""What happens between roads, and what a file teaches, on files whose settings are known."""

from __future__ import annotations

import pytest

from drumbo.core.gcode.analysis import FileAnalysis
from drumbo.core.gcode.inferred import inferred_settings
from drumbo.core.gcode.inspect import analyse
from drumbo.core.gcode.reader import read
from drumbo.core.profile import Origin, Value, changed
from drumbo.trials import kind
from tests.conftest import plain_context

PULL = {
    "plain": ["G1 E-0.8 F2400", "G0 X{x} Y0 F9000", "G1 E0.75 F2400"],
    "while wiping": ["G1 E-0.5 F2400", "G1 X1 E-0.2 F3000", "G1 X2 E-0.1", "G0 X{x} Y0 F9000", "G1 E0.75 F2400"],
    "lifted": ["G1 E-0.8 F2400", "G1 Z{up} F600", "G0 X{x} Y0 F9000", "G1 Z{z}", "G1 E0.75 F2400"],
    "by firmware": ["G10", "G0 X{x} Y0 F9000", "G11"],
}


def _case(pull: list[str], *, before: str = "", layers: int = 12) -> FileAnalysis:
    lines = ["G28", "M83", before, "G1 Z0.2", "G0 X0 Y0 F9000"]
    for n in range(layers):
        z = 0.2 + 0.2 * n
        lines += [f"G1 Z{z:.2f} F600", "G1 X20 Y0 E1 F1800", "G1 X20 Y20 E1"]
        lines += [each.format(x=30, z=f"{z:.2f}", up=f"{z + 0.4:.2f}") for each in pull]
        lines += ["G1 X50 Y0 E1 F1800", "G0 X60 Y9 F9000", "G1 X70 Y9 E.5 F1800", "G0 X0 Y0 F9000"]
    return analyse(read("\n".join(lines).encode()))


@pytest.mark.parametrize("way", ["plain", "while wiping", "lifted"])
def test_a_pull_is_what_lies_between_two_roads_however_it_is_done(way: str) -> None:
    found = _case(PULL[way]).between
    assert found.pulls.sum() == 12
    assert found.usual(found.pulled_mm) == pytest.approx(0.8)
    assert found.usual(found.speed_mm_s) == pytest.approx(40)
    assert found.restart_mm == pytest.approx(-0.05)
    assert found.usual(found.lift_mm) == pytest.approx(0.4 if way == "lifted" else 0, abs=1e-6)
    # Each layer has two more travels without a pull; after the last road there is no gap.
    assert found.bare.sum() == 2 * 12 - 1
    assert found.way_mm[found.bare].max() == pytest.approx(70.6, abs=0.1)


def test_how_far_firmware_pulls_is_told_only_where_the_file_says_it() -> None:
    keys = {lesson.key for lesson in inferred_settings(_case(PULL["by firmware"]))}
    assert not keys & {"retraction_mm", "retraction_speed_mm_s"}
    told = {
        lesson.key: lesson.number for lesson in inferred_settings(_case(PULL["by firmware"], before="M207 S1.2 F1800"))
    }
    assert told["retraction_mm"] == pytest.approx(1.2)
    assert told["retraction_speed_mm_s"] == pytest.approx(30)


def test_a_file_teaches_what_the_profile_that_it_was_made_with_says() -> None:
    """Round trip: a profile, a file of it, and the file's lessons."""
    context, trial = plain_context("petg"), kind("proof-part")
    wanted = {
        "nozzle_c": 243.0, "nozzle_first_c": 248.0, "bed_c": 72.0, "bed_first_c": 78.0, "pressure_advance_s": 0.034,
        "retraction_mm": 1.1, "retraction_speed_mm_s": 42.0, "restart_extra_mm": -0.04, "z_hop_mm": 0.3,
        "fan_percent": 45.0, "fan_off_layers": 4.0, "fan_bridge_percent": 80.0,
    }  # fmt: skip
    profile = changed(context.profile, {key: Value(n, Origin(context.profile.values["bed_c"].origin.kind)) for key, n in
                                        wanted.items()})  # fmt: skip
    context = type(context)(context.printer, context.material, profile)
    file = trial.print_file(trial.suggest(context), context)
    told = {
        lesson.key: lesson for lesson in inferred_settings(analyse(read(file.gcode.encode()), printer=context.printer))
    }
    for key, number in wanted.items():
        assert told[key].number == pytest.approx(number, abs=0.5 if key.endswith("percent") else 1e-3), key
    assert told["max_flow_mm3_s"].number <= profile.number("max_flow_mm3_s") + 0.05
    assert "first layer" in told["nozzle_first_c"].says


def test_of_a_file_without_roads_nothing_is_learned() -> None:
    assert inferred_settings(analyse(read(b"G28\nM104 S200\nG1 X5 Y5 F600\n"))) == ()
