"""What a person does beside the printer, over HTTP on loopback: load a spool, look, photograph, make mischief.

GET  /status             what is loaded, what lies on the bed, the colour that comes out, how much of it is the old one
POST /spool              {"family", "seed", "colour", "clean"}: put a spool in; not clean, it is to be pushed through;
                         with {"second": {"family", "seed", "colour"}} both into its feeder, as T0 and T1
GET  /front.png?scale=10 the camera before the bed; `X-Frame` holds view, left_mm, bottom_mm, px_per_mm, width, height,
                         object
GET  /top.png?scale=16   the camera above the bed
POST /eye                {"boxes": [[[x, y, z], [x, y, z]], …], "aspects": […], "seed", "object"}: scores
POST /first              {"boxes", "signs": […], "seed", "object"}: the box at which each sign begins
POST /measure            {"jaws": [{"a", "b", "z", "tool"}, …], "seed", "object"}: what a person reads off a tool
POST /calliper           {"jaws": [one], "object"}: the calliper's own number; without z at half the object's height
POST /weigh              {"low": [x, y, z], "high": [x, y, z], "object"}: grams of what lies in a box
                         … each with {"room": [left, front, right, back]} about one of several pieces on the bed; of a
                         picture ?room=left,front,right,back
POST /fault              {"name", "at"}: a fault after so many lines
POST /printed            {"object", "file", "family", "seed", "colour", "second"}: an earlier life's print of that file
POST /pace               {"pace"}: how much faster than real it prints
"""

from __future__ import annotations

import json
import time
from dataclasses import asdict
from typing import Any
from urllib.parse import parse_qs, urlparse

import numpy as np

from drumbo.core.errors import DrumboError
from drumbo.core.families import family
from drumbo.standins import eye, tools
from drumbo.standins.door import Door, JsonHandler, jaws_of, point
from drumbo.standins.filament.above import top_picture
from drumbo.standins.filament.camera import front_picture
from drumbo.standins.filament.device import FilamentPrinter
from drumbo.standins.filament.feeding import LoadedSpool
from drumbo.standins.filament.printing import PrintedObject
from drumbo.standins.filament.room import within
from drumbo.standins.line.manners import FAULTS
from drumbo.standins.tools import JawsOnBed

PICTURES = {"/front.png": (front_picture, "10"), "/top.png": (top_picture, "16")}


class ControlServer(Door):
    """The HTTP server beside the device."""

    def __init__(self, device: FilamentPrinter, port: int = 0) -> None:
        super().__init__(_Handler, port, device=device)


class _Handler(JsonHandler):
    device: FilamentPrinter

    def do_GET(self) -> None:  # noqa: N802 - so the library calls it
        self.device.heard_at = time.monotonic()
        url = urlparse(self.path)
        if url.path == "/status":
            melt = self.device.melt
            self.say({
                "loaded": asdict(self.device.loaded), "moves": len(self.device.machine.moves["x"]),
                "comes_out": melt.colour, "old_share": melt.old_share,
            })  # fmt: skip
        elif url.path in PICTURES:
            self._picture(url.path, parse_qs(url.query))
        else:
            self.say({"error": "no such page"}, 404)

    def do_POST(self) -> None:  # noqa: N802 - so the library calls it
        self.device.heard_at = time.monotonic()
        try:
            body = json.loads(self.body() or b"{}")
            actions = {
                "/spool": self._spool, "/eye": self._eye, "/first": self._first, "/measure": self._measure,
                "/calliper": self._calliper, "/weigh": self._weigh, "/fault": self._fault, "/pace": self._pace,
                "/printed": self._printed,
            }  # fmt: skip
            self.say(actions[urlparse(self.path).path](body))
        except (ValueError, KeyError, TypeError, DrumboError) as error:
            self.say({"error": str(error)}, 400)

    def _picture(self, path: str, query: dict[str, list[str]]) -> None:
        thing = self.device.thing()
        if thing is None or not len(thing.geometry.a):
            self.say({"error": "the bed is empty"}, 404)
            return
        take, usual = PICTURES[path]
        scale = min(max(float(query.get("scale", [usual])[0]), 2.0), 30.0)
        asked = query.get("room", [""])[0]
        room = [float(side) for side in asked.split(",")] if asked else None
        data, frame = take(within(thing, room), self.device.loaded.colour, scale)
        self.show(data, frame, thing.digest)

    def _spool(self, body: dict[str, Any]) -> dict[str, Any]:
        loaded = _loaded(body)
        if "second" in body:
            self.device.fill([loaded, _loaded(body["second"])])
        else:
            self.device.load(loaded, clean=bool(body.get("clean", True)))
        return asdict(loaded)

    def _printed(self, body: dict[str, Any]) -> dict[str, Any]:
        spools = [_loaded(body), *([_loaded(body["second"])] if "second" in body else [])]
        self.device.earlier.remember(int(body["object"]), str(body["file"]), spools)
        return {"object": int(body["object"])}

    def _thing(self, body: dict[str, Any]) -> PrintedObject:
        thing = self.device.thing(body.get("object"))
        if thing is None:
            raise ValueError("that piece is not at the stand-in any more; print it again to have it looked at")
        return within(thing, body.get("room"))

    def _eye(self, body: dict[str, Any]) -> dict[str, Any]:
        boxes = [(point(low), point(high)) for low, high in body["boxes"]]
        scores = eye.look(self._thing(body), boxes, list(body["aspects"]), int(body.get("seed", 0)))
        return {"scores": scores.tolist()}

    def _first(self, body: dict[str, Any]) -> dict[str, Any]:
        boxes = [(point(low), point(high)) for low, high in body["boxes"]]
        return {"steps": eye.first_seen(self._thing(body), boxes, list(body["signs"]), int(body.get("seed", 0)))}

    def _measure(self, body: dict[str, Any]) -> dict[str, Any]:
        thing = self._thing(body)
        return {"numbers": eye.measure_all(thing, [_jaws(j, thing) for j in body["jaws"]], int(body.get("seed", 0)))}

    def _calliper(self, body: dict[str, Any]) -> dict[str, Any]:
        thing = self._thing(body)
        return {"number": tools.measure(thing, _jaws(body["jaws"][0], thing), np.random.default_rng())}

    def _weigh(self, body: dict[str, Any]) -> dict[str, Any]:
        box = point(body["low"]), point(body["high"])
        return {"grams": tools.weigh(self._thing(body), *box, np.random.default_rng())}

    def _fault(self, body: dict[str, Any]) -> dict[str, Any]:
        if body["name"] not in FAULTS:
            raise ValueError(f"no such fault; there are {', '.join(FAULTS)}")
        self.device.faults[body["name"]] = float(body["at"])
        return {"faults": self.device.faults}

    def _pace(self, body: dict[str, Any]) -> dict[str, Any]:
        self.device.clock.change(min(max(float(body["pace"]), 1.0), 1e6))
        return {"pace": self.device.clock.pace}


def _loaded(body: dict[str, Any]) -> LoadedSpool:
    return LoadedSpool(family(str(body["family"])).key, int(body["seed"]), str(body.get("colour", "#b9b1a2")))


def _jaws(data: dict[str, Any], thing: PrintedObject) -> JawsOnBed:
    return jaws_of(data, lambda: float(thing.geometry.z.max()) / 2)
