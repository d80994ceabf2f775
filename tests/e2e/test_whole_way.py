"""A maker goes the whole way in a real browser: from a spool's label to an adopted value and what they take away."""

from __future__ import annotations

import io
import json
import re
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, expect

from drumbo.services import trials
from tests.e2e.conftest import Site

pytestmark = pytest.mark.filterwarnings("ignore::ResourceWarning")


def _label(page: Page) -> None:
    page.get_by_role("link", name=re.compile("spool", re.I)).first.click()
    page.get_by_label("Polymer").select_option("pla")
    expect(page.get_by_label("Nozzle from")).to_have_value("190")
    page.get_by_label("Maker").fill("Skerry Filament")
    page.get_by_label("Product").fill("Razorbill PLA")
    page.get_by_label("Colour").fill("chalk")
    page.get_by_label("Nozzle from").fill("205")
    page.get_by_label("Nozzle to").fill("2o5")
    page.get_by_label("Diameter").fill("1,75")
    page.get_by_label("Price per kg").fill("19,90")
    page.get_by_role("button", name="Add the spool").click()
    expect(page.get_by_text("“2o5” is not a number")).to_be_visible()
    expect(page.get_by_label("Price per kg")).to_have_value("19,90")
    page.get_by_label("Nozzle to").fill("220")
    page.get_by_role("button", name="Add the spool").click()


def test_from_label_to_adopted_value(page: Page, site: Site, tmp_path: Path) -> None:
    page.goto(site.base)
    _label(page)
    expect(page.locator(".steps > .done").nth(1)).to_contain_text("Razorbill PLA, chalk")
    page.goto(f"{site.base}/materials/1")
    expect(page.get_by_role("heading", name="Razorbill PLA, chalk")).to_be_visible()

    page.get_by_role("link", name="Make a profile").click()
    expect(page.get_by_label("Name")).to_have_value("Razorbill PLA, chalk on Petrel One")
    page.get_by_role("button", name="Make it").click()
    expect(page.get_by_text("0/8")).to_be_visible()

    page.get_by_role("link", name="Plan it").click()
    expect(page.get_by_label("Hottest, at the bottom")).to_have_value("220")
    page.get_by_label("Step", exact=True).fill("0")
    page.get_by_label("Step", exact=True).blur()
    expect(page.get_by_text("is below 1 °C")).to_be_visible()
    page.get_by_label("Step", exact=True).fill("5")
    page.get_by_label("Height of a step").fill("8")
    page.get_by_label("Height of a step").blur()
    expect(page.locator(".facts")).to_contain_text("of filament")
    expect(page.get_by_text("4 steps, 220 °C at the bottom to 205 at the top.")).to_be_visible()
    page.get_by_role("button", name="Make the file").click()

    with page.expect_download() as download:
        page.get_by_role("link", name="G-code").click()
    assert "M104 S205" in Path(download.value.path()).read_text()
    page.get_by_role("button", name="Print it").click()
    expect(page.get_by_role("link", name="Read it")).to_be_visible()
    page.get_by_role("link", name="Read it").click()

    _read_by_keyboard(page)
    page.get_by_role("link", name="Adopt…").click()
    table = page.locator(".ba")
    expect(table).to_contain_text("Nozzle, other layers")
    page.get_by_role("button", name="Adopt as revision 2").click()

    expect(page.get_by_text("Adopted as revision 2")).to_be_visible()
    expect(page.get_by_text("1/8")).to_be_visible()
    value = page.locator("#value-nozzle_c .n").inner_text()
    page.get_by_role("button", name="Nozzle, other layers").click()
    expect(page.get_by_text(f"Why {value}?")).to_be_visible()
    page.get_by_role("link", name=re.compile("See the evidence")).click()
    expect(page.locator(".reading image")).to_be_visible()

    page.go_back()
    page.get_by_role("link", name="Export…").click()
    with page.expect_download() as download:
        page.get_by_role("link", name="JSON").click()
    held = json.loads(Path(download.value.path()).read_text())["values"]["nozzle_c"]
    assert f"{held['number']:.0f}" == value
    assert held["origin"]["kind"] == "trial"
    page.get_by_role("link", name="Transfer sheet").click()
    expect(page.locator(".transfer")).to_contain_text(value)
    pdf = tmp_path / "sheet.pdf"
    page.pdf(path=pdf, format="A4", print_background=True)
    assert len(re.findall(rb"/Type\s*/Page[^s]", pdf.read_bytes())) == 1, "one page"


def _read_by_keyboard(page: Page) -> None:
    """Bottom step first, as the page offers it: digits score and move on; a slip is taken back."""
    expect(page.get_by_text("the fit shows after three steps")).to_be_visible()
    # A text may be seen before the page listens to keys.
    page.wait_for_load_state()
    page.keyboard.type("23344")
    expect(page.locator("[data-cell][data-step='0'][data-aspect='bond']")).to_have_attribute("data-score", "4")
    expect(page.get_by_role("status").first).to_have_text(re.compile(r"^Bond at .*: 4, "))
    page.keyboard.type("334")
    page.keyboard.press("ArrowLeft")
    with page.expect_response("**/score"):
        page.keyboard.press("Backspace")
    expect(page.locator("[data-cell][data-step='1'][data-aspect='strings']")).to_have_attribute("data-score", "")
    page.keyboard.type("444")
    page.keyboard.type("44422")
    page.keyboard.type("43411")
    verdict = page.locator("#verdict")
    expect(verdict.locator(".big")).to_have_text(re.compile(r"^2[01]\d$"))
    page.reload()
    expect(page.locator("[data-cell][data-score='']")).to_have_count(0)
    looks = page.locator(".score-looks")
    looks.locator("summary").press("Enter")
    expect(looks.locator("img").last).to_be_visible()
    looks.locator("summary").press("Enter")
    page.keyboard.press("z")
    expect(page.locator("dialog.zoom")).to_be_visible()
    page.keyboard.press("Escape")


@pytest.fixture
def printed(site: Site) -> int:
    """A trial of the profile that the first test made, printed elsewhere."""
    typed: dict[str, Any] = {
        "hot_c": 220.0,
        "cold_c": 200.0,
        "step_c": 10.0,
        "step_mm": 8.0,
        "first_c": 215.0,
        "aim": "balanced",
    }
    trial = trials.create(site.house, 1, "temperature", typed)
    trials.printed_by_hand(site.house, trial)
    return trial


def _share_of_black(png: bytes) -> float:
    """Only digits are nearly black."""
    light = np.asarray(Image.open(io.BytesIO(png)).convert("L"))
    return float((light < 30).mean())


def test_reading_by_thumb(browser: object, site: Site, printed: int) -> None:
    context = browser.new_context(viewport={"width": 390, "height": 844}, has_touch=True)
    page = context.new_page()
    page.goto(f"{site.base}/trials/{printed}/read")
    assert page.evaluate("document.documentElement.scrollWidth") <= 390, "nothing sticks out at the side"
    for step in range(3):
        one = page.locator(f"[data-one='{step}']")
        expect(one).to_be_visible()
        assert _share_of_black(one.locator(".crop svg").screenshot()) < 0.1, "the step's crop is drawn as the piece is"
        for aspect, score in (("bridge", 2), ("overhang", 3), ("strings", 3), ("surface", 4), ("bond", 3)):
            key = one.locator(f"[data-aspect='{aspect}'] button[data-n='{score}']")
            box = key.bounding_box()
            assert box is not None
            assert box["height"] >= 44, "a thumb's width"
            with page.expect_response("**/score"):
                key.tap()
        if step < 2:
            one.get_by_role("button", name="next").tap()
    expect(page.locator("#verdict .big")).to_be_visible()
    context.close()
    scores = trials.sheet(site.house, printed).readings.scores
    assert scores["bridge"] == {"0": 2, "1": 2, "2": 2}
    assert sum(len(row) for row in scores.values()) == 15, "the browser was closed; nothing is lost"


def test_search_by_slash(page: Page, site: Site) -> None:
    page.goto(f"{site.base}/check/")
    page.keyboard.press("/")
    page.keyboard.type("razorbill")
    expect(page.locator("#hits a").first).to_contain_text("Razorbill PLA, chalk")
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile(r"/(profiles|materials)/1$"))
