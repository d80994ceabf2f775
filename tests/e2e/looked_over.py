"""Pages of the demo's workshop looked over for what keeps people out, by rules that others keep."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path

from playwright.sync_api import Page

from drumbo.demo.run import ARCHIVE
from drumbo.services.prints import PrintManager
from drumbo.store.archive import unpack
from drumbo.store.database import Workshop
from tests.conftest import PATIENCE_S
from tests.e2e.conftest import Site, served

RULES = Path(__file__).parents[1] / "vendor" / "axe.min.js"
ASK = """async () => (await axe.run({
    resultTypes: ["violations"], rules: {"target-size": {enabled: true}},
})).violations.map(
    (v) => `${v.impact} ${v.id}: ${v.nodes.map((n) => n.html.slice(0, 200)).slice(0, 3).join(" | ")}`)"""
OVER = """() => [...document.querySelectorAll("body *")]
    .filter((e) => e.getBoundingClientRect().right > innerWidth + 1 && !e.closest("svg svg"))
    .map((e) => e.outerHTML.slice(0, 120)).slice(0, 3)"""

WIDE = 1000


def demo_site(folder: Path) -> Iterator[Site]:
    """The demo's workshop, without its printers."""
    unpack(ARCHIVE, folder)
    house = Workshop(folder)
    yield from served(house, PrintManager(house))


def wrong_on(browser: object, site: Site, path: str, widths: Sequence[int]) -> dict[int, list[str]]:
    """What is wrong with a page by widths, px: broken rules, and what makes it scroll sideways, also where letters are
    twice as large. Narrow pages are looked at in the dark.
    """
    # The page's own policy would keep the rules out.
    context = browser.new_context(bypass_csp=True)
    found = {}
    for width in widths:
        # A new one each time: what an earlier page had asked for when it was left would never come to rest.
        page = context.new_page()
        page.set_viewport_size({"width": width, "height": 800})
        page.emulate_media(color_scheme="light" if width > WIDE else "dark")
        found[width] = _wrong(page, f"{site.base}{path}", width)
        page.close()
    context.close()
    return {width: wrong for width, wrong in found.items() if wrong}


def _wrong(page: Page, address: str, width: int) -> list[str]:
    answer = page.goto(address)
    if answer is None or answer.status >= 500:
        return [f"it cannot be shown: {answer and answer.status}"]
    page.wait_for_load_state("networkidle", timeout=PATIENCE_S * 1000)
    page.evaluate(RULES.read_text())
    found = list(page.evaluate(ASK))
    for letters in ("100%", "200%") if width > WIDE else ("100%",):
        page.evaluate("(size) => { document.documentElement.style.fontSize = size; }", letters)
        if page.evaluate("document.documentElement.scrollWidth > innerWidth"):
            found += [f"sideways, letters {letters}: {html}" for html in page.evaluate(OVER)]
    return found
