"""How long the application takes to answer its first page, and what it holds at rest: as whoever starts it meets it."""

from __future__ import annotations

import os
import re
import signal
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

SETTLES_S = 12.0
"""Heavy packages are made ready in the background for so long at most."""


@contextmanager
def _started(*words: str) -> Iterator[tuple[subprocess.Popen[str], str]]:
    """A process of `drumbo` in an empty folder, once it has told its address."""
    with tempfile.TemporaryDirectory() as folder:
        command = [sys.executable, "-m", "drumbo", "--data", folder, *words, "--port", "0"]
        environment = {**os.environ, "PYTHONUNBUFFERED": "1"}
        process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True, env=environment, start_new_session=True)
        try:
            assert process.stdout is not None
            base = next(m[0] for line in process.stdout if (m := re.search(r"http://127\.0\.0\.1:\d+", line)))
            yield process, base
        finally:
            os.killpg(process.pid, signal.SIGINT)
            process.communicate(timeout=60)


def _first_page(*words: str) -> float:
    """Seconds from the command to the first whole page."""
    began = time.monotonic()
    with _started(*words) as (_, base):
        urllib.request.urlopen(base, timeout=60).read()
        return time.monotonic() - began


def serve_first_page() -> float:
    """Of an own, empty workshop, s."""
    return _first_page("serve")


def demo_ready() -> float:
    """Of the demo, with its stand-ins, s."""
    return _first_page("demo")


def idle_memory() -> float:
    """What the application holds once it has settled, MB."""
    with _started("serve") as (process, base):
        urllib.request.urlopen(base, timeout=60).read()
        time.sleep(SETTLES_S)
        told = Path(f"/proc/{process.pid}/status").read_text()
        found = re.search(r"VmRSS:\s+(\d+) kB", told)
        assert found is not None
        return int(found[1]) / 1024
