"""Simulated printers, each a process of its own that is talked to as a real one is."""

from __future__ import annotations

import re
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from drumbo.core.errors import LinkError
from drumbo.links.http import HttpDevice

ANSWERS_S = 2.0
ENDS_S = 10.0
"""How long one may take to switch itself off."""
BED_SEED = 2
"""Its plate is not quite level."""
LAMP_SEED = 3
"""Its lamp is not quite even."""


@dataclass(frozen=True, slots=True)
class SimulatedPrinter:
    """A stand-in that runs: its process, its link and its camera."""

    process: subprocess.Popen[str]
    link_url: str
    camera_url: str

    def end(self) -> None:
        """Switch it off; by force where it is too busy to do so itself."""
        self.process.terminate()
        try:
            self.process.wait(ENDS_S)
        except subprocess.TimeoutExpired:
            self.process.kill()
            self.process.wait()
        if self.process.stdout is not None:
            self.process.stdout.close()


@contextmanager
def running(device: SimulatedPrinter) -> Iterator[SimulatedPrinter]:
    """A device, ended at the end."""
    try:
        yield device
    finally:
        device.end()


def start_standin(
    pace: float, drive: str = "direct", files: Path | None = None, idle_h: float | None = None
) -> SimulatedPrinter:  # fmt: skip
    """The filament stand-in; it makes anew what is in the folder of files when it is asked about that. It ends by
    itself once nobody asked it anything for so long, h.
    """
    arguments = ["filament", "--port", "0", "--side-port", "0", "--pace", str(pace), "--drive", drive]
    arguments += ["--bed-seed", str(BED_SEED), *_files(files)]
    arguments += [] if idle_h is None else ["--idle-h", str(idle_h)]
    device, found = _started(arguments, r"(socket://\S+)\s+camera: (http://\S+)")
    return SimulatedPrinter(device, found[1], found[2])


def start_resin(pace: float, pixels: str = "3840x2400", files: Path | None = None) -> SimulatedPrinter:
    """The resin stand-in; its camera answers where its link does."""
    arguments = ["resin", "--port", "0", "--pace", str(pace), "--pixels", pixels, *_files(files)]
    arguments += ["--lamp-seed", str(LAMP_SEED)]
    device, found = _started(arguments, r"(http://\S+)")
    return SimulatedPrinter(device, found[1], found[1])


def answers(camera_url: str) -> bool:
    """Whether a simulated printer is there."""
    try:
        return "loaded" in HttpDevice(camera_url, "nothing answers").get("/status", ANSWERS_S)
    except LinkError:
        return False


def _files(folder: Path | None) -> list[str]:
    return ["--files", str(folder)] if folder is not None else []


def _started(arguments: list[str], said: str) -> tuple[subprocess.Popen[str], re.Match[str]]:
    """A stand-in as a process of its own, and what its first line says."""
    command = [sys.executable, "-m", "drumbo", "standin", *arguments]
    # Ctrl-C is for the application alone: the printer must still answer when it is told to switch off.
    device = subprocess.Popen(command, stdout=subprocess.PIPE, text=True, start_new_session=True)
    assert device.stdout is not None
    found = re.search(said, device.stdout.readline())
    if found is None:
        device.terminate()
        raise LinkError("the simulated printer did not start")
    return device, found
