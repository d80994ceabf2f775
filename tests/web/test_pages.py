"""Pages over HTTP without a browser: what is typed wrongly comes back with words, and nothing is lost."""

from __future__ import annotations

import io
import re
from dataclasses import asdict

import pytest
from flask.testing import FlaskClient
from sqlalchemy import select

from drumbo.core.catalogue import FILAMENT, of_process
from drumbo.core.errors import InvalidInput
from drumbo.core.printer import Printer
from drumbo.core.profile import Origin, OriginKind, Value, changed
from drumbo.exchange.layer_package import package_bytes
from drumbo.services import loaded, profiles, shelf, trials, workshop
from drumbo.services.prints import PrintManager
from drumbo.store.database import Workshop
from drumbo.store.models import PrintRow, RevisionRow, now
from drumbo.trials import kinds_of
from drumbo.web import create_app
from drumbo.web.commands import COMMANDS
from drumbo.web.drum import draw
from tests.conftest import LABEL, Begun, plain_context, resin_context


def test_an_empty_workshop_teaches_step_by_step(client: FlaskClient) -> None:
    page = client.get("/").text
    assert page.index("A printer") < page.index("A spool") < page.index("A first trial")
    assert client.post("/first-trial").status_code == 409, "there is nothing to begin with"
    for page in ("/profiles/", "/materials/", "/printers/", "/profiles/new", "/check/"):
        assert client.get(page).status_code == 200
    assert "No materials yet" in client.get("/materials/").text


def test_a_label_with_commas_for_points_is_understood(client: FlaskClient, begun: Begun) -> None:
    assert client.post("/materials/new", data=LABEL).location == "/", "where the next step is"
    answer = client.get("/materials/2")
    assert "1.75 mm" in answer.text
    assert "€ 19.90 a kg" in answer.text


def test_a_new_spool_is_paid_as_the_last_one_was(client: FlaskClient, begun: Begun) -> None:
    assert 'name="currency" value="€"' in re.sub(r"\s+", " ", client.get("/materials/new").text)
    client.post("/materials/new", data={**LABEL, "currency": "kr"})
    for process in ("filament", "resin"):
        page = client.get(f"/materials/new?process={process}").text
        assert 'name="currency" value="kr"' in re.sub(r"\s+", " ", page)


def test_a_wrong_label_comes_back_as_typed_with_every_problem(client: FlaskClient) -> None:
    typed = {**LABEL, "nozzle_low_c": "warm", "diameter_mm": "17,5", "product": "<b>Bold</b> PLA"}
    answer = client.post("/materials/new", data=typed)
    assert answer.status_code == 422
    assert "“warm” is not a number" in answer.text
    assert "Diameter is above 4 mm" in answer.text
    assert 'value="17,5"' in answer.text
    assert "&lt;b&gt;Bold&lt;/b&gt;" in answer.text
    assert "<b>Bold</b>" not in answer.text
    assert client.get("/materials/").text.count("row-line") == 0, "nothing was kept"


def test_a_printer_with_an_unheard_of_dialect_is_refused(client: FlaskClient, begun: Begun) -> None:
    form = client.get(f"/printers/{begun.printer}/edit").text
    assert "socket://127.0.0.1" in form
    answer = client.post(f"/printers/{begun.printer}/edit", data={"name": "", "dialect": "klingon"})
    assert answer.status_code == 422
    assert "Name is needed" in answer.text


def test_a_value_by_hand_that_is_no_number_stays_in_its_field(client: FlaskClient, begun: Begun) -> None:
    url = f"/profiles/{begun.profile}/values/nozzle_c"
    assert "Why 210?" in client.get(url).text
    answer = client.post(url, data={"number": "hot"})
    assert answer.status_code == 422
    assert 'value="hot"' in answer.text
    done = client.post(url, data={"number": "212,5"})
    assert done.headers["HX-Redirect"].startswith(f"/profiles/{begun.profile}")


def test_the_sheet_and_the_file(client: FlaskClient, begun: Begun) -> None:
    sheet = client.get(f"/profiles/{begun.profile}/sheet").text
    assert sheet.count('class="tick"') == len([p for p in of_process(FILAMENT) if p.scope == "profile" and not p.aside])
    file = client.get(f"/profiles/{begun.profile}/as/profile")
    assert file.json is not None
    assert file.json["values"]["bed_c"]["number"] == 60
    assert file.headers["Content-Disposition"].endswith('razorbill-pla-chalk-on-petrel-one-r1.json"')


@pytest.mark.parametrize(
    ("data", "status", "says"),
    [
        (b"", 422, "the file is empty"),
        (b"\x89PNG\r\n\x1a\n\x00\x00\x00", 422, "not a text file"),
        (b"G28\nG1 X10 Y\n", 422, "line 2: a letter without a number"),
        (b"G28\nM104 S200\nG1 X10 E1 F600\n", 200, "the nozzle is left at 200"),
    ],
)
def test_file_check_takes_any_upload_with_words(client: FlaskClient, data: bytes, status: int, says: str) -> None:
    sent = {"file": (io.BytesIO(data), "x.gcode"), "profile": ""}
    answer = client.post("/check/", data=sent, follow_redirects=True)
    assert answer.status_code == status
    assert says in answer.text.replace("The nozzle", "the nozzle").replace("The file the", "The the")


def test_six_hundred_megabytes_are_refused_before_they_are_read(client: FlaskClient) -> None:
    answer = client.post(
        "/check/",
        data=b"",
        content_type="multipart/form-data; boundary=x",
        environ_overrides={"CONTENT_LENGTH": "600000000"},
    )
    assert answer.status_code == 413
    assert "larger than 500 MB" in answer.text


def test_a_form_without_its_token_changes_nothing(house: Workshop, room: PrintManager, begun: Begun) -> None:
    app = create_app(house, room, secret="test")
    with app.test_client() as strict:
        answer = strict.post(f"/profiles/{begun.profile}/undo")
    assert answer.status_code == 400
    assert "open too long" in answer.text
    assert profiles.sheet(house, begun.profile).card.revision == 1


def test_made_up_forms_are_answered_and_change_nothing(
    client: FlaskClient, house: Workshop, begun: Begun, printed: int
) -> None:
    assert client.get("/profiles/new?material_id=abc").status_code == 200
    assert client.get("/profiles/new?material_id=999").status_code == 404
    assert client.post("/profiles/new", data={"material_id": "x", "printer_id": "1", "name": "n"}).status_code == 422
    assert client.post(f"/trials/{printed}/choice", data={}).status_code == 302
    for typed in ({"aim": "fame"}, {"hot_c": "300"}):
        assert client.post(f"/trials/{printed}/choice", data=typed).status_code == 422
    for url, typed in (
        ("score", {"aspect": "bridge", "step": "x", "score": "3"}),
        ("measure", {"measure": "width", "step": "0", "site": "front-low", "number": "1"}),
        ("pick", {"step": "0"}),
    ):
        assert client.post(f"/trials/{printed}/{url}", data=typed).status_code == 422
    assert (
        client.post(f"/trials/{printed}/stop", data={"back": "//elsewhere"}).headers["Location"].startswith("/trials/")
    )
    assert trials.sheet(house, printed).readings.count() == 0
    assert len(shelf.names(house)) == 1


def test_what_belongs_to_all_materials_or_holds_anyway_is_refused_with_words(
    client: FlaskClient, house: Workshop, begun: Begun
) -> None:
    values = f"/profiles/{begun.profile}/values"
    assert "no printer has it for all" in client.post(f"{values}/nozzle_c/share").text
    assert "no such value" in client.post(f"{values}/retraction_mm/unshare").text
    assert "nothing there wants a recheck" in client.post(f"{values}/flow_ratio/still-good").text.lower()
    long = client.post(f"{values}/flow_ratio/still-good", data={"note": "x" * 1001})
    assert long.status_code == 422
    assert "longer than 1000" in long.text
    assert profiles.sheet(house, begun.profile).card.revision == 1
    client.post(f"{values}/retraction_mm/share")
    assert "No longer for all materials" in client.get(f"{values}/retraction_mm").text
    assert client.post(f"/printers/{begun.printer}/edit", data={"name": ""}).status_code == 422
    client.post(f"{values}/retraction_mm/unshare")
    assert "Same for all materials on Petrel One" in client.get(f"{values}/retraction_mm").text


def test_a_new_batch_is_told_marked_and_taken_back(client: FlaskClient, begun: Begun) -> None:
    page = f"/profiles/{begun.profile}"
    client.post(f"{page}/values/flow_ratio", data={"number": "0.97"})
    told = client.post(f"{page}/batch", follow_redirects=True).text
    assert "Batch 2 is in use." in told
    assert "recheck: Batch went from 1 to 2" in told
    assert '<h2 class="mb-0">Batch check</h2>' in told, "the quick check comes next"
    back = client.post(f"{page}/undo", follow_redirects=True).text
    assert "recheck: Batch" not in back


def test_the_bench_tells_how_each_printer_stands(
    client: FlaskClient, house: Workshop, begun: Begun, printed: int
) -> None:
    loaded.set_loaded(house, begun.printer, begun.spool)
    workshop.save_printer(house, asdict(Printer("Old Skua")))
    with house.writing() as session:
        session.add(PrintRow(trial_id=printed, printer_id=begun.printer, state="done", total=1, finished_at=now()))
    _, *rows = client.get("/").text.split('class="row-line at-rest">')
    first, second = (" ".join(re.sub(r"<[^>]*>", " ", row.partition("</div>")[0]).split()) for row in rows)
    assert first.startswith("Petrel One Razorbill PLA, chalk last: temperature tower , today ")
    assert second == "Old Skua nobody said what is loaded nothing printed yet"
    skua = workshop.printer(house, 2)
    workshop.save_printer(house, {**asdict(skua), "machine": "Skua"}, 2)
    workshop.save_printer(house, asdict(Printer("Old Skua, 0.6", machine="Skua")))
    with house.writing() as session:
        session.add(PrintRow(trial_id=printed, printer_id=2, state="stopped", total=1, finished_at=now()))
    assert ", was stopped" in " ".join(client.get("/").text.split())
    with house.writing() as session:
        session.scalars(select(PrintRow).where(PrintRow.printer_id == 2)).one().state = "paused"
    names = re.findall(r'at-rest">\s*<a[^>]*><b>([^<]*)', client.get("/").text)
    assert names == ["Petrel One"], "another preset of a machine that prints does not rest"


def test_the_search_finds_what_to_do_and_what_was_changed_last(
    client: FlaskClient, house: Workshop, begun: Begun
) -> None:
    def found(text: str) -> list[tuple[str, str]]:
        shown = client.get("/search", query_string={"q": text}).text
        return re.findall(r"<span>([^<]*)</span><span\s+class=\"dim fine\">([^<]*)", shown)

    profiles.create(house, begun.spool, begun.printer, "Razorbill PLA, again")
    assert found("") == [("Razorbill PLA, again", "profile"), ("Razorbill PLA, chalk on Petrel One", "profile")]
    assert found("razorbill")[0] == ("Razorbill PLA, again", "profile")
    assert ("Add a spool", "go there") in found("add spool")
    assert ("Download a backup", "go there") in found("backup")
    assert found("xyzzy") == []
    with client.application.test_request_context():
        addresses = [command.address for command in COMMANDS]
    for address in addresses:
        with client.get(address) as answer:
            assert answer.status_code == 200, address


def test_a_theme_that_is_not_offered_is_refused_and_the_chosen_one_is_kept(client: FlaskClient) -> None:
    assert client.post("/settings/theme", data={"theme": "plaid"}).status_code == 422
    assert 'data-bs-theme="light" >' in client.get("/settings/").text
    assert client.post("/settings/theme", data={"theme": "dark"}).status_code == 302
    assert 'data-bs-theme="dark" data-theme="dark"' in client.get("/").text
    client.post("/settings/theme", data={"theme": ""})
    assert "data-theme" not in client.get("/").text


def test_the_drum_tells_states_by_shape() -> None:
    from drumbo.core.profile import Origin, OriginKind, Value, changed, sectors

    profile = plain_context().profile
    by_hand = changed(profile, {"flow_ratio": Value(0.97, Origin(OriginKind.HAND))})
    moved = changed(by_hand, {"nozzle_c": Value(230, Origin(OriginKind.TRIAL, "tower", 1))})
    drum = draw(sectors(moved), turns=9)
    assert drum.measured.count("M") == 9
    assert drum.recheck.count("M") == 9
    assert drum.start.count("M") == 12
    assert drum.rim.count("M") == 6
    assert (drum.count, drum.of) == (1, 8)
    assert drum.slices[1].said == "Flow, recheck: Nozzle, other layers went from 210 to 230 °C"


def test_the_search_finds_values_by_words_for_what_they_cure(client: FlaskClient, begun: Begun) -> None:
    hits = client.get("/search?q=z+offset").text
    assert f"/profiles/{begun.profile}#value-first_layer_z_mm" in hits
    assert "First-layer height correction" in hits
    assert "value-proof_percent" not in client.get("/search?q=proof").text, "nobody has one yet"


def test_values_that_a_profile_does_not_hold_are_not_there(client: FlaskClient, begun: Begun) -> None:
    for key in ("clearance_turn_mm", "phlogiston"):
        assert client.get(f"/profiles/{begun.profile}/values/{key}").status_code == 404


def test_a_value_of_another_process_is_refused_and_an_older_profile_that_has_one_opens(
    client: FlaskClient, house: Workshop, begun: Begun
) -> None:
    page = f"/profiles/{begun.profile}"
    for typed in ("3", "abc"):
        answer = client.post(f"{page}/values/exposure_s", data={"number": typed})
        assert answer.status_code == 404
        assert "a filament profile has no" in answer.text.lower()
    assert client.post(f"{page}/values/nozzle_c", data={"number": "abc"}).status_code == 422
    with pytest.raises(InvalidInput, match="is not for filament"):
        changed(profiles.sheet(house, begun.profile).profile, {"exposure_s": Value(3.0, Origin(OriginKind.HAND))})
    with house.writing() as session:
        row = session.scalars(select(RevisionRow).where(RevisionRow.profile_id == begun.profile)).one()
        foreign = {**row.data["values"]["nozzle_c"], "number": 3.0}
        row.data = {**row.data, "values": {**row.data["values"], "exposure_s": foreign, "of_tomorrow": foreign}}
    assert client.get(page).status_code == 200
    held = profiles.sheet(house, begun.profile).profile
    assert "exposure_s" not in held.values
    assert held.number("of_tomorrow") == 3, "what a newer version added is kept"


def test_a_layer_package_is_looked_into(client: FlaskClient, begun: Begun) -> None:
    context, trial = resin_context(), kinds_of("resin")["bottom-feet"]
    data = package_bytes(trial.print_file(trial.suggest(context), context))

    def post(profile: object, what: bytes = data, name: str = "feet.zip") -> str:
        form = {"file": (io.BytesIO(what), name), "profile": profile}
        sent = client.post("/check/", data=form, content_type="multipart/form-data", follow_redirects=True)
        return sent.text

    assert "Every layer lies on the one before" in post("")
    assert "The profile is one of a filament; a layer package is held against one of a resin" in post(begun.profile)
