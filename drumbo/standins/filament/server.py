"""The stand-in on its TCP port: the plain line protocol that printer firmware speaks.

One host at a time. Lines may carry `N` numbers and `*` checksums; a line that does not fit is asked for again.
"""

from __future__ import annotations

import contextlib
import re
import socket
import threading
import time
from collections import deque
from functools import reduce
from operator import xor

from drumbo.standins.filament.device import FilamentPrinter, Halted

_NUMBERED = re.compile(rb"^N(-?\d+)\s*(.*?)\s*\*(\d+)\s*$", re.S)


class LineServer:
    """Listens on loopback and serves one host after the other."""

    def __init__(self, device: FilamentPrinter, port: int = 0) -> None:
        self.device = device
        self._listener = socket.create_server(("127.0.0.1", port))
        self.port: int = self._listener.getsockname()[1]
        self._closing = False
        self._thread = threading.Thread(target=self._serve, name="stand-in lines", daemon=True)
        self._host: socket.socket | None = None

    def start(self) -> None:
        """Serve in the background."""
        self._thread.start()

    def close(self) -> None:
        """Hang up and free the port."""
        self._closing = True
        self._listener.close()
        if self._host is not None:
            _hang_up(self._host)

    def _serve(self) -> None:
        while not self._closing:
            try:
                host, _ = self._listener.accept()
            except OSError:
                return
            self._host = host
            host.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
            try:
                _Session(self.device, host).run()
            except OSError:
                pass
            finally:
                _hang_up(host)


def _hang_up(host: socket.socket) -> None:
    with contextlib.suppress(OSError):
        host.shutdown(socket.SHUT_RDWR)
    host.close()


class _Session:
    """One host's connection: numbering, checksums, and urgent words that must not wait in line."""

    def __init__(self, device: FilamentPrinter, host: socket.socket) -> None:
        self._device, self._host = device, host
        self._expected = 1
        self._lines: deque[bytes] = deque()
        self._ready = threading.Condition()
        self._open = True
        self._said: list[str] = []

    def run(self) -> None:
        listener = threading.Thread(target=self._listen, name="stand-in ear", daemon=True)
        self._say("start")
        self._flush()
        listener.start()
        told = time.monotonic()
        while True:
            with self._ready:
                while not self._lines and self._open:
                    self._ready.wait(0.1)
                    told = self._report(told)
                if not self._lines:
                    return
                raw, more = self._lines.popleft(), bool(self._lines)
            with contextlib.suppress(Halted):
                self._line(self._device.mangle(raw))
            # Lines that came together are answered together.
            if not more:
                self._flush()
            told = self._report(told)

    def _report(self, told: float) -> float:
        """Temperatures unasked, as M155 wished; returns when they were told last."""
        every = self._device.report_every_s
        if every <= 0 or time.monotonic() - told < every:
            return told
        self._say_now(self._device.temperatures())
        return time.monotonic()

    def _listen(self) -> None:
        try:
            left = b""
            while came := self._host.recv(65536):
                *lines, left = (left + came).split(b"\n")
                waits = [raw for raw in lines if not self._urgent(raw)]
                with self._ready:
                    self._lines.extend(waits)
                    self._ready.notify()
        except (OSError, ValueError):
            pass
        with self._ready:
            self._open = False
            self._ready.notify()
        self._device.break_wait()

    def _urgent(self, raw: bytes) -> bool:
        """Whether a line was one that must not wait; then it is done and answered."""
        word = raw.strip().split(b"*")[0].upper().decode("ascii", "replace")
        if not self._device.urgent(word):
            return False
        self._host.sendall(b"ok\n")
        return True

    def _line(self, raw: bytes) -> None:
        raw = raw.strip()
        found = _NUMBERED.match(raw)
        if found:
            number, body, told = int(found[1]), found[2], int(found[3])
            check = reduce(xor, raw[: raw.rindex(b"*")], 0)
            if b"M110" in body.upper() and check == told:
                self._expected = number + 1
                self._say("ok")
                return
            if check != told or number != self._expected:
                self._say(f"Resend: {self._expected}")
                self._say("ok")
                return
            self._expected += 1
            raw = body
        elif raw.startswith(b"N"):
            self._say(f"Resend: {self._expected}")
            self._say("ok")
            return
        text = raw.decode("utf-8", "replace").split(";", maxsplit=1)[0].strip()
        if text:
            self._device.answer(text, self._say_now)
        else:
            self._say("ok")

    def _say(self, text: str) -> None:
        self._said.append(text)

    def _say_now(self, text: str) -> None:
        self._said.append(text)
        if text.startswith(("busy", "T:", "Error", "//")):
            self._flush()

    def _flush(self) -> None:
        if self._said:
            self._host.sendall(("\n".join(self._said) + "\n").encode())
            self._said = []
