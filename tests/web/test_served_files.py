"""Fonts, scripts and styles: asked for once, and kept until they change."""

from __future__ import annotations

import re
from pathlib import Path
from urllib.parse import urljoin

from flask.testing import FlaskClient

import drumbo.web
from tests.conftest import Begun


def test_fonts_are_there_before_the_first_letter_and_asked_for_once(client: FlaskClient) -> None:
    fonts = re.findall(r'rel="preload" as="font"[^>]*href="/static/([^"]*)"', client.get("/").text)
    assert len(fonts) == 2
    with client.get("/static/css/drumbo.css") as sheet:
        style = sheet.get_data(as_text=True)
    assert all(f"url(../{font})" in style for font in fonts)
    for font in fonts:
        with client.get(f"/static/{font}") as answer:
            assert "immutable" in answer.headers["Cache-Control"]


def test_scripts_and_styles_are_asked_for_once_until_they_change(client: FlaskClient) -> None:
    page = client.get("/").text
    marked = re.findall(r'(?:src|href)="(/static/[^"]+\.(?:js|css)\?v=\w+)"', page)
    assert len(marked) == 3
    for address in marked:
        for asked, kept in ((address, True), (address.split("?")[0], False)):
            with client.get(asked) as answer:
                assert ("immutable" in answer.headers["Cache-Control"]) is kept


def test_scripts_are_kept_with_all_that_they_import_until_one_of_them_changes(
    client: FlaskClient, begun: Begun
) -> None:
    seen: set[str] = set()
    waiting = re.findall(r'src="(/static/js/\w{12}/[^"]+)"', client.get("/").text)
    assert len(waiting) == 2
    waiting += [f"{waiting[0].rpartition('/')[0]}/{name}" for name in ("read/reading.js", "check/layer.js")]
    while waiting:
        address = waiting.pop()
        if address in seen:
            continue
        seen.add(address)
        with client.get(address) as answer:
            assert answer.status_code == 200, address
            assert "immutable" in answer.headers["Cache-Control"]
            waiting += [
                urljoin(address, name) for name in re.findall(r'from "(\.[^"]+)"', answer.get_data(as_text=True))
            ]
    assert len(seen) >= 14
    older = re.sub(r"/js/\w{12}/", "/js/000000000000/", min(seen))
    with client.get(older) as answer:
        assert answer.headers["Cache-Control"] == "no-cache"


def test_every_style_sheet_is_served_as_one_and_kept(client: FlaskClient) -> None:
    address = re.search(r'href="(/static/css/drumbo\.css\?v=[0-9a-f]+)"', client.get("/").text)
    assert address is not None
    answer = client.get(address[1])
    assert answer.mimetype == "text/css"
    assert "immutable" in answer.headers["Cache-Control"]
    there = {path.stem for path in (Path(drumbo.web.__file__).parent / "static" / "css").glob("*.css")}
    assert there == set(drumbo.web.STYLE_SHEETS), "none is left out"
    for font in re.findall(r'url\("?\.\./(vendor/[^")]+)"?\)', answer.text):
        with client.get(f"/static/{font}") as found:
            assert found.status_code == 200
