"""Numbers and times as a browser writes them: what a person reads has commas, what machines take keeps its points."""

from __future__ import annotations

import io
import re
import zipfile
from datetime import datetime
from html.parser import HTMLParser

import pytest
from flask.testing import FlaskClient
from hypothesis import given
from hypothesis import strategies as st

from drumbo.services import trials, usual, workshop
from drumbo.store.database import Workshop
from drumbo.web.filters import done_by
from drumbo.web.written import COOKIE, with_commas
from tests.conftest import LABEL, Begun
from tests.web.test_typed_stays import Form

POINT, COMMA = re.compile(r"(?<![\w.,])\d+\.\d+(?!\w|[.,]\w)"), re.compile(r"\d,\d")
MACHINES = {"code", "pre", "kbd", "samp", "script", "style", "textarea"}


class Read(HTMLParser):
    """What a person reads of a page, and beside it what machines take."""

    def __init__(self, page: str) -> None:
        super().__init__(convert_charrefs=True)
        self._within: list[tuple[str, bool]] = []
        self.words: list[str] = []
        self.exact: list[str] = []
        self.feed(page)
        self.close()

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        told = dict(attrs)
        self.words += [told[name] or "" for name in ("aria-label", "title", "alt", "placeholder") if name in told]
        if tag in {"input", "img", "br", "hr", "link", "meta", "source", "wbr"}:
            if tag == "input" and told.get("inputmode") == "decimal":
                self.words.append(told.get("value") or "")
            return
        exact = bool(self._within and self._within[-1][1]) or tag in MACHINES or told.get("translate") == "no"
        self._within.append((tag, exact))

    def handle_startendtag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        pass  # a shape of a drawing: nobody reads it

    def handle_endtag(self, tag: str) -> None:
        while self._within and self._within.pop()[0] != tag:
            pass

    def handle_data(self, data: str) -> None:
        exact = bool(self._within and self._within[-1][1])
        (self.exact if exact else self.words).append(data)


@pytest.fixture
def in_commas(client: FlaskClient) -> FlaskClient:
    chosen = {"decimal": "comma", "clock": "12", "degrees": "both"}
    assert client.post("/settings/writing", data=chosen).status_code == 302
    return client


def _pages(begun: Begun, trial: int) -> list[str]:
    one = f"/profiles/{begun.profile}"
    leaves = [f"/trials/{trial}/{leaf}" for leaf in ("plan", "print", "read", "adopt")]
    return ["/", "/profiles/", one, f"{one}/history", f"{one}/value/flow_ratio", f"/materials/{begun.spool}",
            f"/printers/{begun.printer}/edit", "/planner/", "/settings/", *leaves]  # fmt: skip


def test_every_number_that_is_read_has_a_comma_and_nothing_else_changes(
    client: FlaskClient, in_commas: FlaskClient, begun: Begun, printed: int
) -> None:
    seen = 0
    for path in _pages(begun, printed):
        client.delete_cookie(COOKIE)
        plain = client.get(path).text
        client.set_cookie(COOKIE, "comma.24.c")
        only_commas = client.get(path).text
        words, exact = Read(only_commas).words, Read(only_commas).exact
        assert not [text for text in words if POINT.search(text)], path
        assert exact == Read(plain).exact, path
        seen += sum(len(COMMA.findall(text)) for text in words)
        # With its commas turned back it is the page that others see: nothing was lost, nothing else was touched.
        marks = plain.replace("data-bs-theme", 'data-decimal="comma" data-bs-theme', 1)
        assert len(only_commas) == len(marks), path
        differs = {(a, b) for a, b in zip(Read(plain).words, words, strict=True) if a != b}
        assert all(re.sub(r"(?<=\d),(?=\d)", ".", b) == re.sub(r"(?<=\d),(?=\d)", ".", a) for a, b in differs), path
        client.set_cookie(COOKIE, "comma.12.both")
    assert seen > 40


def test_what_a_form_shows_in_commas_is_taken_as_what_it_shows_in_points(
    client: FlaskClient, in_commas: FlaskClient, house: Workshop, begun: Begun
) -> None:
    path = f"/profiles/{begun.profile}/trials/new/retraction-length"
    shown = Form(in_commas.get(path).text, "step_mm")
    client.delete_cookie(COOKIE)
    plain = Form(client.get(path).text, "step_mm")
    differ = {key for key in plain.values if plain.values[key] != shown.values[key]} - {"csrf_token"}
    assert {key for key in plain.numbers if "." in plain.values[key]} == differ
    assert differ, "the plan holds a broken number"
    made = []
    for values in (plain.values, shown.values):
        answer = client.post(path, data=values)
        assert answer.status_code == 302
        made.append(trials.sheet(house, int(answer.headers["Location"].split("/")[2])).plan)
    assert made[0] == made[1]


def test_what_a_slicer_takes_keeps_its_points(in_commas: FlaskClient, begun: Begun) -> None:
    one = f"/profiles/{begun.profile}"
    sheet = in_commas.get(f"{one}/sheet").text
    assert any(POINT.search(text) for text in Read(sheet).exact), "the sheet's values"
    ways = re.findall(rf'href="({one}/as/[^"?]+)"', in_commas.get(f"{one}/out").text)
    assert len(ways) >= 2
    for way in ways:
        file = _inside(in_commas.get(way).data)
        in_commas.delete_cookie(COOKIE)
        assert _inside(in_commas.get(way).data) == file, way
        in_commas.set_cookie(COOKIE, "comma.12.both")


def _inside(file: bytes) -> object:
    """What a file holds; packed files also tell when they were packed."""
    if not file.startswith(b"PK"):
        return file
    with zipfile.ZipFile(io.BytesIO(file)) as packed:
        return {name: packed.read(name) for name in packed.namelist()}


@given(st.lists(st.one_of(
    st.sampled_from(["0.4", "12.50 mm", "127.0.0.1", "K0.04", "v1.2.3", "1.5.stl", "a.b", "3.", ".5", "1,5", "2.0%"]),
    st.text("<>&\"' .,09abß°", max_size=8).map(lambda text: text.replace("<", "&lt;").replace(">", "&gt;")),
), max_size=12))  # fmt: skip
def test_twice_is_once_and_code_is_never_touched(parts: list[str]) -> None:
    text = " ".join(parts)
    page = f'<p>{text}</p><pre>{text}</pre><p translate="no"><b>{text}</b></p>'
    once = with_commas(page)
    assert with_commas(once) == once
    assert once.endswith(f'</p><pre>{text}</pre><p translate="no"><b>{text}</b></p>')
    assert [len(part) for part in once.split("</p>")] == [len(part) for part in page.split("</p>")]
    assert once.replace(",", ".") == page.replace(",", ".")


def test_numbers_that_are_names_of_something_stay(in_commas: FlaskClient) -> None:
    stays = "127.0.0.1 K0.04 v1.5 plate_0.4 tower-1.5.gcode 1.2.3 G1X10.5Y3.2"
    assert with_commas(f"<p>{stays}</p>") == f"<p>{stays}</p>"
    assert with_commas("<p>It is 0.965. Then ±0.4 mm, −1.5 and 0.2–0.3</p>") == (
        "<p>It is 0,965. Then ±0,4 mm, −1,5 and 0,2–0,3</p>"
    )
    nested = "<code>1.5 <code>2.5</code> 3.5</code> 4.5"
    assert with_commas(nested) == "<code>1.5 <code>2.5</code> 3.5</code> 4,5"


def test_twelve_hours_have_their_half_of_the_day(client: FlaskClient) -> None:
    evening, midnight = datetime(2026, 11, 3, 19, 2), datetime(2026, 11, 3, 22, 50)
    with client.application.test_request_context(headers={"Cookie": f"{COOKIE}=point.12.c"}):
        assert done_by(5400, evening) == "Begun now, it is done at about 8:40 pm; begun before 10:25 pm, by midnight."
        assert done_by(5400, midnight) == "Begun now, it is done at about 12:25 am tomorrow."
    with client.application.test_request_context(headers={"Cookie": f"{COOKIE}=nonsense"}):
        assert done_by(5400, evening).startswith("Begun now, it is done at about 20:40")


def test_fahrenheit_stands_beside_and_never_instead(client: FlaskClient, begun: Begun) -> None:
    one = f"/profiles/{begun.profile}"
    assert "°F" not in client.get(one).text
    client.set_cookie(COOKIE, "point.24.both")
    page = " ".join(client.get(one).text.split())
    assert re.search(r'<td class="n">210</td> <td class="u"><span class="pm"></span>°C \(410 °F\)</td>', page)
    assert "(32 °F)" not in page, "a chamber that is off is not at freezing point"
    assert "°C (410 °F)" in client.get(f"{one}/sheet").text


@pytest.mark.parametrize("wrong", [{"decimal": "dot", "clock": "24", "degrees": "c"}, {"decimal": "comma"}, {}])
def test_what_is_not_offered_changes_nothing(client: FlaskClient, wrong: dict[str, str]) -> None:
    client.set_cookie(COOKIE, "comma.24.c")
    answer = client.post("/settings/writing", data=wrong)
    assert answer.status_code == 422
    assert COOKIE not in answer.headers.get("Set-Cookie", "")
    assert 'data-decimal="comma"' in client.get("/").text


def test_who_reads_and_what_is_paid_in_are_said_once(
    client: FlaskClient, house: Workshop, begun: Begun, printed: int
) -> None:
    assert usual.settings(house) == {"reader": "", "currency": ""}
    assert trials.sheet(house, printed).readings.reader == ""
    assert client.post("/settings/usual", data={"reader": "  Ansa of   the hut", "currency": "kr"}).status_code == 302
    assert trials.sheet(house, printed).readings.reader == "Ansa of the hut"
    assert 'value="kr"' in client.get("/materials/new").text
    workshop.save_material(house, {**LABEL, "product": "Auk PLA", "currency": "$"})
    assert usual.currency(house) == "kr", "what was said holds, whatever one spool was paid in"
    client.post("/settings/usual", data={"reader": "", "currency": ""})
    assert usual.currency(house) == "$"
    assert trials.sheet(house, printed).readings.reader == ""


def test_what_cannot_be_usual_is_named_and_stays_typed(client: FlaskClient, house: Workshop) -> None:
    usual.keep(house, {"reader": "Ansa", "currency": "€"})
    answer = client.post("/settings/usual", data={"reader": "Brim", "currency": "crowns"})
    assert answer.status_code == 422
    form = Form(answer.text, "reader")
    assert (form.values["reader"], form.values["currency"]) == ("Brim", "crowns")
    assert any(alert.startswith("Currency is longer") for alert in form.alerts)
    assert usual.settings(house) == {"reader": "Ansa", "currency": "€"}, "nothing of it was kept"
