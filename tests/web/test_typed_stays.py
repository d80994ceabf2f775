"""Every form, filled with one thing that cannot be: it names the field and the remedy, saves nothing, and what was
typed still stands in it.
"""

from __future__ import annotations

from html.parser import HTMLParser

import pytest
from flask.testing import FlaskClient

from drumbo.services import profiles, workshop
from drumbo.store.database import Workshop
from drumbo.trials import kinds_of
from tests.conftest import Begun


class Form(HTMLParser):
    """The fields of the page's form that posts to a path: name → value, as a browser would send it."""

    def __init__(self, page: str, holds: str) -> None:
        super().__init__(convert_charrefs=True)
        self._forms: list[dict[str, str]] = []
        self._actions: list[str] = []
        self._open = False
        self._select = self._area = ""
        self._said = False
        self.numbers: list[str] = []
        self.alerts: list[str] = []
        self._alert = False
        self.feed(page)
        found = [k for k, form in enumerate(self._forms) if holds in form]
        assert len(found) == 1, f"{len(found)} forms hold {holds}"
        self.values, self.action = self._forms[found[0]], self._actions[found[0]]

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        told = {name: value or "" for name, value in attrs}
        if told.get("role") == "alert":
            self._alert = True
            self.alerts.append("")
        if tag == "form":
            self._forms.append({})
            self._actions.append(told.get("action", ""))
            self._open = True
        if not self._open:
            return
        name, form = told.get("name", ""), self._forms[-1]
        if told.get("inputmode") in {"decimal", "numeric"} and name and not name.startswith("_"):
            self.numbers.append(name)
        if tag == "input" and name and told.get("type") not in {"submit", "file"}:
            if told.get("type") not in {"radio", "checkbox"} or "checked" in told:
                form[name] = told.get("value", "")
        elif tag == "select":
            self._select, self._said = name, False
        elif tag == "option" and self._select and ("selected" in told or not self._said):
            form[self._select], self._said = told.get("value", ""), True
        elif tag == "textarea":
            self._area = name
            form[name] = ""

    def handle_endtag(self, tag: str) -> None:
        self._open = self._open and tag != "form"
        self._select = "" if tag == "select" else self._select
        self._area = "" if tag == "textarea" else self._area
        self._alert = self._alert and tag != "div"

    def handle_data(self, data: str) -> None:
        if self._area:
            self._forms[-1][self._area] += data
        if self._alert:
            self.alerts[-1] += data


def _page(client: FlaskClient, path: str, holds: str) -> Form:
    answer = client.get(path)
    assert answer.status_code == 200, path
    return Form(answer.text, holds)


def _refused(client: FlaskClient, path: str, form: Form, name: str, typed: str) -> Form:
    """The page that comes back once one field was typed into."""
    answer = client.post(form.action or path, data={**form.values, name: typed})
    assert answer.status_code == 422, (name, typed, answer.status_code)
    return Form(answer.text, name)


BAD = ("12 34", "warm", "-1e9", "7 bananas")


def _held_to(client: FlaskClient, path: str, holds: str) -> int:
    """Type each thing that cannot be into each number of a form; returns how many fields that were."""
    form = _page(client, path, holds)
    names = [name for name in form.numbers if name in form.values]
    for k, name in enumerate(names):
        typed = BAD[k % len(BAD)]
        again = _refused(client, path, form, name, typed)
        assert again.values[name] == typed, "what was typed still stands there"
        others = {key: value for key, value in again.values.items() if key not in {name, "csrf_token"}}
        assert others == {key: value for key, value in form.values.items() if key not in {name, "csrf_token"}}
        assert any(again.alerts), f"{path}: nothing is said of {name}"
        assert all(len(alert.split()) > 2 for alert in again.alerts), again.alerts
    return len(names)


@pytest.mark.parametrize("process", ["filament", "resin"])
def test_materials(client: FlaskClient, house: Workshop, process: str) -> None:
    assert _held_to(client, f"/materials/new?process={process}", "density_g_cm3") >= 2
    assert workshop.materials(house) == []


@pytest.mark.parametrize("process", ["filament", "resin"])
def test_printers(client: FlaskClient, house: Workshop, process: str) -> None:
    assert _held_to(client, f"/printers/new?process={process}", "height_mm") >= 5
    assert workshop.printers(house) == []


def test_what_there_is_already(client: FlaskClient, house: Workshop, begun: Begun) -> None:
    before = (workshop.printer(house, begun.printer), workshop.material(house, begun.spool))
    assert _held_to(client, f"/materials/{begun.spool}/edit", "density_g_cm3") >= 5
    assert _held_to(client, f"/printers/{begun.printer}/edit", "height_mm") >= 8
    assert (workshop.printer(house, begun.printer), workshop.material(house, begun.spool)) == before


@pytest.mark.parametrize("slug", kinds_of("filament"))
def test_plans(client: FlaskClient, house: Workshop, begun: Begun, slug: str) -> None:
    kind = kinds_of("filament")[slug]
    path = f"/profiles/{begun.profile}/trials/new/{slug}"
    asked = [field for field in kind.plan_type.fields() if field.kind == "number"]
    if asked:
        assert _held_to(client, path, asked[0].key) >= 1


def test_a_value_by_hand(client: FlaskClient, house: Workshop, begun: Begun) -> None:
    before = profiles.card(house, begun.profile)
    for typed in BAD:
        answer = client.post(f"/profiles/{begun.profile}/values/nozzle_c", data={"number": typed})
        assert answer.status_code == 422
        assert typed in answer.text
    assert profiles.card(house, begun.profile) == before
