"""The simulated printer as its host meets it: every answer, what stops it, and what it forgets when it restarts."""

from __future__ import annotations

import json
import math
import threading
from collections.abc import Iterator
from typing import Any

import numpy as np
import pytest
from PIL import Image

from drumbo.standins.filament.device import FilamentPrinter
from drumbo.standins.filament.feeding import LoadedSpool
from drumbo.standins.filament.interpreter import Heater, Machine
from drumbo.standins.filament.side import ControlServer
from drumbo.standins.line.session import Halted
from tests.conftest import LABEL
from tests.standins.asked import ask

SQUARE = ["G28", "G92 E0", "M83", "G1 Z0.3 F3000", *(
    f"G1 X{20 + x} Y{20 + y} E0.6 F1800" for x, y in ((0, 0), (9, 0), (9, 9), (0, 9), (0, 0), (8, 1), (8, 8), (1, 8))
), "G1 Z0.5", *(f"G1 X{20 + x} Y{20 + y} E0.6" for x, y in ((0, 0), (9, 0), (9, 9), (0, 9), (0, 0)))]  # fmt: skip


@pytest.fixture
def device() -> FilamentPrinter:
    return FilamentPrinter(pace=1e6)


def _says(device: FilamentPrinter, line: str) -> list[str]:
    said: list[str] = []
    device.answer(line, said.append)
    return [each for told in said for each in told.split("\n")]


def _printed(device: FilamentPrinter, lines: list[str]) -> None:
    for line in ("M140 S60", "M109 S210", *lines):
        assert _says(device, line)[-1] == "ok"


def test_every_question_ends_in_ok(device: FilamentPrinter) -> None:
    assert _says(device, "M105")[0].startswith("ok T:")
    assert " B:" in _says(device, "M105")[0]
    device.answer("G1 X12.5 Y7 Z3 E2 F900", lambda _: None)
    assert _says(device, "M114") == ["X:12.50 Y:7.00 Z:3.00 E:2.00", "ok"]
    about = _says(device, "M115")
    assert any("EMERGENCY_PARSER:1" in line for line in about)
    assert about[-1] == "ok"
    assert "filament: TRIGGERED" in _says(device, "M119")
    assert any(line.startswith("echo:  M92") and "E400.00" in line for line in _says(device, "M503"))
    assert _says(device, "M9999") == ["ok"], "what it does not know it passes over, as many do"


def test_steps_that_were_set_are_told_and_feed_by_them(device: FilamentPrinter) -> None:
    device.machine.true_steps_mm = 400.0
    device.answer("M92 E440", lambda _: None)
    assert any("E440.00" in line for line in _says(device, "M503"))
    device.answer("G1 X5 E1 F600", lambda _: None)
    assert device.machine.moves["feed_factor"][-1] == pytest.approx(1.1)


def test_an_emergency_stop_is_cold_and_hears_nothing_but_a_restart(device: FilamentPrinter) -> None:
    _printed(device, SQUARE)
    assert device.machine.nozzle.target_c == 210
    assert device.urgent("M112")
    assert [heater.target_c for heater in (device.machine.nozzle, device.machine.bed)] == [0.0, 0.0]
    assert _says(device, "G1 X50") == ["Error:halted by M112"]
    assert _says(device, "M105") == ["Error:halted by M112"]
    before = len(device.machine.moves["x"])
    _says(device, "G1 X60 E1")
    assert len(device.machine.moves["x"]) == before
    assert _says(device, "M999") == ["ok"]
    assert _says(device, "M105")[0].startswith("ok T:")


@pytest.mark.parametrize("name", ["runaway", "kill", "mintemp", "maxtemp", "heating-failed"])
def test_whatever_makes_it_stop_itself_has_its_heaters_off(device: FilamentPrinter, name: str) -> None:
    _printed(device, SQUARE[:5])
    device.faults[name] = device.lines_run + 2
    said: list[str] = []
    device.answer("G1 X1 F600", said.append)
    with pytest.raises(Halted):
        device.answer("G1 X2", said.append)
    assert said[-1].startswith("Error:")
    assert device.machine.nozzle.target_c == device.machine.bed.target_c == 0
    assert device.halted
    assert name not in device.faults, "it comes once"


def test_a_job_that_is_broken_off_is_cold_but_ready(device: FilamentPrinter) -> None:
    _printed(device, SQUARE)
    device.machine.fan = 1.0
    assert _says(device, "M524") == ["ok"]
    assert device.machine.nozzle.target_c == device.machine.bed.target_c == device.machine.fan == 0
    assert not device.halted
    assert _says(device, "M104 S200") == ["ok"]


def test_a_restart_forgets_speeds_and_modes_but_not_what_lies_on_the_bed(device: FilamentPrinter) -> None:
    _printed(device, [*SQUARE, "M220 S50", "M221 S80", "G91", "G20", "M900 K0.05", "M204 S500", "M207 S3"])
    moves, skew = len(device.machine.moves["x"]), device.machine.skew
    device.reset()
    machine, fresh = device.machine, Machine()
    for name in ("unit", "absolute", "absolute_e", "feed", "speed_factor", "flow_factor", "accel", "pressure_advance",
                 "retract_mm", "position", "shift"):  # fmt: skip
        assert getattr(machine, name) == getattr(fresh, name), name
    assert machine.nozzle.target_c == 0
    assert len(machine.moves["x"]) == moves
    assert machine.skew == skew


def test_a_new_print_begins_on_a_clear_bed_and_homing_on_its_way_does_not(device: FilamentPrinter) -> None:
    _printed(device, SQUARE)
    first = len(device.machine.moves["x"])
    device.answer("G28 X", lambda _: None)
    assert len(device.machine.moves["x"]) == first, "the print is not over"
    device.answer("M104 S0", lambda _: None)
    device.answer("G28", lambda _: None)
    assert len(device.machine.moves["x"]) == 0, "over, and taken off"
    assert device.thing() is None


def test_a_pause_is_told_while_it_lasts_and_ends_by_a_word() -> None:
    device = FilamentPrinter(pace=1e6)
    said: list[str] = []
    device.urgent("M25")
    held = threading.Thread(target=device.answer, args=("G1 X5 F600", said.append), daemon=True)
    held.start()
    held.join(0.4)
    assert held.is_alive()
    assert said[0].startswith("//action:paused")
    device.urgent("M24")
    held.join(20)
    assert not held.is_alive()
    assert said[-1] == "ok"
    assert device.machine.position[0] == 5


def test_what_it_waits_for_is_ended_by_a_word() -> None:
    device = FilamentPrinter(pace=1.0)
    said: list[str] = []
    waits = threading.Thread(target=device.answer, args=("M109 S230", said.append), daemon=True)
    waits.start()
    waits.join(0.2)
    assert waits.is_alive()
    assert device.urgent("M108")
    waits.join(20)
    assert said[-1] == "ok"
    assert device.machine.nozzle.now_c < 100, "it did not wait until it was hot"
    assert device.machine.nozzle.target_c == 230, "but it goes on heating"


def test_words_that_are_not_urgent_wait_in_line(device: FilamentPrinter) -> None:
    assert [word for word in ("M104 S0", "G28", "M105", "", "M1080") if device.urgent(word)] == []


def test_a_heater_nears_its_target_ever_more_slowly_and_no_faster_than_it_can() -> None:
    heater = Heater(tau_s=14.0, limit=3.0, target_c=210.0)
    told = []
    for _ in range(200):
        heater.settle(1.0)
        told.append(heater.now_c)
    slopes = np.diff([21.0, *told])
    assert slopes.max() <= 3.0 + 1e-9
    assert np.all(np.diff(slopes) < 1e-9), "never faster than before"
    assert told[-1] == pytest.approx(210, abs=0.5)
    cold = Heater(tau_s=14.0, limit=3.0, target_c=210.0)
    promised = cold.seconds_to(210.0)
    cold.settle(1e-9)
    steps = math.ceil(promised)
    for _ in range(steps):
        cold.settle(promised / steps)
    assert cold.now_c == pytest.approx(209, abs=1.5), "it says how long that takes"
    heater.target_c = 0.0
    for _ in range(400):
        heater.settle(1.0)
    assert heater.now_c == pytest.approx(21, abs=0.5)


def test_two_nozzles_heat_apart_and_each_is_told_by_its_number() -> None:
    device = FilamentPrinter(pace=1e6, nozzles=2)
    device.fill([LoadedSpool("pla", 1, "#ffffff"), LoadedSpool("petg", 2, "#000000")])
    for line in ("M104 S210 T0", "M104 S240 T1", "T1", "M104 S245"):
        assert _says(device, line)[-1] == "ok"
    told = _says(device, "M105")[0]
    assert "T0:" in told
    assert "/210.0" in told
    assert "T1:" in told
    assert "/245.0" in told
    assert device.machine.tool == 1
    assert _says(device, "M104 S200 T7") == ["ok"], "there is no such nozzle, and nothing heats"
    assert sorted(nozzle.target_c for nozzle in device.machine.nozzles) == [210.0, 245.0]
    said = _says(device, "T5")
    assert any(line.startswith("Error:T5 holds no filament") for line in said)


# -- beside the printer


@pytest.fixture
def side(device: FilamentPrinter) -> Iterator[str]:
    door = ControlServer(device)
    door.start()
    yield f"http://127.0.0.1:{door.port}"
    door.close()


def test_somebody_puts_a_spool_in_and_looks_at_what_was_printed(
    side: str, device: FilamentPrinter, tmp_path: Any
) -> None:
    assert ask(f"{side}/front.png")[0] == 404, "there is nothing to see yet"
    spool = {"family": "pla", "seed": 5, "colour": LABEL["colour_hex"]}
    assert ask(f"{side}/spool", spool)[1] == spool
    _printed(device, SQUARE)
    status = ask(f"{side}/status")[1]
    assert status["loaded"] == spool
    assert status["moves"] == len(device.machine.moves["x"])
    assert status["comes_out"] == LABEL["colour_hex"]
    numbers = set()
    for view in ("front", "top"):
        code, picture, headers = ask(f"{side}/{view}.png?scale=8")
        frame = json.loads(headers["X-Frame"])
        (tmp_path / f"{view}.png").write_bytes(picture)
        with Image.open(tmp_path / f"{view}.png") as seen:
            assert seen.size == (frame["width"], frame["height"])
        assert code == 200
        assert frame["view"] == view
        assert frame["px_per_mm"] == pytest.approx(8.0)
        numbers.add(frame["object"])
    (number,) = numbers
    jaws = {"a": [10, 24.5], "b": [40, 24.5], "z": 0.4, "tool": "calliper"}
    measured = ask(f"{side}/calliper", {"jaws": [jaws], "object": number})[1]["number"]
    assert measured == pytest.approx(9.4, abs=0.4), "the square, and half a line on each side"
    grams = ask(f"{side}/weigh", {"low": [0, 0, 0], "high": [60, 60, 5], "object": number})[1]["grams"]
    fed = sum(e for e in device.machine.moves["e"] if e > 0)
    assert grams == pytest.approx(fed * math.pi * 1.75**2 / 4 * 1.24e-3, abs=0.01)


def test_what_cannot_be_asked_is_answered_in_words(side: str, device: FilamentPrinter) -> None:
    assert ask(f"{side}/elsewhere")[0] == 404
    wrong: list[tuple[str, Any]] = [
        ("spool", {"family": "cheese", "seed": 1}), ("spool", {"family": "pla"}), ("fault", {"name": "rain", "at": 3}),
        ("eye", {"boxes": [[[0, 0, 0]]], "aspects": ["strings"]}), ("calliper", {"jaws": []}), ("pace", {}),
        ("weigh", {"low": [0, 0], "high": [1, 1, 1]}), ("elsewhere", {}), ("spool", b"{not json"), ("pace", b"[1, 2]"),
    ]  # fmt: skip
    for path, body in wrong:
        code, told, _ = ask(f"{side}/{path}", body)
        assert code == 400, path
        assert told["error"], path
    assert _says(device, "M105")[0].startswith("ok"), "and it prints on"


def test_mischief_is_made_by_name_and_time_goes_as_it_is_told(side: str, device: FilamentPrinter) -> None:
    assert ask(f"{side}/fault", {"name": "runaway", "at": 900})[1] == {"faults": {"runaway": 900.0}}
    assert ask(f"{side}/pace", {"pace": 120})[1] == {"pace": 120.0}
    assert device.clock.pace == 120
    assert ask(f"{side}/pace", {"pace": 1e12})[1]["pace"] == 1e6, "no faster than sense"
    assert ask(f"{side}/pace", {"pace": -3})[1]["pace"] == 1.0
