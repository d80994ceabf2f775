"""Which sender a link wants: told by its address alone."""

from __future__ import annotations

import json
import zipfile
from collections.abc import Callable
from io import BytesIO
from typing import Protocol

from drumbo.core.errors import LinkError
from drumbo.links.line import Line
from drumbo.links.package import PackageSender, ask
from drumbo.links.sender import Progress, Sender, clean_lines

WEB = ("http://", "https://")
ZIP = b"PK\x03\x04"


class AnySender(Protocol):
    """One print that runs."""

    @property
    def total(self) -> int: ...
    def start(self) -> None: ...
    def stop(self) -> None: ...
    def join(self, timeout_s: float | None = None) -> None: ...


def sender_for(url: str, data: bytes, report: Callable[[Progress], None], silence_s: float) -> AnySender:
    """A sender for a file over a link: a package over HTTP, or G-code over a line."""
    if url.startswith(WEB):
        return PackageSender(url, data, _layers(data), report, silence_s)
    if data[:4] == ZIP:
        raise LinkError("a layer package goes over a link that begins with http://; this one is for G-code")
    return Sender(url, clean_lines(data.decode("utf-8-sig", "replace")), report, silence_s)


def _layers(data: bytes) -> int:
    """How many layers a package has; the printer is who looks at it closely. LinkError where it is none."""
    try:
        with zipfile.ZipFile(BytesIO(data)) as bundle:
            return len(json.loads(bundle.read("manifest.json"))["layers"])
    except (zipfile.BadZipFile, KeyError, ValueError, TypeError) as error:
        raise LinkError("that is no layer package; a resin printer takes nothing else") from error


def say_hello(url: str) -> None:
    """Open a link and close it again; LinkError tells what is wrong."""
    if url.startswith(WEB):
        if "state" not in ask(url, "/progress", timeout_s=5):
            raise LinkError(f"what answers at {url} is no printer that takes layer packages")
    else:
        Line(url).close()
