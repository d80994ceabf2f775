"""Takes the screenshots again, from a fresh demo workshop. Run by `make shots`."""

from __future__ import annotations

import os
import re
import signal
import subprocess
import sys
import tempfile
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

ROOT = Path(__file__).parents[1]
SHOTS = ROOT / "docs" / "screenshots"
FLAGS = (
    "--no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking "
    "--disable-component-update --disable-sync"
).split()
PIECES = "piece=flow-surface&piece=retraction-length&piece=rising-wall"
DESK, PHONE, TALL = (1280, 800), (390, 844), (1280, 1120)


def _step(page: Page, index: int) -> None:
    page.locator(f".reading .band[data-step='{index}']").click()


def main() -> None:
    """Start the demo, look at every main view, stop it."""
    SHOTS.mkdir(parents=True, exist_ok=True)
    for old in SHOTS.glob("*.png"):
        old.unlink()
    with tempfile.TemporaryDirectory() as folder:
        environment = {**os.environ, "NUMBA_CACHE_DIR": str(ROOT / ".cache" / "numba"), "PYTHONUNBUFFERED": "1"}
        command = [sys.executable, "-m", "drumbo", "--data", folder, "demo", "--port", "0"]
        demo = subprocess.Popen(command, stdout=subprocess.PIPE, text=True, env=environment)
        try:
            _take(_address(demo))
        finally:
            demo.send_signal(signal.SIGTERM)
            demo.wait(30)


def _address(demo: subprocess.Popen[str]) -> str:
    assert demo.stdout is not None
    for line in demo.stdout:
        print(line, end="")
        found = re.search(r"http://127\.0\.0\.1:\d+", line)
        if line.startswith("Drumbo:") and found:
            return found[0]
    raise SystemExit("the demo did not start")


def _take(base: str) -> None:
    with sync_playwright() as play:
        browser = play.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=FLAGS)

        def shot(
            name: str, path: str, size: tuple[int, int] = DESK, *, step: int | None = None, wait_ms: int = 300
        ) -> None:
            page = browser.new_page(viewport={"width": size[0], "height": size[1]})
            page.goto(base + path)
            page.wait_for_timeout(wait_ms)
            if step is not None:
                _step(page, step)
            page.screenshot(path=SHOTS / f"{name}.png")
            page.close()

        shot("plan", "/profiles/5/trials/new/temperature", wait_ms=4000)
        shot("plate", f"/profiles/2/plates/new?{PIECES}", wait_ms=1500)
        shot("profile", "/profiles/1")
        shot("pair", "/pairs/1?part=0&heights=4%3B+8&hand=4", TALL)
        shot("read", "/trials/1/read", step=3)
        shot("read-phone", "/trials/6/read", PHONE)
        shot("adopt", "/trials/6/adopt")
        shot("read-exposure", "/trials/16/read", TALL)
        shot("read-proof", "/trials/10/read")
        shot("read-first-layer", "/trials/11/read")
        wish = (
            "layer_mm=0.28&width_mm=0.6&speed_inner=100&speed_infill=120&speed_solid=90&junction_mm_s=15&nozzle_c=225"
        )
        shot("planner", f"/planner/?profile=1&{wish}", TALL, wait_ms=2500)
        shot("transfer-sheet", "/profiles/1/sheet", TALL)
        shot("compare", "/profiles/compare?p=1&p=2&p=4")
        shot("take-along", "/profiles/1/out")
        page = browser.new_page(viewport={"width": DESK[0], "height": DESK[1]})
        page.goto(f"{base}/trials/1/print")
        with page.expect_download() as download:
            page.get_by_role("link", name="G-code").click()
        page.goto(f"{base}/check/")
        page.get_by_label("G-code or a layer package, from any slicer").set_input_files(
            {"name": "tower.gcode", "mimeType": "text/plain", "buffer": Path(download.value.path()).read_bytes()}
        )
        page.get_by_label("Held against").select_option(label="Razorbill PLA, chalk on Petrel One")
        page.get_by_role("button", name="Check it").click()
        page.get_by_role("heading", name="Findings").wait_for()
        page.screenshot(path=SHOTS / "check.png")
        page.locator("[data-side=side][data-drawn]").wait_for()
        page.locator("#layer-at").fill("120")
        page.locator("#layer[data-drawn='120']").wait_for()
        page.locator("#layer").screenshot(path=SHOTS / "check-layers.png")
        shot("bench", "/")
        shot("print", "/trials/12/print", wait_ms=7000)
        page.goto(f"{base}/trials/12/print")
        page.get_by_role("button", name="Pause").click()
        page.get_by_role("link", name="Change filament").click(timeout=30_000)
        page.get_by_label("Spool").select_option(label="Razorbill PLA, chalk (Skerry Filament)")
        page.get_by_role("button", name="Change to it, step by step").click()
        page.get_by_role("button", name="Pull the old filament out").click(timeout=30_000)
        page.wait_for_timeout(2500)
        page.screenshot(path=SHOTS / "change-filament.png")
        browser.close()


if __name__ == "__main__":
    main()
