"""Filament changed by its steps, on a real stand-in: what is refused, what is counted and what is remembered."""

from __future__ import annotations

import os
import signal
import time

import pytest
from flask.testing import FlaskClient

from drumbo.core.errors import InvalidInput, NotNow
from drumbo.core.filament_change import ChangeStep, FilamentChange
from drumbo.links.runs import ALIVE
from drumbo.services import filament, hand_session, loaded, trials, workshop
from drumbo.services.prints import PrintManager
from drumbo.store.database import Workshop
from tests.by_hand import go, ready
from tests.conftest import LABEL, PATIENCE_S, Begun, Standin


def test_a_change_is_counted_remembered_and_ends_cold(
    house: Workshop, begun: Begun, room: PrintManager, standin: Standin
) -> None:
    other = workshop.save_material(house, {**LABEL, "product": "Other PLA", "colour_hex": "#202020", "spool_g": 100})
    loaded.set_loaded(house, begun.printer, begun.spool)
    number = filament.begin(house, room, begun.printer, other)
    with pytest.raises(NotNow, match="no step"):
        filament.press(house, room, number, "again")
    found = go(house, room, number, "next")
    assert found.step is ChangeStep.OUT
    assert loaded.loaded(house, begun.printer).id == begun.spool, "until somebody says that it is out"
    ready(house, number)
    standin.device._pulled_mm = 0.0
    filament.press(house, room, number, "again")
    ready(house, number)
    with pytest.raises(NotNow, match="still sees filament"):
        filament.press(house, room, number, "next")
    found = go(house, room, number, "again", "next")
    assert (found.step, loaded.loaded(house, begun.printer).id) == (ChangeStep.PUT_IN, None)
    found = go(house, room, number, "next", "next", "again", "next")
    assert loaded.loaded(house, begun.printer).id == other
    assert (found.step, found.pushed_mm, found.purged_mm) == (ChangeStep.WIPE, 140.0, 60.0)
    go(house, room, number, "next")
    assert workshop.material(house, other).spool_g == pytest.approx(100 - 140 * 2.405 * 1.24 / 1000, abs=0.06)
    entry = room.runs.wait(hand_session.session_of(house, begun.printer), PATIENCE_S)
    assert entry is not None
    assert (entry.state, entry.heaters) == ("done", "off")
    assert standin.device.machine.nozzle.target_c == 0

    back = filament.begin(house, room, begun.printer, begun.spool)
    assert filament.change(house, back).plan.took_mm == 60.0, "of the same polymers, as this pair was never changed"
    filament.drop(house, room, back)
    assert room.runs.wait(hand_session.session_of(house, begun.printer), PATIENCE_S) is not None
    with pytest.raises(NotNow, match="is over"):
        filament.press(house, room, back, "next")


def test_each_spool_gives_what_was_printed_while_it_was_in(
    house: Workshop, begun: Begun, room: PrintManager, standin: Standin
) -> None:
    petg: dict[str, str | float | None] = {
        **LABEL,
        "family": "petg",
        "product": "Other PETG",
        "nozzle_low_c": 235,
        "nozzle_high_c": 245,
    }
    other = workshop.save_material(house, {**petg, "density_g_cm3": "1.364", "spool_g": 100})
    twin = workshop.save_printer(house, {**workshop.as_typed(house, begun.printer), "name": "The same, other plate"})
    small: dict[str, str | float | None] = {
        "hot_c": 220,
        "cold_c": 200,
        "step_c": 10,
        "step_mm": 8,
        "first_c": 215,
        "aim": "balanced",
    }
    trial = trials.create(house, begun.profile, "temperature", small)
    grams = trials.sheet(house, trial).facts["grams"]
    before = workshop.material(house, begun.spool).spool_g
    run = room.start(trial, [40])
    assert loaded.loaded(house, twin).id == begun.spool, "the presets of one machine have one spool in"
    until = time.monotonic() + PATIENCE_S
    while (going := trials.sheet(house, trial).run) is None or going.state != "paused":
        assert time.monotonic() < until, going
        time.sleep(0.05)
    number = filament.begin(house, room, begun.printer, other)
    found = go(house, room, number, "next", "next", "next")
    assert filament.change(house, number).unlike == (
        "The print goes on at 220 °C, as its file says; Other PETG, chalk is printed at about 240 °C. That is too "
        "cold for it: it may clog."
    )
    found = go(house, room, number, "next", "next", "next")
    assert found.step is ChangeStep.DONE
    pushed = found.pushed_mm * 2.405 * 1.364 / 1000
    assert workshop.material(house, other).spool_g == pytest.approx(100 - pushed, abs=0.06)
    room.go_on(run)
    room.join(run, PATIENCE_S)
    assert trials.sheet(house, trial).state == "printed"
    first, second = (
        before - workshop.material(house, begun.spool).spool_g,
        100 - workshop.material(house, other).spool_g,
    )
    assert 0.3 < first / grams < 0.8
    assert second - pushed == pytest.approx((grams - first) * 1.1, abs=0.2), "as much room of a heavier plastic"


def test_what_cannot_be_is_refused_before_anything_is_heated(
    house: Workshop, begun: Begun, room: PrintManager, standin: Standin
) -> None:
    hot = workshop.save_material(
        house, {**LABEL, "family": "pc", "product": "Hot PC", "nozzle_low_c": 300, "nozzle_high_c": 320}
    )
    with pytest.raises(InvalidInput, match="more than the printer may run"):
        filament.begin(house, room, begun.printer, hot)
    with pytest.raises(InvalidInput):
        filament.begin(house, room, begun.printer, 999)
    assert standin.device.machine.nozzle.target_c == 0


def test_the_steps_by_drive_and_polymer() -> None:
    bowden = FilamentChange(245, 210, "bowden", tube_mm=600, old_family="tpu", new_family="pla", took_mm=87)
    assert (bowden.hot_c, bowden.way_mm, bowden.purge_mm) == (245, 660, 90)
    assert bowden.press(ChangeStep.HEAT, "next") == (ChangeStep.OUT, ("feed 12 4 -672 10",))
    assert bowden.press(ChangeStep.PUT_IN, "next") == (ChangeStep.LOAD, ("feed 580 30 80 4",))
    assert bowden.press(ChangeStep.CLEAN, "next") == (ChangeStep.WIPE, ("heat 210",))
    empty = FilamentChange(None, 210)
    assert empty.press(ChangeStep.HEAT, "next") == (ChangeStep.PUT_IN, ())
    assert empty.press(ChangeStep.PUT_IN, "next")[1] == ("feed 80 4",)
    with pytest.raises(KeyError):
        empty.press(ChangeStep.WIPE, "again")


def test_a_session_by_hand_that_is_killed_leaves_no_hot_printer(
    house: Workshop, begun: Begun, room: PrintManager, standin: Standin, client: FlaskClient
) -> None:
    name = room.begin_by_hand(begun.printer)
    assert room.begin_by_hand(begun.printer) == name, "one session a printer"
    room.runs.hand(name, "heat 210")
    until = time.monotonic() + PATIENCE_S
    while standin.device.machine.nozzle.target_c == 0:
        assert time.monotonic() < until
        time.sleep(0.05)
    os.kill(int((room.runs.folder(name) / ALIVE).read_text()), signal.SIGKILL)
    while standin.device.machine.nozzle.target_c > 0:
        assert time.monotonic() < until
        time.sleep(0.05)
    rescue = hand_session.session_of(house, begun.printer)
    assert rescue != name
    entry = room.runs.wait(rescue, PATIENCE_S)
    assert entry is not None
    assert entry.heaters == "off"
    assert hand_session.maybe_hot(house) == ()


def test_a_printer_that_may_be_hot_after_work_by_hand_stays_on_the_bench(
    house: Workshop, begun: Begun, room: PrintManager, standin: Standin, client: FlaskClient
) -> None:
    name = room.begin_by_hand(begun.printer)
    room.runs.hand(name, "heat 210")
    until = time.monotonic() + PATIENCE_S
    while standin.device.machine.nozzle.target_c == 0:
        assert time.monotonic() < until
        time.sleep(0.05)
    standin.device.faults["stall"] = 0
    filament.end(room, name)
    entry = room.runs.wait(name, PATIENCE_S)
    assert entry is not None
    assert entry.heaters == "told"
    assert "Go and look now" in client.get("/").text
    client.post(f"/printers/{begun.printer}/looked-at")
    assert "by hand</a>" not in client.get("/").text
