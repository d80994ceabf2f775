"""Two materials by a feeder or by nozzles of their own: what is said, what waits, and what is cold in the end."""

from __future__ import annotations

import re
import time

import pytest
from flask.testing import FlaskClient

from drumbo.core.errors import InvalidInput
from drumbo.core.printer import NOZZLES
from drumbo.core.run import Heaters
from drumbo.services import (
    by_hand,
    handing,
    pairs,
    trials,
    workshop,
)
from drumbo.services.prints import PrintManager
from drumbo.services.simulated import recall_prints, simulated_readings
from drumbo.standins.earlier import Earlier
from drumbo.standins.filament.device import FilamentPrinter
from drumbo.standins.filament.feeding import LoadedSpool, oozed_mm
from drumbo.standins.filament.interpreter import hot_end
from drumbo.store.database import Workshop
from tests.conftest import PATIENCE_S, Begun, Standin, unread
from tests.services.conftest import truths_mm


def test_a_feeder_changes_by_t_words_and_each_spool_is_counted(
    house: Workshop, begun: Begun, room: PrintManager, standin: Standin, blue: int, pair: int
) -> None:
    workshop.save_printer(house, {**workshop.as_typed(house, begun.printer), "swaps": "feeder"}, begun.printer)
    by_hand.set_value(house, pairs.sheet(house, pair).other.profile_id, "nozzle_c", "232")
    draft = trials.draft(house, begun.profile, "changeover", None, pair)
    trial = trials.create(house, begun.profile, "changeover", draft.plan, pair)
    taken = handing.file_with_pause(house, trial, None).decode()
    assert "; pause" not in taken
    changes = [line for line in taken.splitlines() if line.startswith(("T", "M109"))]
    own_c = f"M109 R{pairs.sheet(house, pair).one.partner.number('nozzle_c'):g}"
    assert changes[-7:] == ["T0", "M109 R232", "T1", "M109 R232", "M109 R232", "T0", own_c]
    room.join(room.start(trial), PATIENCE_S)
    assert trials.sheet(house, trial).run.state == "done"
    assert standin.device.slot == 0, "the first one comes last"
    simulated_readings(house, trial)
    read = trials.sheet(house, trial).result
    for found_mm, truth_mm in zip((read.value, read.also["back"]), truths_mm(), strict=True):
        assert found_mm == pytest.approx(truth_mm, rel=0.3, abs=8)
    left = [workshop.material(house, number).left_g for number in (begun.spool, blue)]
    assert 740 - 6 < left[0] < 739.5
    assert 400 - 6 < left[1] < 399.5

    standin.device.earlier = Earlier(house.folder / "files")
    standin.device._shelf.clear()
    standin.device.answer("G28", lambda _: None)
    assert recall_prints(house) == 1
    unread(house, trial)
    simulated_readings(house, trial)
    assert trials.sheet(house, trial).result.value == read.value, "it is made again by both spools"


def test_each_in_a_nozzle_of_its_own_waits_at_standby_and_both_are_cold_in_the_end(
    house: Workshop, begun: Begun, room: PrintManager, standin: Standin, pair: int, client: FlaskClient
) -> None:
    standin.device.machine.nozzles.append(hot_end())
    workshop.save_printer(house, {**workshop.as_typed(house, begun.printer), "swaps": NOZZLES}, begun.printer)
    by_hand.set_value(house, pairs.sheet(house, pair).other.profile_id, "nozzle_c", "232")
    with pytest.raises(InvalidInput, match="has a nozzle for each material"):
        trials.create(house, begun.profile, "changeover", {"most_mm": "150", "fan_percent": "30"}, pair)
    page = client.get(f"/pairs/{pair}").text
    assert "Each in a nozzle of its own" in page
    assert "Plan: bond of two" in page
    assert "Plan: changeover" not in page
    draft = trials.draft(house, begun.profile, "bond-of-two", None, pair)
    trial = trials.create(house, begun.profile, "bond-of-two", draft.plan, pair)
    taken = handing.file_with_pause(house, trial, None).decode().splitlines()
    assert not any("; pause" in line for line in taken)
    own_c, first_c = (pairs.sheet(house, pair).one.partner.number(key) for key in ("nozzle_c", "nozzle_first_c"))
    begins = taken.index("T0")
    assert taken[begins - 1 : begins + 2] == ["M104 T1 S182", "T0", f"M109 S{first_c:g}"]
    other = taken.index("T1")
    assert taken[other - 1] == f"M104 T0 S{own_c - 50:g}"
    assert taken[other + 1].startswith("M109 R")
    assert taken[-5:] == ["M107", "M104 T0 S0", "M104 T1 S0", "M104 S0", "M140 S0"]
    run = room.start(trial)
    room.join(run, PATIENCE_S)
    ended = trials.sheet(house, trial).run
    assert (ended.state, ended.heaters) == ("done", Heaters.OFF)
    assert [heater.target_c for heater in standin.device.machine.nozzles] == [0, 0]
    assert standin.device.slot == 1
    seen = standin.device.thing()
    assert seen is not None
    standin.device.earlier = Earlier(house.folder / "files")
    standin.device._shelf.clear()
    standin.device.answer("G28", lambda _: None)
    assert recall_prints(house) == 1
    again = standin.device.thing(seen.digest)
    assert again is not None, "it is made again by both nozzles, with what oozed from them"


def test_a_print_that_is_stopped_leaves_no_nozzle_hot(
    house: Workshop, begun: Begun, room: PrintManager, standin: Standin, pair: int
) -> None:
    """The one that waits is warm too, and is not the one that an ordinary word switches off."""
    standin.device.machine.nozzles.append(hot_end())
    standin.device.clock.change(60.0)
    workshop.save_printer(house, {**workshop.as_typed(house, begun.printer), "swaps": NOZZLES}, begun.printer)
    draft = trials.draft(house, begun.profile, "bond-of-two", None, pair)
    trial = trials.create(house, begun.profile, "bond-of-two", draft.plan, pair)
    run = room.start(trial)
    until = time.monotonic() + PATIENCE_S
    while min(heater.target_c for heater in standin.device.machine.nozzles) == 0:
        assert time.monotonic() < until
        time.sleep(0.01)
    room.stop(run, PATIENCE_S)
    ended = trials.sheet(house, trial).run
    assert (ended.state, ended.heaters) == ("stopped", Heaters.OFF)
    assert [heater.target_c for heater in standin.device.machine.nozzles] == [0, 0]


def test_nozzles_hear_their_own_numbers_and_what_waits_oozes() -> None:
    device, said = FilamentPrinter(pace=1e6, nozzles=2), list[str]()
    device.fill([LoadedSpool(), LoadedSpool(seed=2, colour="#112233")])
    for line in ("M104 T1 S180", "M104 S210", "M104 T7 S300", "M105"):
        device.answer(line, said.append)
    assert [heater.target_c for heater in device.machine.nozzles] == [210, 180]
    assert re.search(r"T:[\d.]+ /210\.0 B:[\d.]+ /0\.0 T0:[\d.]+ /210\.0 T1:[\d.]+ /180\.0", said[-1])
    for line in ("G28", "G92 E0", "M83", "G1 X60 E1 F60", "T1"):
        device.answer(line, said.append)
    assert (device.loaded.seed, device.melt.colour) == (2, "#112233"), "nothing is mixed in it"
    lost = -device.melt.pushed_mm
    assert 0.5 < lost < 4
    device.answer("G1 X20 E6 F600", said.append)
    assert device.machine.moves["e"][-1] == pytest.approx(6 - lost), "what ran out lacks at first"
    device.answer("T0", said.append)
    assert oozed_mm(150.0, 60) < 0.4 * oozed_mm(210.0, 60), "a cool one hardly oozes"


def test_a_slot_that_holds_nothing_is_an_error_and_without_a_feeder_no_t_word_counts() -> None:
    device, said = FilamentPrinter(pace=1e6), list[str]()
    device.answer("T1", said.append)
    assert said == ["ok"]
    device.fill([LoadedSpool(), LoadedSpool(seed=2, colour="#112233")])
    device.answer("T1", said.append)
    assert (device.loaded.seed, device.halted) == (2, "")
    device.answer("T3", said.append)
    assert said[-2:] == ["Error:T3 holds no filament", "ok"]
    assert device.loaded.seed == 2
