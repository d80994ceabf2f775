"""What is done before a page shows: what is pressed too early is not lost, and the theme is the one that is wanted."""

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


def _becomes(page: Page, how: str) -> None:
    """Wait until the page is dark or light, as it hears of a change a moment later; and so is its ground."""
    expect(page.locator("html")).to_have_attribute("data-bs-theme", how)
    found: str = page.evaluate("getComputedStyle(document.body).backgroundColor")
    assert (int(found.removeprefix("rgb(").split(",")[0]) < 60) == (how == "dark"), found


def test_it_is_as_dark_as_the_system_until_somebody_chooses_and_paper_is_light(page: Page, site: Site) -> None:
    page.emulate_media(color_scheme="dark")
    page.goto(f"{site.base}/")
    _becomes(page, "dark")
    page.emulate_media(color_scheme="light")
    _becomes(page, "light")
    page.get_by_role("link", name="Settings").click()
    page.get_by_label("Dark", exact=True).check()
    page.get_by_role("button", name="Save light and dark").click()
    expect(page.get_by_label("Dark", exact=True)).to_be_checked()
    page.goto(f"{site.base}/printers/1")
    _becomes(page, "dark")
    page.evaluate("dispatchEvent(new Event('beforeprint'))")
    _becomes(page, "light")
    page.evaluate("dispatchEvent(new Event('afterprint'))")
    _becomes(page, "dark")
    page.goto(f"{site.base}/settings/")
    page.get_by_label("As the system has it").check()
    page.get_by_role("button", name="Save light and dark").click()
    _becomes(page, "light")
