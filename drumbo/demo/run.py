"""`drumbo demo`: the stand-in as a process of its own, the demo workshop, and the web application, until Ctrl-C."""

from __future__ import annotations

import json
import re
import shutil
import subprocess
import sys
import urllib.request
from collections.abc import Callable, Iterator, Mapping
from contextlib import ExitStack, contextmanager
from dataclasses import asdict, replace
from pathlib import Path

from drumbo.core.catalogue import FILAMENT, RESIN
from drumbo.core.errors import DrumboError
from drumbo.demo.fill import DemoDevice, fill
from drumbo.services import workshop
from drumbo.services.prints import PrintManager
from drumbo.store.database import Workshop
from drumbo.store.soundness import served_once
from drumbo.web.serving import run

FILLING_PACE = 200_000.0
BED_SEED = 2
"""The demo printer's plate is not quite level."""
Say = Callable[[str], object]


def run_demo(folder: Path, *, port: int, pace: float, fresh: bool, say: Say) -> None:
    """Run the demo and block. A half-filled workshop is filled anew; a filled one is kept as it was left."""
    done = folder / "filled"
    if fresh or not done.exists():
        # Never from under one that is running, which may still be filling it.
        with served_once(folder):
            shutil.rmtree(folder, ignore_errors=True)
    with ExitStack() as devices:
        filament = devices.enter_context(running(start_standin(pace)))
        resin = devices.enter_context(running(start_resin(pace)))
        cameras = (filament.camera_url, resin.camera_url)
        first = not done.exists()

        def ready(house: Workshop, room: PrintManager) -> None:
            if first:
                say("Filling the demo workshop; the first time this takes a minute or two.")
                for camera in cameras:
                    _pace(camera, FILLING_PACE)
                filled = fill(house, room, filament, resin, say)
                for camera in cameras:
                    _pace(camera, pace)
                room.start(filled.next_trial)
                done.touch()
            else:
                _relink(house, {FILAMENT: filament, RESIN: resin})

        run(folder, host="127.0.0.1", port=port, say=say, ready=ready, stop_prints=True)


@contextmanager
def running(device: DemoDevice) -> Iterator[DemoDevice]:
    """A device, ended at the end."""
    try:
        yield device
    finally:
        device.process.terminate()
        device.process.wait(10)
        if device.process.stdout is not None:
            device.process.stdout.close()


def _started(arguments: list[str], said: str) -> tuple[subprocess.Popen[str], re.Match[str]]:
    """A stand-in as a process of its own, and what its first line says."""
    command = [sys.executable, "-m", "drumbo", "standin", *arguments]
    # Ctrl-C is for the demo alone: the printer must still answer when it is told to switch off.
    device = subprocess.Popen(command, stdout=subprocess.PIPE, text=True, start_new_session=True)
    assert device.stdout is not None
    found = re.search(said, device.stdout.readline())
    if found is None:
        device.terminate()
        raise DrumboError("the stand-in printer did not start")
    return device, found


def start_standin(pace: float, drive: str = "direct") -> DemoDevice:
    """The filament stand-in in a process of its own."""
    arguments = ["filament", "--port", "0", "--side-port", "0", "--pace", str(pace), "--drive", drive]
    arguments += ["--bed-seed", str(BED_SEED)]
    device, found = _started(arguments, r"(socket://\S+)\s+camera: (http://\S+)")
    return DemoDevice(device, found[1], found[2])


def start_resin(pace: float, pixels: str = "3840x2400") -> DemoDevice:
    """The resin stand-in in a process of its own; its camera answers where its link does."""
    arguments = ["resin", "--port", "0", "--pace", str(pace), "--pixels", pixels]
    device, found = _started(arguments, r"(http://\S+)")
    return DemoDevice(device, found[1], found[1])


def _pace(camera_url: str, pace: float) -> None:
    body = json.dumps({"pace": pace}).encode()
    urllib.request.urlopen(urllib.request.Request(f"{camera_url}/pace", body), timeout=10).close()


def _relink(house: Workshop, devices: Mapping[str, DemoDevice]) -> None:
    """Stand-ins have new ports at every start; printers with a camera are theirs."""
    for number, printer in workshop.printers(house):
        if printer.camera_url:
            device = devices[printer.process]
            linked = replace(printer, link_url=device.link_url, camera_url=device.camera_url)
            workshop.save_printer(house, asdict(linked), number)
