"""A served workshop, the stand-in as a process of its own, and Debian's Chromium."""

from __future__ import annotations

import contextlib
import gc
import threading
import warnings
from collections.abc import Generator, Iterator
from dataclasses import asdict, dataclass
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect, sync_playwright
from waitress import wasyncore
from waitress.server import create_server

from drumbo.core.printer import Printer
from drumbo.links.practice import running, start_standin
from drumbo.services import workshop
from drumbo.services.prints import PrintManager
from drumbo.store.database import Workshop
from drumbo.web import create_app

FLAGS = (
    "--no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking "
    "--disable-component-update --disable-sync"
).split()

PATIENCE_MS = 240_000
"""How long a page is waited for: until what is wanted is there, and a loaded machine may need long for it."""

expect.set_options(timeout=PATIENCE_MS)


@dataclass
class Site:
    base: str
    house: Workshop
    room: PrintManager


@pytest.fixture(scope="session")
def device() -> Iterator[tuple[str, str]]:
    """Link and camera of a stand-in; every workshop of this run prints on it."""
    with running(start_standin(pace=1e6)) as made:
        yield made.link_url, made.camera_url


@pytest.fixture(scope="module")
def site(tmp_path_factory: pytest.TempPathFactory, device: tuple[str, str]) -> Iterator[Site]:
    folder: Path = tmp_path_factory.mktemp("site")
    link, camera = device
    house = Workshop(folder)
    room = PrintManager(house, {"answer_s": 2.0, "told_s": 2.0})
    workshop.save_printer(house, {**asdict(Printer("Petrel One")), "link_url": link, "camera_url": camera})
    yield from served(house, room)


def served(house: Workshop, room: PrintManager) -> Iterator[Site]:
    """A workshop behind a server of its own; all of it is closed afterwards."""
    server = create_server(create_app(house, room, secret="test"), host="127.0.0.1", port=0, threads=6)

    def serve() -> None:
        # Closing pulls the sockets away from under the loop that waits for them.
        with contextlib.suppress(OSError):
            server.run()

    threading.Thread(target=serve, daemon=True).start()
    yield Site(f"http://127.0.0.1:{server.effective_port}", house, room)
    room.close()
    # An answer still under way would wake the closed server through a number that may be another file's by then.
    server.task_dispatcher.shutdown(timeout=30)
    server.close()
    wasyncore.close_all(server._map, ignore_all=True)
    house.close()
    # What browser and server leave open is let go of here, and not in the middle of another test.
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", ResourceWarning)
        gc.collect()


@pytest.fixture(scope="session")
def browser() -> Iterator[object]:
    with sync_playwright() as play:
        made = play.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=FLAGS)
        yield made
        made.close()


EXPECTED = ("422", "htmx:sendAbort", "htmx:afterRequest")
"""A form that was refused, and what htmx says of an answer that nobody waits for any more as the page was left."""


def _speaks(text: str) -> bool:
    return not any(word in text for word in EXPECTED)


@pytest.hookimpl(wrapper=True)
def pytest_runtest_makereport(item: pytest.Item) -> Generator[None, pytest.TestReport, pytest.TestReport]:
    """What the page showed when a test failed stands with its report, and how prints stood."""
    report = yield
    page = getattr(item, "funcargs", {}).get("page")
    if report.when == "call" and report.failed and page is not None and not page.is_closed():
        report.sections.append(("page", f"{page.url}\n{page.inner_text('body')}"))
        site = item.funcargs["site"]
        for journal in sorted(site.house.folder.glob("prints/*/journal.jsonl")):
            report.sections.append((str(journal.parent.name), journal.read_text().rstrip("\0")))
    return report


@pytest.fixture
def page(browser: object) -> Iterator[Page]:
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    made = context.new_page()
    made.set_default_timeout(PATIENCE_MS)
    problems: list[str] = []
    made.on("pageerror", lambda error: problems.append(str(error)))
    made.on("console", lambda said: problems.append(said.text) if said.type == "error" and _speaks(said.text) else None)
    yield made
    context.close()
    assert not problems
