"""The guide in the application: every kind and page has its section, all links lead on, the search finds it."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from flask.testing import FlaskClient

from drumbo.trials import kinds
from drumbo.web.guide import PLACES, find, section_for, sections
from tests.conftest import Begun

GUIDE = Path(__file__).parents[2] / "docs" / "guide.md"


def test_it_is_the_guide_of_the_docs_whole_and_by_sections(client: FlaskClient) -> None:
    titles = re.findall(r"^## (.+)$", GUIDE.read_text(), flags=re.MULTILINE)
    page = client.get("/guide/").text
    assert [page.index(f"<h2>{title}</h2>") for title in titles] == sorted(
        page.index(f"<h2>{title}</h2>") for title in titles
    )
    assert "<table>" in page
    assert "**" not in page
    for address in set(re.findall(r'href="(/guide/[^"#]+)"', page)):
        assert client.get(address).status_code == 200, address
    assert ".md" not in page, "what is not here is no link"
    assert client.get("/guide/nothing").status_code == 404
    part = client.get("/guide/retraction", headers={"HX-Request": "true"}).text
    assert part.startswith('<div class="side-head">')


@pytest.mark.parametrize("slug", kinds())
def test_every_kind_has_its_section(client: FlaskClient, begun: Begun, slug: str) -> None:
    kind = kinds()[slug]
    assert kind.title.lower() in sections()[section_for("trials", kind.title)].words
    if kind.process == "filament":
        wanted = section_for("trials", kind.title)
        assert f'href="/guide/{wanted}"' in client.get(f"/profiles/{begun.profile}/trials/new/{slug}").text


def test_every_page_has_one_that_helps(client: FlaskClient) -> None:
    assert set(PLACES.values()) <= set(sections())
    assert {name for name in client.application.blueprints if name != "guide"} == set(PLACES)


def test_the_search_finds_sections_by_all_words_headings_first(client: FlaskClient) -> None:
    assert find("retraction")[0].slug == "retraction"
    assert "two-materials" in [section.slug for section in find("purge dovetail")]
    assert find(" ") == []
    assert find("xyzzy") == []
    assert "/guide/speed-planner" in client.get("/search?q=speed+planner").text
