"""`drumbo demo`: the stand-in as a process of its own, the demo workshop, and the web application, until Ctrl-C."""

from __future__ import annotations

import json
import re
import shutil
import subprocess
import sys
import urllib.request
from collections.abc import Callable
from dataclasses import asdict, replace
from pathlib import Path

from drumbo.core.errors import DrumboError
from drumbo.demo.fill import fill
from drumbo.services import workshop
from drumbo.services.prints import PrintRoom
from drumbo.store.database import Workshop
from drumbo.web.serving import run

FILLING_PACE = 200_000.0
BED_SEED = 2
"""The demo printer's plate is not quite level."""
Say = Callable[[str], object]


def run_demo(folder: Path, *, port: int, pace: float, fresh: bool, say: Say) -> None:
    """Run the demo and block. A half-filled workshop is filled anew; a filled one is kept as it was left."""
    done = folder / "filled"
    if fresh or not done.exists():
        shutil.rmtree(folder, ignore_errors=True)
    device, link_url, camera_url = start_standin(pace)
    try:
        first = not done.exists()

        def ready(house: Workshop, room: PrintRoom) -> None:
            if first:
                say("Filling the demo workshop; the first time this takes a minute or two.")
                _pace(camera_url, FILLING_PACE)
                filled = fill(house, room, link_url, camera_url, say)
                _pace(camera_url, pace)
                room.start(filled.next_trial)
                done.touch()
            else:
                _relink(house, link_url, camera_url)

        run(folder, host="127.0.0.1", port=port, say=say, ready=ready)
    finally:
        device.terminate()
        device.wait(10)


def start_standin(pace: float, drive: str = "direct") -> tuple[subprocess.Popen[str], str, str]:
    """The stand-in printer in a process of its own: the process, its link and its camera."""
    command = [sys.executable, "-m", "drumbo", "standin", "filament", "--port", "0", "--side-port", "0"]
    command += ["--pace", str(pace), "--drive", drive, "--bed-seed", str(BED_SEED)]
    device = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    assert device.stdout is not None
    found = re.search(r"(socket://\S+)\s+camera: (http://\S+)", device.stdout.readline())
    if found is None:
        device.terminate()
        raise DrumboError("the stand-in printer did not start")
    return device, found[1], found[2]


def _pace(camera_url: str, pace: float) -> None:
    body = json.dumps({"pace": pace}).encode()
    urllib.request.urlopen(urllib.request.Request(f"{camera_url}/pace", body), timeout=10).close()


def _relink(house: Workshop, link_url: str, camera_url: str) -> None:
    """The stand-in has new ports at every start; printers with a camera are its own."""
    for number, printer in workshop.printers(house):
        if printer.camera_url:
            linked = replace(printer, link_url=link_url, camera_url=camera_url)
            workshop.save_printer(house, asdict(linked), number)
