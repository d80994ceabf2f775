"""All that a page of the demo's workshop leads to is there: pages, parts of pages, pictures and files."""

from __future__ import annotations

from collections import Counter, deque
from collections.abc import Iterator
from html.parser import HTMLParser
from urllib.parse import urljoin, urlsplit

import pytest
from flask.testing import FlaskClient
from werkzeug.exceptions import HTTPException

from drumbo.demo.run import ARCHIVE
from drumbo.services.prints import PrintManager
from drumbo.store.archive import unpack
from drumbo.store.database import Workshop
from drumbo.web import create_app
from tests.conftest import QUICK

LEADS = {"a": ("href",), "img": ("src",), "link": ("href",), "script": ("src",), "image": ("href",), "use": ("href",)}
MOST_OF_A_KIND = 2
"""So many addresses of one sort are looked at: the others differ by their number alone."""
NOT_ASKED = frozenset({"printers.try_link", "printers.look_for", "plates.facts"})
"""What talks to a printer, as none is on here; and what lays whole plates, which takes seconds."""


class Leads(HTMLParser):
    """Where a page leads: by a link, by what it loads, and by what it asks for when somebody does something."""

    def __init__(self, page: str) -> None:
        super().__init__(convert_charrefs=True)
        self.to: list[str] = []
        self.sends: list[tuple[str, str]] = []
        self._method = "GET"
        self._places: set[str] = set()
        self._points: list[tuple[str, str]] = []
        self.feed(page)
        self.close()

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        told = {name: value or "" for name, value in attrs}
        self.to += [told[name] for name in LEADS.get(tag, ()) if told.get(name)]
        if told.get("hx-get"):
            # A form or a field asks with what stands in it, others with what they include.
            if tag in {"form", "input", "select"} or "hx-include" in told:
                self.sends.append(("GET", told["hx-get"]))
            else:
                self.to.append(told["hx-get"])
        self._places.add(told.get("id", ""))
        if tag == "form":
            self._method = told.get("method", "get").upper()
            # One without an action is sent by buttons that have one.
            if "action" in told:
                self.sends.append((self._method, told["action"]))
        if told.get("hx-post"):
            self.sends.append(("POST", told["hx-post"]))
        if told.get("formaction"):
            self.sends.append((told.get("formmethod", self._method).upper(), told["formaction"]))
        for name in ("aria-controls", "aria-describedby", "aria-labelledby", "for", "list"):
            self._points += [(name, place) for place in told.get(name, "").split()]

    @property
    def dangling(self) -> list[tuple[str, str]]:
        """What points at a place of the page that is not there."""
        return [(name, place) for name, place in self._points if place not in self._places]


@pytest.fixture(scope="module")
def demo(tmp_path_factory: pytest.TempPathFactory) -> Iterator[FlaskClient]:
    """The demo's workshop as it ships, with nothing switched on."""
    folder = tmp_path_factory.mktemp("demo") / "workshop"
    unpack(ARCHIVE, folder)
    house = Workshop(folder)
    room = PrintManager(house, QUICK)
    app = create_app(house, room, secret="test")
    app.config.update(WTF_CSRF_ENABLED=False, TESTING=True)
    with app.test_client() as client:
        yield client
    room.close()
    house.close()


def test_nothing_leads_nowhere(demo: FlaskClient) -> None:
    adapter = demo.application.url_map.bind("localhost")
    seen: Counter[str] = Counter()
    wait, known = deque([("/", "the address bar")]), {"/"}
    sends: dict[tuple[str, str], str] = {}
    while wait:
        path, source = wait.popleft()
        try:
            endpoint, given = adapter.match(urlsplit(path).path, method="GET")
        except HTTPException as error:
            pytest.fail(f"{source} leads to {path}: {error.code}")
        words = [str(value) for value in given.values() if not str(value).isdigit()]
        sort = " ".join([endpoint, *words]) if endpoint not in {"static", "script"} else path
        if endpoint in NOT_ASKED or seen[sort] >= MOST_OF_A_KIND:
            continue
        seen[sort] += 1
        with demo.get(path) as answer:
            assert answer.status_code in {200, 302, 303}, f"{source} leads to {path}: {answer.status_code}"
            if answer.status_code != 200:
                to = answer.headers["Location"]
            page = answer.get_data(as_text=True) if answer.mimetype == "text/html" else ""
        leads = Leads(page)
        if answer.status_code != 200:
            leads.to.append(to)
        if page.lstrip().lower().startswith("<!doctype"):
            assert leads.dangling == [], path
        for method, action in leads.sends:
            sends.setdefault((method, urlsplit(urljoin(path, action)).path), path)
        for lead in leads.to:
            whole = urlsplit(urljoin(f"http://localhost{path}", lead))
            assert whole.netloc == "localhost" or whole.scheme == "data", f"{path} leads out of the house: {lead}"
            address = whole.path + (f"?{whole.query}" if whole.query else "")
            if whole.scheme != "data" and address not in known:
                known.add(address)
                wait.append((address, path))
    for (method, action), source in sends.items():
        assert adapter.test(action, method=method), f"{source} sends to {action} by {method}"
    assert len(seen) > 80, "most of the house was looked at"
    assert len(sends) > 60
