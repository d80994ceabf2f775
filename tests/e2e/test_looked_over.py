"""Nobody is kept out: some pages, wide and narrow. `make a11y` looks over all of them."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect

from tests.e2e.conftest import Site
from tests.e2e.looked_over import demo_site, wrong_on

pytestmark = pytest.mark.filterwarnings("ignore::ResourceWarning")

PAGES = (
    "/", "/profiles/2", "/profiles/1/trials/new/temperature", "/trials/1/read", "/trials/15/read", "/trials/8/adopt",
    "/materials/new", "/pairs/1", "/guide/", "/profiles/2/plates/new?piece=flow-surface&piece=retraction-length",
)  # fmt: skip


@pytest.fixture(scope="module")
def site(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Site]:
    yield from demo_site(tmp_path_factory.mktemp("demo") / "workshop")


@pytest.mark.parametrize("path", PAGES)
def test_nobody_is_kept_out(browser: object, site: Site, path: str) -> None:
    assert wrong_on(browser, site, path, (1280, 320)) == {}


PARTS = [("/profiles/1/values/nozzle_c", "Nozzle, other layers"), ("/planner/answer?profile=1", "mm³/s"),
         ("/now", "Waiting for you")]  # fmt: skip


@pytest.mark.parametrize(("path", "holds"), PARTS)
def test_an_address_that_a_page_asks_for_in_parts_is_a_whole_page_by_itself(
    page: Page, site: Site, path: str, holds: str
) -> None:
    page.goto(f"{site.base}{path}")
    expect(page.get_by_role("navigation", name="Main")).to_be_visible()
    expect(page.locator("main")).to_contain_text(holds)


def test_the_guide_opens_at_the_side_by_its_key_and_lets_the_focus_back(page: Page, site: Site) -> None:
    page.goto(f"{site.base}/trials/2/read")
    page.keyboard.press("?")
    side = page.get_by_role("complementary", name="Guide")
    expect(side.get_by_role("heading", name="Flow by surface")).to_be_focused()
    page.keyboard.press("Escape")
    expect(side).to_be_hidden()
    expect(page.get_by_role("link", name="Guide")).to_be_focused()
    page.keyboard.press("?")
    side.get_by_role("button", name="Close").click()
    expect(side).to_be_hidden()
    note = page.get_by_label("Read by")
    note.fill("why")
    note.press("?")
    expect(side).to_be_hidden()
