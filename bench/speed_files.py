"""How fast files are read, checked and drawn, and in how much memory."""

from __future__ import annotations

import math
import statistics
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import Any

import numpy as np

from bench.styles import STYLES
from bench.styles import write as write_style
from bench.timed import FILE_MB, Measured, large, ratio_of, timed
from drumbo.core.gcode.inspect import inspect
from drumbo.core.gcode.loop import read_loop
from drumbo.core.gcode.reader import read
from drumbo.core.motion import _plan_loop


def gcode_read_vs_loop() -> Measured:
    data = large(FILE_MB)
    text = data.decode()
    return ratio_of(lambda: read_loop(text), lambda: read(data), 3), "times"


def _flow(e: np.ndarray, seconds: np.ndarray) -> np.ndarray:
    return np.asarray(np.divide(e * (math.pi * 1.75**2 / 4), seconds, out=np.zeros_like(e), where=seconds > 0))


def gcode_pipeline_vs_loop() -> Measured:
    """Read, plan and flow, against the same in plain loops over the same file."""
    data = large(FILE_MB / 5)
    text = data.decode()

    def fast() -> None:
        program = read(data)
        _flow(program.e_mm, program.motion(2000, 8).seconds)

    return ratio_of(lambda: _loops(text), fast, 3), "times"


def _loops(text: str) -> None:
    """A file read, planned and its flow found in plain loops."""
    rows = read_loop(text).rows
    columns = [list(c) for c in zip(*rows, strict=True)]
    x, y, z, e, feed = columns[2:]
    steps: list[Any] = [[b - a for a, b in zip([0.0, *c], c, strict=False)] for c in (x, y, z)]
    n = len(rows)
    many: list[Any] = [e, [f / 60 for f in feed], [2000.0] * n, [8.0] * n]
    _, _, _, seconds = _plan_loop(*steps, *many)
    area = math.pi * 1.75**2 / 4
    [fed * area / s if s > 0 else 0.0 for fed, s in zip(e, seconds, strict=True)]


def check_vs_loop() -> Measured:
    """A file read, planned and judged, against reading and planning alone in plain loops over the same file."""
    data = large(FILE_MB / 5)
    text = data.decode()
    return ratio_of(lambda: _loops(text), lambda: inspect(read(data)), 3), "times"


def gcode_memory_vs_file() -> Measured:
    """Peak memory of reading a file in a fresh process, above that of the imports, over the file's size."""
    return _memory_vs_file("from drumbo.core.gcode.reader import read as job"), "times"


def check_memory_vs_file() -> Measured:
    """The same for reading, planning and judging it."""
    return _memory_vs_file(
        "from drumbo.core.gcode.reader import read\n"
        "from drumbo.core.gcode.inspect import inspect\n"
        "def job(data): return inspect(read(data))"
    ), "times"


def _memory_vs_file(job: str) -> float:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "large.gcode"
        path.write_bytes(large(FILE_MB))
        script = (
            f"import sys, re\n{job}\n"
            "def peak(): return int(re.search(r'VmHWM:\\s+(\\d+)', open('/proc/self/status').read())[1]) * 1024\n"
            "job(b'G28\\nG1 X1 E1 F600\\n')\n"
            "before = peak()\n"
            "kept = job(open(sys.argv[1], 'rb').read())\n"
            "print(peak() - before)"
        )
        out = subprocess.run([sys.executable, "-c", script, str(path)], capture_output=True, text=True, check=True)
        return float(out.stdout) / path.stat().st_size


def check_small_file_seconds() -> Measured:
    """The command on a file of some 30 kB, from start to end, in a process of its own: the middle of five."""
    text = write_style(STYLES["relative extrusion"]).text
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "small.gcode"
        path.write_bytes(text[: text.index(b"; next: 20")] + b"M104 S0\nM140 S0\nM107\nG0 X0 Y0 Z60\n")
        command = [sys.executable, "-m", "drumbo", "check", str(path)]
        times = [timed(lambda: subprocess.run(command, capture_output=True, check=True)) for _ in range(5)]
    return statistics.median(times), "s"


def check_first_picture_seconds() -> Measured:
    """A file of 50 MB in the file check, from the end of its upload to the page with its pictures."""
    from drumbo.services import check  # noqa: PLC0415
    from drumbo.store.database import Workshop  # noqa: PLC0415
    from drumbo.web.tracks import bars, strips  # noqa: PLC0415

    with tempfile.TemporaryDirectory() as folder:
        house, times = Workshop(Path(folder)), []
        for n in range(4):
            data = b"; %d\n" % n + large(FILE_MB)

            def picture(data: bytes = data) -> None:
                looked = check.look(house, check.bring(house, data))
                strips(check.tracks(looked), "time")
                bars(*check.flow_shares(looked), looked.limit_mm3_s)

            times.append(timed(picture))
        house.close()
    return statistics.median(times[1:]), "s"
