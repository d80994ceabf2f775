"""Copies, borrowing, going back, labels on revisions, out and back through files: one transaction each, or nothing."""

from __future__ import annotations

from dataclasses import asdict

import pytest
from flask.testing import FlaskClient
from sqlalchemy import func, select

from drumbo.core.errors import InvalidInput, NotFound, NotNow
from drumbo.core.printer import Printer
from drumbo.core.profile import OriginKind
from drumbo.services import by_hand, copying, history, import_export, profiles, trials, workshop
from drumbo.store.database import Workshop
from drumbo.store.models import MaterialRow, ProfileRow
from tests.conftest import LABEL, Begun

BOWDEN = {**asdict(Printer("Old Skua", drive="bowden")), "link_url": "", "camera_url": ""}
TABLE = b"Name;Value;Unit\nNozzle temperature;228;C\nFlow;98;%\nSeam;rear;\nMystery;7;\n"


@pytest.fixture
def known(house: Workshop, begun: Begun) -> int:
    for key, typed in (("flow_ratio", "0.97"), ("retraction_mm", "0.9")):
        by_hand.set_value(house, begun.profile, key, typed)
    return begun.profile


def _count(house: Workshop, table: type) -> int:
    with house.reading() as session:
        return session.scalar(select(func.count()).select_from(table)) or 0


def test_a_copy_is_a_profile_of_its_own(house: Workshop, begun: Begun, known: int) -> None:
    skua = workshop.save_printer(house, BOWDEN)
    made = copying.copy(house, known, begun.spool, skua, "on the Skua", layer=False)
    sheet = profiles.sheet(house, made)
    assert sheet.profile.number("flow_ratio") == 0.97
    assert sheet.profile.values["flow_ratio"].recheck == "it is for Old Skua instead of Petrel One"
    assert sheet.profile.number("retraction_mm") == 5.0, "a Bowden drive starts anew"
    assert sheet.history[0].note == "copied from Razorbill PLA, chalk on Petrel One, revision 3"
    assert profiles.sheet(house, known).card.revision == 3, "the one it is from is not touched"
    with pytest.raises(InvalidInput, match="called on the Skua already"):
        copying.copy(house, known, begun.spool, skua, "on the Skua", layer=False)
    with pytest.raises(InvalidInput, match="pick a printer"):
        copying.copy(house, known, begun.spool, 99, "nowhere", layer=False)
    assert _count(house, ProfileRow) == 2


def test_values_are_borrowed_as_one_revision_and_taken_back(house: Workshop, begun: Begun, known: int) -> None:
    other = profiles.create(house, begun.spool, begun.printer, "other")
    takes = {known: ["flow_ratio", "retraction_mm"]}
    changes = copying.preview_borrow(house, other, takes)
    assert [(c.key, c.after.number) for c in changes if c.after] == [("flow_ratio", 0.97), ("retraction_mm", 0.9)]
    assert profiles.sheet(house, other).card.revision == 1, "a look keeps nothing"
    assert copying.borrow(house, other, takes) == 2
    value = profiles.sheet(house, other).profile.values["flow_ratio"]
    assert value.origin.kind == OriginKind.COPY
    assert value.origin.note == "copied from Razorbill PLA, chalk on Petrel One"
    by_hand.undo(house, other)
    assert profiles.sheet(house, other).profile.number("flow_ratio") == 1.0
    for wrong in ({}, {other: ["flow_ratio"]}, {known: ["warp_drive"]}, {known: ["batch"]}):
        with pytest.raises(InvalidInput):
            copying.borrow(house, other, wrong)


def test_an_old_revision_comes_back_as_a_new_one(house: Workshop, known: int) -> None:
    by_hand.set_value(house, known, "nozzle_c", "230")
    assert profiles.sheet(house, known).profile.values["flow_ratio"].recheck
    assert history.restore(house, known, 2) == 5
    card, past = history.history(house, known)
    assert card.revision == 5
    assert [p.number for p in past] == [5, 4, 3, 2, 1]
    now = profiles.sheet(house, known).profile
    assert (now.number("nozzle_c"), now.number("flow_ratio"), now.number("retraction_mm")) == (210, 0.97, 0.8)
    assert not now.values["flow_ratio"].recheck
    assert {c.key for c in past[1].back} == {"nozzle_c", "retraction_mm"}, "what going back to revision 4 would change"
    with pytest.raises(NotNow):
        history.restore(house, known, 5)
    with pytest.raises(InvalidInput, match="no revision 17"):
        history.restore(house, known, 17)


def test_a_revision_may_be_labelled_and_its_data_stays(house: Workshop, known: int) -> None:
    before = history.history(house, known)[1][1].changes
    history.remark(house, known, 2, "  sent to a friend ", "")
    past = history.history(house, known)[1][1]
    assert (past.label, past.note, past.changes) == ("sent to a friend", "Flow ratio by hand", before)
    with pytest.raises(InvalidInput, match="longer than 60"):
        history.remark(house, known, 2, "x" * 61, "")


def test_a_friends_file_becomes_a_profile_with_its_spool(house: Workshop, begun: Begun, known: int) -> None:
    text = import_export.export(house, known, "profile").decode()
    friend = text.replace("Razorbill", "Guillemot").encode()
    digest = import_export.bring(house, friend)
    asked = {"material_id": "new", "printer_id": str(begun.printer), "name": "from a friend"}
    assert {c.outcome.value for c in import_export.look(house, digest, asked).carried} == {"carries over"}
    made = import_export.take(house, digest, asked)
    sheet = profiles.sheet(house, made)
    assert sheet.card.material.product == "Guillemot PLA"
    assert sheet.profile.number("flow_ratio") == 0.97
    assert sheet.profile.values["flow_ratio"].origin.note.startswith("copied from Guillemot")
    spools = _count(house, MaterialRow)
    with pytest.raises(InvalidInput, match="already"):
        import_export.take(house, digest, asked)
    with pytest.raises(InvalidInput):
        import_export.take(house, digest, {**asked, "name": "x", "printer_id": "99"})
    assert _count(house, MaterialRow) == spools, "no spool is left behind by what was refused"


def test_a_foreign_table_is_mapped_and_the_mapping_remembered(house: Workshop, begun: Begun) -> None:
    digest = import_export.bring(house, TABLE)
    found = import_export.look(house, digest, {})
    assert [(line.key, line.value) for line in found.lines] == [
        ("nozzle_c", 228), ("flow_ratio", 0.98), ("", None), ("", None),
    ]  # fmt: skip
    place = {"material_id": str(begun.spool), "printer_id": str(begun.printer), "name": "theirs", "title": "friend"}
    with pytest.raises(InvalidInput, match="more than once"):
        import_export.take(house, digest, {**place, "key-3": "nozzle_c"})
    asked = {**place, "key-3": "z_hop_mm", "unit-3": "in", "key-1": ""}
    made = import_export.take(house, digest, asked)
    values = profiles.sheet(house, made).profile.values
    assert values["nozzle_c"].number == 228
    assert values["nozzle_c"].origin.note == "copied from friend: Nozzle temperature"
    assert values["z_hop_mm"].number == pytest.approx(177.8), "unusual, and the maker's choice"
    assert values["flow_ratio"].origin.kind == OriginKind.START
    again = import_export.look(house, import_export.bring(house, TABLE.replace(b"228", b"231")), {})
    assert again.remembered
    assert [(line.key, line.unit) for line in again.lines][3] == ("z_hop_mm", "in")
    assert again.lines[1].key == ""
    nothing = {f"key-{n}": "" for n in range(4)}
    with pytest.raises(InvalidInput, match="at least one line"):
        import_export.take(house, digest, {**place, "name": "none", **nothing})
    assert _count(house, ProfileRow) == 2


def test_files_that_cannot_be_read_or_found_change_nothing(house: Workshop) -> None:
    for data in (b"", b"\x00\x01", b'{"format": "drumbo-profile"', b"PK\x03\x04broken"):
        with pytest.raises(InvalidInput):
            import_export.bring(house, data)
    for digest in ("x", "../../../etc/passwd", "0" * 64):
        with pytest.raises(NotFound):
            import_export.look(house, digest, {})
    assert _count(house, ProfileRow) == 0


def test_pages_of_a_profiles_life(client: FlaskClient, house: Workshop, begun: Begun, known: int) -> None:
    other = workshop.save_material(house, {**LABEL, "colour": "slate"}, spool_seed=4)
    page = client.get(f"/profiles/{known}/copy?material_id={other}")
    assert "Razorbill PLA, slate instead of Razorbill PLA, chalk" in page.text
    assert 'value="Razorbill PLA, slate on Petrel One"' in page.text, "a name is proposed"
    bad = client.post(f"/profiles/{known}/copy", data={"material_id": other, "printer_id": begun.printer, "name": " "})
    assert bad.status_code == 422
    assert "Give the profile a name" in bad.text
    made = client.post(
        f"/profiles/{known}/copy", data={"material_id": other, "printer_id": begun.printer, "name": "slate one"}
    )
    assert made.status_code == 302
    beside = client.get(f"/profiles/compare?p={known}&p=2")
    assert "Retraction length" not in beside.text, "only what differs"
    assert "Retraction length" in client.get(f"/profiles/compare?p={known}&p=2&all=1").text
    assert "Tick two to five" in client.get(f"/profiles/compare?p={known}").text
    none = client.post("/profiles/2/borrow", data={"p": [known, 2]})
    assert none.status_code == 422
    assert "Pick at least one value" in none.text
    plates = client.post(f"/profiles/{known}/plates", data={"number": "65"}, follow_redirects=True).text
    assert "all plates at 65 °C by hand" in plates
    assert client.post(f"/profiles/{known}/plates", data={"number": "900"}, follow_redirects=True).text.count(
        "goes from 0"
    )
    for path, kind in {
        "label.svg": "image/svg+xml", "label.pdf": "application/pdf", "as/table": "text/csv",
        "labels.pdf?start=5&count=40": "application/pdf", "as/pictured": "application/zip",
    }.items():  # fmt: skip
        answer = client.get(f"/profiles/{known}/{path}")
        assert answer.status_code == 200
        assert answer.mimetype == kind
    long = client.post(f"/profiles/{known}/history/2", data={"label": "x" * 99})
    assert long.status_code == 422
    assert 'value="' + "x" * 99 in long.text, "what was typed is still there"


def test_a_printer_that_changes_says_first_what_that_does(client: FlaskClient, house: Workshop, known: int) -> None:
    typed = {key: str(value) for key, value in asdict(workshop.printer(house, 1)).items() if value is not None}
    wide = {**typed, "nozzle_mm": "0.6", "extruder_steps_mm": ""}
    asked = client.post("/printers/1/edit", data=wide)
    assert "Saving this changes what holds for 1 profile." in asked.text
    assert "retraction length will want a recheck" in asked.text
    assert workshop.printer(house, 1).nozzle_mm == 0.4, "nothing is kept before it was seen"
    assert client.post("/printers/1/edit", data={**wide, "sure": "1"}).status_code == 302
    assert profiles.sheet(house, known).profile.values["retraction_mm"].recheck
    client.post("/printers/1/edit", data={**typed, "extruder_steps_mm": "", "sure": "1"})
    assert not profiles.sheet(house, known).profile.values["retraction_mm"].recheck
    cold = client.post("/printers/1/edit", data={**typed, "extruder_steps_mm": "", "nozzle_max_c": "200"}).text
    assert "Its nozzle wants 215 °C; Petrel One may run 200." in cold


def test_a_printer_comes_from_pasted_lines_or_as_a_preset(client: FlaskClient, house: Workshop, begun: Begun) -> None:
    lines = "name = Fulmar Two\nBed, X: 180 mm\nbed_y_mm=185\nDrive: Bowden\n# by the door\nmood = fine\n"
    page = client.post("/printers/paste", data={"lines": lines}).text
    assert "4 fields filled in" in page
    assert 'value="180 mm"' in page
    assert "Not understood, so left out: mood = fine" in page
    assert len(workshop.printers(house)) == 1
    preset = client.get(f"/printers/{begun.printer}/copy").text
    assert 'value="Petrel One, another nozzle"' in preset
    assert 'name="machine" value="Petrel One"' in preset
    look = client.post("/printers/look", data={"start_gcode": "G28\nM104 S{warmth}", "end_gcode": "M84"}).text
    assert "line 2: {warmth} is no known name" in look


def test_prints_take_from_the_spool_and_are_counted(house: Workshop, begun: Begun, client: FlaskClient) -> None:
    plan = {**trials.draft(house, begun.profile, "temperature").plan, "hot_c": "215", "cold_c": "205"}
    trial = trials.create(house, begun.profile, "temperature", plan)
    grams = trials.sheet(house, trial).facts["grams"]
    trials.printed_by_hand(house, trial)
    sheet = profiles.sheet(house, begun.profile)
    assert sheet.card.material.spool_g == pytest.approx(740 - grams, abs=0.06)
    assert (sheet.spent.prints, sheet.spent.grams) == (1, pytest.approx(grams))
    assert sheet.spent.cost == pytest.approx(grams * 19.9 / 1000)
    workshop.save_material(house, {**LABEL, "spool_g": "1.5"}, begun.spool)
    again = trials.create(house, begun.profile, "temperature", trials.draft(house, begun.profile, "temperature").plan)
    page = client.get(f"/trials/{again}/print").text
    assert "Only 1.5 g are left on the spool" in page
    trials.printed_by_hand(house, again)
    assert profiles.sheet(house, begun.profile).card.material.spool_g == 0


def test_our_own_table_comes_in_with_the_same_numbers_and_without_what_is_of_one_profile(
    house: Workshop, begun: Begun, known: int
) -> None:
    profile = profiles.sheet(house, known).profile
    text = import_export.export(house, known, "table").decode() + "proof_percent,Proof,96,%,,Proof,trial,,\r\n"
    digest = import_export.bring(house, text.encode())
    taken = {line.key: line.value for line in import_export.look(house, digest, {}).lines if line.key}
    assert taken == pytest.approx({key: n for key, n in profile.numbers().items() if key != "batch"})
    place = {"material_id": str(begun.spool), "printer_id": str(begun.printer), "name": "made up"}
    row = next(n for n, line in enumerate(import_export.look(house, digest, {}).lines) if line.name == "proof_percent")
    made = import_export.take(house, digest, {**place, f"key-{row}": "proof_percent"})
    assert "proof_percent" not in profiles.sheet(house, made).profile.values, "no form can claim a proof"


def test_going_back_keeps_parameters_that_came_later_but_not_what_a_trial_told_later(
    house: Workshop, known: int
) -> None:
    with house.writing() as session:
        first = profiles.get_row(session, known).revisions[0]
        held = {key: value for key, value in first.data["values"].items() if key != "bed_glass_c"}
        first.data = {**first.data, "values": held}
    by_hand.set_value(house, known, "clearance_turn_mm", "0.2")
    history.restore(house, known, 1)
    now = profiles.sheet(house, known).profile
    assert now.number("bed_glass_c") == 60
    assert "clearance_turn_mm" not in now.values
