"""Devices that answer over HTTP: the one place where addresses are fetched.

Only http and https, no redirects, no proxies of the environment, nothing packed; what comes back is limited in size,
time and kind before it is read.
"""

from __future__ import annotations

import json
import ssl
import time
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from functools import cache
from typing import IO, TYPE_CHECKING, Any

from drumbo.core.address import WEB, parse_address
from drumbo.core.errors import InvalidInput, LinkError

if TYPE_CHECKING:
    import httpx

PATIENCE_S = 60.0
LONGEST_ANSWER, LONGEST_REFUSAL, LARGEST_PICTURE = 1_000_000, 2_000, 30_000_000
DRIPS = 4.0
"""A whole answer may take so many times as long as each part of it."""
PICTURES = frozenset({"image/png", "image/jpeg", "image/webp"})
JSON = {"Content-Type": "application/json"}


@cache
def _client() -> httpx.Client:
    """One for all: a connection each, as simple devices have few. The system says which certificates are good."""
    import httpx  # noqa: PLC0415 - only who asks a device pays for it

    return httpx.Client(
        headers={"User-Agent": "Drumbo", "Accept-Encoding": "identity"},
        verify=ssl.create_default_context(),
        follow_redirects=False,
        trust_env=False,
        limits=httpx.Limits(max_keepalive_connections=0),
    )


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
        return self._told(*self._answer("GET", path, LONGEST_ANSWER, timeout_s))

    def post(self, path: str, body: dict[str, Any], timeout_s: float = PATIENCE_S) -> dict[str, Any]:
        """What it answers to a question, as JSON."""
        return self._told(*self._answer("POST", path, LONGEST_ANSWER, timeout_s, JSON, json.dumps(body).encode()))

    def send(self, path: str, file: IO[bytes], size: int, kind: str) -> dict[str, Any]:
        """Hand a whole file over."""
        headers = {"Content-Type": kind, "Content-Length": str(size)}
        return self._told(*self._answer("POST", path, LONGEST_ANSWER, PATIENCE_S, headers, file))

    def put(self, path: str, data: bytes, headers: Mapping[str, str], timeout_s: float = PATIENCE_S) -> None:
        """Lay a file down there (HTTP PUT)."""
        more = {"Content-Type": "application/octet-stream", **headers}
        with self._open("PUT", path, timeout_s, more, data):
            pass

    def fetch(self, path: str, most: int, headers: Mapping[str, str], timeout_s: float = PATIENCE_S) -> bytes:
        """What lies there, of so many bytes at most."""
        return self._answer("GET", path, most, timeout_s, headers)[0]

    def picture(self, path: str, timeout_s: float = PATIENCE_S) -> tuple[bytes, Mapping[str, str]]:
        """A picture and its headers, by names in small letters."""
        with self._open("GET", path, timeout_s) as answer:
            known = media_type(answer.headers) in PICTURES
            data = self._body(answer, LARGEST_PICTURE, timeout_s) if known else b""
        if not data:
            raise LinkError(f"what {self._url} sends is no picture of a kind that is read")
        return data, {name.lower(): value for name, value in answer.headers.items()}

    def _answer(
        self, method: str, path: str, most: int, timeout_s: float,
        headers: Mapping[str, str] | None = None, content: bytes | IO[bytes] | None = None,
    ) -> tuple[bytes, Mapping[str, str]]:  # fmt: skip
        with self._open(method, path, timeout_s, headers, content) as answer:
            return self._body(answer, most, timeout_s), answer.headers

    def _told(self, raw: bytes, _headers: Mapping[str, str]) -> dict[str, Any]:
        try:
            found = json.loads(raw)
        except (ValueError, RecursionError) as error:
            raise LinkError(self._nobody) from error
        if not isinstance(found, dict):
            raise LinkError(self._nobody)
        return found

    @contextmanager
    def _open(
        self, method: str, path: str, timeout_s: float,
        headers: Mapping[str, str] | None = None, content: bytes | IO[bytes] | None = None,
    ) -> Iterator[httpx.Response]:  # fmt: skip
        """An answer that says yes, whose body is still to come."""
        import httpx  # noqa: PLC0415 - see `_client`

        try:
            with _client().stream(
                method, self._url + path, headers=headers, content=content, timeout=timeout_s
            ) as answer:
                if not answer.is_success:
                    raise LinkError(_refusal(answer.status_code, self._beginning(answer, timeout_s)))
                yield answer
        except LinkError:
            raise
        except (httpx.HTTPError, httpx.InvalidURL, OSError, ValueError) as error:
            raise LinkError(self._nobody) from error

    def _body(self, answer: httpx.Response, most: int, timeout_s: float) -> bytes:
        if answer.headers.get("content-encoding", "identity") != "identity":
            raise LinkError(f"{self._url} sends its answer packed, which was not asked for")
        raw, until = bytearray(), time.monotonic() + DRIPS * timeout_s
        for part in answer.iter_raw():
            raw += part
            if len(raw) > most:
                raise LinkError(f"{self._url} sends more than {most // 1_000_000} MB; that is no answer of a device")
            if time.monotonic() > until:
                raise LinkError(f"{self._url} takes too long to answer")
        return bytes(raw)

    def _beginning(self, answer: httpx.Response, timeout_s: float) -> bytes:
        raw, until = bytearray(), time.monotonic() + DRIPS * timeout_s
        for part in answer.iter_raw():
            raw += part
            if len(raw) >= LONGEST_REFUSAL or time.monotonic() > until:
                break
        return bytes(raw[:LONGEST_REFUSAL])


def media_type(headers: Mapping[str, str]) -> str:
    """What kind of thing an answer is, as "image/png"; empty where it does not say."""
    return headers.get("content-type", "").partition(";")[0].strip().lower()


def _refusal(code: int, body: bytes) -> str:
    """What the device says of why not."""
    if 300 <= code < 400:
        return "the address leads elsewhere; write the one that it leads to"
    try:
        return str(json.loads(body)["error"])
    except (ValueError, KeyError, TypeError, RecursionError):
        return "the device refused without saying why"
