"""A wall that did not fail leads to a second one and a value; a tray of blobs on the scale; the planner's waterfall."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, Route, expect

from drumbo.services import profiles, workshop
from tests.conftest import LABEL
from tests.e2e.conftest import Site

pytestmark = pytest.mark.filterwarnings("ignore::ResourceWarning")


@pytest.fixture(scope="module")
def profile(site: Site) -> int:
    spool = workshop.save_material(site.house, LABEL, spool_seed=3)
    return profiles.create(site.house, spool, 1, "melts")


def _print_it(page: Page) -> None:
    page.get_by_role("button", name="Make the file").click()
    page.get_by_role("button", name="Print it").click()
    expect(page.get_by_role("link", name="Read it")).to_be_visible()
    page.get_by_role("link", name="Read it").click()


def test_a_wall_that_did_not_fail_leads_to_a_second_one_and_a_value(page: Page, site: Site, profile: int) -> None:
    page.goto(f"{site.base}/profiles/{profile}/trials/new/rising-wall")
    page.get_by_label("Step", exact=True).fill("2")
    page.get_by_label("Flow at the top").fill("40")
    page.keyboard.press("Tab")
    expect(page.get_by_text("the top speed of 200 mm/s holds the head back")).to_be_visible()
    for label, value in (
        ("Flow at the bottom", "3"),
        ("Flow at the top", "6"),
        ("Step", "1"),
        ("Height of a band", "3"),
    ):
        page.get_by_label(label, exact=True).fill(value)
    page.keyboard.press("Tab")
    expect(page.get_by_text("4 bands, 3 mm³/s at the bottom to 6 at the top.")).to_be_visible()
    _print_it(page)
    # By keyboard alone: "nowhere" stands below the lowest band.
    expect(page.locator(".begins.now")).to_be_visible()
    page.keyboard.press("ArrowDown")
    for _ in range(3):
        page.keyboard.press(" ")
    expect(page.get_by_text("It did not fail up to 6 mm³/s; print 6 to 9 next.")).to_be_visible()
    page.get_by_role("link", name="Plan the next range").click()
    expect(page.get_by_label("Flow at the bottom")).to_have_value("6")
    page.get_by_label("Flow at the top").fill("14")
    page.keyboard.press("Tab")
    expect(page.get_by_text("9 bands, 6 mm³/s at the bottom to 14 at the top.")).to_be_visible()
    _print_it(page)
    page.get_by_label("Gaps from 10 mm³/s on").click()
    expect(page.get_by_text("One sign alone")).to_be_visible()
    page.get_by_label("Splits from this height on").fill("99")
    page.keyboard.press("Enter")
    expect(page.get_by_text("99 mm is not on the wall")).to_be_visible()
    # Callipers type a number and Enter, from the lowest band up.
    page.get_by_label("Thickness, 6 mm³/s, front, in mm").click()
    for number in ("0,58", "0.58", "0.56", "0.53"):
        page.keyboard.type(number)
        page.keyboard.press("Enter")
    expect(page.get_by_label("Thickness, 10 mm³/s, front, in mm")).to_be_focused()
    expect(page.locator("#fit circle")).to_have_count(0)
    page.keyboard.type("0.49")
    page.keyboard.press("Enter")
    expect(page.locator("#fit circle")).to_have_count(5)
    expect(page.locator("#fit")).to_contain_text("What arrives, %")
    page.get_by_role("button", name="What would a practised eye say?").click()
    expect(page.locator(".begins.on")).to_have_count(3)
    expect(page.locator("#fit circle")).to_have_count(9)
    page.get_by_label("Keep back").select_option("15 %")
    expect(page.get_by_text("With 15 % kept back")).to_be_visible()
    page.get_by_role("link", name="Adopt…").click()
    page.get_by_role("button", name="Adopt as revision").click()
    expect(page.get_by_text("Adopted as revision 2.")).to_be_visible()
    limit = profiles.sheet(site.house, profile).profile.number("max_flow_mm3_s")
    assert 6.5 < limit < 8.5, "8.9 melt of this spool at 210 °C, less 15 %"


def test_a_tray_of_blobs_is_weighed_and_its_curves_are_drawn(page: Page, site: Site, profile: int) -> None:
    page.goto(f"{site.base}/profiles/{profile}/trials/new/weighed-blobs")
    page.get_by_label("Fastest").fill("16")
    page.get_by_label("Flows in each row").fill("5")
    page.keyboard.press("Tab")
    expect(page.get_by_text("15 blobs of")).to_be_visible()
    _print_it(page)
    first = page.locator("input[data-measure]").first
    expect(first).to_be_focused()
    page.keyboard.type("0.2")
    page.keyboard.press("Enter")
    expect(page.get_by_text("Weigh 3 more blobs")).to_be_visible()
    expect(page.locator("input.waits")).to_have_attribute("data-site", "row-b")
    page.get_by_role("button", name="What would a practised hand measure?").click()
    expect(page.locator(".chart")).to_have_count(2)
    expect(page.locator(".chart .dot")).to_have_count(15 + 3)
    expect(page.locator(".chart .mark-says")).to_contain_text("at 210 °C")
    page.get_by_role("link", name="Adopt…").click()
    page.get_by_role("button", name="Adopt as revision").click()
    expect(page.get_by_text("Adopted as revision")).to_be_visible()


def test_shares_asked_late_do_not_cut_off_the_next_answer(page: Page, site: Site, profile: int) -> None:
    page.goto(f"{site.base}/planner/?profile={profile}")
    page.get_by_label("Layer height").fill("0.28")
    expect(page.locator("#waterfall .says", has_text="layer height 0.2 → 0.28 mm")).to_be_visible()
    held: list[Route] = []

    def hold(route: Route) -> None:
        held.append(route)

    page.route("**/planner/answer?*speed_inner=190*", hold)
    with page.expect_request("**/planner/answer?*speed_inner=190*"):
        page.get_by_label("Inner walls").fill("190")
    fall = page.locator("#waterfall")
    with page.expect_response("**/planner/waterfall?*"):
        fall.evaluate("e => { htmx.ajax('GET', e.getAttribute('hx-get'), {source: e, target: e}); }")
    held[0].continue_()
    expect(page.get_by_text("holds back inner walls")).to_be_visible()


def test_the_planner_tells_what_each_change_is_worth(page: Page, site: Site, profile: int) -> None:
    page.goto(f"{site.base}/planner/?profile={profile}")
    expect(page.get_by_text("As now.")).to_be_visible()
    page.get_by_label("Layer height").fill("0.28")
    expect(page.locator("#waterfall .says", has_text="layer height 0.2 → 0.28 mm")).to_be_visible()
    inner = page.get_by_label("Inner walls")
    inner.fill("190")
    expect(page.get_by_text("holds back inner walls")).to_be_visible()
    expect(inner).to_be_focused()
    expect(page.locator("#waterfall").get_by_text("Speeds", exact=True)).to_be_visible()
    expect(page.locator("#waterfall rect.saves")).to_have_count(2)
    page.get_by_label("Walls", exact=True).fill("some")
    expect(page.locator("#wb-walls")).to_have_text("“some” is not a number; write it like 215 or 1.75")
    page.get_by_label("Walls", exact=True).fill("1")
    expect(page.locator("#wb-walls")).to_be_empty()
    page.get_by_label("Name for these settings").fill("Fast draft")
    page.get_by_role("button", name="Keep them").hover()
    page.mouse.down()
    page.locator("#answer").evaluate("e => { e.dataset.before = '1'; }")
    page.get_by_label("Walls", exact=True).dispatch_event("change")
    expect(page.locator("#answer[data-before]")).to_have_count(0)
    page.mouse.up()  # what came in the middle of a press does not undo it
    expect(page.get_by_text("Fast draft is kept; find it below.")).to_be_visible()
    expect(page.get_by_label("Inner walls")).to_have_value("190")
    page.get_by_label("Inner walls").fill("50")
    expect(page.locator("#waterfall .says", has_text="inner walls 60 → 50 mm/s")).to_be_visible()
    page.reload()
    expect(page.get_by_label("Inner walls")).to_have_value("50")
    page.get_by_role("link", name="Lay beside").click()
    expect(page.get_by_role("heading", name="Beside “Fast draft”")).to_be_visible()
