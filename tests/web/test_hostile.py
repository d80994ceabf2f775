"""Every address of the application with identifiers and values that cannot be: a page with words, never a 500."""

from __future__ import annotations

import io
import re
from collections.abc import Iterator
from urllib.parse import quote

import pytest
from flask.testing import FlaskClient
from werkzeug.exceptions import MethodNotAllowed, NotFound
from werkzeug.routing import RequestRedirect, Rule

from drumbo.web import page_above
from tests.conftest import Begun

NUMBERS = ("1", "0", "99", "9223372036854775808", "1" * 400, "-1", "%00")
WORDS = ("temperature", "exposure-coupon", "nozzle_c", "exposure_s", "nope", "0" * 64, "..", "%00", "é" * 40, "x" * 300)
ENDS_NOTHING = frozenset({"trials.start", "settings.backup", "printers.look_for", "printers.try_link"})
"""What would begin real work of many seconds; each has tests of its own."""
FIELDS = """
    number name step aspect score profile part key take p page q was material_id printer_id layer_um process from to
    along length ax first hot_c revision confirmed row beside set count start code label note side of
""".split()
"""Names that any form or query here goes by."""
HOSTILE = ("1e400", "9" * 5000, " " * 3000, "\x00", "nan", "-", "<b>", "1:2:3", "é")


def _paths(rule: Rule, values: dict[str, tuple[str, ...]]) -> Iterator[str]:
    longest = max((len(found) for found in values.values()), default=1)
    for k in range(longest):
        path = rule.rule
        for name, found in values.items():
            path = re.sub(rf"<[^<>]*\b{name}>", found[k % len(found)], path)
        yield path


def _choices(rule: Rule) -> dict[str, tuple[str, ...]]:
    found: dict[str, tuple[str, ...]] = {}
    for name in rule.arguments:
        kind = type(rule._converters[name]).__name__
        known = tuple(re.findall(r"[\w-]+", rule._converters[name].regex))
        found[name] = NUMBERS if kind == "RowNumber" else known if kind == "AnyConverter" else WORDS
    return found


@pytest.mark.parametrize("method", ["GET", "POST"])
def test_every_address_answers_in_words(client: FlaskClient, begun: Begun, printed: int, method: str) -> None:
    client.application.config["PROPAGATE_EXCEPTIONS"] = False
    client.application.config["TESTING"] = False
    rules = [rule for rule in client.application.url_map.iter_rules() if method in (rule.methods or ())]
    assert len(rules) > 40
    bad: list[str] = []
    for rule in rules:
        if rule.endpoint in ENDS_NOTHING:
            continue
        for k, path in enumerate(_paths(rule, _choices(rule))):
            typed = {name: HOSTILE[(k + n) % len(HOSTILE)] for n, name in enumerate(FIELDS)}
            if method == "GET":
                answer = client.get(path, query_string={name: value[:900] for name, value in typed.items()})
            else:
                files = {
                    name: (io.BytesIO(b"\x89PNG" + b"\xff" * 40), "x")
                    for name in ("file", "photo", "other", "part_file")
                }
                answer = client.post(path, data={**typed, **(files if k % 2 else {})})
            answer.close()
            if answer.status_code >= 500 and answer.status_code != 503:
                bad.append(f"{method} {quote(path)[:120]}: {answer.status_code}")
    assert not bad


def test_an_address_that_is_only_sent_to_leads_to_the_page_above_it(
    client: FlaskClient, begun: Begun, printed: int
) -> None:
    known = client.application.url_map.bind("")
    tried = 0
    for rule in client.application.url_map.iter_rules():
        path = re.sub(r"<[^>]*>", "1", rule.rule)
        try:
            known.match(path, method="GET")
        except MethodNotAllowed:
            tried += 1
            answer = client.get(path)
            where = answer.headers["Location"]
            assert (answer.status_code, path.startswith(where.rstrip("/"))) == (303, True), path
            known.match(where, method="GET")
        except (NotFound, RequestRedirect):
            pass  # no such leaf, slug or key
    assert tried > 40
    assert client.get(f"/trials/{printed}/start", follow_redirects=True).status_code == 200
    for path in ("//trials/1/start", "/trials/1/start/"):
        assert page_above(client.application, path) == "/trials/1"
    assert page_above(client.application, "//no.such.host/start") == "/", "and never to another host"
    assert client.put("/trials/1/start").status_code == 405
