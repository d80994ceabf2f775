"""One open line to a printer, over TCP or a serial port, written and read as lines. It knows no protocol."""

from __future__ import annotations

import contextlib
import errno
import os
import select
import socket
import stat
import sys
import time
from typing import Protocol

import serial

from drumbo.core.address import BAUDS, SERIAL, TCP, Address, parse_address
from drumbo.core.errors import InvalidInput, LinkError

CONNECT_S = 5.0
WRITE_S = 10.0
SERIAL_DEVICES = ("/dev/tty", "/dev/cu", "/dev/pts/", "/dev/rfcomm")
MOST_HELD = 65_536
"""Bytes without a line's end that are kept; what never ends a line is no printer."""


class _Port(Protocol):
    """What can be waited for, read and written without blocking."""

    def fileno(self) -> int: ...
    def take(self) -> bytes: ...
    def give(self, data: bytes) -> int: ...
    def close(self) -> None: ...


class Line:
    """An open line. Every failure of the device or the cable becomes a LinkError."""

    def __init__(self, url: str, baud: int = BAUDS[0]) -> None:
        try:
            address = parse_address(url)
        except InvalidInput as error:
            raise LinkError(next(iter(error.problems.values()))) from error
        self._port: _Port
        if address.way == TCP:
            self._port = _Tcp(address)
        elif address.way == SERIAL:
            self._port = _Serial(address, baud)
        else:
            raise LinkError(f"{url} takes layer packages; G-code goes over socket://address:port or a serial port")
        self._left = b""

    def write(self, data: bytes) -> None:
        """Send bytes. LinkError where the line broke, or took nothing for ten seconds."""
        until = time.monotonic() + WRITE_S
        while data:
            try:
                data = data[self._port.give(data) :]
                if data:
                    select.select([], [self._port], [], 0.2)
            except (serial.SerialException, OSError, ValueError) as error:
                raise LinkError("the line to the printer broke") from error
            if data and time.monotonic() > until:
                raise LinkError("the line to the printer takes nothing any more")

    def read(self, timeout_s: float) -> list[str]:
        """The whole lines that came, after waiting at most so long for a first byte."""
        try:
            ready, _, _ = select.select([self._port], [], [], timeout_s)
            came = self._port.take() if ready else b""
        except (serial.SerialException, OSError, ValueError) as error:
            raise LinkError("the line to the printer broke") from error
        if not came:
            return []
        *lines, self._left = (self._left + came).replace(b"\r", b"\n").split(b"\n")
        self._left = self._left[-MOST_HELD:]
        return [line.decode("utf-8", "replace") for line in lines if line.strip()]

    def close(self) -> None:
        """Hang up."""
        self._port.close()


class _Tcp:
    def __init__(self, address: Address) -> None:
        try:
            self._socket = socket.create_connection((address.host, address.port), timeout=CONNECT_S)
        except OSError as error:
            raise LinkError(f"nothing answers at {address.text}; is the printer on, and is the link right?") from error
        self._socket.setblocking(False)
        with contextlib.suppress(OSError):
            self._socket.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)

    def fileno(self) -> int:
        return self._socket.fileno()

    def take(self) -> bytes:
        try:
            came = self._socket.recv(65_536)
        except BlockingIOError:
            return b""
        if not came:
            raise ConnectionResetError
        return came

    def give(self, data: bytes) -> int:
        try:
            return self._socket.send(data)
        except BlockingIOError:
            return 0

    def close(self) -> None:
        with contextlib.suppress(OSError):
            self._socket.shutdown(socket.SHUT_RDWR)
        self._socket.close()


class _Serial:
    """A serial port, for this program alone while it is open."""

    def __init__(self, address: Address, baud: int) -> None:
        _must_be_serial(address)
        try:
            self._port = serial.Serial(address.path, baud, timeout=0, write_timeout=0, exclusive=True)
        except serial.SerialException as error:
            raise LinkError(_why_not(address.path, error)) from error
        except (OSError, ValueError) as error:
            raise LinkError(f"{address.path} cannot be used at {baud} baud: {error}") from error

    def fileno(self) -> int:
        return int(self._port.fileno())

    def take(self) -> bytes:
        came = os.read(self._port.fileno(), 65_536)
        if not came:
            raise ConnectionResetError
        return came

    def give(self, data: bytes) -> int:
        try:
            return os.write(self._port.fileno(), data)
        except BlockingIOError:
            return 0

    def close(self) -> None:
        with contextlib.suppress(serial.SerialException, OSError):
            self._port.close()


def _must_be_serial(address: Address) -> None:
    """Refuse any file that is not a serial port. A device that was pulled off is told apart."""
    if sys.platform == "win32":
        return
    try:
        mode = os.stat(address.path).st_mode
    except FileNotFoundError:
        raise LinkError(
            f"there is no {address.path} now; is the cable in, and the printer on? It may have another name."
        ) from None
    except OSError as error:
        raise LinkError(_why_not(address.path, error)) from error
    # By name too, as merely opening some devices has effects; links that a system names itself lead to one of these.
    if not stat.S_ISCHR(mode) or not os.path.realpath(address.path).startswith(SERIAL_DEVICES):
        raise LinkError(f"{address.path} is no serial port")


def _why_not(path: str, error: OSError) -> str:
    """Why a port cannot be opened, and what to do."""
    code = error.errno
    if code in {errno.EACCES, errno.EPERM}:
        return f"no permission to use {path}: add yourself to the group that owns it (often dialout) and log in again"
    if code in {errno.EBUSY, errno.EAGAIN} or "exclusively lock" in str(error):
        return f"another program holds {path}; close it there, then try again"
    if code in {errno.ENOENT, errno.ENXIO, errno.ENODEV}:
        return f"there is no printer at {path} now; is the cable in, and the printer on?"
    return f"{path} cannot be opened: {error.strerror or error}"
