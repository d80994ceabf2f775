"""Resin from a proof to the next bottle, and a printer's lamp mapped and shown, as a maker does it in a browser."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import asdict

import pytest
from playwright.sync_api import Page, expect

from drumbo.core.resin import ResinPrinter
from drumbo.links.practice import SimulatedPrinter, running, start_resin
from drumbo.services import by_hand, profiles, workshop
from drumbo.standins.resin.bottle import draw_bottle, true_exposure_s
from tests.e2e.conftest import Site

SEED = 1
BOTTLE = {
    "process": "resin", "family": "resin-standard", "maker": "Saltmarsh Resins", "product": "Eider Standard",
    "colour": "fog grey", "colour_hex": "#8b8f96", "exposure_s": "2.4", "exposure_layer_um": "50",
    "density_g_cm3": "1.12", "price_per_bottle": "32", "bottle_ml": "1000", "currency": "€", "left_ml": "500",
}  # fmt: skip


@pytest.fixture
def vat() -> Iterator[SimulatedPrinter]:
    with running(start_resin(pace=1e6, pixels="1900x800")) as made:
        yield made


def _begun(site: Site, vat: SimulatedPrinter, name: str) -> tuple[int, int]:
    """A printer, and a profile on it whose values are right."""
    machine = ResinPrinter(name, 1900, 800, 50, intensity_mw_cm2=4.0, lights_apart="yes", greys="yes")
    printer = workshop.save_printer(
        site.house, {**asdict(machine), "link_url": vat.link_url, "camera_url": vat.camera_url}
    )
    bottle = workshop.save_material(site.house, BOTTLE, spool_seed=SEED)
    profile = profiles.create(site.house, bottle, printer, f"grey on {name}", "50")
    truth = draw_bottle("resin-standard", SEED)
    for key, number in (
        ("exposure_s", true_exposure_s(truth, 50, 4.0)),
        ("bottom_exposure_s", 1.15 * truth.sticks * truth.critical_mj_cm2 / 4.0),
        ("lift_speed_mm_min", 0.7 * truth.tears),
        ("rest_before_s", 2 * truth.settles_s),
    ):
        by_hand.set_value(site.house, profile, key, f"{number:.2f}")
    return printer, profile


def _print_and_read(page: Page) -> None:
    page.get_by_role("button", name="Make the file").click()
    page.get_by_role(
        "button", name=re.compile("Print it$|It is poured now: print it|It is loaded now: print it")
    ).click()
    page.get_by_role("link", name="Read it").click()
    page.get_by_role("button", name=re.compile("What would a practised")).click()


def test_from_a_proof_to_the_next_bottle(page: Page, site: Site, vat: SimulatedPrinter) -> None:
    _, profile = _begun(site, vat, "Gannet Light")
    page.goto(f"{site.base}/profiles/{profile}")
    card = page.locator("#pace")
    expect(card.get_by_text("40 mm", exact=False).or_(card.get_by_label("A part as high as"))).to_be_visible()
    expect(card).to_contain_text("Lift in two stages")
    card.get_by_label("A part as high as").fill("much")
    card.get_by_label("A part as high as").blur()
    expect(card.get_by_role("alert")).to_contain_text("“much” is not a number")
    card.get_by_label("A part as high as").fill("80")
    card.get_by_label("A part as high as").blur()
    expect(card).to_contain_text("1600 layers")

    page.locator(".plan-another").get_by_role("link", name="proof", exact=True).click()
    expect(page.get_by_text("Leaves that are laid together")).to_be_visible()
    _print_and_read(page)
    expect(page.locator("#verdict")).to_contain_text("this profile is proven")
    page.get_by_role("link", name="Adopt…").click()
    page.get_by_role("button", name="Adopt as revision").click()
    expect(page.get_by_text("proven").first).to_be_visible()
    assert profiles.card(site.house, profile).proven

    page.get_by_role("button", name="New bottle").click()
    expect(page.get_by_text("Bottle 2 is in use.")).to_be_visible()
    page.locator(".plan-another").get_by_role("link", name="bottle check").click()
    _print_and_read(page)
    expect(page.locator("#verdict")).to_contain_text("It takes the same light")
    page.get_by_role("link", name="Adopt…").click()
    page.get_by_role("button", name="Adopt as revision").click()
    expect(page.get_by_text("Adopted as revision")).to_be_visible()
    assert profiles.card(site.house, profile).proven, "what holds for this bottle too is proven again"


def test_a_lamp_map_is_read_and_stands_on_the_printers_page(page: Page, site: Site, vat: SimulatedPrinter) -> None:
    printer, _ = _begun(site, vat, "Gannet Two")
    page.goto(f"{site.base}/printers/{printer}")
    expect(page.locator("svg.lamp")).to_have_count(0)
    page.get_by_role("button", name="Lamp map").click()
    _print_and_read(page)
    expect(page.locator("#verdict")).to_contain_text("Over the screen the light differs by")
    page.get_by_role("link", name="Adopt…").click()
    page.get_by_role("button", name="Adopt for Gannet Two").click()
    page.get_by_role("link", name="its page").click()
    picture = page.locator("svg.lamp")
    expect(picture).to_have_attribute("aria-label", re.compile("Light over the screen"))
    expect(page.get_by_text("keep fine parts away from there")).to_be_visible()
    assert workshop.printer(site.house, printer).evens_by is not None
