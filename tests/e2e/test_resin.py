"""A bottle from its label to an adopted exposure, and a second layer height, as a person does it."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import asdict
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from drumbo.core.resin import ResinPrinter
from drumbo.links.practice import SimulatedPrinter, running, start_resin
from drumbo.services import profiles, workshop
from drumbo.store.models import MaterialRow
from tests.e2e.conftest import Site

BOTTLE = {
    "Maker": "Saltmarsh Resins", "Product": "Eider Standard", "Colour": "fog grey", "Exposure": "2,4",
    "at layers of": "50", "Price per bottle": "32", "Left in the bottle": "500",
}  # fmt: skip


@pytest.fixture
def vat() -> Iterator[SimulatedPrinter]:
    with running(start_resin(pace=1e6, pixels="1900x800")) as made:
        yield made


def test_from_a_bottles_label_to_two_layer_heights(page: Page, site: Site, vat: SimulatedPrinter) -> None:
    page.goto(f"{site.base}/printers/")
    page.get_by_role("link", name="New resin printer").click()
    facts = {"Name": "Gannet Light", "Screen, X": "1900", "Screen, Y": "800", "A pixel": "50", "Light": "4",
             "Link": vat.link_url, "Camera": vat.camera_url}  # fmt: skip
    for label, value in facts.items():
        page.get_by_label(re.compile(rf"^{label}( optional)?$")).fill(value)
    page.get_by_label("Several lights in one layer").select_option("yes")
    page.get_by_label("Z compensation").check()
    page.get_by_label("Light power").check()
    page.get_by_role("button", name="Add the printer").click()
    expect(page.locator(".steps > .done")).to_contain_text("Gannet Light")
    page.goto(f"{site.base}/printers/2")
    expect(page.get_by_text("Light power, Z compensation")).to_be_visible()
    page.get_by_role("button", name="Test the connection").click()
    expect(page.get_by_text("It answers.")).to_be_visible()

    page.goto(f"{site.base}/materials/")
    page.get_by_role("link", name="New bottle").click()
    for label, value in BOTTLE.items():
        page.get_by_label(re.compile(rf"^{label}( optional)?$")).fill(value)
    page.get_by_role("button", name="Add the bottle").click()
    expect(page.get_by_role("button", name="Plan the first trial")).to_be_visible()
    page.goto(f"{site.base}/materials/1")
    expect(page.get_by_text("2.4 s at 50 µm")).to_be_visible()
    with site.house.writing() as session:
        session.get(MaterialRow, int(page.url.rsplit("/", 1)[1])).spool_seed = 1
    page.get_by_role("link", name="Make a profile").click()
    expect(page.get_by_label("Name", exact=True)).to_have_value("Eider Standard, fog grey on Gannet Light, 50 µm")
    page.get_by_label("Layers of").fill("4")
    page.get_by_role("button", name="Make it").click()
    expect(page.get_by_role("alert")).to_contain_text("Is below 10 µm")
    page.get_by_label("Layers of").fill("50")
    page.get_by_label("Layers of").blur()
    page.get_by_role("button", name="Make it").click()
    expect(page.get_by_role("heading", name="Working curve")).to_be_visible()
    expect(page.get_by_text("this printer ignores it")).to_have_count(2)

    _curve(page)
    _coupons(page)

    page.get_by_role("link", name="Another layer height…").click()
    page.wait_for_load_state()
    page.get_by_label("Layers of").fill("25")
    page.get_by_label("Layers of").blur()
    expect(page.get_by_text("It will be for layers of another height.")).to_be_visible()
    expect(page.get_by_label("Name", exact=True)).to_have_value("Eider Standard, fog grey on Gannet Light, 25 µm")
    expect(page.locator("#copy-look")).to_contain_text("it is foretold for 25 µm; not tried yet")
    page.get_by_role("button", name="Make the copy").click()
    expect(page.locator("#value-layer_um .n")).to_have_text("25")
    expect(page.locator("#value-exposure_s")).to_contain_text("recheck: it is foretold for 25 µm")
    half = float(page.locator("#value-exposure_s .n").inner_text())
    assert 1.6 < half < 3.0, "between half and all of what 50 µm want"
    expect(page.get_by_role("heading", name="Exposure", exact=True).first).to_be_visible()


def _at_the_printer(page: Page, site: Site, vat: SimulatedPrinter) -> int:
    """A bottle with its profile on the linked printer, made behind the pages."""
    machine = ResinPrinter("Gannet Dim", 1900, 800, 50.0, intensity_mw_cm2=4.0, lights_apart="yes")
    urls = {"link_url": vat.link_url, "camera_url": vat.camera_url}
    printer = workshop.save_printer(site.house, {**asdict(machine), **urls})
    label: dict[str, Any] = {"process": "resin", "family": "resin-standard", "maker": "Saltmarsh Resins",
             "product": "Eider Standard",
             "colour": "kelp", "colour_hex": "#5b6a45", "exposure_s": 2.6, "exposure_layer_um": 50,
             "density_g_cm3": 1.12, "price_per_bottle": 32.0, "bottle_ml": 1000, "currency": "€",
             "left_ml": 500}  # fmt: skip
    return profiles.create(site.house, workshop.save_material(site.house, label, spool_seed=1), printer, "kelp", 50)


def test_a_tower_of_lifts_leads_to_a_finer_one_and_feet_to_a_bottom(
    page: Page, site: Site, vat: SimulatedPrinter
) -> None:
    profile = _at_the_printer(page, site, vat)
    page.goto(f"{site.base}/profiles/{profile}/trials/new/lift-speed")
    page.get_by_role("button", name="Make the file").click()
    page.get_by_role("button", name="Print it").click()
    page.get_by_role("link", name="Read it").click()
    expect(page.get_by_text("Count the pins that stand on each level")).to_be_visible()
    lowest = page.get_by_label("Pins standing, 40 mm/min")
    expect(lowest).to_be_focused()
    lowest.fill("9")
    lowest.press("Enter")
    expect(page.get_by_text("cannot be; 0 to 8")).to_be_visible()
    lowest.focus()
    for count in "7765432":
        page.keyboard.type(count)
        page.keyboard.press("Enter")
    expect(page.get_by_text("It begins at 80 ±")).to_be_visible()
    expect(page.locator("#verdict .big")).to_have_text("65")
    expect(page.locator("#leaves a")).to_have_text(["1Plan", "2Print", "3Read", "4Adopt"])
    page.get_by_role("link", name="Plan a finer one").click()
    expect(page.get_by_label("Slowest")).to_have_value("50")
    expect(page.get_by_label("Step", exact=True)).to_have_value("10")
    page.go_back()
    page.get_by_role("link", name="Adopt…").click()
    page.get_by_role("button", name="Adopt as revision 2").click()
    expect(page.get_by_text("Adopted as revision 2.")).to_be_visible()

    page.goto(f"{site.base}/profiles/{profile}/trials/new/bottom-feet")
    page.get_by_role("button", name="Make the file").click()
    page.get_by_role("button", name="Print it").click()
    page.get_by_role("link", name="Read it").click()
    page.locator("[data-pick]").nth(3).click()
    for key in "124233412":
        page.keyboard.press(key)
    expect(page.locator("#verdict .big")).to_have_text(re.compile(r"^\d\d$"))
    page.get_by_role("link", name="Adopt…").click()
    page.get_by_role("button", name="Adopt as revision 3").click()
    expect(page.get_by_text("Adopted as revision 3.")).to_be_visible()


def _curve(page: Page) -> None:
    """Skins on glass, two of them measured by hand, the rest by a practised hand."""
    page.get_by_role("link", name="Plan it").click()
    page.wait_for_load_state()
    page.get_by_role("button", name="Make the file").click()
    expect(page.get_by_text("Lay a clean pane of glass")).to_be_visible()
    page.get_by_role("button", name="Print it").click()
    page.get_by_role("link", name="Read it").click()
    page.wait_for_load_state()
    first = page.get_by_label(re.compile("^Skin, .* front row")).first
    first.fill("3,2 kg")
    first.press("Enter")
    expect(page.get_by_text("has “kg” behind its number; write it in mm")).to_be_visible()
    first.fill("3,2 mm")
    first.press("Enter")
    expect(page.get_by_text("cannot be; 0.01 to 3 mm can")).to_be_visible()
    page.get_by_role("button", name="What would a practised hand measure?").click()
    expect(page.locator("#verdict .big")).to_have_text(re.compile(r"^1[6-9]\d$"))
    expect(page.locator("#charts figure")).to_have_count(2)
    page.get_by_role("link", name="Adopt…").click()
    page.get_by_role("button", name="Adopt as revision 2").click()
    expect(page.get_by_text("Adopted as revision 2.")).to_be_visible()


def _coupons(page: Page) -> None:
    """Coupons, read by number and Enter and by keys, then adopted."""
    page.get_by_role("link", name="Plan it").click()
    page.wait_for_load_state()
    expect(page.get_by_label("Penetration depth, if known")).not_to_have_value("")
    page.get_by_role("button", name="Make the file").click()
    with page.expect_download() as download:
        page.get_by_role("link", name="Layer package").click()
    assert download.value.suggested_filename.endswith(".zip")
    with page.expect_download() as download:
        page.get_by_role("link", name="3MF").click()
    page.get_by_role("button", name="Print it").click()
    page.get_by_role("link", name="Read it").click()
    stack, block = (page.get_by_label(re.compile(f"^{what}, .* once")) for what in ("8 leaves", "Block"))
    expect(stack).to_have_count(3)
    stack.nth(0).fill("9.30")
    stack.nth(0).press("Enter")
    expect(page.get_by_label(re.compile("^8 leaves, .* and again")).first).to_be_focused()
    block.nth(0).fill("9.55")
    block.nth(0).press("Enter")
    expect(page.get_by_text("Measure the leaves and blocks of at least two exposures")).to_be_visible()
    page.get_by_role("button", name="What would a practised eye say?").click()
    expect(page.locator("#verdict .big")).to_have_text(re.compile(r"^2\.[4-9]\d$"))
    page.get_by_label("Judge it for").select_option("supports")
    expect(page.get_by_label("Judge it for")).to_have_value("supports")
    page.get_by_label("Judge it for").select_option("true")
    page.get_by_role("link", name="Adopt…").click()
    expect(page.get_by_role("row", name=re.compile("Exposure.*2.40.*→"))).to_be_visible()
    page.get_by_role("button", name="Adopt as revision 3").click()
    expect(page.get_by_text("Adopted as revision 3.")).to_be_visible()
    page.get_by_role("button", name="Exposure", exact=True).click()
    expect(page.get_by_text("Why 2.")).to_be_visible()
    page.get_by_role("link", name="See the evidence: exposure →").click()
    expect(page.get_by_role("heading", name="Exposure")).to_be_visible()
    page.go_back()
