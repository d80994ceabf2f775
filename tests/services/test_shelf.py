"""The list of profiles: found by any word, filtered, sorted, put away, and true to the newest revision."""

from __future__ import annotations

from dataclasses import asdict

import pytest
from flask.testing import FlaskClient
from sqlalchemy import update

from drumbo.core.printer import Printer
from drumbo.services import by_hand, profiles, shelf, workshop
from drumbo.store.database import Workshop
from drumbo.store.models import ProfileRow
from tests.conftest import LABEL

MAKERS = ("Gull", "Auk", "Skerry", "Tern", "Wrack")


@pytest.fixture
def many(house: Workshop) -> list[int]:
    printers = [workshop.save_printer(house, asdict(Printer(name))) for name in ("Petrel One", "Old Skua")]
    made = []
    for n in range(60):
        label = {**LABEL, "family": "petg" if n % 3 == 0 else "pla", "colour": f"no {n}", "maker": MAKERS[n % 5]}
        spool = workshop.save_material(house, label, spool_seed=n)
        made.append(profiles.create(house, spool, printers[n % 2], f"profile {n:02d}"))
    by_hand.set_value(house, made[7], "flow_ratio", "0.97")
    by_hand.set_value(house, made[7], "nozzle_c", "235")
    return made


def test_profiles_are_found_filtered_and_sorted(house: Workshop, many: list[int]) -> None:
    first = shelf.find(house)
    assert (first.total, len(first.spines), first.more) == (60, shelf.PAGE, True)
    assert first.spines[0].id == many[7], "changed last"
    second = shelf.find(house, page=1)
    assert (len(second.spines), second.more) == (20, False)
    assert not {s.id for s in first.spines} & {s.id for s in second.spines}
    assert [s.name for s in shelf.find(house, sort="name").spines][:2] == ["profile 00", "profile 01"]
    assert {s.printer for s in shelf.find(house, printer=2).spines} == {"Old Skua"}
    assert shelf.find(house, family="petg").total == 20
    assert shelf.find(house, "TERN skua").total == 6
    assert [s.id for s in shelf.find(house, state="recheck").spines] == [many[7]]
    assert shelf.find(house, "100%").total == 0, "a sign of the database's own is only a sign"


def test_the_columns_say_what_the_newest_revision_does(house: Workshop, many: list[int]) -> None:
    spine, card = shelf.find(house).spines[0], profiles.card(house, many[7])
    assert [s.known for s in spine.sectors] == [s.known for s in card.sectors]
    assert (spine.revision, spine.measured, spine.rechecks) == (card.revision, card.measured, card.rechecks)
    by_hand.undo(house, many[7])
    assert shelf.find(house, state="recheck").total == 0
    with house.writing() as session:
        session.execute(update(ProfileRow).values(newest=0, known={}, rechecks=9))
    shelf.fill_in(house)
    filled = next(s for s in shelf.find(house).spines if s.id == many[7])
    assert (filled.revision, filled.rechecks) == (4, 0), "a workshop of an older version is filled in"


def test_profiles_of_an_older_version_get_the_values_that_came_since(house: Workshop, many: list[int]) -> None:
    with house.writing() as session:
        row = session.get(ProfileRow, many[3])
        assert row is not None
        old = {
            k: v for k, v in row.revisions[-1].data["values"].items() if k not in {"bed_glass_c", "first_layer_z_mm"}
        }
        row.revisions[-1].data = {**row.revisions[-1].data, "values": old}
    shelf.fill_in(house)
    shelf.fill_in(house)
    sheet = profiles.sheet(house, many[3])
    assert sheet.profile.number("bed_glass_c") == 75
    assert sheet.history[0].note == "values that this version of Drumbo brings"
    assert shelf.find(house, "profile 03").spines[0].revision == 2


def test_what_is_put_away_is_out_of_lists_and_comes_back(client: FlaskClient, house: Workshop, many: list[int]) -> None:
    page = client.post(f"/profiles/{many[5]}/away", follow_redirects=True)
    assert "It is archived." in page.text
    assert shelf.find(house).total == 59
    assert [s.id for s in shelf.find(house, state="away").spines] == [many[5]]
    assert many[5] not in {n.id for n in shelf.names(house)}
    assert "profile 05" in client.get("/profiles/?state=away").text
    client.post(f"/profiles/{many[5]}/away", data={"back": "1"})
    assert shelf.find(house).total == 60


def test_the_page_gives_parts_to_htmx_and_whole_pages_to_others(client: FlaskClient, many: list[int]) -> None:
    assert "<html" in client.get("/profiles/?q=profile").text
    part = client.get("/profiles/?q=profile+01", headers={"HX-Request": "true"}).text
    assert "<html" not in part
    assert part.count("row-line") == 1
    assert client.get("/profiles/?page=1").text.count("row-line") == 20
    assert "None is like that." in client.get("/profiles/?q=nothing+at+all").text
    for odd in ("page=-3", "page=x", "printer=%C2%B2", "sort=?", "state=none", "printer=99999999999999999999"):
        assert client.get(f"/profiles/?{odd}").status_code == 200
