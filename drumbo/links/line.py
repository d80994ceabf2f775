"""One line to a printer: opened by a pyserial URL (`socket://host:port`, a device path), read line by line."""

from __future__ import annotations

import re
import socket
import time
from collections.abc import Sequence
from dataclasses import dataclass

import serial

from drumbo.core.errors import LinkError

_HEAT = re.compile(r"([TB]):\s*(-?\d+(?:\.\d+)?)\s*/\s*(-?\d+(?:\.\d+)?)")
BAUD = 115_200


@dataclass(frozen=True, slots=True)
class Heat:
    """Temperatures as the printer reports them, °C."""

    nozzle_c: float
    nozzle_target_c: float
    bed_c: float | None = None
    bed_target_c: float | None = None

    @property
    def says(self) -> str:
        """The nozzle's, in a few words."""
        return f"{self.nozzle_c:.0f}/{self.nozzle_target_c:.0f} °C"


def heat_in(text: str) -> Heat | None:
    """The temperatures in a line like `T:210.1 /210.0 B:60.0 /60.0`, or None."""
    found = {name: (float(now), float(target)) for name, now, target in _HEAT.findall(text)}
    if "T" not in found:
        return None
    bed = found.get("B", (None, None))
    return Heat(*found["T"], *bed)


class Line:
    """An open line. Every failure of the device or the cable becomes a LinkError."""

    def __init__(self, url: str, wait_s: float = 5.0) -> None:
        self._url = url
        try:
            self._port = serial.serial_for_url(url, baudrate=BAUD, timeout=0.05, write_timeout=10)
        except (serial.SerialException, OSError, ValueError) as error:
            raise LinkError(f"nothing answers at {url}; is the printer on, and is the link right?") from error
        self._left = b""
        self._hello(wait_s)

    def _hello(self, wait_s: float) -> None:
        """Ask until the printer answers: some boards restart when the line opens."""
        until = time.monotonic() + wait_s
        while time.monotonic() < until:
            self.write("M105")
            quiet = time.monotonic() + 1.0
            while time.monotonic() < quiet:
                if self.read().startswith("ok"):
                    return
        self.close()
        raise LinkError(f"{self._url} is open but no printer answers there")

    def write(self, text: str) -> None:
        """Send one line."""
        try:
            self._port.write(text.encode("ascii", "replace") + b"\n")
        except (serial.SerialException, OSError) as error:
            raise LinkError("the link to the printer broke") from error

    def read(self) -> str:
        """The next line without its end, or "" when none came in a moment."""
        while b"\n" not in self._left:
            try:
                more = self._port.read(max(1, self._port.in_waiting)) + self._rest()
            except (serial.SerialException, OSError) as error:
                raise LinkError("the link to the printer broke") from error
            if not more:
                return ""
            self._left += more
        line, self._left = self._left.split(b"\n", 1)
        return line.decode("utf-8", "replace").strip()

    @property
    def holds(self) -> bool:
        """Whether another whole line is here already."""
        return b"\n" in self._left

    def _rest(self) -> bytes:
        """What else a socket holds. The library cannot tell how much that is, and would read it byte by byte."""
        held = self._held()
        if held is None:
            return b""
        try:
            return held.recv(4096, socket.MSG_DONTWAIT)
        except BlockingIOError:
            return b""

    def _held(self) -> socket.socket | None:
        """The socket beneath, where there is one."""
        held: socket.socket | None = getattr(self._port, "_socket", None)
        return held

    def close(self) -> None:
        """Hang up. A socket whose other end is gone is not closed by the library, so it is closed here."""
        held = self._held()
        self._port.close()
        if held is not None:
            held.close()


def tell(url: str, commands: Sequence[str], wait_s: float = 10.0) -> None:
    """Send a few commands to a printer that is not printing, each after the last was answered. LinkError if not."""
    line = Line(url)
    try:
        for command in commands:
            line.write(command)
            until = time.monotonic() + wait_s
            while not (answer := line.read()).startswith("ok"):
                if answer.lower().startswith("error"):
                    raise LinkError(f"the printer refused {command}: {answer}")
                if time.monotonic() > until:
                    raise LinkError(f"the printer did not answer {command}")
    finally:
        line.close()
