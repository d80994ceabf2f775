"""A question to a simulated device over HTTP, as a person beside it asks."""

from __future__ import annotations

import json
import urllib.error
import urllib.request
from typing import Any


def ask(address: str, body: Any = None) -> tuple[int, Any, Any]:
    """Status, what was answered (JSON understood), and its headers; with a body it is sent."""
    data = None if body is None else body if isinstance(body, bytes) else json.dumps(body).encode()
    try:
        with urllib.request.urlopen(urllib.request.Request(address, data), timeout=60) as answer:
            raw = answer.read()
            told = answer.headers["Content-Type"] == "application/json"
            return answer.status, json.loads(raw) if told else raw, answer.headers
    except urllib.error.HTTPError as error:
        return error.code, json.loads(error.read()), error.headers
