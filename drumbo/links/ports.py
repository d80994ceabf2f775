"""Serial ports of this machine, and which of them a printer answers at, at which speed."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

from serial.tools import list_ports

from drumbo.core.address import BAUDS
from drumbo.core.errors import LinkError
from drumbo.links.closing import connect
from drumbo.links.talk import Ended, Mute, Timing

USUAL = BAUDS[:5]
BY_ID = Path("/dev/serial/by-id")
TRY = Timing(hello_s=4.0, silence_s=2.0, slow_s=6.0)
"""Boards that restart when the line opens take a second or three."""


@dataclass(frozen=True, slots=True)
class Port:
    """A serial port: `path` stays the same at the next start where the system offers such a name."""

    path: str
    name: str
    serial_number: str = ""

    @property
    def says(self) -> str:
        """Name and number in a few words."""
        return ", number ".join(filter(None, (self.name, self.serial_number)))


def ports() -> list[Port]:
    """The ports that are here now. Such as the system makes without a device behind them are left out."""
    stable = {str(link.resolve()): str(link) for link in BY_ID.iterdir()} if BY_ID.is_dir() else {}
    found = []
    for port in list_ports.comports():
        if port.hwid and port.hwid != "n/a":
            name = " ".join(filter(None, (port.manufacturer, port.product))) or port.name or port.device
            found.append(Port(stable.get(port.device, port.device), name, port.serial_number or ""))
    return sorted(found, key=lambda port: port.path)


def look_at(
    paths: Sequence[str], bauds: Sequence[int], tick: Callable[[str], None], timing: Timing = TRY
) -> tuple[list[tuple[str, int, str]], list[str]]:
    """Try ports at speeds: where a printer answered (path, speed, what it tells), and why others could not be tried."""
    found, failed = [], []
    for path in paths:
        for baud in bauds:
            said = f"Trying {path} at {baud} baud."
            tick(said)
            try:
                talk = connect(path, baud, timing, lambda said=said: tick(said))  # type: ignore[misc]
            except Ended as ended:
                failed.append(f"{path}: {ended.message}")
                break
            except Mute:
                continue
            except LinkError as error:
                failed.append(f"{path}: {error}")
                break
            talk.line.close()
            found.append((path, baud, talk.heats.says if talk.heats else ""))
            break
    return found, failed
