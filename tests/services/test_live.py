"""A print that goes on: how it is told while it does, and paused; on a real stand-in and real processes."""

from __future__ import annotations

import json
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from itertools import pairwise
from pathlib import Path
from typing import ClassVar

import pytest
from flask.testing import FlaskClient

from drumbo.core.errors import InvalidInput, NotFound
from drumbo.core.gcode.program import Program
from drumbo.core.gcode.reader import read
from drumbo.core.run import RunState
from drumbo.links.http import HttpDevice
from drumbo.links.journal import JournalEntry
from drumbo.links.practice import running, start_standin
from drumbo.services import handing, live, trials, workshop
from drumbo.services.prints import PrintManager
from drumbo.standins.door import Door, JsonHandler
from drumbo.store.database import Workshop
from drumbo.store.models import PrintRow
from tests.conftest import PATIENCE_S, Begun, Standin

SMALL = {"hot_c": "220", "cold_c": "200", "step_c": "10", "step_mm": "8", "first_c": "215", "aim": "balanced"}
FEW_BYTES = 700
LEAST_MM = 0.005
T = live.Live
SENDING, PAUSED = RunState.SENDING, RunState.PAUSED


def _seen(house: Workshop, trial: int, wanted: Callable[[T], bool], seconds: float = PATIENCE_S) -> T:
    """The print as soon as it is as wanted; a print that is over before is told with how it ended."""
    until, last = time.monotonic() + seconds, None
    while (found := live.live(house, trial)) is None or not wanted(found):
        assert time.monotonic() < until, found
        assert last is None or found is not None, (last, trials.sheet(house, trial).run)
        last = found
        time.sleep(0.05)
    return found


def _layer(found: T) -> int:
    return found.spot.layer if found.spot is not None and found.spot.begun else -1


def _quick(found: T) -> bool:
    """Whether the stand-in's quick time is seen in what is told."""
    return found.spot is not None and found.left_s < 0.5 * (found.spot.total_s - found.spot.done_s)


def test_step_layer_and_time_left_are_told_while_it_prints(
    house: Workshop, begun: Begun, room: PrintManager, client: FlaskClient
) -> None:
    trial = trials.create(house, begun.profile, "temperature", SMALL)
    assert live.live(house, trial) is None
    # What a file comes to is worked out once; on a busy machine that takes as long as this quick print.
    live.layer_lines(house, trial, 1)
    with running(start_standin(pace=100.0)) as device:
        spec = {**workshop.as_typed(house, begun.printer), "link_url": device.link_url, "camera_url": ""}
        workshop.save_printer(house, spec, begun.printer)
        run = room.start(trial)
        heating = _seen(house, trial, lambda found: found.spot is not None)
        assert heating.layers > 60
        early = _seen(house, trial, lambda found: _layer(found) >= 10 and _quick(found) and bool(found.step))
        assert early.spot is not None
        planned_s = early.spot.total_s - early.spot.done_s
        assert early.next_in_s == pytest.approx(early.spot.next_in_s * early.left_s / planned_s)
        # Steps are passed in seconds here; a busy machine may see the second one first.
        steps = ["220 °C", "210 °C", "200 °C"]
        assert (early.step, early.next_step) in set(pairwise(steps))
        assert 0.1 < early.share < 0.9
        words = client.get(f"/trials/{trial}/live").data
        assert len(words) < FEW_BYTES
        told = json.loads(words)
        assert told["layers"] == early.layers
        assert told["says"].startswith("Step 2")
        second = _seen(house, trial, lambda found: found.step == early.next_step)
        assert second.share > early.share
        assert len(live.temperatures(house, second.run.name)) >= 2
        HttpDevice(device.camera_url).post("/pace", {"pace": 2000.0})
        room.join(run, PATIENCE_S)
    assert live.live(house, trial) is None
    assert json.loads(client.get(f"/trials/{trial}/live").data) == {"state": "over", "ended": "Printed"}


def test_time_left_goes_by_the_clock_of_this_print_without_its_pauses(house: Workshop, begun: Begun) -> None:
    trial = trials.create(house, begun.profile, "temperature", SMALL)
    with house.reading() as session:
        course = live.way_of(house, session, trial, trials.get_trial(session, trial).file_digest).course
    lines = [course.begins(layer) for layer in (5, 20, 30, 40)]
    plan = [course.planned_s(line) for line in lines]
    at = [40.0, 40.0 + (plan[1] - plan[0]) / 3]
    told = [JournalEntry(SENDING, line=line, elapsed_s=s) for line, s in zip(lines, at, strict=False)]
    assert live.pace_of(told, course) == pytest.approx(1 / 3)
    assert live.pace_of(told[:1], course) == 1.0, "too little to tell"
    heating = JournalEntry(SENDING, line=2, elapsed_s=1.0)
    assert live.pace_of([heating, *told], course) == pytest.approx(1 / 3), "before the first layer nothing is learned"
    rests = [JournalEntry(PAUSED, line=lines[1], elapsed_s=at[1] + s) for s in (0.0, 900.0)]
    begins = at[1] + 900.0
    after = [
        JournalEntry(SENDING, line=line, elapsed_s=begins + (planned - plan[1]) / 3)
        for line, planned in zip(lines[1:], plan[1:], strict=True)
    ]
    assert live.pace_of([*told, *rests, *after], course) == pytest.approx(1 / 3)


def test_a_layer_is_drawn_about_the_middle_of_the_bed(house: Workshop, begun: Begun, client: FlaskClient) -> None:
    trial = trials.create(house, begun.profile, "temperature", SMALL)
    found = client.get(f"/trials/{trial}/live/layers/29").get_json()
    assert found["layer"] == 29
    assert sum(found["laid"]) > 100
    assert max(map(abs, found["x"] + found["y"])) < 8000, "hundredths of a mm from the middle"
    assert client.get(f"/trials/{trial}/live/layers/0").status_code == 404
    with pytest.raises(NotFound):
        live.layer_lines(house, trial, 10_000)


def test_a_pause_before_a_layer_changes_nothing_of_what_is_printed(
    house: Workshop, begun: Begun, room: PrintManager, standin: Standin
) -> None:
    trial = trials.create(house, begun.profile, "temperature", SMALL)
    with pytest.raises(InvalidInput):
        room.start(trial, [100_000])
    run = room.start(trial, [31])
    paused = _seen(house, trial, lambda found: found.run.state == "paused")
    assert "as planned" in paused.run.message
    assert _layer(paused) == 29, "thirty layers are laid, from 0 on"
    assert standin.device.machine.nozzle.target_c > 0
    z = standin.device.machine.position[2]
    assert z > 10, "the head is up"
    room.go_on(run)
    room.join(run, PATIENCE_S)
    assert trials.sheet(house, trial).run.state == "done"
    asked = read(trials.printed_file(house, trial))
    moves = standin.device.machine.moves
    assert sum(moves["e"]) == pytest.approx(asked.e_mm.sum(), abs=0.01), "what was pulled back was pushed again"
    wanted = {(round(x, 3), round(y, 3), round(z, 3)) for x, y, z, fed in _columns(asked) if fed > LEAST_MM}
    laid = {(round(x, 3), round(y, 3), round(z, 3)) for x, y, z, fed in _rows(moves) if fed > LEAST_MM}
    assert laid == wanted


def _columns(asked: Program) -> Iterator[tuple[float, float, float, float]]:
    return zip(asked.x.tolist(), asked.y.tolist(), asked.z.tolist(), asked.e_mm.tolist(), strict=True)


def _rows(moves: Mapping[str, Sequence[float]]) -> Iterator[tuple[float, float, float, float]]:
    return zip(moves["x"], moves["y"], moves["z"], moves["e"], strict=True)


def test_a_file_goes_onto_a_card_and_is_printed_by_the_makers_word(
    house: Workshop, begun: Begun, client: FlaskClient, tmp_path: Path
) -> None:
    card = tmp_path / "card"
    card.mkdir()
    spec = {**workshop.as_typed(house, begun.printer), "link_url": "", "camera_url": "", "folder": str(card)}
    workshop.save_printer(house, spec, begun.printer)
    trial = trials.create(house, begun.profile, "temperature", SMALL)
    page = client.post(f"/trials/{trial}/put", follow_redirects=True).text
    (there,) = card.iterdir()
    assert there.name.startswith(f"trial-{trial}-temperature-tower-")
    assert there.read_bytes() == trials.printed_file(house, trial)
    assert f"It is in {there}" in page
    assert "handed over" in client.get(f"/printers/{begun.printer}").text
    client.post(f"/trials/{trial}/printed")
    assert trials.sheet(house, trial).state == "printed"
    (logged,) = handing.log(house, begun.printer)
    assert (logged.trial, logged.state) == (trial, "done")
    there.unlink()
    card.rmdir()
    refused = client.post(f"/trials/{trial}/put")
    assert refused.status_code == 409
    assert "is the card in" in refused.text


class _Camera(JsonHandler):
    asked: ClassVar[list[str]] = []

    def do_GET(self) -> None:  # noqa: N802 - so the library calls it
        self.asked.append(self.path)
        if self.path == "/page":
            self.say({"no": "picture"})
            return
        self.send_response(200)
        self.send_header("Content-Type", "image/jpeg")
        self.send_header("Content-Length", "4")
        self.end_headers()
        self.wfile.write(b"\xff\xd8\xff\xd9")


def test_a_cameras_latest_picture_is_shown_and_it_is_not_asked_for_each_page(
    house: Workshop, begun: Begun, client: FlaskClient
) -> None:
    where = f"/printers/{begun.printer}/picture"
    spec = {**workshop.as_typed(house, begun.printer), "camera_url": ""}
    workshop.save_printer(house, spec, begun.printer)
    assert client.get(where).status_code == 404
    door = Door(_Camera)
    door.start()
    try:
        _Camera.asked.clear()
        address = f"http://127.0.0.1:{door.port}"
        workshop.save_printer(house, {**spec, "still_url": f"{address}/shot.jpg"}, begun.printer)
        seen = [client.get(where) for _ in range(5)]
        assert {(a.status_code, a.mimetype, a.data) for a in seen} == {(200, "image/jpeg", b"\xff\xd8\xff\xd9")}
        assert _Camera.asked == ["/shot.jpg"]
        workshop.save_printer(house, {**spec, "still_url": f"{address}/page"}, begun.printer)
        assert client.get(where).status_code == 204, "what is no picture is not shown"
        with pytest.raises(InvalidInput):
            workshop.save_printer(house, {**spec, "still_url": "file:///etc/passwd"}, begun.printer)
    finally:
        door.close()


def test_a_file_to_take_along_pauses_in_the_printers_own_words(
    house: Workshop, begun: Begun, client: FlaskClient
) -> None:
    spec = {**workshop.as_typed(house, begun.printer), "pause_gcode": "M600"}
    workshop.save_printer(house, spec, begun.printer)
    trial = trials.create(house, begun.profile, "temperature", SMALL)
    plain = trials.printed_file(house, trial).splitlines()
    found = client.get(f"/trials/{trial}/file.gcode?pause_layer=31").data.splitlines()
    at = found.index(b"M600 ; pause before layer 31")
    assert found[:at] + found[at + 1 :] == plain
    before, whole = read(b"\n".join(found[:at])), read(b"\n".join(plain))
    heights = sorted({round(z, 3) for z, fed in zip(whole.z, whole.e_mm, strict=True) if fed > LEAST_MM})
    assert max(round(z, 3) for z, fed in zip(before.z, before.e_mm, strict=True) if fed > LEAST_MM) == heights[29]
    assert client.get(f"/trials/{trial}/file.gcode?pause_layer=4000").status_code == 422
    assert client.get(f"/trials/{trial}/file.gcode?pause_layer=x").status_code == 422


def test_a_pace_that_was_changed_on_the_way_is_told_where_the_piece_is_read(
    house: Workshop, begun: Begun, room: PrintManager, standin: Standin, client: FlaskClient
) -> None:
    standin.device.clock.change(100.0)
    trial = trials.create(house, begun.profile, "temperature", SMALL)
    run = room.start(trial)
    _seen(house, trial, lambda found: found.step == "210 °C")
    standin.device.clock.change(2.0)
    assert client.post(f"/trials/{trial}/pace", data={"speed": "eighty", "flow": "100"}).status_code == 409
    refused = client.post(f"/trials/{trial}/pace", data={"speed": "5", "flow": "101"})
    assert refused.status_code == 409
    assert "The speed may go from 10 to 300 %" in refused.text
    assert 'value="101"' in refused.text, "what was typed stays"
    assert client.post(f"/trials/{trial}/pace", data={"speed": "80", "flow": "100"}).status_code == 302
    _seen(house, trial, lambda found: bool(found.run.factors))
    standin.device.clock.change(1e6)
    room.join(run, PATIENCE_S)
    (touched,) = live.touched(house, trial)
    assert (touched.speed, touched.flow) == (80, 100)
    assert touched.step in {"210 °C", "200 °C"}
    assert "Speed 80 %, flow 100 %" in client.get(f"/trials/{trial}/read").text
    assert standin.device.machine.speed_factor == 1.0, "set back at the end"
    lines = len(trials.printed_file(house, trial).splitlines())
    for line, steps in ((1, ["220 °C"]), (lines, [])):
        with house.writing() as session:
            session.get_one(PrintRow, run).factors = [[line, 90, 100]]
        assert [found.step for found in live.touched(house, trial)] == steps, "after the last step it spoils none"
    assert "changed while it printed" not in client.get(f"/trials/{trial}/read").text
