"""Runs one layer package over HTTP: handed over whole, then watched until it is done.

    POST <link>/print    the package; 202, or an error with {"error": …}
    GET  <link>/progress {"state", "layer", "layers", "resin_c", "message"}
    POST <link>/stop

A printer's error and a stop are states of the print with a message, never exceptions out of here.
"""

from __future__ import annotations

import json
import threading
import time
import urllib.error
import urllib.request
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from drumbo.core.errors import LinkError
from drumbo.links.sender import Progress

EACH_S = 0.4
PATIENCE_S = 60.0
LONGEST_ANSWER = 100_000


@dataclass(frozen=True, slots=True)
class Standing:
    """Where a resin print is."""

    layer: int
    layers: int
    resin_c: float | None = None

    @property
    def says(self) -> str:
        """In a few words."""
        return f"layer {self.layer} of {self.layers}"


def ask(url: str, path: str, data: bytes | None = None, timeout_s: float = PATIENCE_S) -> dict[str, Any]:
    """One question to the package service; LinkError tells what is wrong."""
    request = urllib.request.Request(url.rstrip("/") + path, data, {"Content-Type": "application/zip"})
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


class PackageSender:
    """One print in a thread of its own; `report` hears of progress about twice a second and at the end."""

    def __init__(
        self, url: str, data: bytes, layers: int, report: Callable[[Progress], None], silence_s: float
    ) -> None:
        self._url, self._data, self._report, self._silence_s = url, data, report, silence_s
        self.total = layers
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name="package sender", daemon=True)

    def start(self) -> None:
        """Begin to print."""
        self._thread.start()

    def stop(self) -> None:
        """Ask for a stop; the light goes off and the plate comes up."""
        self._stop.set()

    def join(self, timeout_s: float | None = None) -> None:
        """Wait for the end."""
        self._thread.join(timeout_s)

    def _run(self) -> None:
        try:
            ask(self._url, "/print", self._data)
        except LinkError as error:
            self._report(Progress("failed", 0, self.total, str(error)))
            return
        self._report(self._watch())

    def _watch(self) -> Progress:
        """Look until it ends; returns how it did."""
        heard, layer = time.monotonic(), 0
        while True:
            if self._stop.is_set():
                return self._halt(layer)
            try:
                found = ask(self._url, "/progress", timeout_s=5)
                heard = time.monotonic()
            except LinkError:
                if time.monotonic() - heard > self._silence_s:
                    said = "The link broke. The printer goes on with what it has; look at it now."
                    return Progress("lost", layer, self.total, said)
                found = {}
            layer = int(found.get("layer", layer))
            state = found.get("state", "printing")
            standing = Standing(layer, self.total, found.get("resin_c"))
            if state == "printing":
                self._report(Progress("sending", layer, self.total, "", standing))
                self._stop.wait(EACH_S)
                continue
            ended = state if state in {"done", "stopped"} else "failed"
            return Progress(ended, self.total if state == "done" else layer, self.total, str(found.get("message", "")))

    def _halt(self, layer: int) -> Progress:
        try:
            ask(self._url, "/stop", b"")
        except LinkError:
            said = "It was asked to stop and does not answer. Look at it now."
            return Progress("lost", layer, self.total, said)
        return Progress("stopped", layer, self.total, "Stopped. What hangs on the plate, and what lies on the film?")
