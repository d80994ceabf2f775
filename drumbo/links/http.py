"""Devices that answer over HTTP: the one place where addresses are fetched.

Only http and https, no redirects, no proxies of the environment; what comes back is limited in size and kind before it
is read.
"""

from __future__ import annotations

import json
import urllib.error
import urllib.request
from collections.abc import Mapping
from email.message import Message
from http.client import HTTPException
from typing import IO, Any

from drumbo.core.address import WEB, parse_address
from drumbo.core.errors import InvalidInput, LinkError

PATIENCE_S = 60.0
LONGEST_ANSWER, LONGEST_REFUSAL, LARGEST_PICTURE = 1_000_000, 2_000, 30_000_000
PICTURES = frozenset({"image/png", "image/jpeg", "image/webp"})


class _Straight(urllib.request.HTTPRedirectHandler):
    """A device is where its address says, or it is none."""

    def redirect_request(self, *_args: Any, **_more: Any) -> None:
        return None


_OPENER = urllib.request.build_opener(_Straight, urllib.request.ProxyHandler({}))


class HttpDevice:
    """A device at an address. `nobody` is what to say when nothing answers there. Every failure is a LinkError."""

    def __init__(self, url: str, nobody: str = "") -> None:
        try:
            address = parse_address(url)
        except InvalidInput as error:
            raise LinkError(next(iter(error.problems.values()))) from error
        if address.way != WEB:
            raise LinkError(f"{url} is no address for HTTP; write it as http://address:port")
        self._url = url.rstrip("/")
        self._nobody = nobody or f"nothing answers at {url}"

    def get(self, path: str, timeout_s: float = PATIENCE_S) -> dict[str, Any]:
        """What it tells, as JSON."""
        return self._json(urllib.request.Request(self._url + path), timeout_s)

    def post(self, path: str, body: dict[str, Any], timeout_s: float = PATIENCE_S) -> dict[str, Any]:
        """What it answers to a question, as JSON."""
        headers = {"Content-Type": "application/json"}
        return self._json(urllib.request.Request(self._url + path, json.dumps(body).encode(), headers), timeout_s)

    def send(self, path: str, file: IO[bytes], size: int, kind: str) -> dict[str, Any]:
        """Hand a whole file over."""
        headers = {"Content-Type": kind, "Content-Length": str(size)}
        return self._json(urllib.request.Request(self._url + path, file, headers), PATIENCE_S)

    def put(self, path: str, data: bytes, headers: Mapping[str, str], timeout_s: float = PATIENCE_S) -> None:
        """Lay a file down there (HTTP PUT)."""
        more = {"Content-Type": "application/octet-stream", **headers}
        request = urllib.request.Request(self._url + path, data, more, method="PUT")
        with self._open(request, timeout_s) as answer:
            answer.read(LONGEST_REFUSAL)

    def fetch(self, path: str, most: int, headers: Mapping[str, str], timeout_s: float = PATIENCE_S) -> bytes:
        """What lies there, of so many bytes at most."""
        with self._open(urllib.request.Request(self._url + path, headers=dict(headers)), timeout_s) as answer:
            return self._body(answer, most)

    def picture(self, path: str, timeout_s: float = PATIENCE_S) -> tuple[bytes, Message]:
        """A picture and its headers."""
        with self._open(urllib.request.Request(self._url + path), timeout_s) as answer:
            kind = answer.headers.get_content_type()
            data = self._body(answer, LARGEST_PICTURE) if kind in PICTURES else b""
            if not data:
                raise LinkError(f"what {self._url} sends is no picture of a kind that is read")
            return data, answer.headers

    def _json(self, request: urllib.request.Request, timeout_s: float) -> dict[str, Any]:
        with self._open(request, timeout_s) as answer:
            raw = self._body(answer, LONGEST_ANSWER)
        try:
            found = json.loads(raw)
        except ValueError as error:
            raise LinkError(self._nobody) from error
        if not isinstance(found, dict):
            raise LinkError(self._nobody)
        return found

    def _open(self, request: urllib.request.Request, timeout_s: float) -> Any:
        try:
            return _OPENER.open(request, timeout=timeout_s)
        except urllib.error.HTTPError as error:
            with error:
                raise LinkError(_refusal(error)) from error
        except (OSError, ValueError, HTTPException) as error:
            raise LinkError(self._nobody) from error

    def _body(self, answer: Any, most: int) -> bytes:
        try:
            raw = bytes(answer.read(most + 1))
        except (OSError, ValueError, HTTPException) as error:
            raise LinkError(self._nobody) from error
        if len(raw) > most:
            raise LinkError(f"{self._url} sends more than {most // 1_000_000} MB; that is no answer of a device")
        if answer.length:
            # It broke off: so much was still to come.
            raise LinkError(self._nobody)
        return raw


def _refusal(error: urllib.error.HTTPError) -> str:
    """What the device says of why not."""
    if 300 <= error.code < 400:
        return "the address leads elsewhere; write the one that it leads to"
    try:
        return str(json.loads(error.read(LONGEST_REFUSAL))["error"])
    except (OSError, ValueError, KeyError, TypeError, HTTPException):
        return "the device refused without saying why"
