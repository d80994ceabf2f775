"""The planner over HTTP: it answers what was typed, keeps it, and refuses with words."""

from __future__ import annotations

import io
import re
from dataclasses import asdict
from urllib.parse import parse_qs, urlparse

import pytest
from flask.testing import FlaskClient

from drumbo.core.piece import block, stl_bytes
from drumbo.core.printer import Printer
from drumbo.services import planner, profiles, workshop
from drumbo.store.database import Workshop
from tests.conftest import Begun


def _bring(client: FlaskClient, data: bytes, name: str = "hook.stl", query: str = ""):  # type: ignore[no-untyped-def]
    return client.post(f"/planner/parts{query}", data={"part_file": (io.BytesIO(data), name)})


def test_an_empty_workshop_is_told_what_it_needs(client: FlaskClient) -> None:
    assert "It needs a profile" in client.get("/planner/").text


def test_a_changed_field_is_answered_and_the_address_holds_it(client: FlaskClient, begun: Begun) -> None:
    query = {"profile": str(begun.profile), "layer_mm": "0,28", "speed_inner": "180", "walls": ""}
    answer = client.get("/planner/answer", query_string=query)
    assert "less</b> than now" in answer.text
    assert "holds back inner walls" in answer.text
    assert "held to" in answer.text
    held = parse_qs(urlparse(answer.headers["HX-Replace-Url"]).query)
    assert held == {"profile": [str(begun.profile)], "layer_mm": ["0,28"], "speed_inner": ["180"]}
    again = client.get(answer.headers["HX-Replace-Url"])
    assert 'name="layer_mm" value="0,28"' in again.text
    fall = client.get("/planner/waterfall", query_string=query).text
    assert "layer height 0.2 → 0.28 mm" in fall
    assert "inner walls 60 → 180 mm/s" in fall
    assert "Nothing is changed yet" in client.get("/planner/waterfall", query_string={"profile": begun.profile}).text


def test_what_cannot_be_printed_is_told_at_its_field_and_stays_typed(client: FlaskClient, begun: Begun) -> None:
    query = {"profile": str(begun.profile), "walls": "many", "speed_top": "1"}
    answer = client.get("/planner/answer", query_string=query)
    assert answer.status_code == 200
    assert re.search(r'id="wb-walls"[^>]*hx-swap-oob="true">[^<]*“many” is not a number', answer.text)
    assert "is below 3 mm/s" in answer.text
    page = client.get("/planner/", query_string=query).text
    assert 'name="walls" value="many"' in page
    assert "Not yet:" in page


def test_settings_are_kept_under_one_name_and_laid_beside_others(
    client: FlaskClient, begun: Begun, house: Workshop
) -> None:
    draft = {"profile": str(begun.profile), "layer_mm": "0.28", "width_mm": "0.6", "name": "Draft"}
    assert client.post("/planner/sets", data=draft).status_code == 302
    twice = client.post("/planner/sets", data={**draft, "layer_mm": "0.24"})
    assert twice.status_code == 422
    assert "There are settings called Draft already" in twice.text
    for field in ('name="layer_mm" value="0.24"', 'name="name" value="Draft"'):
        assert field in twice.text, "nothing that was typed is lost"
    page = client.get(f"/planner/?profile={begun.profile}&set=1").text
    assert 'name="width_mm" value="0.6"' in page
    beside = client.get(f"/planner/waterfall?profile={begun.profile}&beside=1&speed_infill=100").text
    assert "Beside “Draft”" in beside
    assert re.search(r"Layer height<small>, mm</small></th>\s*<td>0.2</td>\s*<td>0.28</td>", beside)
    narrow = workshop.save_printer(house, asdict(Printer("Tern Mini", nozzle_mm=0.25)))
    fine = profiles.create(house, begun.spool, narrow, "fine")
    told = client.get(f"/planner/waterfall?profile={fine}&beside=1").text
    assert "cannot be laid beside here" in told
    assert "Other lines" in told
    gone = client.post("/planner/sets/1/forget", follow_redirects=True)
    assert "<b>Draft</b> is gone" in gone.text
    assert 'name="layer_mm" value="0.28"' in gone.text
    assert client.get("/planner/?set=1").status_code == 404


def test_a_makers_own_part_is_planned_for(client: FlaskClient, begun: Begun, house: Workshop) -> None:
    solid = block((0, 0, 0), (20, 20, 10))
    answer = _bring(client, stl_bytes(solid), r"C:\parts\hook.stl", f"?profile={begun.profile}&layer_mm=0.3")
    held = parse_qs(urlparse(answer.headers["Location"]).query)
    assert held == {"profile": [str(begun.profile)], "layer_mm": ["0.3"], "part": ["1"]}
    assert "hook.stl, 20 × 20 × 10 mm" in client.get(answer.headers["Location"]).text
    _bring(client, stl_bytes(solid))
    assert len(planner.parts(house)) == 2, "the same file twice is the same part"


def test_a_part_that_is_none_changes_nothing(client: FlaskClient, begun: Begun, house: Workshop) -> None:
    for data, told in (
        (b"hello", "The part is neither STL nor 3MF"),
        (b"", "The part is neither STL nor 3MF"),
        (stl_bytes(block((0, 0, 0), (5, 5, 5)))[:-9], "breaks off"),
    ):
        refused = _bring(client, data, query=f"?profile={begun.profile}&layer_mm=0.3")
        assert refused.status_code == 422
        assert told in refused.text
        assert 'name="layer_mm" value="0.3"' in refused.text
    assert len(planner.parts(house)) == 1
    large = _bring(client, stl_bytes(block((0, 0, 0), (400, 20, 10))), query=f"?profile={begun.profile}")
    page = client.get(large.headers["Location"])
    assert "is 400 × 20 × 10 mm; Petrel One has room for 220 × 220 × 250 mm" in page.text


@pytest.mark.parametrize("query", ["profile=x", "profile=99", "profile=1&part=77", "profile=1&set=boo", "profile=²"])
def test_a_made_up_address_ends_in_words(client: FlaskClient, begun: Begun, query: str) -> None:
    assert client.get(f"/planner/?{query}").status_code == 404
