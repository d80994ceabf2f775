"""Two materials in one print: a pair made, its common ground seen, and what a change takes printed, read and kept."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from drumbo.services import profiles, workshop
from tests.conftest import LABEL
from tests.e2e.conftest import Site

pytestmark = pytest.mark.filterwarnings("ignore::ResourceWarning")

TPU: dict[str, str | float | None] = {
    **LABEL, "family": "tpu", "product": "Puffin TPU", "colour": "red", "colour_hex": "#b2342b", "nozzle_low_c": 215,
    "nozzle_high_c": 240, "bed_low_c": 40, "bed_high_c": 55, "density_g_cm3": "1.21",
}  # fmt: skip


def _change(page: Page, after_layer: int) -> None:
    """At a pause: the spool that is to come is chosen; every step, and no purge."""
    expect(page.locator('[data-live="layers"]')).to_have_text(str(after_layer))
    page.get_by_role("link", name="Change filament").click()
    page.get_by_role("button", name="Change to it, step by step").click()
    page.get_by_role("button", name="Pull the old filament out").click()
    page.get_by_role("button", name="It is out").click()
    page.get_by_role("button", name="It is in: feed it").click()
    expect(page.locator(".swap-do")).to_contain_text("As soon as it comes out, go on")
    expect(page.locator(".swap-steps")).not_to_contain_text("Clean")
    page.get_by_role("button", name="It comes out").click()
    page.get_by_role("button", name="Done").click()
    page.get_by_role("link", name="Back to the print").click()
    page.get_by_role("button", name="Continue").click()


def _read_a_photo(page: Page) -> None:
    """The camera's picture tells at once; of a photo four corners are marked, in the order that is asked for."""
    page.get_by_role("button", name="Look closely at picture 1").click()
    page.get_by_role("button", name="Read this photo").click()
    told = page.get_by_text(re.compile(r"^photo: \d+ mm$"))
    expect(told).to_have_count(2)
    camera = told.all_inner_texts()
    frame = page.evaluate("document.querySelector('[data-zoom]').dataset")
    picture = page.request.get(page.url.split("/trials/")[0] + frame["zoom"]).body()
    page.locator("input[name=photo]").set_input_files({"name": "mine.jpg", "mimeType": "image/jpeg", "buffer": picture})
    page.get_by_role("button", name="Look closely at picture 2").click()
    page.get_by_role("button", name="Read this photo").click()
    says = page.locator("#calliper")
    expect(says).to_have_text("1 of 4: mark the front left corner of the front field")
    stage = page.locator("#zoom .stage").bounding_box()
    assert stage is not None
    for at, (x, y) in enumerate(((0.3, 0.8), (0.7, 0.8), (0.7, 0.2))):
        page.mouse.click(stage["x"] + x * stage["width"], stage["y"] + y * stage["height"])
        expect(says).to_contain_text(f"{at + 2} of 4")
    page.mouse.click(stage["x"] + 0.7 * stage["width"], stage["y"] + 0.1 * stage["height"])
    expect(says).to_contain_text("go round as asked")
    page.get_by_role("button", name="Close", exact=True).click()
    assert told.all_inner_texts() == camera, "nothing that was wrong is kept"


def test_from_two_profiles_to_what_a_change_takes(page: Page, site: Site) -> None:
    stiff = workshop.save_material(site.house, LABEL, spool_seed=3)
    soft = workshop.save_material(site.house, TPU, spool_seed=5)
    profile = profiles.create(site.house, stiff, 1, "stiff")
    profiles.create(site.house, soft, 1, "soft")

    page.goto(f"{site.base}/profiles/{profile}")
    page.get_by_role("link", name="Two materials…").click()
    page.get_by_label("The other profile on Petrel One").select_option("soft")
    page.get_by_role("button", name="Show where both can live").click()
    expect(page.get_by_text("52 °C for both")).to_be_visible()
    expect(page.get_by_text("They hold on a wide face, and peel from an edge.")).to_be_visible()
    expect(page.locator(".pair-own tr", has_text="Max volumetric speed")).to_contain_text("3.5")

    page.get_by_role("link", name="Plan: changeover").click()
    page.get_by_label("Longest purge that shows").fill("75")
    page.get_by_role("button", name="Make the file").click()
    expect(page.get_by_text("goes in steps of 30 mm")).to_be_visible()
    expect(page.get_by_label("Longest purge that shows")).to_have_value("75")
    page.get_by_label("Longest purge that shows").fill("120")
    page.get_by_role("button", name="Make the file").click()
    expect(page.get_by_text("At the first pause change to Puffin TPU, red")).to_be_visible()
    page.get_by_role("button", name="Print it").click()
    _change(page, after_layer=1)
    _change(page, after_layer=2)
    page.get_by_role("link", name="Read it").click()
    expect(page.get_by_text(re.compile("First is Razorbill PLA, chalk, second Puffin TPU, red"))).to_be_visible()
    fields = page.locator("[data-measure]")
    for k, number in enumerate(("48", "61")):
        expect(fields.nth(k)).to_be_focused()
        page.keyboard.type(number)
        page.keyboard.press("Enter")
    expect(page.get_by_text("Push 61 mm from the first to the second, 48 mm back.")).to_be_visible()
    _read_a_photo(page)
    page.get_by_role("button", name="Forget what the photo told").click()
    expect(page.get_by_text("Push 61 mm from the first to the second, 48 mm back.")).to_be_visible()
    page.get_by_role("link", name="Adopt…").click()
    page.get_by_role("button", name="Adopt for these two").click()
    page.get_by_role("link", name="To the two").click()
    expect(page.get_by_text("Purge from Razorbill PLA, chalk to Puffin TPU, red")).to_be_visible()
    expect(page.locator(".row-line", has_text="Purge from Razorbill")).to_contain_text("61")
