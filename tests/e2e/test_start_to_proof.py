"""A whole profile in one go: what the page offers next is planned, printed, read and adopted, until it is proven.

The first trial, the last and the next batch go through the pages and over the line; those in between through the
services beneath, and are read as exactly as can be.
"""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from drumbo.core.profile import Status
from drumbo.services import adopting, profiles, trials, workshop
from tests.conftest import LABEL
from tests.e2e.beneath import print_and_read
from tests.e2e.conftest import Site

pytestmark = pytest.mark.filterwarnings("ignore::ResourceWarning")

MOST_TRIALS = 20
SPOOL = 3
"""A spool whose proof is good at once; the stand-in prints the same every time."""


def _beneath(page: Page, site: Site, profile: int) -> str:
    """The same without pages, where one print answers it; nothing where that takes more."""
    slug = (page.get_by_role("link", name="Plan it").get_attribute("href") or "").rsplit("/", 1)[-1]
    plan = trials.draft(site.house, profile, slug)
    if plan.kind.title == "Proof":
        return ""
    number = trials.create(site.house, profile, slug, plan.plan)
    print_and_read(site.house, number, SPOOL)
    sheet = trials.sheet(site.house, number)
    if sheet.result is None or sheet.result.value is None or not sheet.kind.keeps(sheet.result):
        return ""
    adopting.adopt(site.house, number)
    return plan.kind.title


def _print_and_read(page: Page) -> None:
    page.get_by_role("button", name="Make the file").click()
    page.get_by_role("button", name="Print it").click()
    page.get_by_role("link", name="Read it").click()
    page.get_by_role("button", name=re.compile("What would a practised")).click()
    expect(page.locator("#verdict .big")).to_be_visible()


def _one_trial(page: Page) -> str:
    """The trial that comes next, and the range after it where the first does not hold the answer."""
    page.get_by_role("link", name="Plan it").click()
    title = page.locator("h1").inner_text()
    _print_and_read(page)
    further = page.locator("#verdict a.btn-strong", has_text=re.compile("^Plan"))
    if further.count():
        further.click()
        _print_and_read(page)
    if title == "Proof":
        _look_again(page)
    page.get_by_role("link", name="Adopt…").click()
    page.get_by_role("button", name=re.compile("^Adopt ")).click()
    return title


def _look_again(page: Page) -> None:
    """A point that was given a poor score by a slip, and one that is poor."""
    verdict = page.locator("#verdict")
    page.get_by_role("button", name="1, splits at a touch").click()
    expect(verdict).to_contain_text("Look again: bond.")
    page.get_by_label("Poor points").select_option("looked at again: it is so")
    expect(verdict).to_contain_text("Not yet: bond.")
    page.get_by_role("button", name="4, will not part").click()
    expect(verdict).to_contain_text("this profile is proven")


def test_a_whole_profile_start_to_proof(page: Page, site: Site) -> None:
    spool = workshop.save_material(site.house, LABEL, spool_seed=SPOOL)
    profile = profiles.create(site.house, spool, 1, "start to proof")
    done: list[str] = []
    page.goto(f"{site.base}/profiles/{profile}")
    while page.get_by_role("link", name="Plan it").count():
        assert len(done) < MOST_TRIALS, done
        done.append((_beneath(page, site, profile) if done else "") or _one_trial(page))
        page.goto(f"{site.base}/profiles/{profile}")
    assert done[0] == "Temperature tower"
    assert done[-1] == "Proof"
    assert {"Cooling", "Dimensions"} <= set(done)
    expect(page.locator(".count")).to_have_text("8/8")
    expect(page.locator(".of")).to_have_text("proven")
    before, after = page.locator(".story figure").all()
    expect(before).to_contain_text("Before: temperature tower")
    expect(after).to_contain_text("After: proof")
    assert after.locator("img").evaluate("i => i.decode().then(() => i.naturalWidth)") > 300

    page.get_by_role("button", name="New batch").click()
    expect(page.get_by_text("Batch 2 is in use.")).to_be_visible()
    expect(page.locator(".of")).to_have_text("measured")
    title = _one_trial(page)
    assert title == "Batch check"
    held = profiles.sheet(site.house, profile).profile.values
    checked = [held[key] for key in ("nozzle_c", "flow_ratio", "retraction_mm")]
    assert any(value.still_good.startswith("the same in batch 2") for value in checked)
    assert all(value.origin.trial for value in checked), "what was found keeps where it came from"
    known = {s.group.key: s.known for s in profiles.card(site.house, profile).sectors}
    assert known["pressure"] is Status.MEASURED, "a batch does not touch what does not rest on it"
