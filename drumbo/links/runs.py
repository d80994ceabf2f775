"""Prints as processes of their own: begun, followed and stopped from any program that works on the same data folder.

Each run has a folder with its job, its journal and its orders. The process that sends holds two locks, which the system
lets go of when it dies however it dies: one of the printer's address, so that nobody else talks to it, and one of the
run, by which others see that it lives.
"""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import json
import os
import re
import secrets
import shutil
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any

import msgspec

from drumbo.core.errors import LinkError, NotFound, NotNow
from drumbo.core.run import Heaters, RunState
from drumbo.links.journal import JournalEntry, entries, last_entry
from drumbo.links.lines import FileLines

NAME = re.compile(r"[A-Za-z0-9_-]{1,80}")
"""What a run's name looks like; it is a folder's."""
FOLDER = "prints"
JOB, ORDERS, ALIVE, LOG = "job.json", "orders", "alive", "log"
ORDER_BYTES = 64
STOP, GO_ON, PAUSE = "stop", "go on", "pause"
KEPT_RUNS = 200
TRIES, PAUSE_S = 15, 0.1
PRINT, PACKAGE, OFF, LOOK, HAND = "print", "package", "off", "look", "hand"


@dataclass(frozen=True, slots=True)
class RunOrder:
    """What a process is to do: PRINT a G-code file, PACKAGE over HTTP; OFF: ask a printer, and with `switch_off` switch
    its heaters off; LOOK for printers at `ports`; HAND: do what somebody asks for, within `limits` (see `Limits`). One
    that waits for somebody longer than `waits_s` is switched off. A print rests before each of `rests`, lines of the
    file, as `resting` says (see `Resting`). `expects` and `pressure_word` are what the printer should tell of itself
    (see `self_report`).
    """

    kind: str
    url: str
    printer: str = "the printer"
    file: str = ""
    total: int = 0
    baud: int = 115_200
    park: tuple[str, ...] = ()
    switch_off: bool = True
    ports: tuple[str, ...] = ()
    waits_s: float | None = None
    rests: tuple[int, ...] = ()
    resting: dict[str, Any] = field(default_factory=dict)
    limits: dict[str, Any] = field(default_factory=dict)
    expects: dict[str, float] = field(default_factory=dict)
    pressure_word: str = ""
    timing: dict[str, float] = field(default_factory=dict)

    def write(self, folder: Path) -> None:
        """Keep it in the run's folder."""
        (folder / JOB).write_text(json.dumps(asdict(self)))

    @classmethod
    def read(cls, folder: Path) -> RunOrder:
        """The job of a run's folder."""
        return msgspec.json.decode((folder / JOB).read_bytes(), type=cls)


class Runs:
    """The runs of one data folder."""

    def __init__(self, data: Path) -> None:
        self._folder = data.resolve() / FOLDER

    def home(self) -> Path:
        """The folder of all runs."""
        return self._folder

    def folder(self, name: str) -> Path:
        """Where a run's papers are."""
        if not NAME.fullmatch(name):
            raise NotFound("there is no such run")
        return self._folder / name

    @contextmanager
    def claim(self, url: str, printer: str) -> Iterator[int]:
        """Have a printer's line for oneself; NotNow where somebody has it."""
        self._folder.mkdir(parents=True, exist_ok=True)
        handle = os.open(self._folder / f"{_key(url)}.lock", os.O_RDWR | os.O_CREAT, 0o600)
        try:
            if not _locked(handle):
                raise NotNow(f"{printer} is busy with another print, or by hand; wait until that is done, or end it")
            yield handle
        finally:
            os.close(handle)

    def begin(self, job: RunOrder, name: str = "") -> str:
        """Start a process for a job; returns the run's name. NotNow where the printer is busy."""
        name = name or new_name()
        with self.claim(job.url, job.printer) as claimed:
            self.launch(name, job, claimed)
        return name

    def launch(self, name: str, job: RunOrder, claimed: int) -> None:
        """Start the process with a line that was claimed: the claim goes over to it."""
        folder = self.folder(name)
        try:
            folder.mkdir(parents=True, exist_ok=True)
            job.write(folder)
            (folder / ORDERS).write_bytes(b" " * ORDER_BYTES)
            alive = os.open(folder / ALIVE, os.O_RDWR | os.O_CREAT, 0o600)
        except OSError as error:
            raise LinkError(f"the print cannot begin: {error.strerror} in the data folder") from error
        try:
            fcntl.flock(alive, fcntl.LOCK_EX)
            with (folder / LOG).open("ab") as log:
                # Nothing that is in use by the whole application may keep it from ending, or end with it.
                child = subprocess.Popen(
                    [sys.executable, "-m", "drumbo.links.printing", str(folder)],
                    stdin=subprocess.DEVNULL, stdout=log, stderr=log, pass_fds=(claimed, alive),
                    start_new_session=True,
                )  # fmt: skip
            os.pwrite(alive, b"%d" % child.pid, 0)
        except OSError as error:
            raise LinkError(f"the print cannot begin: {error.strerror}") from error
        finally:
            os.close(alive)
        _reap(child)

    def alive(self, name: str) -> bool:
        """Whether a process is at it."""
        _reap()
        try:
            handle = os.open(self.folder(name) / ALIVE, os.O_RDWR)
        except OSError:
            return False
        try:
            return not _locked(handle, fcntl.LOCK_SH, tries=1)
        finally:
            os.close(handle)

    def at_work(self, name: str) -> bool:
        """Whether it lives and has not told its end yet; a moment lies between the two."""
        if not self.alive(name):
            return False
        entry = last_entry(self.folder(name))
        return entry is None or entry.running or not entry.heaters

    def look(self, name: str) -> tuple[JournalEntry | None, bool]:
        """The last entry of its journal, and whether it ended: by itself, or because its process is gone."""
        lives = self.alive(name)
        entry = last_entry(self.folder(name))
        return entry, not lives

    def order(self, name: str, what: str) -> None:
        """Tell a run to stop, to pause or to go on; NotNow where none is at it."""
        if not self.at_work(name):
            raise NotNow("this print is not running any more")
        folder = self.folder(name)
        try:
            handle = os.open(folder / ORDERS, os.O_RDWR)
            try:
                if os.pread(handle, ORDER_BYTES, 0).strip() != STOP.encode():
                    os.pwrite(handle, what.encode().ljust(ORDER_BYTES), 0)
            finally:
                os.close(handle)
        except OSError:
            if what == STOP:
                self._signal(folder)

    def hand(self, name: str, what: str) -> int:
        """Have a run that pauses, or one begun for that, do something by hand, see `hands`; returns the order's number.
        NotNow where none is at it, or it is still at the last one.
        """
        # An order that is taken up stands in the journal before it goes from here: look in that sequence.
        waits, entry = self.has_order(name), last_entry(self.folder(name))
        if waits or (entry is not None and entry.doing):
            raise NotNow("the printer is still at what it was told last; wait a moment")
        number = 1 + max((e.did for e in entries(self.folder(name))), default=0)
        text = f"{number} {what}"
        if len(text) > ORDER_BYTES:
            # Cut off, its last number would be another one.
            raise NotNow(f"“{what[:40]}” is longer than a printer is told by hand")
        self.order(name, text)
        return number

    def has_order(self, name: str) -> bool:
        """Whether an order waits to be taken up."""
        try:
            return bool((self.folder(name) / ORDERS).read_bytes().strip())
        except OSError:
            return False

    def _signal(self, folder: Path) -> None:
        """Where the orders cannot be written, the system takes the message."""
        with contextlib.suppress(OSError, ValueError):
            os.kill(int((folder / ALIVE).read_text()), signal.SIGTERM)

    def wait(self, name: str, timeout_s: float) -> JournalEntry | None:
        """Wait for a run's end; its last entry then, or None where it goes on still."""
        until = time.monotonic() + timeout_s
        while self.alive(name):
            if time.monotonic() > until:
                return None
            time.sleep(0.02)
        return last_entry(self.folder(name)) or JournalEntry(
            RunState.FAILED, message="The print did not begin.", heaters=Heaters.UNTOUCHED
        )

    def names(self) -> list[str]:
        """All runs whose papers are here, oldest first."""
        return sorted(p.name for p in self._folder.glob("*/") if p.is_dir()) if self._folder.is_dir() else []

    def tidy(self) -> None:
        """Drop the papers of old runs."""
        for name in self.names()[:-KEPT_RUNS]:
            if not self.alive(name):
                shutil.rmtree(self.folder(name), ignore_errors=True)


_CHILDREN: list[subprocess.Popen[bytes]] = []
_CHILDREN_LOCK = threading.Lock()


def _reap(*more: subprocess.Popen[bytes]) -> None:
    """Let the system forget processes of ours that have ended. They outlive whoever began them."""
    with _CHILDREN_LOCK:
        _CHILDREN[:] = [child for child in _CHILDREN if child.poll() is None] + list(more)


def new_name() -> str:
    """A name for a run; later ones sort behind earlier ones."""
    return time.strftime("%Y%m%d-%H%M%S", time.gmtime()) + "-" + secrets.token_hex(3)


def _key(url: str) -> str:
    """One key an address, so that presets of one machine share its lock."""
    path = os.path.realpath(url) if url.startswith("/dev/") else url.strip().lower().rstrip("/")
    return hashlib.sha256(path.encode()).hexdigest()[:16]


def _locked(handle: int, how: int = fcntl.LOCK_EX, tries: int = TRIES) -> bool:
    """Try to lock; somebody who only asks a printer something holds it for a moment."""
    for left in range(tries - 1, -1, -1):
        try:
            fcntl.flock(handle, how | fcntl.LOCK_NB)
        except OSError:
            if left:
                time.sleep(PAUSE_S)
        else:
            return True
    return False


def count_lines(path: Path) -> int:
    """How many lines of a G-code file a printer gets; GcodeError names one that it could not take."""
    lines = FileLines(path)
    try:
        return len(lines)
    finally:
        lines.close()
