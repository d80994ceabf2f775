"""A print seen while it goes on, on a phone: step, layer and time left; paused before a layer and taken up again."""

from __future__ import annotations

import re
from dataclasses import asdict
from typing import Any

import pytest
from playwright.sync_api import Browser, Page, Route, expect

from drumbo.core.printer import Printer
from drumbo.links.practice import running, start_standin
from drumbo.services import profiles, trials, workshop
from tests.conftest import LABEL
from tests.e2e.conftest import Site

pytestmark = pytest.mark.filterwarnings("ignore::ResourceWarning")

SMALL: dict[str, Any] = {"hot_c": 220, "cold_c": 200, "step_c": 10, "step_mm": 8, "first_c": 215, "aim": "balanced"}


def _hold_while_it_pauses(page: Page, site: Site, trial: int) -> None:
    """The page comes anew only after the button is let go, so that the press is not lost."""
    page.get_by_text("Change speed or flow").click()
    page.get_by_label("Speed", exact=True).focus()
    while True:
        # Until it is held: words above it may have moved it just then.
        page.get_by_role("button", name="Stop the print").hover()
        page.mouse.down()
        if page.evaluate("document.querySelector('#stop:active') !== null"):
            break
        page.mouse.up()
    site.room.pause(trials.sheet(site.house, trial).run.id)
    while trials.sheet(site.house, trial).run.state != "paused":
        page.wait_for_timeout(100)
    page.wait_for_timeout(3_000)
    expect(page.get_by_role("button", name="Pause")).to_be_visible()


def test_a_print_is_followed_and_paused_on_a_phone(browser: Browser, site: Site) -> None:
    page = browser.new_page(viewport={"width": 390, "height": 844})
    with running(start_standin(pace=150.0)) as device:
        spec = {**asdict(Printer("Shag Four")), "link_url": device.link_url, "camera_url": device.camera_url}
        printer = workshop.save_printer(site.house, spec)
        spool = workshop.save_material(site.house, {**LABEL, "product": "Shag PLA"}, spool_seed=8)
        profile = profiles.create(site.house, spool, printer, "Shag PLA, chalk on Shag Four")
        trial = trials.create(site.house, profile, "temperature", SMALL)

        page.goto(f"{site.base}/trials/{trial}/print")
        page.get_by_label("Pause before layer").fill("4000")
        page.get_by_role("button", name="Print it").click()
        expect(page.get_by_role("alert")).to_contain_text("must lie between 2 and")
        expect(page.get_by_label("Pause before layer")).to_have_value("4000")
        page.get_by_label("Pause before layer").fill("20")
        page.get_by_role("button", name="Print it").click()

        # A machine so slow that a page takes longer than the next two questions must not ask for it again and again.
        came: list[str] = []

        def slowly(route: Route) -> None:
            came.append(route.request.url)
            page.wait_for_timeout(5_000)
            route.continue_()

        home = page.locator("#live")
        expect(home.get_by_role("heading")).to_contain_text("Printing on Shag Four")
        expect(page).to_have_title(re.compile(r"^\d+ % · .* left · Temperature tower"))
        expect(home).to_have_attribute("data-drawn", re.compile(r"\d+"))
        page.route(re.compile("/print$"), slowly)
        expect(home.get_by_role("button", name="Continue")).to_be_visible()
        assert len(came) == 1
        page.unroute(re.compile("/print$"))
        expect(home.locator('[data-live="message"]')).to_contain_text(
            "It pauses here, as planned. It stays hot for 2 h"
        )
        expect(home.locator('[data-live="layers"]')).to_have_text("19")
        expect(home.locator('[data-live="says"]')).to_have_text("Step 220 °C.")
        expect(page).to_have_title(re.compile("^Waiting for you"))
        expect(home.locator(".piece .band.now")).to_have_count(1)
        expect(home.locator("#layer-lines .laid")).to_have_attribute("d", re.compile("^M"))
        assert page.evaluate("document.documentElement.scrollWidth") == 390

        home.get_by_role("button", name="Continue").click()
        expect(home.get_by_role("button", name="Pause")).to_be_visible()
        home.get_by_role("button", name="Pause").click()
        expect(home.locator('[data-live="message"]')).to_contain_text("Paused.")
        home.get_by_role("button", name="Continue").click()
        expect(home.get_by_role("button", name="Pause")).to_be_visible()

        _hold_while_it_pauses(page, site, trial)
        page.mouse.up()
        expect(page.get_by_text("Heaters are off; the printer confirms it.")).to_be_visible()
        expect(page).to_have_title(re.compile("^Stopped"))
    page.close()
