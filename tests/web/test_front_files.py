"""Templates and styles as files: what keeps them readable is held here, as a linter holds code."""

from __future__ import annotations

import gzip
import re
from collections import defaultdict
from pathlib import Path

from flask.testing import FlaskClient

import drumbo.web

WEB = Path(drumbo.web.__file__).parent
TEMPLATES = sorted((WEB / "templates").rglob("*.html"))
LONGEST_LINE = 140
COMPUTED = re.compile(r'style="(--)?[\w-]+:\s*\{\{')
EVERYWHERE = {"phone", "sheet"}
"""These two say how other components look on a small screen and on paper."""


def test_templates_have_short_lines_and_no_style_but_computed_ones() -> None:
    assert len(TEMPLATES) > 60
    for path in TEMPLATES:
        for number, line in enumerate(path.read_text().splitlines(), start=1):
            assert len(line) <= LONGEST_LINE, f"{path.name}:{number} is {len(line)} long"
            assert 'style="' not in line or COMPUTED.search(line), f"{path.name}:{number} has a style of its own"


def test_templates_change_no_values_and_sum_nothing_up() -> None:
    banned = re.compile(r"\{%-?\s*do\b|\|\s*(sum|groupby|batch)\b|\.(append|update|pop|setdefault)\(|namespace\(")
    for path in TEMPLATES:
        assert not banned.search(path.read_text()), path.name


def test_each_class_begins_selectors_of_one_component_only() -> None:
    homes: dict[str, set[str]] = defaultdict(set)
    for part in drumbo.web.STYLE_SHEETS:
        if part in EVERYWHERE:
            continue
        text = re.sub(r"/\*.*?\*/", "", (WEB / "static" / "css" / f"{part}.css").read_text(), flags=re.S)
        for selectors in re.findall(r"(?:^|[{}])\s*([^{}@]+)\{", text):
            for selector in selectors.split(","):
                first = re.match(r"\s*(?:[a-z]+)?\.([a-zA-Z][\w-]*)", selector)
                if first:
                    homes[first[1]].add(part)
    assert len(homes) > 120
    assert not {name: parts for name, parts in homes.items() if len(parts) > 1}


def test_every_style_sheet_is_among_those_that_are_served() -> None:
    assert {path.stem for path in (WEB / "static" / "css").glob("*.css")} == set(drumbo.web.STYLE_SHEETS)


def test_answers_of_text_go_out_packed_where_that_is_taken(client: FlaskClient) -> None:
    plain, asked = client.get("/guide/"), {"Accept-Encoding": "gzip, br"}
    packed = client.get("/guide/", headers=asked)
    assert (plain.content_encoding, packed.content_encoding) == (None, "gzip")
    assert _without_token(gzip.decompress(packed.data)) == _without_token(plain.data)
    assert len(packed.data) < 0.5 * len(plain.data)
    assert "Accept-Encoding" in plain.headers["Vary"]
    (sheet,) = re.findall(r'href="(/static/vendor/bootstrap[^"]+)"', plain.text)
    with client.get(sheet, headers=asked) as style, client.get(sheet) as again:
        assert gzip.decompress(style.data) == again.data
        known = {**asked, "If-None-Match": style.headers["ETag"]}
    with client.get(sheet, headers=known) as same:
        assert same.status_code == 304
    with client.get("/settings/backup.zip", headers=asked) as whole:
        assert whole.content_encoding is None, "what is packed already stays as it is"


def _without_token(page: bytes) -> bytes:
    """Each page has its own."""
    return re.sub(rb'"X-CSRFToken": "[^"]+"', b"", page)
