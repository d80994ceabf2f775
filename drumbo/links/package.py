"""Runs one layer package over HTTP: handed over whole, then watched until it is done.

    POST <link>/print    the package; 202, or an error with {"error": …}
    GET  <link>/progress {"state", "layer", "layers", "resin_c", "message"}
    POST <link>/stop

A printer's error and a stop are states of the print with a message.
"""

from __future__ import annotations

import json
import time
import urllib.error
import urllib.request
import zipfile
from pathlib import Path
from typing import IO, Any, Protocol

from drumbo.core.errors import LinkError
from drumbo.core.run import Heaters, RunState
from drumbo.links.journal import Journal
from drumbo.links.runs import Job

ZIP = b"PK\x03\x04"
EACH_S = 0.4
PATIENCE_S = 60.0
SILENCE_S = 30.0
STOPS_S = 20.0
LONGEST_ANSWER = 100_000


class Told(Protocol):
    """What this process is told from outside."""

    stop: bool

    def look(self) -> None: ...


def ask(
    url: str, path: str, data: bytes | IO[bytes] | None = None, timeout_s: float = PATIENCE_S, size: int | None = None
) -> dict[str, Any]:
    """One question to the package service; LinkError tells what is wrong."""
    headers = {"Content-Type": "application/zip", **({} if size is None else {"Content-Length": str(size)})}
    request = urllib.request.Request(url.rstrip("/") + path, data, headers)
    try:
        with urllib.request.urlopen(request, timeout=timeout_s) as answer:
            found = json.loads(answer.read(LONGEST_ANSWER))
    except urllib.error.HTTPError as error:
        raise LinkError(_refusal(error.read(2000))) from error
    except (OSError, ValueError) as error:
        raise LinkError(f"nothing that takes layer packages answers at {url}") from error
    if not isinstance(found, dict):
        raise LinkError(f"what answers at {url} is no printer that takes layer packages")
    return found


def _refusal(body: bytes) -> str:
    try:
        return str(json.loads(body)["error"])
    except (ValueError, KeyError, TypeError):
        return "the printer refused without saying why"


def print_package(job: Job, journal: Journal, orders: Told) -> None:
    """One print, from handing it over to its end."""
    path = Path(job.file)
    try:
        with path.open("rb") as file:
            ask(job.url, "/print", file, size=path.stat().st_size)
    except (LinkError, OSError) as error:
        journal.note(state=RunState.FAILED, message=str(error), heaters=Heaters.UNTOUCHED, now=True)
        return
    heard = time.monotonic()
    while not journal.last.heaters:
        orders.look()
        if orders.stop:
            _halt(job, journal)
            return
        try:
            found = ask(job.url, "/progress", timeout_s=5)
            heard = time.monotonic()
        except LinkError:
            silent = time.monotonic() - heard > job.timing.get("silence_s", SILENCE_S)
            if silent:
                said = "The link broke. The printer goes on with what it has."
                journal.note(state=RunState.LOST, message=said, heaters=Heaters.GONE, now=True)
        else:
            _note(found, job, journal)
        time.sleep(EACH_S)


def _note(found: dict[str, Any], job: Job, journal: Journal) -> None:
    try:
        layer = int(found.get("layer", journal.last.sent))
    except (TypeError, ValueError):
        layer = journal.last.sent
    state = str(found.get("state", "printing"))
    if state == "printing":
        heat = {"layer": layer, "layers": job.total, "resin_c": found.get("resin_c")}
        journal.note(state=RunState.SENDING, sent=layer, heat=heat)
        return
    ended = RunState(state) if state in {RunState.DONE, RunState.STOPPED} else RunState.FAILED
    message = str(found.get("message", ""))
    # What the printer says of itself was read back just now: it is not at work any more.
    journal.note(
        state=ended, sent=job.total if state == RunState.DONE else layer, message=message, heaters=Heaters.OFF, now=True
    )


def _halt(job: Job, journal: Journal) -> None:
    """Ask for a stop, and believe it when the printer says so."""
    journal.note(state=RunState.STOPPING, message="Stopping.", now=True)
    until, asked = time.monotonic() + STOPS_S, False
    while time.monotonic() < until:
        try:
            if not asked:
                ask(job.url, "/stop", b"", timeout_s=5)
                asked = True
            state = str(ask(job.url, "/progress", timeout_s=5).get("state", "printing"))
        except LinkError:
            state = "printing"
        if state != "printing":
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
        with zipfile.ZipFile(path) as bundle:
            return len(json.loads(bundle.read("manifest.json"))["layers"])
    except (zipfile.BadZipFile, KeyError, ValueError, TypeError) as error:
        raise LinkError("that is no layer package; a resin printer takes nothing else") from error


def is_package(path: Path) -> bool:
    """Whether a file begins as a zip does."""
    with path.open("rb") as file:
        return file.read(len(ZIP)) == ZIP
