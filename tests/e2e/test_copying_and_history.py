"""A profile's life in the browser: borrowing, a copy for another printer, going back, a table taken in, a label."""

from __future__ import annotations

import re
from dataclasses import asdict
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from drumbo.core.printer import Printer
from drumbo.services import by_hand, profiles, workshop
from tests.conftest import LABEL
from tests.e2e.conftest import Site

pytestmark = pytest.mark.filterwarnings("ignore::ResourceWarning")


@pytest.fixture(scope="module")
def pair(site: Site) -> tuple[int, int]:
    """A profile in which something is known, and a bare one for another colour."""
    spools = [workshop.save_material(site.house, {**LABEL, "colour": c}, spool_seed=3) for c in ("chalk", "slate")]
    workshop.save_printer(site.house, asdict(Printer("Old Skua", drive="bowden")))
    chalk, slate = (profiles.create(site.house, spool, 1, f"life {spool}") for spool in spools)
    by_hand.set_value(site.house, chalk, "flow_ratio", "0.97")
    by_hand.set_value(site.house, chalk, "fan_percent", "80")
    return chalk, slate


def test_values_are_taken_across_and_taken_back(page: Page, site: Site, pair: tuple[int, int]) -> None:
    page.goto(f"{site.base}/profiles/{pair[1]}")
    page.get_by_role("link", name="Compare…").click()
    page.get_by_role("checkbox").nth(0).check()
    page.get_by_role("checkbox").nth(1).check()
    page.get_by_role("button", name="Lay them side by side").click()
    expect(page.locator(".beside tr.differs")).to_have_count(2)
    page.get_by_role("link", name="Show all values").click()
    expect(page.get_by_text("Retraction length")).to_be_visible()
    page.get_by_label("Take Flow ratio of life 1").check()
    page.get_by_role("button", name="Razorbill PLA, slate…").click()
    expect(page.get_by_role("heading", name="What changes in life 2")).to_be_visible()
    expect(page.get_by_text("recheck: it is for Razorbill PLA, slate instead of Razorbill PLA, chalk")).to_be_visible()
    page.get_by_role("button", name="Take them, as revision 2").click()
    expect(page.get_by_text("Revision 2: 1 value copied from life 1.")).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    page.get_by_role("link", name="All 3 revisions").click()
    back = page.locator("#r2")
    back.get_by_text("Go back to it").click()
    expect(back.get_by_text("1.000 → 0.970", exact=True)).to_be_visible()
    back.get_by_role("button", name="Make it revision 4").click()
    assert profiles.sheet(site.house, pair[1]).profile.number("flow_ratio") == 0.97
    page.get_by_role("link", name="All 4 revisions").click()
    newest = page.locator("#r4")
    newest.get_by_text("Label and note").click()
    newest.get_by_label("Label of revision 4").fill("sent to a friend")
    newest.get_by_role("button", name="Keep").click()
    expect(page.locator("#r4 .tag")).to_have_text("sent to a friend")


def test_a_copy_for_another_printer_shows_what_becomes_of_every_value(
    page: Page, site: Site, pair: tuple[int, int]
) -> None:
    page.goto(f"{site.base}/profiles/{pair[0]}")
    page.get_by_role("link", name="Copy…").click()
    expect(page.get_by_text("everything that was found holds")).to_be_visible()
    page.wait_for_load_state()
    page.get_by_label("On the printer").select_option("Old Skua, 0.4 mm nozzle, Bowden drive")
    expect(page.get_by_text("It will be for Old Skua instead of Petrel One, a Bowden drive")).to_be_visible()
    expect(page.get_by_label("Name")).to_have_value("Razorbill PLA, chalk on Old Skua")
    expect(page.get_by_role("heading", name="2 want a recheck")).to_be_visible()
    page.get_by_role("button", name="Make the copy").click()
    expect(page.locator("#value-flow_ratio")).to_contain_text("recheck: it is for Old Skua instead of Petrel One")
    find = page.get_by_label("Find a value")
    find.fill("strings")
    expect(page.locator("#value-retraction_mm")).to_be_visible()
    expect(page.locator("#value-fan_percent")).to_be_hidden()
    find.fill("unheard of")
    expect(page.get_by_text("No value goes by that word.")).to_be_visible()


def test_a_table_is_taken_in_line_by_line(page: Page, site: Site, pair: tuple[int, int], tmp_path: Path) -> None:
    table = tmp_path / "friend.csv"
    table.write_text(
        "Name;Value;Unit\nNozzle temperature;446;°F\nFlow;98;%\nSeam;rear;\nRise;0.3;mm\n", encoding="utf-8"
    )
    page.goto(f"{site.base}/profiles/")
    page.get_by_role("link", name="Import…").click()
    bad = tmp_path / "holiday.png"
    bad.write_bytes(b"\x89PNG\r\n\x1a\n\0\0\0")
    page.get_by_label("The file").set_input_files(bad)
    page.get_by_role("button", name="Look at it").click()
    expect(page.get_by_text("The file is no text")).to_be_visible()
    page.get_by_label("The file").set_input_files(table)
    page.get_by_role("button", name="Look at it").click()
    expect(page.get_by_role("heading", name="2 of 4 lines are taken")).to_be_visible()
    page.wait_for_load_state()
    page.get_by_label("What Rise is").select_option("Lift on travel")
    expect(page.get_by_role("heading", name="3 of 4 lines are taken")).to_be_visible()
    page.get_by_label("Unit of Nozzle temperature").select_option("K")
    expect(page.get_by_text("172.85")).to_be_hidden()
    expect(page.get_by_text("173")).to_be_visible()
    page.get_by_label("Unit of Nozzle temperature").select_option("°F")
    page.get_by_label("Name", exact=True).fill("as my friend has it")
    page.get_by_role("button", name="Make the profile").click()
    expect(page.locator("#value-nozzle_c")).to_contain_text("230")
    expect(page.locator("#value-nozzle_c")).to_contain_text("copied from friend.csv: Nozzle temperature")


def test_the_sheet_is_one_page_and_the_label_has_its_size(page: Page, site: Site, pair: tuple[int, int]) -> None:
    page.goto(f"{site.base}/profiles/{pair[0]}/out")
    shot = page.get_by_alt_text("The label")
    expect(shot).to_be_visible()
    assert shot.evaluate("image => image.naturalWidth / image.naturalHeight") == pytest.approx(62 / 29, abs=0.02)
    page.get_by_label("opens this profile").check()
    expect(page.get_by_text("which only this machine can reach")).to_be_visible()
    expect(shot).to_have_attribute("src", re.compile("code=opens"))
    with page.expect_download() as download:
        page.get_by_role("button", name="PDF, A4 sheet").click()
    assert Path(download.value.path()).read_bytes().startswith(b"%PDF")
    page.get_by_role("link", name="Transfer sheet").click()
    expect(page.locator(".transfer .tick").first).to_be_visible()
    assert len(re.findall(rb"/Type\s*/Page\b(?!s)", page.pdf(format="A4"))) == 1
