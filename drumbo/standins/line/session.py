"""A device on a TCP port, speaking the plain line protocol of printer firmware.

One host at a time. Lines may carry `N` numbers and `*` checksums; a line that does not fit is asked for again. How
exactly it answers is its manners', and what goes wrong is its faults'.
"""

from __future__ import annotations

import contextlib
import re
import socket
import threading
import time
from collections import deque
from collections.abc import Callable
from functools import reduce
from operator import xor
from typing import Protocol

from drumbo.standins.line.manners import Cable, Manners

_NUMBERED = re.compile(rb"^N(\d{1,9})(?!\d)\s*(.*)$", re.S)
_CHECKED = re.compile(rb"^(.*)\*(\d{1,3})\s*$", re.S)
SPOKEN = {
    "soft-error": ("Error:No media",), "cancel": ("//action:cancel",), "disconnect": ("//action:disconnect",),
}  # fmt: skip
VANISHED_S = 2.0
OFTEN = 6
Reply = Callable[[str], None]


class Halted(Exception):
    """The device stopped itself or was told to; only a restart helps."""


class LineDevice(Protocol):
    """What is behind the line."""

    faults: dict[str, float]
    report_every_s: float

    def answer(self, text: str, say: Reply) -> None:
        """Carry out one clean line and answer it, `ok` last. Halted when it stops itself."""

    def urgent(self, word: str) -> bool:
        """Carry out a word that must not wait in line; False if it may."""

    def temperatures(self) -> str:
        """`T:` and `B:` as hosts expect them."""

    def break_wait(self) -> None:
        """End what it waits for."""

    def due(self, name: str) -> bool:
        """Whether a fault's moment has come; it comes once."""

    def reset(self) -> None:
        """Restart: cold, and forgetful of where it was."""


def parsed(raw: bytes) -> tuple[int, str, str]:
    """Number, command, and why the line cannot be taken; 0 where it has no number."""
    numbered, checked = _NUMBERED.match(raw), _CHECKED.match(raw)
    text = raw.decode("utf-8", "replace")
    if not numbered:
        return 0, text, "No Line Number with checksum" if checked else ""
    number = int(numbered[1])
    if not checked:
        return number, text, "No Checksum with line number"
    if reduce(xor, checked[1], 0) != int(checked[2]):
        return number, text, "checksum mismatch"
    body = _NUMBERED.match(checked[1])
    return number, body[2].strip().decode("utf-8", "replace") if body else "", ""


class LineServer:
    """Listens on loopback and serves one host after the other."""

    def __init__(
        self, device: LineDevice, port: int = 0, manners: Manners | None = None, cable: Cable | None = None
    ) -> None:
        self.device = device
        self.manners = manners or getattr(device, "manners", None) or Manners()
        self.cable = cable or Cable()
        self.expected = 1
        self._listener = socket.create_server(("127.0.0.1", port))
        self.port: int = self._listener.getsockname()[1]
        self._closing = threading.Event()
        # What is open is closed by close(), also where it comes up in the middle of it.
        self._opening = threading.Lock()
        self._thread = threading.Thread(target=self._serve, name="stand-in lines", daemon=True)
        self._host: socket.socket | None = None

    @property
    def link(self) -> str:
        """Where it is reached."""
        return f"socket://127.0.0.1:{self.port}"

    def start(self) -> None:
        """Serve in the background."""
        self._thread.start()

    def close(self) -> None:
        """Hang up and free the port."""
        with self._opening:
            self._closing.set()
            _hang_up(self._listener)
            if self._host is not None:
                _hang_up(self._host)

    def vanish(self) -> None:
        """Nobody can connect for a while."""
        _hang_up(self._listener)
        self._closing.wait(VANISHED_S)
        with self._opening:
            if not self._closing.is_set():
                self._listener = socket.create_server(("127.0.0.1", self.port))

    def _serve(self) -> None:
        while not self._closing.is_set():
            try:
                host, _ = self._listener.accept()
            except OSError:
                return
            with self._opening:
                if self._closing.is_set():
                    _hang_up(host)
                    return
                self._host = host
            session = Session(self, host)
            try:
                host.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
                session.run()
            except OSError:
                pass
            finally:
                _hang_up(host)
            if session.vanishes:
                self.vanish()


def _hang_up(line: socket.socket) -> None:
    # Closing alone would not wake whoever waits in it.
    with contextlib.suppress(OSError):
        line.shutdown(socket.SHUT_RDWR)
    line.close()


class Session:
    """One host's connection: numbering, checksums, and urgent words that must not wait in line."""

    def __init__(self, server: LineServer, host: socket.socket) -> None:
        self._server, self._device, self._host = server, server.device, host
        self._manners, self._cable = server.manners, server.cable
        self._lines: deque[bytes] = deque()
        self._left, self._held = b"", 0
        self._ready = threading.Condition()
        self._writing = threading.Lock()
        self._open = True
        self._said: list[str] = []
        self._spare: list[str] = []
        self._refuse_next: tuple[int, int] | None = None
        self._idle_since = time.monotonic()
        self.vanishes = False

    def run(self) -> None:
        listener = threading.Thread(target=self._listen, name="stand-in ear", daemon=True)
        if self._manners.boots_s:
            self._device.reset()
            self._server.expected = 1
            self._deaf_for(self._manners.boots_s)
        if self._manners.greets:
            self._say("start")
            self._flush()
        listener.start()
        told = time.monotonic()
        while True:
            if not self._lines:
                with self._ready:
                    while not self._lines and self._open:
                        self._ready.wait(0.1)
                        told = self._report(told)
                        self._idle()
                    if not self._lines:
                        return
            # Only this thread takes lines out, so there is one.
            raw, more = self._lines.popleft(), bool(self._lines)
            if self._manners.receives:
                with self._ready:
                    self._held -= len(raw) + 1
            with contextlib.suppress(Halted):
                self._line(raw)
            self._idle_since = time.monotonic()
            # Lines that came together are answered together.
            if not more:
                self._flush()
            told = self._report(told)

    def _deaf_for(self, seconds: float) -> None:
        until = time.monotonic() + seconds
        self._host.settimeout(0.05)
        while time.monotonic() < until:
            with contextlib.suppress(TimeoutError):
                self._host.recv(65536)
        self._host.settimeout(None)

    def _report(self, told: float) -> float:
        """Temperatures unasked, as M155 wished; returns when they were told last."""
        every = self._device.report_every_s
        if every <= 0 or time.monotonic() - told < every:
            return told
        self._say(self._temperatures())
        self._flush()
        return time.monotonic()

    def _idle(self) -> None:
        every = self._manners.wait_every_s
        if every and time.monotonic() - self._idle_since > every:
            self._idle_since = time.monotonic()
            self._say("wait")
            self._flush()

    # -- what comes in

    def _listen(self) -> None:
        try:
            left = b""
            while came := self._host.recv(65536):
                *lines, left = (left + came).split(b"\n")
                if self._manners.receives:
                    for raw in lines:
                        self._receive(self._cable.carry(raw + b"\n"))
                elif lines:
                    self._receive(b"".join(self._cable.carry(raw + b"\n") for raw in lines))
        except (OSError, ValueError):
            pass
        with self._ready:
            self._open = False
            self._ready.notify()
        self._device.break_wait()

    def _receive(self, raw: bytes) -> None:
        """Lines as they arrive, maybe without their ends, or in two; one at a time where there is room for few."""
        *parts, self._left = (self._left + raw).split(b"\n")
        waiting = [part for part in parts if not (self._manners.emergency and self._urgent(part))]
        limit = self._manners.receives
        with self._ready:
            if not limit:
                self._lines.extend(waiting)
            else:
                for part in waiting:
                    if self._held + len(part) + 1 > limit:
                        # What does not fit is lost, its end too.
                        self._left = part[: max(limit - self._held, 0)] + self._left
                        continue
                    self._lines.append(part)
                    self._held += len(part) + 1
            self._ready.notify()

    def _urgent(self, raw: bytes) -> bool:
        """Whether a line was one that must not wait; then it is done and answered."""
        raw = raw.strip()
        if raw[:1] not in {b"M", b"m"}:
            return False
        word = raw.split(b"*")[0].upper().decode("ascii", "replace")
        if not self._device.urgent(word):
            return False
        self._send("ok\n")
        return True

    def _line(self, raw: bytes) -> None:
        raw = raw.strip(b"\r\n\0 ")
        if self._device.due("drop-byte") and len(raw) > 8:
            raw = raw[:6] + raw[7:]
        if not raw:
            return
        number, body, why_not = parsed(raw)
        if not why_not and body.upper().startswith("M110"):
            self._server.expected = number + 1
            self._ok(number)
            return
        if not why_not and number and (number != self._server.expected or self._wants_again(number)):
            why_not = "Line Number is not Last Line Number+1"
        if why_not:
            self._ask_again(why_not)
            return
        if number:
            self._server.expected += 1
        self._faults(number)
        self._take(body.split(";", maxsplit=1)[0].strip(), number, number > 0)

    def _take(self, text: str, number: int, counted: bool) -> None:
        def say(told: str) -> None:
            for each in told.split("\n"):
                self._answered(each, number)

        if not text:
            self._ok(number)
            return
        accept = getattr(self._device, "accept", None)
        if accept is not None:
            accept(text, counted)
        try:
            self._device.answer(text, say)
        except ValueError:
            self._say(f'echo:Unknown command: "{text[:40]}"')
            self._ok(number)

    def _answered(self, told: str, number: int) -> None:
        """What a device says, in this firmware's manner."""
        if told == "ok" or told.startswith("ok P"):
            self._ok(number)
        elif told.startswith("ok T:"):
            if self._manners.splits_reports:
                self._say(told.removeprefix("ok "))
                self._ok(number)
            else:
                self._say(self._without_targets(told))
        elif told.startswith("busy:") and not self._manners.busy_words:
            return
        else:
            self._say(self._without_targets(told) if told.startswith("T:") else told)
            if told.startswith(("busy", "T:", "Error", "//")):
                self._flush()

    def _temperatures(self) -> str:
        return self._without_targets(self._device.temperatures())

    def _without_targets(self, told: str) -> str:
        return told if self._manners.targets else re.sub(r" /-?\d+(\.\d+)?", "", told)

    # -- what goes wrong

    def _ask_again(self, why: str) -> None:
        expected = self._server.expected
        if self._manners.says_error:
            self._say(f"Error:{why}, Last Line: {expected - 1}")
        for _ in range(self._manners.repeats_resend):
            self._say(self._manners.resend.format(number=expected))
        if self._manners.flushes:
            with self._ready:
                self._lines.clear()
                self._held = 0
        if self._manners.ok_after_resend:
            self._ok(expected - 1)
        self._flush()

    def _wants_again(self, number: int) -> bool:
        """A line that arrived well is asked for all the same, as often as a fault says."""
        if self._refuse_next is None:
            often = OFTEN if self._device.due("resend-often") else 10**6 if self._device.due("resend-forever") else 0
            if not often:
                return False
            self._refuse_next = number, often
        wanted, left = self._refuse_next
        if number != wanted:
            return False
        self._refuse_next = (wanted, left - 1) if left > 1 else None
        return True

    def _faults(self, number: int) -> None:
        if not self._device.faults:
            return
        due = self._device.due
        asks = {"resend-ahead": str(number + 5000), "resend-old": "1", "resend-digits": "9" * 5000}
        for name, wanted in asks.items():
            if due(name):
                self._say(self._manners.resend.format(number=wanted))
        self._spare += [name for name in ("lost-ok", "doubled-ok", "garbled-ok") if due(name)]
        for name, words in SPOKEN.items():
            if due(name):
                self._aloud(*words)
        if due("busy"):
            for _ in range(3):
                self._answered("busy: processing", number)
                time.sleep(1.0)
        if due("pause"):
            self._aloud("//action:pause")
            threading.Timer(1.0, self._aloud, ["//action:resume"]).start()
        if due("prompt"):
            self._aloud("//action:prompt_begin Is the filament in?", "//action:prompt_show")
            time.sleep(1.0)
            self._aloud("//action:prompt_end")
        self._breaks(due)

    def _breaks(self, due: Callable[[str], bool]) -> None:
        """What ends the conversation."""
        if due("reset"):
            self._reset("start", "echo: External Reset")
        if due("silent-reset"):
            self._reset()
        if due("vanish"):
            self.vanishes = True
            raise ConnectionAbortedError

    def _reset(self, *words: str) -> None:
        """Restart in the middle of everything: what was received is gone, and the line was never carried out."""
        self._device.reset()
        self._server.expected = 1
        with self._ready:
            self._lines.clear()
            self._held = 0
        self._said.clear()
        self._aloud(*words)
        raise Halted

    # -- what goes out

    def _ok(self, number: int) -> None:
        spare = self._spare.pop() if self._spare else ""
        if spare == "lost-ok":
            return
        word = "oj" if spare == "garbled-ok" else self._manners.ok.format(number=number, room=16)
        self._say(word)
        if spare == "doubled-ok":
            self._say(word)

    def _say(self, text: str) -> None:
        self._said.append(text)

    def _aloud(self, *texts: str) -> None:
        self._said.extend(texts)
        with contextlib.suppress(OSError):
            self._flush()

    def _flush(self) -> None:
        said, self._said = self._said, []
        if said:
            ends = "" if self._manners.glued else "\n"
            self._send("".join(text + (ends if text == "ok" and following == "ok" else "\n")
                               for text, following in zip(said, [*said[1:], ""], strict=True)))  # fmt: skip

    def _send(self, text: str) -> None:
        raw = b"".join(self._cable.carry(line.encode() + b"\n") for line in text.split("\n")[:-1])
        if self._manners.nuls:
            raw = raw.replace(b"o", b"\0o")
        with self._writing:
            if not self._manners.pieces:
                self._host.sendall(raw)
                return
            for byte in raw:
                self._host.sendall(bytes([byte]))
