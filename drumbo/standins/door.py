"""HTTP on loopback, as all stand-ins have it: JSON in and out, pictures as PNG."""

from __future__ import annotations

import json
import threading
from collections.abc import Callable, Mapping
from dataclasses import asdict
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any

from drumbo.standins.tools import JawsOnBed

LONGEST_BODY = 100_000


class Door:
    """A server in the background; `facts` become attributes of its handler."""

    def __init__(self, handler: type[JsonHandler], port: int = 0, **facts: Any) -> None:
        self._server = ThreadingHTTPServer(("127.0.0.1", port), type("Handler", (handler,), facts))
        self._server.daemon_threads = True
        self.port: int = self._server.server_address[1]

    def start(self) -> None:
        """Serve in the background."""
        threading.Thread(target=self._server.serve_forever, name="stand-in side", daemon=True).start()

    def close(self) -> None:
        """Stop and free the port."""
        self._server.shutdown()
        self._server.server_close()


class JsonHandler(BaseHTTPRequestHandler):
    """What answers to all questions share."""

    def body(self, most: int = LONGEST_BODY) -> bytes:
        """What was sent, as far as that is sensible."""
        return self.rfile.read(min(int(self.headers.get("Content-Length") or 0), most))

    def say(self, data: Any, status: int = 200) -> None:
        """Answer with JSON."""
        raw = json.dumps(data).encode()
        self.send_response(status)
        self.send_header("Content-Type", "application/json")
        self.send_header("Content-Length", str(len(raw)))
        self.end_headers()
        self.wfile.write(raw)

    def show(self, data: bytes, frame: Any, number: int) -> None:
        """Answer with a picture, its frame and the object that it shows."""
        self.send_response(200)
        self.send_header("Content-Type", "image/png")
        self.send_header("Content-Length", str(len(data)))
        self.send_header("X-Frame", json.dumps({**asdict(frame), "object": number}))
        self.end_headers()
        self.wfile.write(data)

    def log_message(self, *_args: object) -> None:
        """Keep the terminal quiet."""


def point(numbers: list[Any]) -> tuple[float, float, float]:
    """A place of three numbers."""
    x, y, z = (float(n) for n in numbers)
    return x, y, z


def jaws_of(data: Mapping[str, Any], half_way_mm: Callable[[], float]) -> JawsOnBed:
    """Jaws from what was sent; at half the object's height where it does not say."""
    (ax, ay), (bx, by) = data["a"], data["b"]
    z = data.get("z")
    height = half_way_mm() if z is None else float(z)
    return JawsOnBed((float(ax), float(ay)), (float(bx), float(by)), height, str(data.get("tool", "calliper")))
