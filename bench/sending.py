"""How quick, small and frugal the sending process is, against a strict printer in a process of its own."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from drumbo.links.journal import JournalEntry
from drumbo.links.runs import ALIVE, PRINT, STOP, RunOrder, Runs

LINES, REAL_LINES_PER_S, WATCHED_S = 60_000, 60, 15.0


@contextmanager
def _printing(count: int, line_s: float) -> Iterator[tuple[Runs, str]]:
    """A print of so many short lines, each taking so long."""
    command = [sys.executable, "-m", "drumbo.standins.line.strict", "--line-s", str(line_s)]
    with (
        tempfile.TemporaryDirectory() as folder,
        subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True) as printer,
    ):
        assert printer.stdout is not None
        link = printer.stdout.readline().strip()
        file = Path(folder) / "lines.gcode"
        file.write_text("G28\n" + "".join(f"G1 X{n % 200} Y{n % 7} E0.05\n" for n in range(count)))
        runs = Runs(Path(folder))
        yield runs, runs.begin(RunOrder(PRINT, link, file=str(file)))
        assert printer.stdin is not None
        printer.stdin.close()


def sender_lines_per_s() -> tuple[float, str]:
    """Short lines with numbers and checksums that a printer takes in a second, over loopback, from greeting to end."""
    with _printing(LINES, 0.0) as (runs, name):
        entry = runs.wait(name, 120)
        assert isinstance(entry, JournalEntry)
        assert entry.state == "done", entry
        return LINES / entry.elapsed_s, "lines/s"


def sender_cpu_percent() -> tuple[float, str]:
    """Of one core, while a printer takes some sixty lines a second."""
    with _printing(REAL_LINES_PER_S * 60, 1 / REAL_LINES_PER_S) as (runs, name):
        time.sleep(2.0)
        process = int((runs.folder(name) / ALIVE).read_text())
        began, used = time.monotonic(), _cpu_s(process)
        time.sleep(WATCHED_S)
        share = (_cpu_s(process) - used) / (time.monotonic() - began)
        runs.order(name, STOP)
        runs.wait(name, 60)
    return 100 * share, "%"


def sender_memory_mb() -> tuple[float, str]:
    """Most memory of the process, with a file of a million lines."""
    with _printing(1_000_000, 0.001) as (runs, name):
        time.sleep(6.0)
        status = Path(f"/proc/{int((runs.folder(name) / ALIVE).read_text())}/status").read_text()
        runs.order(name, STOP)
        runs.wait(name, 60)
    return int(status.split("VmHWM:")[1].split()[0]) / 1000, "MB"


def _cpu_s(process: int) -> float:
    parts = Path(f"/proc/{process}/stat").read_text().rsplit(")", 1)[1].split()
    return (int(parts[11]) + int(parts[12])) / os.sysconf("SC_CLK_TCK")
