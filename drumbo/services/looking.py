"""Looking for printers at this machine's serial ports, by a process of its own."""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from dataclasses import dataclass

from drumbo.core.errors import NotNow
from drumbo.links.ports import Port, ports
from drumbo.links.runs import LOOK, STOP, RunOrder, Runs
from drumbo.store.database import Workshop


@dataclass(frozen=True, slots=True)
class PortSearch:
    """How looking stands. `found` are path, speed and temperatures; `failed` says why some ports could not be tried."""

    run: str
    running: bool
    said: str
    found: tuple[tuple[str, int, str], ...]


def known_ports() -> list[Port]:
    """Serial ports that are here now."""
    return ports()


def begin(workshop: Workshop, paths: Sequence[str] | None = None, timing: dict[str, float] | None = None) -> PortSearch:
    """Begin to try all ports at the usual speeds. NotNow where there is none, or somebody looks already."""
    chosen = tuple(paths if paths is not None else (port.path for port in ports()))
    if not chosen:
        raise NotNow("this machine has no serial port with a device; is the cable in, and the printer on?")
    name = Runs(workshop.folder).begin(RunOrder(LOOK, "look:", "the search", ports=chosen, timing=timing or {}))
    return look(workshop, name)


def look(workshop: Workshop, name: str) -> PortSearch:
    """Where it is."""
    runs = Runs(workshop.folder)
    entry, gone = runs.look(name)
    if entry is None:
        return PortSearch(name, not gone, "Looking for ports.", ())
    return PortSearch(name, entry.running and not gone, entry.message, tuple((p, b, s) for p, b, s in entry.found))


def stop(workshop: Workshop, name: str) -> PortSearch:
    """Look no further."""
    with contextlib.suppress(NotNow):
        Runs(workshop.folder).order(name, STOP)
    return look(workshop, name)
