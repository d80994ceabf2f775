"""Filament changed by the steps: before a print that wants another spool, and at a pause in the middle of one."""

from __future__ import annotations

import io
import json
import re
import urllib.request
from dataclasses import asdict
from typing import Any

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, expect

from drumbo.core.printer import Printer
from drumbo.links.practice import running, start_standin
from drumbo.services import loaded, profiles, trials, workshop
from tests.conftest import LABEL, PATIENCE_S
from tests.e2e.conftest import Site

pytestmark = pytest.mark.filterwarnings("ignore::ResourceWarning")

SMALL: dict[str, Any] = {"hot_c": 220, "cold_c": 200, "step_c": 10, "step_mm": 8, "first_c": 215, "aim": "balanced"}
WHITE, BLUE = "#e8e4da", "#2f4f8f"


def _status(camera: str) -> dict[str, Any]:
    with urllib.request.urlopen(f"{camera}/status", timeout=PATIENCE_S) as answer:
        found: dict[str, Any] = json.loads(answer.read())
    return found


def _go_through(page: Page, camera: str, pull: str) -> None:
    """All steps, looking at what comes out as a person would."""
    step = page.locator(".swap-steps .now")
    page.get_by_role("button", name=pull).click()
    if pull != "It is hot":
        expect(step).to_have_text("Pull out")
        page.get_by_role("button", name="It is out").click()
    page.get_by_role("button", name="It is in: feed it").click()
    expect(step).to_have_text("Feed")
    page.get_by_role("button", name="It comes out").click()
    expect(step).to_have_text("Clean")
    for _ in range(8):
        expect(page.get_by_role("button", name="The colour is clean")).to_be_enabled()
        if _status(camera)["old_share"] < 0.02:
            break
        page.get_by_role("button", name="Feed 20 mm more").click()
        expect(page.get_by_role("button", name="The colour is clean")).to_be_visible()
    assert _status(camera)["old_share"] < 0.02
    page.get_by_role("button", name="The colour is clean").click()
    page.get_by_role("button", name="Done").click()


def test_changed_before_a_print_and_again_at_a_pause(page: Page, site: Site) -> None:
    with running(start_standin(pace=400.0)) as device:
        spec = {**asdict(Printer("Auk Five")), "link_url": device.link_url, "camera_url": device.camera_url}
        printer = workshop.save_printer(site.house, spec)
        white = workshop.save_material(
            site.house,
            {**LABEL, "product": "Auk PLA", "colour": "chalk", "colour_hex": WHITE, "spool_g": 500},
            spool_seed=5,
        )
        blue = workshop.save_material(
            site.house, {**LABEL, "product": "Auk PLA", "colour": "deep blue", "colour_hex": BLUE, "spool_g": 500},
            spool_seed=5,
        )  # fmt: skip
        profile = profiles.create(site.house, white, printer, "Auk PLA, chalk on Auk Five")
        trial = trials.create(site.house, profile, "temperature", SMALL)
        loaded.set_loaded(site.house, printer, blue)

        page.goto(f"{site.base}/trials/{trial}/print")
        expect(page.get_by_text("Auk PLA, deep blue is loaded on Auk Five; this wants")).to_be_visible()
        page.get_by_role("link", name="Change filament").click()
        expect(page.get_by_label("Spool")).to_have_value(str(white))
        page.get_by_role("button", name="Change to it, step by step").click()
        expect(page.locator(".swap-do")).to_contain_text("The nozzle heats to 210 °C")
        _go_through(page, device.camera_url, "Pull the old filament out")
        expect(page.get_by_role("heading", name="Auk PLA, chalk is loaded")).to_be_visible()
        went = float(re.search(r"(\d+) mm went through", page.inner_text("main")).group(1))
        assert 120 <= went <= 240
        left = workshop.material(site.house, white).spool_g
        assert left == pytest.approx(500 - went * 2.405 * 1.24 / 1000, abs=0.2), "taken from the spool"
        assert loaded.loaded(site.house, printer).id == white

        page.goto(f"{site.base}/trials/{trial}/print")
        page.get_by_label("Pause before layer").fill("60")
        page.get_by_role("button", name="Print it", exact=True).click()
        expect(page.get_by_role("link", name="Change filament")).to_be_visible()
        page.get_by_role("link", name="Change filament").click()
        page.get_by_label("Spool").select_option(str(blue))
        page.get_by_role("button", name="Change to it, step by step").click()
        expect(page.locator(".swap-spool").last).to_contain_text("deep blue")
        _go_through(page, device.camera_url, "Pull the old filament out")
        page.get_by_role("link", name="Back to the print").click()
        page.get_by_role("button", name="Continue").click()
        expect(page.get_by_text("It can be read now")).to_be_visible()

        with urllib.request.urlopen(f"{device.camera_url}/front.png?scale=6", timeout=PATIENCE_S) as answer:
            frame = json.loads(answer.headers["X-Frame"])
            seen = np.asarray(Image.open(io.BytesIO(answer.read())).convert("RGB"), float)
        change_mm = 0.24 + 58 * 0.2
        row = frame["height"] - (change_mm - frame["bottom_mm"]) * frame["px_per_mm"]
        middle = seen[:, frame["width"] // 4 : frame["width"] // 2]
        bluish = (middle[..., 2] - middle[..., 0]).mean(axis=1)
        above, below = bluish[int(row) - 24 : int(row) - 4], bluish[int(row) + 4 : int(row) + 24]
        assert above.mean() > below.mean() + 15, "blue above the change, chalk below"
