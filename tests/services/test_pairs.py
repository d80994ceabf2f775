"""Two materials in one print: pairs made and refused, and how much a change takes, printed, read and kept."""

from __future__ import annotations

import io
import time
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from flask.testing import FlaskClient
from manifold3d import Manifold

from drumbo.core.errors import InvalidInput, NotFound
from drumbo.core.filament_change import ChangeStep
from drumbo.core.piece import block, stl_bytes
from drumbo.core.piece.dovetail import dovetail
from drumbo.core.printer import Printer
from drumbo.core.sure import half_90
from drumbo.exchange.meshes import read_bodies
from drumbo.services import (
    adopting,
    by_hand,
    filament,
    handing,
    import_export,
    loaded,
    pair_files,
    pairs,
    planner,
    profiles,
    reading,
    trials,
    workshop,
)
from drumbo.services.convert import trial_of
from drumbo.services.prints import PrintManager
from drumbo.services.simulated import simulated_readings
from drumbo.standins.phone import photo_of
from drumbo.store.database import Workshop
from drumbo.store.models import TrialRow
from tests.by_hand import go
from tests.conftest import PATIENCE_S, Begun, Standin
from tests.services.conftest import truths_mm


def test_what_is_no_pair_is_refused_and_what_was_chosen_stays(
    house: Workshop, begun: Begun, blue: int, pair: int, client: FlaskClient
) -> None:
    elsewhere = workshop.save_printer(house, {**workshop.as_typed(house, begun.printer), "name": "Another"})
    far = profiles.create(house, blue, elsewhere, "far away")
    with pytest.raises(InvalidInput, match="same profile"):
        pairs.create(house, begun.profile, begun.profile)
    with pytest.raises(InvalidInput, match="another printer"):
        pairs.create(house, begun.profile, far)
    with pytest.raises(InvalidInput, match="not there any more"):
        pairs.create(house, begun.profile, 999)
    with pytest.raises(InvalidInput, match="is needed"):
        pairs.create(house, begun.profile, None)
    sheet = pairs.sheet(house, pair)
    other = sheet.other.profile_id
    assert pairs.create(house, other, begun.profile) == pair, "there is one pair of two"
    refused = client.post(f"/pairs/new/{begun.profile}", data={"other": str(far)})
    assert refused.status_code == 422
    assert "Is for another printer" in refused.text
    assert client.post(f"/pairs/new/{begun.profile}", data={"other": str(other)}).location == f"/pairs/{pair}"
    assert "Tern PLA" in client.get(f"/pairs/new/{begun.profile}").text
    assert client.get("/pairs/77").status_code == 404
    with pytest.raises(NotFound):
        trials.draft(house, other, "changeover", None, pair)
    page = client.get(f"/profiles/{begun.profile}/trials/new/changeover").text
    assert "It needs a second material" in page
    too_long = client.post(f"/pairs/{pair}/notes", data={"notes": "x" * 1001})
    assert too_long.status_code == 422
    assert "x" * 1001 in too_long.text, "what was typed stays"


def test_a_part_of_both_tells_its_times_and_what_was_typed_stays(
    house: Workshop, begun: Begun, pair: int, client: FlaskClient
) -> None:
    found = pairs.plan_part(house, pair, 0, {"heights": "4; 8", "hand": "5"})
    assert found.part.name == "the reference part"
    assert [change.layer for change in found.plan.changes] == [21, 41]
    page = client.get(f"/pairs/{pair}?part=0&heights=4%3B+8&hand=5").text
    assert "All at the softer one’s limits" in page
    assert "2 changes besides" in page
    for heights, hand, says in (
        ("4; 99", "5", "beyond the part"),
        ("8 4", "5", "must rise"),
        ("4", "500", "between 0"),
    ):
        refused = client.get(f"/pairs/{pair}", query_string={"part": "0", "heights": heights, "hand": hand})
        assert refused.status_code == 422
        assert says in refused.text
        assert f'value="{heights}"' in refused.text
        assert f'value="{hand}"' in refused.text
    assert client.get(f"/pairs/{pair}?part=77&heights=4&hand=5").status_code == 404


def test_a_part_of_several_bodies_is_given_its_materials(
    house: Workshop, begun: Begun, pair: int, client: FlaskClient
) -> None:
    lower, upper = block((-10, -10, 0), (10, 10, 4.04)), block((-10, -10, 4.04), (10, 10, 6.04))
    whole = planner.add_part(house, "plain.stl", stl_bytes(lower + upper))
    both = b"".join(b"solid %s\n%s" % (name, _facets(solid)) for name, solid in ((b"plate", lower), (b"sole", upper)))
    part = planner.add_part(house, "damper.stl", both)
    assert planner.bodies_of(house, whole)[0].bodies == ()
    fields = client.get(f"/pairs/{pair}/part?part={part}").text
    assert fields.index("plate") < fields.index("sole")
    asked = {"part": str(part), "hand": "4", "heights": ""}
    refused = client.get(f"/pairs/{pair}", query_string={**asked, "body_0": "one"})
    assert refused.status_code == 422
    assert "Choose a material for sole" in refused.text
    page = client.get(f"/pairs/{pair}", query_string={**asked, "body_0": "other", "body_1": "one"}).text
    assert "1 change besides" in page
    assert page.count("</title></path>") == 2, "both are drawn"
    found = pairs.plan_part(house, pair, part, {**asked, "body_0": "other", "body_1": "one"})
    assert [(c.layer, c.to_first) for c in found.plan.changes] == [(21, True)]
    by_height = pairs.plan_part(house, pair, part, {**asked, "heights": "2"})
    assert [c.layer for c in by_height.plan.changes] == [11]


def _facets(solid: Manifold) -> bytes:
    mesh = solid.to_mesh()
    corners = np.asarray(mesh.vert_properties)[:, :3][mesh.tri_verts].reshape(-1, 3).tolist()
    return "".join(f"vertex {x} {y} {z}\n" for x, y, z in corners).encode()


def test_a_bond_pauses_once_and_says_where_nothing_holds(
    house: Workshop, begun: Begun, pair: int, client: FlaskClient
) -> None:
    draft = trials.draft(house, begun.profile, "bond-of-two", None, pair)
    trial = trials.create(house, begun.profile, "bond-of-two", draft.plan, pair)
    assert "Bond of two" in client.get(f"/profiles/{begun.profile}").text, "it stands among the profile's trials"
    taken = handing.file_with_pause(house, trial, None).decode()
    before, after = taken.split("; pause before layer ")
    heats = [f"M109 R{step.label}" for step in trials.sheet(house, trial).steps]
    assert len(heats) >= 4
    assert not any(heat in before for heat in heats), "what was there first knows nothing of them"
    assert all(after.count(heat) >= 2 for heat in heats), "two layers of each peg"
    trials.printed_by_hand(house, trial)
    reading.score_all(house, trial, {("joint", k): int(k > 3) for k in range(len(heats))})
    result = trials.sheet(house, trial).result
    assert result is not None
    assert (result.state, result.value) == ("flat", None)
    assert "lock the two by shape" in result.says
    reading.score_all(house, trial, {("joint", k): 4 * int(k > 2) for k in range(len(heats))})
    result = trials.sheet(house, trial).result
    assert result is not None
    assert result.value is not None
    assert float(heats[2][6:]) - 6 < result.value < float(heats[3][6:]) + 6


def test_what_a_change_takes_is_printed_read_and_offered(
    house: Workshop, begun: Begun, room: PrintManager, standin: Standin, blue: int, pair: int, client: FlaskClient
) -> None:
    sheet = pairs.sheet(house, pair)
    by_hand.set_value(house, sheet.other.profile_id, "nozzle_c", "232")
    draft = trials.draft(house, begun.profile, "changeover", None, pair)
    trial = trials.create(house, begun.profile, "changeover", draft.plan, pair)
    taken = handing.file_with_pause(house, trial, None).decode()
    assert taken.count("; pause before layer") == 2
    assert taken.index("; pause before layer 2") < taken.index("M109 R232") < taken.index("; pause before layer 3")
    run = room.start(trial)
    for spool in (blue, begun.spool):
        until = time.monotonic() + PATIENCE_S
        while (going := trials.sheet(house, trial).run) is None or going.state != "paused":
            assert time.monotonic() < until, going
            time.sleep(0.05)
        page = client.get(f"/trials/{trial}/print").text
        assert f"material={spool}" in page, "the spool that is to come is chosen already"
        number = filament.begin(house, room, begun.printer, spool)
        found = go(house, room, number, "next", "next", "next")
        assert ChangeStep.CLEAN not in found.steps
        assert found.unlike == "", "its file heats for each of the two"
        found = go(house, room, number, "next", "next")
        assert (found.step, found.purged_mm) == (ChangeStep.DONE, 0.0)
        room.go_on(run)
        while (going := trials.sheet(house, trial).run) is not None and going.state == "paused":
            assert time.monotonic() < until, going
            time.sleep(0.05)
    room.join(run, PATIENCE_S)
    simulated_readings(house, trial)
    read = trials.sheet(house, trial)
    assert read.result is not None
    assert read.result.value is not None
    assert read.result.also is not None
    for found_mm, truth_mm in zip((read.result.value, read.result.also["back"]), truths_mm(), strict=True):
        assert found_mm == pytest.approx(truth_mm, rel=0.3, abs=8)
    _read_by_photos(house, trial, client)
    read = trials.sheet(house, trial)
    assert read.result is not None
    assert read.result.value is not None
    assert adopting.adopt(house, trial) == 0
    kept = pairs.sheet(house, pair).values
    assert kept["purge_there_mm"]["number"] == round(read.result.value)
    page = client.get(f"/pairs/{pair}").text
    assert f"Purge from {sheet.one.partner.name} to {sheet.other.partner.name}" in page
    assert loaded.loaded(house, begun.printer).id == begun.spool
    back = filament.begin(house, room, begun.printer, blue)
    assert filament.change(house, back).plan.took_mm == round(read.result.value), "the trial's, not the last time's"
    filament.drop(house, room, back)
    adopting.take_back(house, trial)
    assert pairs.sheet(house, pair).values == {}
    assert trials.sheet(house, trial).adopted_revision is None


def _read_by_photos(house: Workshop, trial: int, client: FlaskClient) -> None:
    """The camera's own picture is read as it is; a photo by its corners, and what is wrong with them is said. What
    somebody reads counts beside it, and what is unlike is told; it can be forgotten.
    """
    camera, by_eye = trials.sheet(house, trial).pictures[-1], trials.sheet(house, trial).result
    eye = [trials.sheet(house, trial).readings.measured("clean", k, "here") for k in range(2)]
    assert client.post(f"/pictures/{camera.id}/read").json == {"read": 2}
    _told_by_photo(house, trial)
    marks = trials.sheet(house, trial).kind.photo_marks(*_bound(house, trial))
    photo = photo_of(house.files.get(camera.digest), np.random.default_rng(3))
    frame, middle = camera.frame, trials.sheet(house, trial).stands.middle
    on_bed = np.array([place for _, *place in marks.corners]) + middle
    px = (on_bed - [frame["left_mm"], frame["bottom_mm"]]) * frame["px_per_mm"] * [1, -1] + [0, frame["height"]]
    added = client.post(f"/trials/{trial}/photos", data={"photo": (io.BytesIO(photo.jpeg), "fields.jpg")})
    assert added.status_code == 302
    taken = trials.sheet(house, trial).pictures[-1]
    corners = [f"{x:.1f},{y:.1f}" for x, y in photo.places(px)]
    page = client.get(f"/trials/{trial}/read").text
    assert "front left" in page
    for wrong, status, says in (
        ("", 409, "mark the 4 corners first"),
        (" ".join(corners[:3]), 409, "mark the 4 corners first"),
        (" ".join(corners[::-1]), 422, "go round as asked"),
        ("1,2 3", 422, "two numbers each"),
        ("nan,2 3,4", 422, "all of them numbers"),
        (" ".join(["10,900", "900,900", "900,10", "10,10"]), 422, "nearly the same colour"),
    ):
        refused = client.post(f"/pictures/{taken.id}/read", data={"corners": wrong}, headers={"HX-Request": "true"})
        assert (refused.status_code, says in refused.text.lower()) == (status, True), (wrong, refused.text)
    assert client.post(f"/pictures/{taken.id}/read", data={"corners": " ".join(corners)}).json == {"read": 2}
    _told_by_photo(house, trial)
    both = trials.sheet(house, trial).result
    assert "photo: " in client.get(f"/trials/{trial}/read").text
    reading.measure(house, trial, "clean", 0, "here", "")
    alone = trials.sheet(house, trial).result
    assert alone.error > both.error, "what an eye says counts beside it"
    reading.measure(house, trial, "clean", 0, "here", "140")
    assert "First to second you read 140 mm and the photo says" in client.get(f"/trials/{trial}/read").text
    reading.measure(house, trial, "clean", 0, "here", f"{eye[0]:g}")
    assert trials.sheet(house, trial).result == both
    assert client.post(f"/trials/{trial}/photographed/forget").status_code == 302
    assert trials.sheet(house, trial).result == by_eye
    assert client.post(f"/pictures/{taken.id}/read", data={"corners": " ".join(corners)}).json == {"read": 2}


def _told_by_photo(house: Workshop, trial: int) -> None:
    result = trials.sheet(house, trial).result
    assert result.error is not None
    found = (result.value, result.error), (result.also["back"], result.also["back_error"])
    for (found_mm, error), truth_mm in zip(found, truths_mm(), strict=True):
        assert found_mm == pytest.approx(truth_mm, rel=0.2)
        assert abs(found_mm - truth_mm) < half_90(error)


def _bound(house: Workshop, trial: int) -> tuple[Any, Any]:
    with house.reading() as session:
        found = trial_of(session.get_one(TrialRow, trial))
    return found.plan, found.context


def test_a_pair_goes_out_and_a_friend_takes_it_in(
    house: Workshop, begun: Begun, pair: int, client: FlaskClient, tmp_path: Path
) -> None:
    """As a file, a sheet and a label; both profiles and what was found of the two, or nothing of it."""
    with house.writing() as session:
        row = pairs.pair_row(session, pair)
        row.values = {"purge_there_mm": {"number": 41.0, "error": 6.0, "trial": 7}}
        row.notes = "for the hammer"
    one, other = (m.partner.name for m in (pairs.sheet(house, pair).one, pairs.sheet(house, pair).other))
    sheet = client.get(f"/pairs/{pair}/sheet").text
    assert f"Purge from {one} to {other}" in sheet
    assert sheet.count('class="tick"') > 30
    assert client.get(f"/pairs/{pair}/label.pdf").data.startswith(b"%PDF")
    lines = [words.text for words in pair_files.label_of(house, pair, "http://drumbo/pairs/1").words]
    assert "purge to Tern PLA 41 mm" in lines
    sent = client.get(f"/pairs/{pair}/pair.json")
    groove, slide = read_bodies(client.get(f"/pairs/{pair}/dovetail.3mf").data)
    assert (groove.name, slide.name) == (f"groove, {one}", f"slide, {other}")
    assert "from a file" not in client.get(f"/pairs/{pair}").text

    friend = Workshop(tmp_path / "friend")
    printer = workshop.save_printer(friend, asdict(Printer("Fulmar Two")))
    digest = import_export.bring(friend, sent.data)
    asked = {"printer_id": str(printer), "name_one": "stiff", "name_other": "soft"}
    for wrong, field in ((("name_other", "stiff"), "name_other"), (("printer_id", "9"), "printer_id"),
                         (("material_one", "9"), "material_one"), (("name_one", " "), "name_one")):  # fmt: skip
        with pytest.raises(InvalidInput) as refused:
            pair_files.take(friend, digest, {**asked, wrong[0]: wrong[1]})
        assert set(refused.value.problems) == {field}
    assert workshop.materials(friend) == [], "nothing of what was refused is kept"
    taken = pairs.sheet(friend, pair_files.take(friend, digest, asked))
    assert [m.profile for m in (taken.one, taken.other)] == ["stiff", "soft"]
    assert taken.values == {"purge_there_mm": {"number": 41.0, "error": 6.0, "trial": None}}
    assert (taken.notes, taken.purges_mm[0]) == ("for the hammer", 41.0)
    friend.close()

    refused_page = client.post(
        "/profiles/import", data={"file": (io.BytesIO(sent.data), "pair.json")}, follow_redirects=True
    )
    page = client.post(
        refused_page.request.path, data={"printer_id": str(begun.printer), "name_one": "a", "name_other": "a"}
    )
    assert page.status_code == 422
    assert "Is the name of the first one too" in page.text
    names = {"printer_id": str(begun.printer), "name_one": "a", "name_other": "b", "material_one": str(begun.spool)}
    there = client.post(refused_page.request.path, data=names).location
    assert "from a file" in client.get(there).text


def test_a_dovetail_goes_in_and_does_not_come_off() -> None:
    groove, slide = dovetail(0.3)
    (x0, y0, _, _, _, high), box = groove.bounding_box(), slide.bounding_box()
    turned = slide.translate((0, -box[1], -4.0)).rotate((180, 0, 0)).translate((0, box[4] - box[1] - 2.2, high))
    held = turned.translate((0, y0, 0))
    assert (groove ^ held).volume() < 0.01
    assert (groove ^ held.translate((0, 0, 1))).volume() > 1, "it does not lift off"
    assert (groove ^ held.translate((1, 0, 0))).volume() > 1
    assert (groove ^ held.translate((0, 1, 0))).volume() > 1, "a stop keeps it"
    assert x0 == -18
