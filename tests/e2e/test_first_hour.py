"""From nothing to a first trial that is printed: what somebody does who sees Drumbo for the first time."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect

from drumbo.links.practice import answers
from drumbo.services import workshop
from drumbo.services.practice import PracticeHall
from drumbo.services.prints import PrintManager
from drumbo.store.database import Workshop
from tests.e2e.conftest import Site, served

pytestmark = pytest.mark.filterwarnings("ignore::ResourceWarning")


@pytest.fixture(scope="module")
def site(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Site]:
    """An empty workshop."""
    house = Workshop(tmp_path_factory.mktemp("empty"))
    room = PrintManager(house, {"answer_s": 2.0, "told_s": 2.0})
    room.practice = PracticeHall(house, pace=1e6)
    yield from served(house, room)


def test_three_steps_lead_to_a_printed_trial(page: Page, site: Site) -> None:
    page.goto(site.base)
    steps = page.locator(".steps > li")
    expect(steps.nth(0)).to_have_class("now")
    page.get_by_role("button", name="Practise on a simulated printer").click()
    expect(steps.nth(0)).to_contain_text("Practice printer")
    expect(steps.nth(1)).to_have_class("now")
    page.get_by_role("link", name="Add a spool").click()
    page.get_by_label("Maker").fill("Skerry Filament")
    page.get_by_label("Product").fill("Razorbill PLA")
    shown = page.get_by_label("Shown as")
    usual = shown.input_value()
    page.get_by_label("Colour").fill("heather")
    assert shown.input_value() == usual
    page.get_by_label("Colour").fill("slate blue")
    assert shown.input_value() == "#2f5fa5"
    page.get_by_role("button", name="Add the spool").click()
    expect(steps.nth(2)).to_have_class("now")
    page.get_by_role("button", name="Plan the first trial").click()
    expect(page.get_by_role("heading", name="Temperature tower")).to_be_visible()
    page.get_by_role("button", name="Make the file").click()
    page.get_by_role("button", name="Print it").click()
    page.get_by_role("link", name="Read it").click()
    page.goto(site.base)
    expect(page.get_by_role("heading", name="Bench")).to_be_visible()
    expect(page.locator(".steps")).to_have_count(0)


def test_one_that_is_gone_is_started_anew_and_still_knows_what_it_printed(page: Page, site: Site) -> None:
    ((number, before),) = workshop.printers(site.house)
    site.room.practice.close()
    assert not answers(before.camera_url)
    assert site.room.practice.add() == number, "there is one of them, not two"
    after = workshop.printer(site.house, number)
    assert after.link_url != before.link_url
    assert answers(after.camera_url)
    assert site.room.practice.wake() == 0
    page.goto(f"{site.base}/trials/1/read")
    page.get_by_role("button", name="What would a practised").click()
    expect(page.locator("#verdict .big")).to_be_visible()


def test_the_search_goes_by_key(page: Page, site: Site) -> None:
    page.goto(f"{site.base}/printers/")
    page.keyboard.press("/")
    hits = page.locator("#hits a")
    expect(hits.first).to_contain_text("Razorbill PLA, slate blue")
    page.keyboard.type("backup")
    expect(hits.first).to_contain_text("Download a backup")
    page.keyboard.press("ArrowDown")
    expect(hits.first).to_be_focused()
    page.keyboard.press("ArrowUp")
    expect(page.locator("#find")).to_be_focused()
    page.keyboard.type("s")
    page.keyboard.press("Escape")
    page.wait_for_timeout(500)
    expect(hits).to_have_count(0)
    page.keyboard.type("/slate")
    expect(hits.first).to_contain_text("Razorbill PLA, slate blue")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Razorbill PLA, slate blue")).to_be_visible()


def test_a_usual_printer_needs_three_choices(page: Page, site: Site) -> None:
    empty = Workshop(site.house.folder / "another")
    other = served(empty, PrintManager(empty))
    try:
        page.goto(next(other).base)
        page.locator("#f-name").evaluate("field => field.removeAttribute('maxlength')")
        page.get_by_label("Name").fill("p" * 99)
        page.get_by_label("Drive").select_option("bowden")
        page.get_by_role("button", name="Add it").click()
        expect(page.get_by_role("alert")).to_be_visible()
        expect(page.get_by_label("Drive")).to_have_value("bowden")
        page.get_by_label("Name").fill("Petrel One")
        page.get_by_label("Room to print in").select_option("180x180x180")
        page.get_by_role("button", name="Add it").click()
        expect(page.locator(".steps > li").nth(0)).to_contain_text("Petrel One")
        ((_, made),) = workshop.printers(empty)
        assert (made.drive, made.bed_x_mm, made.height_mm) == ("bowden", 180.0, 180.0)
    finally:
        for _ in other:
            pass
