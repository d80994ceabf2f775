"""Flow in a real browser: strips read by keyboard, a recheck that shows and goes, and walls under callipers."""

from __future__ import annotations

import io
import re

import pytest
from PIL import Image
from playwright.sync_api import Browser, Page, expect

from drumbo.services import pictures, profiles, trials, workshop
from drumbo.store.database import Workshop
from tests.conftest import LABEL
from tests.e2e.conftest import Site

pytestmark = pytest.mark.filterwarnings("ignore::ResourceWarning")


@pytest.fixture(scope="module")
def profile(site: Site) -> int:
    spool = workshop.save_material(site.house, LABEL, spool_seed=3)
    return profiles.create(site.house, spool, 1, "chalk")


def _plan(page: Page, site: Site, profile: int, plan: str, **typed: str) -> None:
    """From the profile's page to the Print leaf, as a maker goes."""
    page.goto(f"{site.base}/profiles/{profile}")
    page.locator(".plan-another").get_by_role("link", name=plan).click()
    for label, text in typed.items():
        page.get_by_label(label, exact=True).fill(text)
        page.get_by_label(label, exact=True).blur()
    page.get_by_role("button", name="Make the file").click()


def _print(page: Page) -> None:
    page.get_by_role("button", name="Print it").click()
    page.get_by_role("link", name="Read it").click()


def _print_elsewhere(page: Page) -> None:
    """The file went over on a card."""
    page.get_by_role("button", name="I have printed it").click()


def _adopt(page: Page) -> None:
    page.get_by_role("link", name="Adopt…").click()
    page.get_by_role("button", name=re.compile("Adopt as revision")).click()
    expect(page.get_by_text("Adopted as revision")).to_be_visible()


def _score_strip(page: Page, pads: int, best: int, wide: int) -> None:
    """Gaps and ridges of every pad: full marks at the best, falling to either side."""
    expect(page.locator("[data-cell].now")).to_be_visible()
    for pad in range(pads):
        gaps = 4 if pad >= best else max(0, 4 - round((best - pad) * 4 / wide))
        ridges = 4 if pad <= best else max(0, 4 - round((pad - best) * 3 / wide))
        page.keyboard.type(f"{gaps}{ridges}")
    expect(page.locator("[data-cell][data-score='']")).to_have_count(0)
    expect(page.locator("#verdict .big")).to_be_visible()


def _flow(house: Workshop, profile: int) -> tuple[float, float]:
    value = profiles.sheet(house, profile).profile.values["flow_ratio"]
    assert value.error is not None
    return value.number, value.error


def test_coarse_fine_and_a_recheck_when_the_heat_changes(page: Page, site: Site, profile: int) -> None:
    _plan(page, site, profile, "flow by surface", **{"Pads": "5", "Least flow, at the left": "0.95"})
    _print_elsewhere(page)
    expect(page.get_by_text("0.950", exact=True).first).to_be_visible()
    _score_strip(page, 5, best=2, wide=2)
    _adopt(page)
    coarse, doubt = _flow(site.house, profile)
    assert coarse == pytest.approx(1.0, abs=0.02)

    expect(page.locator("#value-flow_ratio .n")).to_have_text(f"{coarse:.3f}")
    page.goto(f"{site.base}/profiles/{profile}/trials/new/flow-surface")
    expect(page.get_by_label("Step", exact=True)).to_have_value("0.005")
    expect(page.get_by_label("Known from before")).to_have_value(re.compile(r"^(0\.9|1(\.0|$))"))
    _plan(page, site, profile, "flow by surface", **{"Pads": "5", "Least flow, at the left": f"{coarse - 0.01:.3f}"})
    _print_elsewhere(page)
    _score_strip(page, 5, best=2, wide=3)
    _adopt(page)
    fine, error = _flow(site.house, profile)
    assert fine == pytest.approx(coarse, abs=0.01)
    assert error < doubt

    page.get_by_role("button", name="Nozzle, other layers").click()
    field = page.get_by_label("By hand")
    field.fill(str(210 + 15))
    page.get_by_role("button", name="Set", exact=True).click()
    row = page.locator("#value-flow_ratio")
    expect(row).to_contain_text("recheck: Nozzle, other layers went from 210 to 225 °C")
    expect(page.locator("svg.drum, .drum").first).to_contain_text("Flow")
    expect(page.get_by_role("link", name=re.compile("Flow, recheck"))).to_have_count(1)

    row.get_by_role("button", name="Flow ratio").click()
    page.get_by_label("Why it still holds").fill("a box came out closed")
    page.get_by_role("button", name="Still good").click()
    expect(row).not_to_contain_text("recheck")
    expect(page.get_by_role("link", name=re.compile("Flow, measured"))).to_have_count(1)
    expect(page.get_by_text("Flow ratio is still good: a box came out closed").first).to_be_visible()


def test_a_wall_is_measured_with_the_stand_ins_calliper(page: Page, site: Site, profile: int) -> None:
    _plan(page, site, profile, "flow by wall")
    _print(page)
    first = page.locator("[data-measure]").first
    expect(first).to_be_focused()
    page.keyboard.press("z")
    expect(page.locator("dialog.zoom")).to_be_visible()
    page.get_by_role("button", name="Calliper").click()
    expect(page.locator("#calliper")).to_contain_text("front, low")
    image = page.locator("#zoom img")
    page.wait_for_function("document.querySelector('#zoom img').naturalWidth > 0")
    box, shown = image.bounding_box(), page.evaluate("document.querySelector('#zoom img').naturalWidth")
    assert box is not None
    scale = box["width"] / shown
    for y in (535, 575):
        page.mouse.click(box["x"] + 350 * scale, box["y"] + y * scale)
    expect(first).to_have_value(re.compile(r"^0\.[345]\d$"))
    page.keyboard.press("Escape")

    second = page.locator("[data-measure]").nth(2)
    expect(second).to_be_focused()
    page.keyboard.type("0,46")
    page.keyboard.press("Enter")
    third = page.locator("[data-measure]").nth(4)
    expect(third).to_be_focused()
    page.keyboard.type("9")
    page.keyboard.press("Enter")
    expect(page.get_by_text("9 mm cannot be; 0.1 to 5 mm can")).to_be_visible()
    expect(third).to_have_value("9")
    third.fill("0.45")
    third.press("Enter")
    expect(page.get_by_text("9 mm cannot be")).to_be_hidden()
    page.keyboard.type("0.44")
    page.keyboard.press("Enter")
    verdict = page.locator("#verdict .big")
    expect(verdict).to_have_text(re.compile(r"^(0\.9|1\.[01])\d\d$"))
    said = verdict.inner_text()
    page.get_by_role("link", name="Adopt…").click()
    expect(page.locator(".ba")).to_contain_text(said)


def test_a_photos_scale_is_told_once_and_then_it_measures(browser: Browser, site: Site, profile: int) -> None:
    """The maker's own photo, on a phone: nothing sticks out, one known length, then two points fill the field."""
    trial = trials.create(site.house, profile, "flow-wall", trials.draft(site.house, profile, "flow-wall").plan)
    trials.printed_by_hand(site.house, trial)
    out = io.BytesIO()
    Image.new("RGB", (1600, 1200), "#9999aa").save(out, "JPEG")
    pictures.add_picture(site.house, trial, out.getvalue())
    page = browser.new_page(viewport={"width": 390, "height": 844})
    page.goto(f"{site.base}/trials/{trial}/read")
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    page.get_by_role("button", name="Look closely at picture 1").click()
    page.get_by_role("button", name="Calliper").click()
    page.wait_for_function("document.querySelector('#zoom img').naturalWidth > 0")
    page.mouse.click(60, 300)
    page.mouse.click(260, 300)
    asked = page.get_by_label("How far apart the two points are, mm")
    asked.fill("long")
    asked.press("Enter")
    expect(page.locator("#calliper")).to_contain_text("not a number")
    asked.fill("20")
    asked.press("Enter")
    expect(page.locator("#calliper")).to_contain_text("scale set")
    page.mouse.click(60, 340)
    page.mouse.click(65, 340)
    expect(page.locator("[data-measure]").first).to_have_value("0.50")
    page.close()
