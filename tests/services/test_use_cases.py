"""The use cases over a real SQLite file and a real stand-in."""

from __future__ import annotations

import contextlib
import gzip
import json
import sqlite3
import threading
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import inspect as look_at

from drumbo.core.errors import InvalidInput, LinkError, NotFound, NotNow
from drumbo.core.gcode.roles import ROADS
from drumbo.core.profile import Status
from drumbo.exchange.profile_file import profile_json
from drumbo.services import (
    adopting,
    bench,
    by_hand,
    check,
    pictures,
    profiles,
    reading,
    shelf,
    simulated,
    trials,
    workshop,
)
from drumbo.services.prints import PrintManager
from drumbo.store.database import Workshop
from drumbo.store.models import Base, PrinterRow
from tests.conftest import LABEL, PATIENCE_S, Begun, Standin, unread

SMALL = {"hot_c": "220", "cold_c": "200", "step_c": "10", "step_mm": "8", "first_c": "215", "aim": "balanced"}


def _plan(house: Workshop, begun: Begun) -> int:
    return trials.create(house, begun.profile, "temperature", SMALL)


def test_migrations_make_just_the_tables_that_the_models_say(house: Workshop) -> None:
    found = look_at(house.engine)
    for table in Base.metadata.tables.values():
        assert {c["name"] for c in found.get_columns(table.name)} == {c.name for c in table.columns}
    again = Workshop(house.folder)
    again.close()


def test_two_writers_at_once_lose_nothing(house: Workshop, begun: Begun) -> None:
    """Read-modify-write from eight threads: every change is its own revision."""

    def change(number: int) -> None:
        by_hand.set_value(house, begun.profile, "bed_c", str(50 + number))

    threads = [threading.Thread(target=change, args=(n,)) for n in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    history = profiles.sheet(house, begun.profile).history
    assert [p.number for p in history] == list(range(9, 0, -1))


def test_scores_given_at_once_are_all_kept_and_adopted_once(house: Workshop, begun: Begun) -> None:
    trial = _plan(house, begun)
    trials.printed_by_hand(house, trial)
    aspects = ("bridge", "overhang", "strings", "surface", "bond")
    adopted: list[int] = []

    def read(aspect: str) -> None:
        for step in range(3):
            reading.score(house, trial, aspect, step, 3 - abs(step - 1))

    def adopt() -> None:
        with contextlib.suppress(NotNow):
            adopted.append(adopting.adopt(house, trial))

    for target, arguments in ((read, [(aspect,) for aspect in aspects]), (adopt, [()] * 4)):
        threads = [threading.Thread(target=target, args=given) for given in arguments]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
    sheet = trials.sheet(house, trial)
    assert sheet.readings.count() == 15
    assert sheet.result == sheet.kind.evaluate(sheet.plan, sheet.readings), "and the result is of all of them"
    assert adopted == [2]


def test_a_failed_write_leaves_nothing_behind(house: Workshop) -> None:
    def half() -> None:
        with house.writing() as session:
            session.add(PrinterRow(name="half", spec={}))
            session.flush()
            raise ZeroDivisionError

    with pytest.raises(ZeroDivisionError):
        half()
    assert workshop.printers(house) == []


def test_names_are_proposed_free_and_refused_twice(house: Workshop, begun: Begun) -> None:
    name = profiles.suggest_name(house, begun.spool, begun.printer)
    assert name == "Razorbill PLA, chalk on Petrel One (2)"
    profiles.create(house, begun.spool, begun.printer, name)
    with pytest.raises(InvalidInput, match="already"):
        profiles.create(house, begun.spool, begun.printer, name)
    with pytest.raises(InvalidInput, match="already"):
        workshop.save_printer(house, {**dict(_spec(house, begun)), "name": "Petrel One"})
    assert len(shelf.names(house)) == 2


def _spec(house: Workshop, begun: Begun) -> dict[str, Any]:
    from dataclasses import asdict

    return asdict(workshop.printer(house, begun.printer))


def test_by_hand_and_back(house: Workshop, begun: Begun) -> None:
    by_hand.set_value(house, begun.profile, "flow_ratio", "0,96")
    sheet = profiles.sheet(house, begun.profile)
    assert sheet.profile.number("flow_ratio") == 0.96
    assert {s.group.key: s.known for s in sheet.card.sectors}["flow"] is Status.HAND
    with pytest.raises(InvalidInput):
        by_hand.set_value(house, begun.profile, "flow_ratio", "thick")
    with pytest.raises(NotFound):
        by_hand.set_value(house, begun.profile, "colour_of_sky", "1")
    by_hand.undo(house, begun.profile)
    sheet = profiles.sheet(house, begun.profile)
    assert sheet.profile.number("flow_ratio") == 1.0
    assert [p.number for p in sheet.history] == [3, 2, 1], "nothing is lost by taking back"


def test_the_whole_line_from_label_to_adopted_value(house: Workshop, begun: Begun, room: PrintManager) -> None:
    trial = _plan(house, begun)
    with pytest.raises(NotNow, match="print the piece first"):
        reading.score(house, trial, "bridge", 0, 3)
    run = room.start(trial)
    with pytest.raises(NotNow, match="is printing"):
        room.start(trial)
    room.join(run, PATIENCE_S)
    sheet = trials.sheet(house, trial)
    assert sheet.run is not None
    assert (sheet.run.state, sheet.state) == ("done", "printed")
    assert sheet.pictures[0].source == "camera"
    assert sheet.pictures[0].frame is not None
    data, mime = pictures.picture(house, sheet.pictures[0].id)
    assert (data[:3], mime) == (b"\xff\xd8\xff", "image/jpeg")
    with pytest.raises(NotNow, match="read the piece first"):
        adopting.preview(house, trial)
    assert simulated.simulated_readings(house, trial) == 15
    sheet = trials.sheet(house, trial)
    assert sheet.result is not None
    assert sheet.result.value is not None
    assert 200 <= sheet.result.value <= 220
    before = profiles.sheet(house, begun.profile).profile
    number = adopting.adopt(house, trial)
    after = profiles.sheet(house, begun.profile)
    assert number == 2
    value = after.profile.values["nozzle_c"]
    assert value.number == round(sheet.result.value)
    assert value.origin.trial == trial
    assert after.profile.number("nozzle_first_c") == value.number + 5
    assert before.number("nozzle_c") == 210
    with pytest.raises(NotNow, match="adopted already"):
        adopting.adopt(house, trial)
    by_hand.undo(house, begun.profile)
    assert trials.sheet(house, trial).state == "printed", "taken back, it can be adopted again"
    assert adopting.adopt(house, trial) == 4


def test_the_eye_looks_at_the_piece_it_is_asked_about(
    house: Workshop, begun: Begun, room: PrintManager, standin: Standin
) -> None:
    first = _plan(house, begun)
    room.join(room.start(first), PATIENCE_S)
    simulated.simulated_readings(house, first)
    seen = trials.sheet(house, first).readings
    second = trials.create(house, begun.profile, "temperature", {**SMALL, "hot_c": "240", "cold_c": "220"})
    room.join(room.start(second), PATIENCE_S)
    simulated.simulated_readings(house, second)
    unread(house, first)
    simulated.simulated_readings(house, first)
    assert trials.sheet(house, first).readings == seen, "not at the one that lies on the bed now"
    simulated.simulated_readings(house, first)
    assert trials.sheet(house, first).readings.scores != seen.scores, "another look has its own slips"
    assert trials.sheet(house, second).readings != seen
    standin.device._shelf.clear()
    with pytest.raises(LinkError, match="not at the stand-in any more"):
        simulated.simulated_readings(house, first)


def test_the_profile_file_tells_values_and_origins(house: Workshop, begun: Begun) -> None:
    sheet = profiles.sheet(house, begun.profile)
    data = json.loads(profile_json(sheet.profile, 1, sheet.card.material, sheet.card.printer))
    assert (data["format"], data["version"]) == ("drumbo-profile", 1)
    assert data["values"]["nozzle_c"] == {
        "number": 210.0, "error": None, "origin": {"kind": "start", "note": "PLA start", "trial": None},
        "recheck": None, "basis": {}, "still_good": "", "law": None, "doubt": "",
        "name": "Nozzle, other layers", "unit": "°C",
    }  # fmt: skip
    assert "link_url" not in data["printer"]


def test_planning_onto_a_newer_revision_shows_what_moved(house: Workshop, begun: Begun) -> None:
    trial = _plan(house, begun)
    trials.printed_by_hand(house, trial)
    scores = {(a, s): 3 - abs(s - 1) for a in ("bridge", "overhang", "strings", "surface", "bond") for s in range(3)}
    reading.score_all(house, trial, scores)
    by_hand.set_value(house, begun.profile, "bed_c", "65")
    found = adopting.preview(house, trial)
    assert [c.key for c in found.since] == ["bed_c"]
    assert found.after.number("bed_c") == 65, "the newer value is kept"


def test_scores_are_refused_with_words_and_cleared_with_none(house: Workshop, begun: Begun) -> None:
    trial = _plan(house, begun)
    trials.printed_by_hand(house, trial)
    for aspect, step, value in (("bridge", 9, 3), ("taste", 0, 3), ("bridge", 0, 7)):
        with pytest.raises(InvalidInput):
            reading.score(house, trial, aspect, step, value)
    assert trials.sheet(house, trial).readings.count() == 0
    reading.score(house, trial, "bridge", 0, 3)
    reading.score(house, trial, "bridge", 0, None)
    assert trials.sheet(house, trial).result is None


def test_photos_are_checked_and_made_handy(house: Workshop, begun: Begun, tmp_path: Path) -> None:
    import io

    from PIL import Image

    trial = _plan(house, begun)
    out = io.BytesIO()
    Image.new("RGB", (4000, 3000), "#885522").save(out, "JPEG")
    number = pictures.add_picture(house, trial, out.getvalue())
    data, mime = pictures.picture(house, number)
    with Image.open(io.BytesIO(data)) as kept:
        assert kept.size == (2400, 1800)
    assert mime == "image/jpeg"
    with pytest.raises(InvalidInput, match="no picture"):
        pictures.add_picture(house, trial, b"GIF89a, they said")
    assert len(trials.sheet(house, trial).pictures) == 1


def test_a_file_held_against_a_profile(house: Workshop, begun: Begun, monkeypatch: pytest.MonkeyPatch) -> None:
    trial = _plan(house, begun)
    data = trials.printed_file(house, trial)
    digest = check.bring(house, gzip.compress(data))
    assert check.bring(house, data) == digest, "packed or not, it is the same file"
    looked = check.look(house, digest, begun.profile)
    found = looked.found
    assert [b.nozzle_c for b in found.bands] == [215, 210, 220, 210, 200]
    assert [r.text for r in found.remarks if r.weight == "bad"] == ["the nozzle steps with height (220, 210, 200 … °C)"]
    assert check.look(house, digest).found.remarks == (), "by itself nothing is wrong with it"
    flow = next(t for t in check.tracks(looked, "time") if t.name == "Flow")
    assert flow.y.max() == looked.case.found.flow.max(), "thinned, and the peak is still there"
    assert flow.limit == 12
    nozzle = check.tracks(looked, "height", 5.0, 30.0)[0]
    assert 5 <= nozzle.x.min() < nozzle.x.max() <= 30
    edges, minutes = check.flow_shares(looked)
    assert minutes.sum(axis=1) == pytest.approx([found.seconds_of(role) / 60 for role in ROADS])
    assert edges[-1] >= 12
    columns = check.layer_columns(looked, 3)
    assert len(columns["x0"]) == len(columns["line"]) > 50
    assert columns["x0"][1] == columns["x1"][0], "each move begins where the one before it ended"
    assert columns["layers"] == found.layers
    assert not columns["left_out"]
    monkeypatch.setattr(check, "MOST_DRAWN", 20)
    fewer = check.layer_columns(looked, 3)
    assert fewer["left_out"] + len(fewer["line"]) == len(columns["line"]), "what is not drawn is told"
    with pytest.raises(NotFound, match="no layer 9999"):
        check.layer_columns(looked, 9999)


def test_files_that_were_checked_do_not_pile_up(house: Workshop, monkeypatch: pytest.MonkeyPatch) -> None:
    digests = [check.bring(house, f"G28\nG1 X{n} E1 F600\n".encode()) for n in range(check.MOST_KEPT + 3)]
    assert len(list((house.folder / check.KEPT_IN).iterdir())) == check.MOST_KEPT
    assert check.look(house, digests[-1]).found.moves == 2
    for wrong in (digests[0], "../../etc/passwd", "f" * 64):
        with pytest.raises(NotFound):
            check.look(house, wrong)
    monkeypatch.setattr(check, "MOST_READ", 1)
    for digest in (check.bring(house, b"G28\nG1 Y1 E1 F600\n"), digests[-1]):
        assert check.look(house, digest).found.moves == 2
    assert len(check._program.cache) == len(check._looked.cache) == 1, "large files do not fill the memory"
    monkeypatch.setattr("drumbo.exchange.incoming.LARGEST_FILE", 1000)
    for data in (bytes(1001), gzip.compress(b"G28\n" * 400)):
        with pytest.raises(InvalidInput, match="the most that is read"):
            check.bring(house, data)
    with pytest.raises(InvalidInput, match="cannot be unpacked"):
        check.bring(house, gzip.compress(b"G28\nG1 X1\n")[:-9])


def test_search_finds_by_any_words_and_takes_per_cent_signs_as_they_are(house: Workshop, begun: Begun) -> None:
    workshop.save_material(house, {**LABEL, "product": "Guillemot 100% PETG", "family": "petg"})
    assert {(h.what, h.id) for h in bench.search(house, "razorbill chalk")} == {
        ("profile", begun.profile), ("material", begun.spool),
    }  # fmt: skip
    assert [h.name for h in bench.search(house, "100%")] == ["Guillemot 100% PETG, chalk"]
    assert bench.search(house, "%") == bench.search(house, "100%")
    assert [h.what for h in bench.search(house, "skerry")] == ["material", "material"]
    assert bench.search(house, "  ") == []


def test_the_database_is_a_plain_sqlite_file(house: Workshop, begun: Begun) -> None:
    with sqlite3.connect(house.folder / "drumbo.sqlite") as connection:
        assert connection.execute("select name from printers").fetchall() == [("Petrel One",)]
    connection.close()
