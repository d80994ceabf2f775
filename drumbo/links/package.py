"""Runs one layer package over HTTP: handed over whole, then watched until it is done.

    POST <link>/print    the package; 202, or an error with {"error": …}
    GET  <link>/progress {"state", "layer", "layers", "resin_c", "message"}; printing, paused, done, stopped or failed
    POST <link>/stop
    POST <link>/pause    before the next layer, plate up
    POST <link>/resume

A printer's error and a stop are states of the print with a message. Nothing is told as paused or going on that the
printer did not say of itself; one that knows no pause goes on, and that is said.
"""

from __future__ import annotations

import json
import time
from pathlib import Path
from typing import Any, Protocol

from drumbo.core.errors import LinkError
from drumbo.core.run import Heaters, RunState
from drumbo.core.safe_zip import opened
from drumbo.links.http import HttpDevice
from drumbo.links.journal import Journal
from drumbo.links.runs import RunOrder

ZIP = b"PK\x03\x04"
MOST_MEMBER, MOST_PACKAGE = 80_000_000, 1_500_000_000
EACH_S = 0.4
SILENCE_S = 30.0
STOPS_S = 20.0
PAUSED = "paused"
GOES_ON = {"printing": RunState.SENDING, PAUSED: RunState.PAUSED}
"""What a printer says of itself while it is at work, and how its print stands then."""


class Told(Protocol):
    """What this process is told from outside."""

    stop: bool
    pause: bool
    go_on: bool

    def look(self) -> None: ...
    def done(self, folder: Path) -> None: ...


def package_printer(url: str) -> HttpDevice:
    """The printer at an address."""
    return HttpDevice(url, f"nothing that takes layer packages answers at {url}")


def print_package(folder: Path, job: RunOrder, journal: Journal, orders: Told) -> None:
    """One print, from handing it over to its end."""
    path = Path(job.file)
    try:
        printer = package_printer(job.url)
        with path.open("rb") as file:
            printer.send("/print", file, path.stat().st_size, "application/zip")
    except (LinkError, OSError) as error:
        journal.note(state=RunState.FAILED, message=str(error), heaters=Heaters.UNTOUCHED, now=True)
        return
    heard = time.monotonic()
    while not journal.last.heaters:
        orders.look()
        if orders.stop:
            _halt(printer, journal)
            return
        if orders.pause or orders.go_on:
            _ask(printer, journal, "/pause" if orders.pause else "/resume")
            orders.done(folder)
        try:
            found = printer.get("/progress", timeout_s=5)
            heard = time.monotonic()
        except LinkError:
            silent = time.monotonic() - heard > job.timing.get("silence_s", SILENCE_S)
            if silent:
                said = "The link broke. The printer goes on with what it has."
                journal.note(state=RunState.LOST, message=said, heaters=Heaters.GONE, now=True)
        else:
            _note(found, job, journal)
        time.sleep(EACH_S)


def _note(found: dict[str, Any], job: RunOrder, journal: Journal) -> None:
    try:
        layer = int(found.get("layer", journal.last.sent))
    except (TypeError, ValueError):
        layer = journal.last.sent
    state = str(found.get("state", "printing"))
    heat = {"layer": layer, "layers": job.total, "resin_c": found.get("resin_c")}
    if state in GOES_ON:
        message = "It rests with the plate up." if state == PAUSED else journal.last.refused
        journal.note(state=GOES_ON[state], sent=layer, heat=heat, message=message)
        return
    ended = RunState(state) if state in {RunState.DONE, RunState.STOPPED} else RunState.FAILED
    message = str(found.get("message", ""))
    # What the printer says of itself was read back just now: it is not at work any more.
    journal.note(
        state=ended, sent=job.total if state == RunState.DONE else layer, message=message, heat=heat,
        heaters=Heaters.OFF, now=True,
    )  # fmt: skip


def _ask(printer: HttpDevice, journal: Journal, what: str) -> None:
    """Have it rest or go on. What it says of itself is what is told; `refused` keeps why it does not."""
    try:
        printer.post(what, {}, timeout_s=5)
        refused = ""
    except LinkError as error:
        asked = "rest" if what == "/pause" else "go on"
        refused = f"It was asked to {asked} and does not: {error}."
    journal.note(refused=refused, message=refused)


def _halt(printer: HttpDevice, journal: Journal) -> None:
    """Ask for a stop, and believe it when the printer says so."""
    journal.note(state=RunState.STOPPING, message="Stopping.", now=True)
    until, asked = time.monotonic() + STOPS_S, False
    while time.monotonic() < until:
        try:
            if not asked:
                printer.post("/stop", {}, timeout_s=5)
                asked = True
            state = str(printer.get("/progress", timeout_s=5).get("state", "printing"))
        except LinkError:
            state = "printing"
        if state not in GOES_ON:
            said = "Stopped. What hangs on the plate, and what lies on the film?"
            journal.note(
                state=RunState.DONE if state == RunState.DONE else RunState.STOPPED,
                message=said,
                heaters=Heaters.OFF,
                now=True,
            )
            return
        time.sleep(EACH_S / 4)
    said = "It was told to stop and does not say that it has."
    journal.note(state=RunState.LOST, message=said, heaters=Heaters.TOLD if asked else Heaters.GONE, now=True)


def layers_of(path: Path) -> int:
    """How many layers a package has; the printer is who looks at it closely. LinkError where it is none."""
    try:
        with opened(path, most=MOST_MEMBER, most_together=MOST_PACKAGE, wrong=_wrong) as bundle:
            return len(json.loads(bundle.read("manifest.json"))["layers"])
    except (KeyError, ValueError, TypeError) as error:
        raise _wrong("has no layers") from error


def _wrong(message: str) -> LinkError:
    return LinkError(f"that is no layer package, and a resin printer takes nothing else: it {message}")


def is_package(path: Path) -> bool:
    """Whether a file begins as a zip does."""
    with path.open("rb") as file:
        return file.read(len(ZIP)) == ZIP
