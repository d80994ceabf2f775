"""What is pressed before the page listens is not lost."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, Route, expect

from tests.e2e.conftest import Site

pytestmark = pytest.mark.filterwarnings("ignore::ResourceWarning")


def test_a_press_before_the_page_listens_is_done_once_it_does(page: Page, site: Site) -> None:
    held: list[Route] = []

    def hold(route: Route) -> None:
        held.append(route)

    page.route("**/htmx.min.js*", hold)
    page.goto(f"{site.base}/printers/1", wait_until="commit")
    page.get_by_role("button", name="Test the connection").click()
    assert page.evaluate("typeof htmx") == "undefined"
    held[0].continue_()
    expect(page.get_by_text("It answers")).to_be_visible()
