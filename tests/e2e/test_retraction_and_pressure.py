"""Retraction by keyboard alone, and pressure advance on a printer with a Bowden tube."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import asdict

import pytest
from playwright.sync_api import Page, expect

from drumbo.core.printer import Printer
from drumbo.links.practice import running, start_standin
from drumbo.services import printer_line, profiles, workshop
from tests.conftest import LABEL
from tests.e2e.conftest import Site

pytestmark = pytest.mark.filterwarnings("ignore::ResourceWarning")


def _profile(site: Site, printer: int, name: str) -> int:
    spool = workshop.save_material(site.house, LABEL, spool_seed=3)
    return profiles.create(site.house, spool, printer, name)


@pytest.fixture
def bowden(site: Site) -> Iterator[int]:
    spec = asdict(Printer("Old Skua", drive="bowden", dialect="m572"))
    with running(start_standin(pace=1e6, drive="bowden")) as made:
        yield workshop.save_printer(site.house, {**spec, "link_url": made.link_url, "camera_url": made.camera_url})


def _tab_to(page: Page, name: str) -> None:
    """As a person without a mouse: Tab until the thing of that name has the focus."""
    for _ in range(80):
        page.keyboard.press("Tab")
        focused = page.evaluate("(document.activeElement.innerText || '').trim()")
        if re.fullmatch(name, focused):
            return
    raise AssertionError(f"no way to {name} by Tab")


def test_retraction_by_keyboard_alone(page: Page, site: Site) -> None:
    profile = _profile(site, 1, "by keyboard")
    page.goto(f"{site.base}/profiles/{profile}/trials/new/retraction-length")
    expect(page.get_by_text("13 steps, 0.2 mm at the bottom to 1.4 at the top.")).to_be_visible()
    _tab_to(page, "Make the file")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Print it")).to_be_visible()
    _tab_to(page, "Print it")
    page.keyboard.press("Enter")
    expect(page.get_by_role("link", name="Read it")).to_be_visible()
    _tab_to(page, "Read it")
    page.keyboard.press("Enter")
    expect(page.locator("[data-cell].now")).to_be_visible()
    page.keyboard.press("p")
    expect(page.locator("#verdict")).to_contain_text(re.compile(r"0\.3\s+mm or less"))
    page.keyboard.press("p")
    for strings in (0, 0, 1, 1, 2, 3, 3, 4, 4, 4, 4, 4, 4):
        page.keyboard.type(f"{strings}4")
    expect(page.locator("[data-cell][data-score='']")).to_have_count(0)
    expect(page.locator("#verdict .big")).to_have_text(re.compile(r"^(0\.[789]|1\.0)$"))
    _tab_to(page, "Adopt…")
    page.keyboard.press("Enter")
    expect(page.locator(".ba")).to_contain_text("Retraction length")
    _tab_to(page, "Adopt as revision 2")
    page.keyboard.press("Enter")
    expect(page.get_by_text("Adopted as revision 2")).to_be_visible()
    held = profiles.sheet(site.house, profile).profile.values["retraction_mm"]
    assert held.origin.trial is not None
    assert 0.7 <= held.number <= 1.1

    other = _profile(site, 1, "another one")
    page.get_by_role("button", name="Retraction length").click()
    expect(page.get_by_text("Petrel One: nothing of its own")).to_be_visible()
    page.get_by_role("button", name="Same for all materials on Petrel One").click()
    expect(page.get_by_text("holds for all materials on Petrel One")).to_be_visible()
    assert profiles.sheet(site.house, other).profile.number("retraction_mm") == held.number


def test_pressure_advance_on_a_bowden_printer(page: Page, site: Site, bowden: int) -> None:
    profile = _profile(site, bowden, "through the tube")
    page.goto(f"{site.base}/profiles/{profile}/trials/new/pressure-advance")
    expect(page.get_by_text("21 legs, 0.150 s at the left to 1.177 at the right.")).to_be_visible()
    page.get_by_role("button", name="Make the file").click()
    page.get_by_role("button", name="Print it").click()
    page.get_by_role("link", name="Read it").click()
    page.get_by_role("button", name="What would a practised eye say?").click()
    expect(page.locator("[data-cell][data-score='']")).to_have_count(0)
    said = page.locator("#verdict .big").inner_text()
    assert 0.25 < float(said) < 1.2
    page.get_by_role("link", name="Adopt…").click()
    expect(page.locator(".ba")).to_contain_text(said)
    page.get_by_role("button", name=re.compile("Adopt as revision")).click()
    expect(page.get_by_role("link", name=re.compile("Pressure, measured"))).to_have_count(1)
    assert printer_line.try_link(site.house, bowden).startswith("It answers")
