"""What a person does beside the printer, over HTTP on loopback: load a spool, look, photograph, make mischief.

GET  /status             what is loaded, what lies on the bed
POST /spool              {"family", "seed", "colour"}: put a spool on the holder
GET  /front.png?scale=10 the camera before the bed; `X-Frame` holds view, left_mm, bottom_mm, px_per_mm, width, height,
                         object
GET  /top.png?scale=16   the camera above the bed
POST /eye                {"boxes": [[[x, y, z], [x, y, z]], …], "aspects": […], "seed", "object"}: scores
POST /first              {"boxes", "signs": […], "seed", "object"}: the box at which each sign begins
POST /measure            {"jaws": [{"a", "b", "z", "tool"}, …], "seed", "object"}: what a person reads off a tool
POST /calliper           {"jaws": [one], "object"}: the calliper's own number; without z at half the object's height
POST /weigh              {"low": [x, y, z], "high": [x, y, z], "object"}: grams of what lies in a box
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

import numpy as np

from drumbo.core.errors import DrumboError
from drumbo.core.families import family
from drumbo.standins import eye, tools
from drumbo.standins.filament.above import top_picture
from drumbo.standins.filament.camera import front_picture
from drumbo.standins.filament.device import FAULTS, FilamentPrinter, Loaded
from drumbo.standins.filament.printing import PrintedObject

LONGEST_BODY = 100_000
PICTURES = {"/front.png": (front_picture, "10"), "/top.png": (top_picture, "16")}


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
        elif url.path in PICTURES:
            self._picture(url.path, parse_qs(url.query))
        else:
            self._json({"error": "no such page"}, 404)

    def do_POST(self) -> None:
        size = int(self.headers.get("Content-Length") or 0)
        try:
            body = json.loads(self.rfile.read(min(size, LONGEST_BODY)) or b"{}")
            actions = {
                "/spool": self._spool, "/eye": self._eye, "/first": self._first, "/measure": self._measure,
                "/calliper": self._calliper, "/weigh": self._weigh, "/fault": self._fault, "/pace": self._pace,
            }  # fmt: skip
            self._json(actions[urlparse(self.path).path](body))
        except (ValueError, KeyError, TypeError, DrumboError) as error:
            self._json({"error": str(error)}, 400)

    def _picture(self, path: str, query: dict[str, list[str]]) -> None:
        thing = self.device.thing()
        if thing is None:
            self._json({"error": "the bed is empty"}, 404)
            return
        take, usual = PICTURES[path]
        scale = min(max(float(query.get("scale", [usual])[0]), 2.0), 30.0)
        data, frame = take(thing, self.device.loaded.colour, scale)
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

    def _thing(self, body: dict[str, Any]) -> PrintedObject:
        thing = self.device.thing(body.get("object"))
        if thing is None:
            raise ValueError("that piece is not at the stand-in any more; print it again to have it looked at")
        return thing

    def _eye(self, body: dict[str, Any]) -> dict[str, Any]:
        boxes = [(_point(low), _point(high)) for low, high in body["boxes"]]
        scores = eye.look(self._thing(body), boxes, list(body["aspects"]), int(body.get("seed", 0)))
        return {"scores": scores.tolist()}

    def _first(self, body: dict[str, Any]) -> dict[str, Any]:
        boxes = [(_point(low), _point(high)) for low, high in body["boxes"]]
        return {"steps": eye.first_seen(self._thing(body), boxes, list(body["signs"]), int(body.get("seed", 0)))}

    def _measure(self, body: dict[str, Any]) -> dict[str, Any]:
        thing = self._thing(body)
        return {"numbers": eye.measure_all(thing, [_jaws(j, thing) for j in body["jaws"]], int(body.get("seed", 0)))}

    def _calliper(self, body: dict[str, Any]) -> dict[str, Any]:
        thing = self._thing(body)
        return {"number": tools.measure(thing, _jaws(body["jaws"][0], thing), np.random.default_rng())}

    def _weigh(self, body: dict[str, Any]) -> dict[str, Any]:
        box = _point(body["low"]), _point(body["high"])
        return {"grams": tools.weigh(self._thing(body), *box, np.random.default_rng())}

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


def _point(numbers: list[Any]) -> tuple[float, float, float]:
    x, y, z = (float(n) for n in numbers)
    return x, y, z


def _jaws(data: dict[str, Any], thing: PrintedObject) -> tools.Jaws:
    (ax, ay), (bx, by) = data["a"], data["b"]
    z = data.get("z")
    height = float(thing.geometry.z.max()) / 2 if z is None else float(z)
    return tools.Jaws((float(ax), float(ay)), (float(bx), float(by)), height, str(data.get("tool", "calliper")))
