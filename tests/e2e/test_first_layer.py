"""Combs over the plate, read as a person reads them: digits and Enter, one comb after the other; the map follows."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from drumbo.services import profiles, workshop
from tests.conftest import LABEL
from tests.e2e.conftest import Site

pytestmark = pytest.mark.filterwarnings("ignore::ResourceWarning")


def test_a_plate_that_leans_is_read_by_digits_and_enter(page: Page, site: Site) -> None:
    spool = workshop.save_material(site.house, LABEL, spool_seed=3)
    profile = profiles.create(site.house, spool, 1, "on the plate")
    page.goto(f"{site.base}/profiles/{profile}/trials/new/first-layer")
    page.get_by_label("Patches in a comb").fill("4")
    page.keyboard.press("Tab")
    expect(page.get_by_text("must be odd, so that one is in the middle")).to_be_visible()
    page.get_by_label("Patches in a comb").fill("5")
    page.keyboard.press("Tab")
    expect(page.get_by_text("9 combs of 5 patches, laid from 0.16 to 0.32 mm above the plate.")).to_be_visible()
    page.get_by_role("button", name="Make the file").click()
    page.get_by_role("button", name="Print it").click()
    expect(page.get_by_role("link", name="Read it")).to_be_visible()
    page.get_by_role("link", name="Read it").click()
    expect(page.get_by_label("Best patch, back left")).to_be_focused()
    page.keyboard.type("99")
    page.keyboard.press("Enter")
    expect(page.get_by_text("99 cannot be; 16 to 32 can. Read it off again")).to_be_visible()
    page.get_by_label("Best patch, back left").focus()
    for best in ("24", "26", "28"):
        for number in (best, "0"):
            page.keyboard.type(number)
            page.keyboard.press("Enter")
    expect(page.get_by_label("Best patch, left", exact=True)).to_be_focused()
    expect(page.get_by_text("Read 1 more comb")).to_be_visible()
    for best in ("24", "26", "28", "24", "26", "28"):
        for number in (best, "0"):
            page.keyboard.type(number)
            page.keyboard.press("Enter")
    expect(page.locator(".verdict .big")).to_have_text("0.02")
    expect(page.get_by_text("The plate is 0.04 mm higher at the right: level it.")).to_be_visible()
    expect(page.locator(".plate .spot")).to_have_count(9)
    expect(page.locator(".plate .spot.higher")).to_have_count(3)
    page.get_by_role("button", name="What would a practised hand measure?").click()
    expect(page.get_by_text("higher at the right: level it.")).to_be_visible()
    page.get_by_role("link", name="Adopt…").click()
    page.get_by_role("button", name="Adopt as revision").click()
    expect(page.get_by_text("Adopted as revision 2.")).to_be_visible()
