"""The latest picture of a printer: from the address that its page has, or a stand-in's camera.

However many pages look on, a camera is asked once in a while, and by one at a time: a slow one keeps nobody else.
"""

from __future__ import annotations

import threading
import time
from dataclasses import dataclass, field

from drumbo.core.errors import LinkError, NotFound
from drumbo.links.http import HttpDevice, media_type
from drumbo.links.simulated import simulated_reader
from drumbo.services.workshop import printer as printer_of
from drumbo.store.database import Workshop

FRESH_S, PATIENCE_S = 4.0, 5.0


@dataclass
class _Kept:
    data: bytes = b""
    mime: str = ""
    at: float = -1e9
    asking: threading.Lock = field(default_factory=threading.Lock)


_KEPT: dict[str, _Kept] = {}


def still(workshop: Workshop, printer_id: int) -> tuple[bytes, str]:
    """A picture and its kind; an older one while somebody else asks. NotFound where there is no camera; LinkError for
    one that does not answer, or gives no picture.
    """
    made = printer_of(workshop, printer_id)
    address = made.still_url or made.camera_url
    if not address:
        raise NotFound(f"{made.name} has no camera")
    kept = _KEPT.setdefault(address, _Kept())
    if time.monotonic() - kept.at > FRESH_S and kept.asking.acquire(blocking=False):
        try:
            kept.data, kept.mime = _asked(made.still_url, made.camera_url)
            kept.at = time.monotonic()
        finally:
            kept.asking.release()
    if not kept.data:
        raise LinkError("there is no picture yet")
    return kept.data, kept.mime


def _asked(still_url: str, camera_url: str) -> tuple[bytes, str]:
    if not still_url:
        return simulated_reader(camera_url).picture("front")[0], "image/png"
    device = HttpDevice(still_url, f"no camera answers at {still_url}")
    data, headers = device.picture("", PATIENCE_S)
    return data, media_type(headers)
