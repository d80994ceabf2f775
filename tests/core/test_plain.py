"""Loops that stay plain Python say the same as compiled ones, to the last role of the last move."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import pytest

from bench.styles import STYLES, write
from drumbo.core.gcode.inspect import analyse, summary
from drumbo.core.gcode.reader import read

CHOSEN = ("relative extrusion", "a support", "one by one", "a raft", "turns", "a spiral", "no spaces")

SCRIPT = """
import json, sys
from drumbo.core.compiled import is_plain, keep_plain
keep_plain()
from drumbo.core.gcode.inspect import analyse, summary
from drumbo.core.gcode.reader import read
told = {}
for name in sys.argv[1:]:
    case = analyse(read(open(name, "rb").read()))
    found = summary(case)
    told[name] = [found.seconds, found.filament_mm, case.role.tolist(), case.runs_into.tolist(),
                  [[r.rule, r.line, r.text] for r in found.remarks]]
assert is_plain() and "numba" not in sys.modules
print(json.dumps(told))
"""


def test_plain_loops_say_the_same(tmp_path: Path) -> None:
    files = []
    for number, name in enumerate(CHOSEN):
        file = tmp_path / f"{number}.gcode"
        file.write_bytes(write(STYLES[name]).text)
        files.append(file)
    # One with much that is odd: islands, a crash, starved lines.
    files[-1].write_bytes(
        write(STYLES["relative extrusion"]).text.replace(b"G1 Z4 F600\n", b"G1 Z2 F600\n").replace(b"G1 Z5.2", b"G1 Z6")
    )
    out = subprocess.run([sys.executable, "-c", SCRIPT, *map(str, files)], capture_output=True, text=True, check=True)
    plain = json.loads(out.stdout)
    odd = 0
    for file in files:
        case = analyse(read(file.read_bytes()))
        found = summary(case)
        seconds, filament, role, into, remarks = plain[str(file)]
        assert (seconds, filament) == pytest.approx((found.seconds, found.filament_mm), rel=1e-9)
        assert role == case.role.tolist()
        assert into == case.runs_into.tolist()
        assert remarks == [[r.rule, r.line, r.text] for r in found.remarks]
        odd += len(remarks)
    assert odd > 2
