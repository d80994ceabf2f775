"""A printer on the network that takes files: laid down by HTTP PUT, as WebDAV has it too, and read back."""

from __future__ import annotations

import base64
import hashlib

from drumbo.core.errors import LinkError
from drumbo.links.http import HttpDevice

PATIENCE_S = 30.0


def upload(url: str, name: str, data: bytes, *, user: str = "", token: str = "") -> bool:
    """Lay a file down at an address, under a name; whether it was read back the same. False where the printer gives
    nothing back to compare. LinkError where it does not take it, or gives back something else.
    """
    device = HttpDevice(url, f"nothing that takes files answers at {url}")
    headers = {}
    if user or token:
        headers["Authorization"] = "Basic " + base64.b64encode(f"{user}:{token}".encode()).decode()
    device.put(f"/{name}", data, headers, PATIENCE_S)
    try:
        kept = device.fetch(f"/{name}", len(data), headers, PATIENCE_S)
    except LinkError:
        return False
    if hashlib.sha256(kept).digest() != hashlib.sha256(data).digest():
        raise LinkError(f"what {url} gives back is not what was sent; send it again")
    return True
