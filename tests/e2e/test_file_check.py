"""A file with a forgotten factor and a wrong first layer: its findings, a stretch of it, and the layer they are on."""

from __future__ import annotations

import re

from playwright.sync_api import Browser, Locator, Page, expect

from bench.styles import STYLES, write
from drumbo.services import profiles, trials, workshop
from tests.conftest import LABEL
from tests.e2e.conftest import Site


def test_what_is_odd_is_read_and_the_layer_opened(page: Page, site: Site) -> None:
    spool = workshop.save_material(site.house, LABEL, spool_seed=3)
    profile = profiles.create(site.house, spool, 1, "held against")
    trial = trials.create(site.house, profile, "proof-part", trials.draft(site.house, profile, "proof-part").plan)
    good = trials.printed_file(site.house, trial).decode()
    lines = good.splitlines()
    heights = [k for k, line in enumerate(lines) if re.match(r"G[01] .*Z5\.\d", line)]
    lines.insert(heights[0], "M220 S45")
    bad = "\n".join(lines).replace("M109 S215", "M109 S195")

    page.goto(f"{site.base}/check/")
    _bring(page, good, "good.gcode")
    expect(
        page.get_by_text("Nothing. It begins and ends in a known state, and does what the profile says.")
    ).to_be_visible()

    _drop(page, bad, "bad.gcode")
    first, second = page.locator(".odd").all()
    expect(first).to_contain_text("Speed factor 45% from here on")
    across = first.bounding_box()
    assert across is not None
    assert across["width"] > 900, "a finding has the whole width to say what it says"
    expect(first).to_contain_text("Put M220 S100 where it should end")
    expect(first).to_contain_text(f"line {heights[0] + 1:,}")
    expect(first.locator(".share")).to_have_text(re.compile(r"^\s*[5-9]\d % of the print\s*$"))
    expect(second).to_contain_text("Lays its first layer at 195 °C; the profile says 215 °C")

    _ask_for_a_stretch(page)
    _draw_over_a_stretch(page)
    _open_its_layer(page, first)
    _look_from_the_side(page)

    _lay_beside(page, "not G-code at all", "notes.txt")
    expect(page.get_by_role("alert")).to_contain_text("The other file: ")
    expect(page.get_by_role("heading", name="bad.gcode")).to_be_visible()
    _lay_beside(page, good, "good.gcode")
    expect(page.get_by_role("heading", name="Two files beside each other")).to_be_visible()
    lines_at = page.locator("code")
    expect(lines_at).to_have_text(["M109 S195", "M109 S215"])
    row = page.get_by_role("row", name="Nozzle, first layer")
    expect(row).to_contain_text("195")
    expect(row).to_contain_text("+20 °C")
    page.get_by_role("link", name="bad.gcode").first.click()
    expect(page.locator(".odd")).to_have_count(2)
    _learn(page)


def _ask_for_a_stretch(page: Page) -> None:
    page.get_by_label("Along", exact=True).select_option("height")
    expect(page.locator("#strips")).to_contain_text("mm high")
    page.get_by_label("to", exact=True).fill("4")
    page.get_by_role("button", name="Look").click()
    expect(page.locator("#strips")).to_have_attribute("data-high", re.compile(r"^3\.8\d*$|^4\.0$"))
    expect(page.locator(".track")).to_have_count(4)
    page.get_by_label("Along", exact=True).select_option("time")
    expect(page.locator("#strips")).to_contain_text("min")
    expect(page.get_by_label("to", exact=True)).to_have_value("")
    page.get_by_label("Along", exact=True).select_option("height")
    expect(page.locator("#strips")).to_contain_text("mm high")
    page.get_by_label("to", exact=True).fill("four")
    page.get_by_role("button", name="Look").click()
    expect(page.get_by_role("alert")).to_have_text("“to”: “four” is not a number; write it like 215 or 1.75")
    expect(page.get_by_label("to", exact=True)).to_have_value("four")
    page.get_by_label("to", exact=True).fill("-2")
    page.get_by_role("button", name="Look").click()
    expect(page.get_by_role("alert")).to_contain_text("nothing lies in this stretch")
    page.get_by_label("to", exact=True).fill("")
    page.get_by_role("button", name="Look").click()
    expect(page.get_by_role("alert")).to_have_count(0)


def _draw_over_a_stretch(page: Page) -> None:
    strips = page.locator(".tracks-in")
    strips.scroll_into_view_if_needed()
    box = strips.bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + box["width"] * 0.4, box["y"] + 60)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.5, box["y"] + 80, steps=3)
    expect(page.locator(".stretch")).to_be_visible()
    page.mouse.up()
    expect(page.get_by_label("from", exact=True)).to_have_value(re.compile(r"^7\.\d+$"))
    expect(page.get_by_label("to", exact=True)).to_have_value(re.compile(r"^9\.\d+$"))
    page.get_by_role("button", name="Whole", exact=True).click()
    expect(page.get_by_label("to", exact=True)).to_have_value("")


def _learn(page: Page) -> None:
    page.get_by_role("link", name="Take these values into a new profile").click()
    expect(page.get_by_role("heading", name="Learn from it")).to_be_visible()
    row = page.get_by_role("row", name="Nozzle, first layer")
    expect(row).to_contain_text("195")
    expect(row).to_contain_text("the label says 200 to 220 °C")
    expect(row.get_by_role("checkbox")).not_to_be_checked()
    for box in page.get_by_role("checkbox").all():
        box.uncheck()
    page.get_by_label("Name").fill("as the bad file has it")
    page.get_by_role("button", name="Make the profile").click()
    expect(page.get_by_role("alert")).to_contain_text("Pick at least one value of the file")
    expect(page.get_by_label("Name")).to_have_value("as the bad file has it")
    row.get_by_role("checkbox").check()
    page.get_by_role("button", name="Make the profile").click()
    expect(page.get_by_role("row", name="Nozzle, first layer")).to_contain_text("195")
    expect(page.get_by_role("row", name="Nozzle, first layer")).to_contain_text("copied from bad.gcode")


def _open_its_layer(page: Page, first: Locator) -> None:
    first.get_by_role("link").click()
    layer = first.get_by_role("link").inner_text().split()[1]
    expect(page.locator("#layer")).to_have_attribute("data-drawn", layer)
    expect(page.locator("#layer-no")).to_have_text(layer)
    drawing = page.locator("#layer-drawing")
    drawing.scroll_into_view_if_needed()
    inked = """c => c.getContext('2d').getImageData(0, 0, c.width, c.height).data
        .filter((v, k) => k % 4 === 3 && v > 0).length"""
    assert drawing.evaluate(inked) > 20_000, "roads are drawn"
    box = drawing.bounding_box()
    assert box is not None
    for k in range(100):
        page.mouse.move(box["x"] + box["width"] * k / 100, box["y"] + box["height"] * 0.5)
        if re.match(r"line \d+: \d", page.locator("#layer-says").inner_text()):
            break
    expect(page.locator("#layer-says")).to_have_text(
        re.compile(r"^line \d+: [\d.]+ mm³/s, \d+ mm/s, 0\.\d+ mm wide, 210 °C, (outer walls|inner lines)$")
    )
    before = drawing.evaluate(inked)
    drawing.press("+")
    drawing.press("+")
    drawing.press("ArrowLeft")
    page.wait_for_function("() => document.querySelector('#layer-drawing').classList.contains('nearer')")
    page.get_by_role("button", name="whole", exact=True).click()
    page.wait_for_function("() => !document.querySelector('#layer-drawing').classList.contains('nearer')")
    page.wait_for_timeout(60)
    assert abs(drawing.evaluate(inked) - before) < 3000, "the whole is back"
    page.get_by_label("coloured by").select_option("speed")
    expect(page.locator("#layer-high")).not_to_have_text("")
    page.get_by_label("coloured by").select_option("role")
    expect(page.locator("#layer-roles")).to_contain_text("outer walls")
    expect(page.locator("#layer-ramp")).to_be_hidden()
    page.get_by_label("coloured by").select_option("speed")


def _look_from_the_side(page: Page) -> None:
    """The whole print from the front: a click and keys choose the layer, colours are the same."""
    front = page.locator("[data-side=front]")
    page.get_by_label("coloured by").select_option("fan")
    expect(front).to_have_attribute("data-drawn", "fan")
    box = front.bounding_box()
    assert box is not None
    front.click(position={"x": box["width"] / 2, "y": box["height"] - 14})
    expect(page.locator("#layer")).to_have_attribute("data-drawn", re.compile(r"^[1-9]$"))
    expect(page.locator(".elevation-says").first).to_have_text(re.compile(r"^layer \d+, \d\.\d\d mm(: .* % fan)?$"))
    low = int(page.locator("#layer").get_attribute("data-drawn") or 0)
    front.press("PageUp")
    front.press("ArrowUp")
    expect(page.locator("#layer")).to_have_attribute("data-drawn", str(low + 11))
    page.get_by_label("G-code dialect").select_option("m572")
    expect(page.locator("#layer")).to_have_attribute("data-url", re.compile("dialect=m572"))
    page.get_by_label("G-code dialect").select_option("")
    expect(page.locator(".odd")).to_have_count(2)


def test_on_a_phone_nothing_is_wider_and_strips_are_drawn_by_finger(site: Site, browser: Browser) -> None:
    context = browser.new_context(viewport={"width": 320, "height": 700}, has_touch=True, is_mobile=True)
    page = context.new_page()
    page.goto(f"{site.base}/check/")
    styles = write(STYLES["begun by a macro"]).text.decode()
    _bring(page, styles, "macro.gcode")
    expect(page.locator("#findings")).to_contain_text("Homing cannot be seen: START_PRINT may do it")
    expect(page.locator("[data-side=side]")).to_have_attribute("data-drawn", "flow")
    assert page.evaluate("document.documentElement.scrollWidth") == 320
    strips = page.locator(".tracks-in")
    strips.scroll_into_view_if_needed()
    box = strips.bounding_box()
    assert box is not None
    touch = context.new_cdp_session(page)
    for kind, share in (("touchStart", 0.4), ("touchMove", 0.5), ("touchMove", 0.6), ("touchEnd", None)):
        points = [] if share is None else [{"x": box["x"] + box["width"] * share, "y": box["y"] + 20}]
        touch.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": points})
    expect(page.get_by_label("from", exact=True)).to_have_value(re.compile(r"^[34]\.\d+$"))
    expect(page.locator("#strips")).to_have_attribute("data-low", re.compile(r"^[34]\.\d+$"))
    strips.press("0")
    expect(page.get_by_label("from", exact=True)).to_have_value("")
    context.close()


def _lay_beside(page: Page, text: str, name: str) -> None:
    page.get_by_label("Lay another file beside it").set_input_files(
        {"name": name, "mimeType": "text/plain", "buffer": text.encode()}
    )
    page.get_by_role("button", name="Compare").click()


def _drop(page: Page, text: str, name: str) -> None:
    """On the page of another file, whose profile is still chosen."""
    dropped = page.evaluate_handle(
        "([text, name]) => { const d = new DataTransfer(); d.items.add(new File([text], name)); return d; }",
        [text, name],
    )
    page.dispatch_event("main", "dragenter", {"dataTransfer": dropped})
    expect(page.locator("html")).to_have_class(re.compile("dropping"))
    page.dispatch_event("main", "drop", {"dataTransfer": dropped})
    expect(page.get_by_role("heading", name=name)).to_be_visible()
    expect(page.locator("#layer")).to_have_attribute("data-drawn", "1")


def _bring(page: Page, text: str, name: str) -> None:
    page.locator("#file").set_input_files({"name": name, "mimeType": "text/plain", "buffer": text.encode()})
    page.get_by_label("Held against", exact=True).select_option("held against")
    page.get_by_role("button", name="Check it").click()
    expect(page.get_by_role("heading", name=name)).to_be_visible()
    expect(page.locator("#layer")).to_have_attribute("data-drawn", "1")
