"""Runs one layer package over HTTP: handed over whole, then watched until it is done.

    POST <link>/print    the package; 202, or an error with {"error": …}
    GET  <link>/progress {"state", "layer", "layers", "resin_c", "message"}; printing or paused, or at rest: done,
                         stopped, failed or idle
    POST <link>/stop
    POST <link>/pause    before the next layer, plate up
    POST <link>/resume

A printer's error and a stop are states of the print with a message. Nothing is told as paused or going on that the
printer did not say of itself; one that knows no pause goes on, and that is said.
"""

from __future__ import annotations

import json
import math
import time
from dataclasses import dataclass
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
AT_REST: dict[str, RunState | None] = {
    "done": RunState.DONE, "stopped": RunState.STOPPED, "failed": RunState.FAILED, "idle": None,
}  # fmt: skip
"""What it says of itself when it is not. With any other word nobody knows, so nothing is told as over."""
LONGEST_WORD, LONGEST_SAID = 40, 400
COLDEST_C, HOTTEST_C = -40.0, 150.0


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


@dataclass(frozen=True, slots=True)
class Progress:
    """What a printer says of itself, as far as that can be: its word, a layer of so many, °C, and its message."""

    state: str
    layer: int
    resin_c: float | None
    message: str

    @classmethod
    def of(cls, found: dict[str, Any], layers: int, before: int) -> Progress:
        """From its answer. What is no number, or none that can be, is as it was `before`, or unknown."""
        layer, warm = _number(found.get("layer")), _number(found.get("resin_c"))
        return cls(
            state=str(found.get("state", "printing"))[:LONGEST_WORD],
            layer=before if layer is None else min(max(round(layer), 0), max(layers, 0)),
            resin_c=warm if warm is not None and COLDEST_C <= warm <= HOTTEST_C else None,
            message=str(found.get("message") or "")[:LONGEST_SAID],
        )


def _number(value: Any) -> float | None:
    """A finite number, or nothing."""
    if isinstance(value, bool) or not isinstance(value, (int, float, str)):
        return None
    try:
        number = float(value)
    except (ValueError, OverflowError):
        return None
    return number if math.isfinite(number) else None


def _note(found: dict[str, Any], job: RunOrder, journal: Journal) -> None:
    told = Progress.of(found, job.total, journal.last.sent)
    heat = {"layer": told.layer, "layers": job.total, "resin_c": told.resin_c}
    if told.state in GOES_ON:
        message = "It rests with the plate up." if told.state == PAUSED else journal.last.refused
        journal.note(state=GOES_ON[told.state], sent=told.layer, heat=heat, message=message)
        return
    if told.state not in AT_REST:
        said = f"The printer says “{told.state}” of itself, and nobody here knows what that means. Go and look."
        journal.note(sent=told.layer, heat=heat, message=said)
        return
    # What the printer says of itself was read back just now: it is not at work any more.
    state, done = AT_REST[told.state], told.state == RunState.DONE
    message = told.message or ("The printer is idle and does not say how its print ended." if state is None else "")
    journal.note(
        state=state or RunState.FAILED, sent=job.total if done else told.layer, message=message, heat=heat,
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
            state = Progress.of(printer.get("/progress", timeout_s=5), 0, 0).state
        except LinkError:
            state = "printing"
        if state in AT_REST:
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
