"""Two materials in one print: pairs made and refused, and how much a change takes, printed, read and kept."""

from __future__ import annotations

import io
import re
import time
from dataclasses import asdict
from pathlib import Path

import numpy as np
import pytest
from flask.testing import FlaskClient
from manifold3d import Manifold

from drumbo.core.errors import InvalidInput, NotFound
from drumbo.core.filament_change import ChangeStep
from drumbo.core.piece import block, stl_bytes
from drumbo.core.piece.dovetail import dovetail
from drumbo.core.run import Heaters
from drumbo.core.workshop import NOZZLES, Printer
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
from drumbo.services.prints import PrintManager
from drumbo.services.simulated import recall_prints, simulated_readings
from drumbo.standins.earlier import Earlier
from drumbo.standins.filament.device import PAST_MM, FilamentPrinter, LoadedSpool, oozed_mm
from drumbo.standins.filament.interpreter import hot_end
from drumbo.standins.filament.mixing import draw_mixing
from drumbo.standins.strips import SEEN
from drumbo.store.database import Workshop
from tests.by_hand import go
from tests.conftest import LABEL, PATIENCE_S, Begun, Standin, unread

BLUE = "#2f4f8f"


@pytest.fixture
def blue(house: Workshop, begun: Begun) -> int:
    """A second spool."""
    label: dict[str, str | float | None] = {
        **LABEL,
        "product": "Tern PLA",
        "colour": "deep blue",
        "colour_hex": BLUE,
        "spool_g": 400,
    }
    return workshop.save_material(house, label, spool_seed=9)


@pytest.fixture
def pair(house: Workshop, begun: Begun, blue: int) -> int:
    other = profiles.create(house, blue, begun.printer, "Tern PLA on it")
    return pairs.create(house, begun.profile, other)


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
    for found_mm, truth_mm in zip((read.result.value, read.result.also["back"]), _truths_mm(), strict=True):
        assert found_mm == pytest.approx(truth_mm, rel=0.3, abs=8)
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


def _truths_mm() -> list[float]:
    """From where each of the two is clean, there and back."""
    colours = (bytes.fromhex(colour[1:]) for colour in (LABEL["colour_hex"], BLUE))
    distance = sum((a - b) ** 2 for a, b in zip(*colours, strict=True)) ** 0.5 / 441.7
    ways, truths = (("pla", 3), ("pla", 9)), []
    for old, new in (ways, ways[::-1]):
        mixing, truth = draw_mixing(old, new), 0.0
        while mixing.old_share(PAST_MM + truth) * distance > SEEN:
            truth += 0.5
        truths.append(truth)
    return truths


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
    for found_mm, truth_mm in zip((read.value, read.also["back"]), _truths_mm(), strict=True):
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
