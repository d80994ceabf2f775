"""What another package brings (a kind, a parameter, a dialect, a file format) is found by its entry points; not a line
of Drumbo's own knows of it.
"""

import os
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parents[1]
BROUGHT = ROOT / "tests" / "brought"


def test_what_another_package_brings_keeps_the_contract_and_goes_the_whole_line() -> None:
    kept = [f"tests/trials/test_{name}.py" for name in ("contract", "any_plan", "whatever_is_read")]
    files = ["tests/brought/line.py", *kept]
    command = [sys.executable, "-m", "pytest", "-p", "no:cacheprovider", "-x", *files, "-k", "bridge-speed or brought"]
    environment = {**os.environ, "PYTHONPATH": str(BROUGHT)}
    done = subprocess.run(command, cwd=ROOT, env=environment, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout[-3000:]
    assert "14 passed" in done.stdout, done.stdout[-300:]
