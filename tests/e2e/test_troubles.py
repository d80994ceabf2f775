"""A print that went wrong is seen on the bench, dealt with, and gone; looking for a printer fills in the form."""

from __future__ import annotations

import json
import urllib.request
from dataclasses import asdict
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from drumbo.core.printer import Printer
from drumbo.links.practice import running, start_standin
from drumbo.services import profiles, trials, workshop
from tests.conftest import LABEL, PATIENCE_S
from tests.e2e.conftest import Site

pytestmark = pytest.mark.filterwarnings("ignore::ResourceWarning")

SMALL: dict[str, Any] = {"hot_c": 220, "cold_c": 200, "step_c": 10, "step_mm": 8, "first_c": 215, "aim": "balanced"}


def _beside(camera: str, path: str, **body: object) -> None:
    request = urllib.request.Request(f"{camera}{path}", json.dumps(body).encode())
    urllib.request.urlopen(request, timeout=PATIENCE_S).close()


def test_a_lost_line_stays_on_the_bench_until_somebody_has_dealt_with_it(page: Page, site: Site) -> None:
    with running(start_standin(pace=400.0)) as device:
        spec = {**asdict(Printer("Fulmar Two")), "link_url": device.link_url, "camera_url": device.camera_url}
        printer = workshop.save_printer(site.house, spec)
        spool = workshop.save_material(site.house, {**LABEL, "product": "Fulmar PLA"}, spool_seed=5)
        profile = profiles.create(site.house, spool, printer, "Fulmar PLA, chalk on Fulmar Two")
        trial = trials.create(site.house, profile, "temperature", SMALL)
        _beside(device.camera_url, "/fault", name="stall", at=600)

        page.goto(f"{site.base}/trials/{trial}/print")
        page.get_by_role("button", name="Print it").click()
        expect(page.get_by_role("button", name="Stop the print")).to_be_visible()
        expect(page.get_by_text("has said nothing for")).to_be_visible()
        page.get_by_role("button", name="Stop the print").click()
        expect(page.get_by_text("the printer does not confirm it")).to_be_visible()

        page.goto(site.base)
        band = page.locator(".trouble", has_text="Fulmar Two")
        expect(band).to_contain_text("Stopped")
        expect(band).to_contain_text("Go and look now")
        # Somebody switches it off and on at its plug.
    with running(start_standin(pace=400.0)) as device:
        spec = {**spec, "link_url": device.link_url, "camera_url": device.camera_url}
        workshop.save_printer(site.house, spec, printer)
        band.get_by_role("button", name="Ask the printer, heaters off").click()
        expect(page.locator(".trouble")).to_have_count(0)

        _beside(device.camera_url, "/fault", name="kill", at=300)
        page.goto(f"{site.base}/trials/{trial}/print")
        page.get_by_role("button", name="Print it").click()
        expect(page.get_by_text("The printer has stopped itself: Printer halted")).to_be_visible()
        # The page loads itself anew once the print is over, whoever was about to leave it.
        expect(page.get_by_text("Go and look now")).to_be_visible()
        page.get_by_role("link", name="Bench", exact=True).click()
        band = page.locator(".trouble", has_text="Fulmar Two")
        expect(band).to_contain_text("kill() called")
        page.wait_for_timeout(2500)
        band.get_by_role("button", name="I have looked: it is safe").click()
        expect(page.locator(".trouble")).to_have_count(0)
        page.reload()
        expect(page.locator(".trouble")).to_have_count(0)


def test_a_machine_without_ports_says_so_and_what_is_typed_stays(page: Page, site: Site) -> None:
    page.goto(f"{site.base}/printers/new")
    page.get_by_label("Name", exact=True).fill("Skua Three")
    page.get_by_role("button", name="Look for a printer").click()
    expect(page.locator("#looking")).to_contain_text("no serial port with a device")
    expect(page.get_by_label("Name", exact=True)).to_have_value("Skua Three")
    page.get_by_label("Link").fill("file:///etc/passwd")
    page.get_by_role("button", name="Add the printer").click()
    expect(page.get_by_text("is no address of a printer")).to_be_visible()
    expect(page.get_by_label("Link")).to_have_value("file:///etc/passwd")
