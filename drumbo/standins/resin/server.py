"""The package service of the resin printer, and what a person does beside it, over HTTP on loopback.

POST /print              a layer package, whole; 409 while another one runs
GET  /progress           {"state", "layer", "layers", "resin_c", "message", "lit_s"}
POST /stop
POST /pause              before the next layer, plate up; 409 while nothing prints
POST /resume
POST /lamp               {"seconds"}: light all pixels for so long, 0 puts them out; 409 while it prints
POST /bottle             {"family", "seed", "colour"}: pour resin into the vat
GET  /top.png?scale=16   the camera above the washed plate; `X-Frame` as at the filament printer
GET  /front.png?scale=20 the camera before it
POST /eye                {"boxes", "aspects", "seed", "object"}: scores
POST /first              {"boxes", "signs", "seed", "object"}: the box at which each sign begins
POST /measure            {"jaws": [{"a", "b", "z", "tool"}, …], "seed", "object"}: numbers, null where nothing is there
POST /calliper           {"jaws": [one], "object"}
POST /fault              {"at"}: the vat runs dry at that layer
POST /printed            {"object", "file", "family", "seed", "colour"}: what an earlier life printed, and its file
POST /room               {"resin_c"}: how warm the room keeps the resin, from the next print on
POST /pace               {"pace"}: how much faster than real it prints
"""

from __future__ import annotations

import json
from dataclasses import asdict
from typing import Any
from urllib.parse import parse_qs, urlparse

import numpy as np

from drumbo.core.errors import DrumboError, NotNow
from drumbo.core.resin import resin_class
from drumbo.exchange.layer_package import LARGEST
from drumbo.standins.door import Door, JsonHandler, jaws_of, point
from drumbo.standins.resin import look, tools
from drumbo.standins.resin.camera import front_picture, top_picture
from drumbo.standins.resin.device import Poured, ResinDevice
from drumbo.standins.resin.thing import Cured
from drumbo.standins.tools import JawsOnBed

PICTURES = {"/top.png": (top_picture, "16"), "/front.png": (front_picture, "20")}


class PackageServer(Door):
    """The HTTP server of the device."""

    def __init__(self, device: ResinDevice, port: int = 0) -> None:
        super().__init__(_Handler, port, device=device)


class _Handler(JsonHandler):
    device: ResinDevice

    def do_GET(self) -> None:  # noqa: N802 - so the library calls it
        url = urlparse(self.path)
        if url.path == "/progress":
            self.say(self.device.progress())
        elif url.path in PICTURES:
            self._picture(url.path, parse_qs(url.query))
        else:
            self.say({"error": "no such page"}, 404)

    def do_POST(self) -> None:  # noqa: N802 - so the library calls it
        path = urlparse(self.path).path
        try:
            if path == "/print":
                self.say(self.device.start(self.body(LARGEST + 1)), 202)
                return
            actions = {
                "/stop": self._stop, "/pause": self._pause, "/resume": self._resume, "/bottle": self._bottle,
                "/eye": self._eye, "/first": self._first,
                "/measure": self._measure, "/calliper": self._calliper, "/fault": self._fault, "/pace": self._pace,
                "/room": self._room, "/lamp": self._lamp,
                "/printed": self._printed,
            }  # fmt: skip
            self.say(actions[path](json.loads(self.body() or b"{}")))
        except NotNow as error:
            self.say({"error": str(error)}, 409)
        except (ValueError, KeyError, TypeError, DrumboError) as error:
            self.say({"error": str(error)}, 400)

    def _picture(self, path: str, query: dict[str, list[str]]) -> None:
        thing = self.device.thing()
        if thing is None:
            self.say({"error": "the plate is empty"}, 404)
            return
        take, usual = PICTURES[path]
        scale = min(max(float(query.get("scale", [usual])[0]), 4.0), 30.0)
        data, frame = take(thing, self.device.poured.colour, scale)
        self.show(data, frame, thing.digest)

    def _thing(self, body: dict[str, Any]) -> Cured:
        thing = self.device.thing(body.get("object"))
        if thing is None:
            raise ValueError("that piece is not at the stand-in any more; print it again to have it looked at")
        return thing

    def _stop(self, _body: dict[str, Any]) -> dict[str, Any]:
        self.device.stop()
        return self.device.progress()

    def _pause(self, _body: dict[str, Any]) -> dict[str, Any]:
        self.device.pause()
        return self.device.progress()

    def _resume(self, _body: dict[str, Any]) -> dict[str, Any]:
        self.device.go_on()
        return self.device.progress()

    def _bottle(self, body: dict[str, Any]) -> dict[str, Any]:
        self.device.poured = _poured(body)
        return asdict(self.device.poured)

    def _printed(self, body: dict[str, Any]) -> dict[str, Any]:
        self.device.earlier.remember(int(body["object"]), str(body["file"]), _poured(body))
        return {"object": int(body["object"])}

    def _eye(self, body: dict[str, Any]) -> dict[str, Any]:
        boxes = [(point(low), point(high)) for low, high in body["boxes"]]
        scores = look.look(self._thing(body), boxes, list(body["aspects"]), int(body.get("seed", 0)))
        return {"scores": scores.tolist()}

    def _first(self, body: dict[str, Any]) -> dict[str, Any]:
        boxes = [(point(low), point(high)) for low, high in body["boxes"]]
        return {"steps": look.first_seen(self._thing(body), boxes, list(body["signs"]), int(body.get("seed", 0)))}

    def _measure(self, body: dict[str, Any]) -> dict[str, Any]:
        thing = self._thing(body)
        jaws = [_jaws(j, thing) for j in body["jaws"]]
        return {"numbers": look.measure_all(thing, jaws, int(body.get("seed", 0)))}

    def _calliper(self, body: dict[str, Any]) -> dict[str, Any]:
        thing = self._thing(body)
        number = tools.measure(thing, _jaws(body["jaws"][0], thing), np.random.default_rng())
        if number is None:
            raise ValueError("there is nothing to measure between these two points")
        return {"number": number}

    def _fault(self, body: dict[str, Any]) -> dict[str, Any]:
        self.device.fault_at = int(body["at"])
        return {"at": self.device.fault_at}

    def _room(self, body: dict[str, Any]) -> dict[str, Any]:
        self.device.resin_c = min(max(float(body["resin_c"]), 5.0), 60.0)
        return {"resin_c": self.device.resin_c}

    def _lamp(self, body: dict[str, Any]) -> dict[str, Any]:
        self.device.light_up(float(body["seconds"]))
        return self.device.progress()

    def _pace(self, body: dict[str, Any]) -> dict[str, Any]:
        self.device.pace = min(max(float(body["pace"]), 1.0), 1e6)
        return {"pace": self.device.pace}


def _poured(body: dict[str, Any]) -> Poured:
    return Poured(resin_class(str(body["family"])).key, int(body["seed"]), str(body.get("colour", "#8d8f94")))


def _jaws(data: dict[str, Any], thing: Cured) -> JawsOnBed:
    return jaws_of(data, lambda: float(thing.tops_mm[-1]) / 2)
