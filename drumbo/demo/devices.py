"""The stand-ins of the demo, each in a process of its own."""

from __future__ import annotations

import re
import subprocess
import sys
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import asdict, dataclass, replace
from pathlib import Path

from drumbo.core.errors import DrumboError
from drumbo.services import workshop
from drumbo.store.database import Workshop

BED_SEED = 2
"""The demo printer's plate is not quite level."""


@dataclass(frozen=True, slots=True)
class DemoDevice:
    """A stand-in that runs: its process, its link and its camera."""

    process: subprocess.Popen[str]
    link_url: str
    camera_url: str


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


def start_standin(pace: float, drive: str = "direct", files: Path | None = None) -> DemoDevice:
    """The filament stand-in; it makes anew what is in the folder of files when it is asked about that."""
    arguments = ["filament", "--port", "0", "--side-port", "0", "--pace", str(pace), "--drive", drive]
    arguments += ["--bed-seed", str(BED_SEED), *_files(files)]
    device, found = _started(arguments, r"(socket://\S+)\s+camera: (http://\S+)")
    return DemoDevice(device, found[1], found[2])


def start_resin(pace: float, pixels: str = "3840x2400", files: Path | None = None) -> DemoDevice:
    """The resin stand-in; its camera answers where its link does."""
    arguments = ["resin", "--port", "0", "--pace", str(pace), "--pixels", pixels, *_files(files)]
    device, found = _started(arguments, r"(http://\S+)")
    return DemoDevice(device, found[1], found[1])


def _files(folder: Path | None) -> list[str]:
    return ["--files", str(folder)] if folder is not None else []


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


def relink(house: Workshop, devices: Mapping[str, DemoDevice]) -> None:
    """Stand-ins have new ports at every start; printers with a camera are theirs."""
    for number, printer in workshop.printers(house):
        if printer.camera_url:
            device = devices[printer.process]
            linked = replace(printer, link_url=device.link_url, camera_url=device.camera_url)
            workshop.save_printer(house, asdict(linked), number)
