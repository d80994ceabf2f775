"""Loops that stay plain Python say the same as compiled ones, to the last role of the last move; these wake late."""

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


LAZY = """
import sys
from drumbo.core.gcode.reader import read
import drumbo.core.motion as motion
assert "numba" not in sys.modules, "nothing was called yet"
program = read(b"G28\\nG1 X5 Y5 E1 F600\\nG1 X9 Y5 E2\\n")
assert "numba" in sys.modules
assert type(motion._plan).__module__.startswith("numba"), "all wake together"
import drumbo.core.toolpath.hatch as late
found = [value for value in vars(late).values() if type(value).__name__ == "_Sleeper"]
assert not found, "what is imported later is awake"
print(len(program))
"""


def test_the_compiler_is_loaded_at_the_first_loop_that_is_called() -> None:
    out = subprocess.run([sys.executable, "-c", LAZY], capture_output=True, text=True, check=False)
    assert out.returncode == 0, out.stderr
    assert int(out.stdout) >= 2
