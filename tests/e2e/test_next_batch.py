"""A profile that is proven, a week later: why each value is what it is, and whether the next batch wants the same.

The profile is the demo's; the next batch is checked over the line. The way to a proof is gone in `test_plates`.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import asdict

import pytest
from playwright.sync_api import Page, expect

from drumbo.core.profile import Status
from drumbo.demo.run import ARCHIVE
from drumbo.services import profiles, workshop
from drumbo.services.prints import PrintManager
from drumbo.store.archive import unpack
from drumbo.store.database import Workshop
from tests.e2e.beneath import read_exactly
from tests.e2e.conftest import Site, served

pytestmark = pytest.mark.filterwarnings("ignore::ResourceWarning")

PROVEN = 1


@pytest.fixture(scope="module")
def site(tmp_path_factory: pytest.TempPathFactory, device: tuple[str, str]) -> Iterator[Site]:
    """The demo's workshop with a stand-in at its printer."""
    folder = tmp_path_factory.mktemp("demo") / "workshop"
    unpack(ARCHIVE, folder)
    house = Workshop(folder)
    link, camera = device
    number = next(number for number, printer in workshop.printers(house) if printer.name == "Petrel One")
    held = asdict(workshop.printer(house, number))
    workshop.save_printer(house, {**held, "link_url": link, "camera_url": camera}, number)
    yield from served(house, PrintManager(house, {"answer_s": 2.0, "told_s": 2.0}))


def _look_again(page: Page) -> None:
    """What seems to have moved by a slip of the eye, and what has."""
    verdict = page.locator("#verdict")
    for row in page.get_by_role("button", name=re.compile("^1, heavy threads")).all()[:2]:
        row.click()
    expect(verdict).to_contain_text("Look again: strings, tunnel.")
    page.get_by_label("What differs").select_option("looked at again")
    expect(verdict).to_contain_text("Not the same: repeat")
    for row in page.get_by_role("button", name=re.compile("^4, none")).all():
        row.click()
    expect(verdict).to_contain_text("The same as before")


def test_a_proven_profile_asks_of_the_next_batch_whether_it_is_the_same(page: Page, site: Site) -> None:
    page.goto(f"{site.base}/profiles/{PROVEN}")
    expect(page.locator(".count")).to_have_text("7/8")
    expect(page.locator(".of")).to_have_text("proven")
    before, after = page.locator(".story figure").all()
    expect(before).to_contain_text("Before: temperature tower")
    expect(after).to_contain_text("After: proof")
    assert after.locator("img").evaluate("i => i.decode().then(() => i.naturalWidth)") > 300
    held = profiles.sheet(site.house, PROVEN).profile.values
    found_by = {key: held[key].origin.trial for key in ("nozzle_c", "flow_ratio", "retraction_mm")}
    assert all(found_by.values())

    page.get_by_role("button", name="New batch").click()
    expect(page.get_by_text("Batch 2 is in use.")).to_be_visible()
    expect(page.locator(".of")).to_have_text("measured")
    page.get_by_role("link", name="Plan it").click()
    expect(page.get_by_role("heading", name="Batch check")).to_be_visible()
    page.get_by_role("button", name="Make the file").click()
    page.get_by_role("button", name=re.compile("It is loaded now: print it|Print it")).first.click()
    page.get_by_role("link", name="Read it").click()
    expect(page.get_by_role("button", name=re.compile("What would a practised"))).to_be_visible()
    # One in ten who score as people do is sent to look again; nobody errs here.
    read_exactly(site.house, int(page.url.split("/")[-2]), 3)
    page.reload()
    expect(page.locator("#verdict .big")).to_be_visible()
    _look_again(page)
    page.get_by_role("link", name="Adopt…").click()
    page.get_by_role("button", name=re.compile("^Adopt ")).click()
    expect(page.get_by_text("Adopted as revision")).to_be_visible()
    held = profiles.sheet(site.house, PROVEN).profile.values
    for key, trial in found_by.items():
        if held[key].still_good:
            assert held[key].still_good.startswith("the same in batch 2")
        assert held[key].origin.trial == trial, "what was found keeps where it came from"
    assert any(held[key].still_good for key in found_by)
    known = {s.group.key: s.known for s in profiles.card(site.house, PROVEN).sectors}
    assert known["pressure"] is Status.MEASURED, "a batch does not touch what does not rest on it"
