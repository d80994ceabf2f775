"""`make wheel`: the package in an environment of its own serves pages, knows its kinds and prints a piece's file.

What it needs is lent from the environment that built it, so that nothing is fetched; Drumbo itself is not.
"""

from __future__ import annotations

import re
import subprocess
import sys
import sysconfig
import tempfile
import urllib.request
from pathlib import Path

from drumbo.trials import kinds


def main(wheel: Path) -> int:
    """Tries the wheel; 1 with words where something is missing."""
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        subprocess.run([sys.executable, "-m", "venv", "--without-pip", folder / "env"], check=True)
        (there,) = (folder / "env" / "lib").glob("python*/site-packages")
        subprocess.run(
            [sys.executable, "-m", "pip", "install", "-q", "--no-deps", "--target", there, wheel.resolve()], check=True
        )
        (there / "lent.pth").write_text(sysconfig.get_path("purelib") + "\n")
        command = [str(folder / "env" / "bin" / "python"), "-m", "drumbo", "--data", str(folder / "data")]
        where = subprocess.check_output(
            [command[0], "-c", "import drumbo; print(drumbo.__file__)"], text=True, cwd=folder
        )
        assert where.startswith(str(there)), where
        told = subprocess.check_output([*command, "kinds"], text=True, cwd=folder)
        missing = [slug for slug in kinds() if slug not in told]
        assert not missing, f"it lacks {missing}"
        out = folder / "tower.gcode"
        subprocess.run([*command, "make-piece", "temperature", "--out", str(out)], check=True, cwd=folder)
        assert out.stat().st_size > 100_000
        _serves(command, folder)
    print(f"{wheel.name} serves its pages, knows {len(kinds())} kinds and makes a piece's file.")
    return 0


def _serves(command: list[str], folder: Path) -> None:
    process = subprocess.Popen([*command, "serve", "--port", "0"], stdout=subprocess.PIPE, text=True, cwd=folder)
    try:
        assert process.stdout is not None
        base = next(m[0] for line in process.stdout if (m := re.search(r"http://127\.0\.0\.1:\d+", line)))
        page = urllib.request.urlopen(base, timeout=60).read().decode()
        assert "To your first trial" in page
        linked = re.findall(r'(?:href|src)="(/(?:static|style|script)[^"]+)"', page)
        assert len(linked) >= 5
        for address in [*linked, "/guide/", "/printers/new", "/materials/new"]:
            with urllib.request.urlopen(base + address, timeout=60) as answer:
                assert answer.status == 200
                assert answer.read(), address
    finally:
        process.terminate()
        process.communicate(timeout=60)


if __name__ == "__main__":
    sys.exit(main(Path(sys.argv[1])))
