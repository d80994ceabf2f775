"""What a person does beside the printer, over HTTP on loopback: load a spool, look, photograph, make mischief.

GET  /status             what is loaded, what lies on the bed
POST /spool              {"family", "seed", "colour"}: put a spool on the holder
GET  /front.png?scale=10 the camera; `X-Frame` holds left_mm, bottom_mm, px_per_mm, width, height, object
POST /eye                {"bands": [[z, z], …], "aspects": […], "seed", "object"}: what a practised eye says
POST /fault              {"name", "at"}: a fault after so many lines
POST /pace               {"pace"}: how much faster than real it prints
"""

from __future__ import annotations

import json
import threading
from dataclasses import asdict
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import parse_qs, urlparse

from drumbo.core.errors import DrumboError
from drumbo.core.families import family
from drumbo.standins import eye
from drumbo.standins.filament.camera import front_picture
from drumbo.standins.filament.device import FAULTS, FilamentPrinter, Loaded

LONGEST_BODY = 100_000


class SideDoor:
    """The HTTP server beside the device."""

    def __init__(self, device: FilamentPrinter, port: int = 0) -> None:
        handler = type("Handler", (_Handler,), {"device": device})
        self._server = ThreadingHTTPServer(("127.0.0.1", port), handler)
        self._server.daemon_threads = True
        self.port: int = self._server.server_address[1]

    def start(self) -> None:
        """Serve in the background."""
        threading.Thread(target=self._server.serve_forever, name="stand-in side", daemon=True).start()

    def close(self) -> None:
        """Stop and free the port."""
        self._server.shutdown()
        self._server.server_close()


class _Handler(BaseHTTPRequestHandler):
    device: FilamentPrinter

    def do_GET(self) -> None:
        url = urlparse(self.path)
        if url.path == "/status":
            self._json({"loaded": asdict(self.device.loaded), "moves": len(self.device.machine.moves["x"])})
        elif url.path == "/front.png":
            self._picture(parse_qs(url.query))
        else:
            self._json({"error": "no such page"}, 404)

    def do_POST(self) -> None:
        size = int(self.headers.get("Content-Length") or 0)
        try:
            body = json.loads(self.rfile.read(min(size, LONGEST_BODY)) or b"{}")
            action = {"/spool": self._spool, "/eye": self._eye, "/fault": self._fault, "/pace": self._pace}[
                urlparse(self.path).path
            ]
            self._json(action(body))
        except (ValueError, KeyError, TypeError, DrumboError) as error:
            self._json({"error": str(error)}, 400)

    def _picture(self, query: dict[str, list[str]]) -> None:
        thing = self.device.thing()
        if thing is None:
            self._json({"error": "the bed is empty"}, 404)
            return
        scale = min(max(float(query.get("scale", ["10"])[0]), 2.0), 20.0)
        data, frame = front_picture(thing, self.device.loaded.colour, scale)
        self.send_response(200)
        self.send_header("Content-Type", "image/png")
        self.send_header("Content-Length", str(len(data)))
        self.send_header("X-Frame", json.dumps({**asdict(frame), "object": thing.digest}))
        self.end_headers()
        self.wfile.write(data)

    def _spool(self, body: dict[str, Any]) -> dict[str, Any]:
        loaded = Loaded(family(str(body["family"])).key, int(body["seed"]), str(body.get("colour", "#b9b1a2")))
        self.device.loaded = loaded
        return asdict(loaded)

    def _eye(self, body: dict[str, Any]) -> dict[str, Any]:
        thing = self.device.thing(body.get("object"))
        if thing is None:
            raise ValueError("that piece is not at the stand-in any more; print it again to have it looked at")
        bands = [(float(low), float(high)) for low, high in body["bands"]]
        return {"scores": eye.look(thing, bands, list(body["aspects"]), int(body.get("seed", 0))).tolist()}

    def _fault(self, body: dict[str, Any]) -> dict[str, Any]:
        if body["name"] not in FAULTS:
            raise ValueError(f"no such fault; there are {', '.join(FAULTS)}")
        self.device.faults[body["name"]] = float(body["at"])
        return {"faults": self.device.faults}

    def _pace(self, body: dict[str, Any]) -> dict[str, Any]:
        self.device.clock.change(min(max(float(body["pace"]), 1.0), 1e6))
        return {"pace": self.device.clock.pace}

    def _json(self, data: Any, status: int = 200) -> None:
        raw = json.dumps(data).encode()
        self.send_response(status)
        self.send_header("Content-Type", "application/json")
        self.send_header("Content-Length", str(len(raw)))
        self.end_headers()
        self.wfile.write(raw)

    def log_message(self, *_args: object) -> None:
        """Keep the terminal quiet."""
