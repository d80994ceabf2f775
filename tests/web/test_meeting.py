"""Two tabs on one form: the later save of an older form is told so, and nothing is silently restored."""

from __future__ import annotations

import html
import re

from flask.testing import FlaskClient

from drumbo.services import profiles, workshop
from drumbo.store.database import Workshop
from tests.conftest import Begun


def _fields(page: str) -> dict[str, str]:
    """What a browser would send of a form that nobody touched."""
    form = page[page.index('id="printer-form"') if "printer-form" in page else page.index('id="label-form"') :]
    found: dict[str, str] = {}
    for tag in re.findall(r"<input[^>]*>", form):
        name, value = (re.search(rf'\b{key}="([^"]*)"', tag) for key in ("name", "value"))
        if name and (('type="checkbox"' not in tag) or " checked" in tag):
            found[name[1]] = html.unescape(value[1]) if value else ""
    for name, options in re.findall(r'<select[^>]*name="([^"]+)"[^>]*>(.*?)</select>', form, re.S):
        chosen = re.search(r'value="([^"]*)"\s+selected', options)
        found[name] = html.unescape(chosen[1]) if chosen else ""
    for name, text in re.findall(r'<textarea[^>]*name="([^"]+)"[^>]*>(.*?)</textarea>', form, re.S):
        found[name] = html.unescape(text).replace("\n", "\r\n")
    return found


def test_a_printer_form_that_nobody_touched_saves_as_ever(client: FlaskClient, begun: Begun, house: Workshop) -> None:
    page = f"/printers/{begun.printer}/edit"
    before = workshop.printer(house, begun.printer)
    assert client.post(page, data=_fields(client.get(page).text)).status_code == 302
    assert workshop.printer(house, begun.printer) == before


def test_of_two_tabs_the_later_one_is_told_and_takes_over_what_it_left_alone(
    client: FlaskClient, begun: Begun, house: Workshop
) -> None:
    page = f"/printers/{begun.printer}/edit"
    one, two = _fields(client.get(page).text), _fields(client.get(page).text)
    assert client.post(page, data={**one, "accel_mm_s2": "2500", "name": "Petrel Two"}).status_code == 302
    answer = client.post(page, data={**two, "junction_mm_s": "9", "name": "Petrel Three"})
    assert answer.status_code == 409
    assert "changed elsewhere" in answer.text
    assert "Petrel Two" in answer.text
    assert "Petrel Three" in answer.text
    kept = workshop.printer(house, begun.printer)
    assert (kept.name, kept.accel_mm_s2, kept.junction_mm_s) == ("Petrel Two", 2500, kept.junction_mm_s)
    again = _fields(answer.text)
    assert (again["accel_mm_s2"], again["junction_mm_s"], again["name"]) == ("2500", "9", "Petrel Three")
    assert client.post(page, data=again).status_code == 302
    kept = workshop.printer(house, begun.printer)
    assert (kept.name, kept.accel_mm_s2, kept.junction_mm_s) == ("Petrel Three", 2500, 9)


def test_what_was_printed_meanwhile_is_not_put_back_onto_the_spool(
    client: FlaskClient, begun: Begun, house: Workshop
) -> None:
    page = f"/materials/{begun.spool}/edit"
    mine = _fields(client.get(page).text)
    assert client.post(page, data={**mine, "spool_g": "512.5"}).status_code == 302
    answer = client.post(page, data={**mine, "notes": "rewound"})
    assert answer.status_code == 409
    assert _fields(answer.text)["spool_g"] == "512.5"
    assert client.post(page, data=_fields(answer.text)).status_code == 302
    held = workshop.material(house, begun.spool)
    assert (held.spool_g, held.notes) == (512.5, "rewound")


def test_a_value_that_was_set_elsewhere_meanwhile_is_told(client: FlaskClient, begun: Begun, house: Workshop) -> None:
    page = f"/profiles/{begun.profile}/values/nozzle_c"
    was = re.search(r'name="was" value="([^"]+)"', client.get(page).text)
    assert was is not None
    assert client.post(page, data={"number": "222", "was": was[1]}).status_code == 200
    late = client.post(page, data={"number": "218", "was": was[1]})
    assert late.status_code == 409
    assert "set to 222 elsewhere meanwhile" in late.text
    assert profiles.sheet(house, begun.profile).profile.number("nozzle_c") == 222
    fresh = re.search(r'name="was" value="([^"]+)"', late.text)
    assert fresh is not None
    assert client.post(page, data={"number": "218", "was": fresh[1]}).status_code == 200
    assert profiles.sheet(house, begun.profile).profile.number("nozzle_c") == 218


def test_made_up_pasts_are_no_past(client: FlaskClient, begun: Begun) -> None:
    page = f"/printers/{begun.printer}/edit"
    form = _fields(client.get(page).text)
    for was in ("", "[]", "{", "1", "[" * 2000, '{"name": 3}'):
        assert client.post(page, data={**form, "was": was}).status_code in {302, 409}
