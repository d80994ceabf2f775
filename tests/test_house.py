"""The house plan, held: who may import whom, and what the first page promises."""

import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]


def test_imports_go_one_way() -> None:
    command = [str(Path(sys.executable).with_name("lint-imports")), "--no-cache"]
    done = subprocess.run(command, cwd=ROOT, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout


def test_core_and_trials_load_no_web_and_no_database() -> None:
    script = (
        "import sys, drumbo.trials; from drumbo.trials import kinds; kinds();"
        "import drumbo.core.gcode.inspect;"
        "bad = {'flask', 'sqlalchemy', 'serial', 'PIL', 'click', 'alembic'} & set(sys.modules);"
        "assert not bad, bad"
    )
    subprocess.run([sys.executable, "-c", script], cwd=ROOT, check=True)


@pytest.mark.parametrize(
    "command", ["demo", "serve", "standin", "kinds", "make-piece", "check", "print", "stop", "export"]
)
def test_the_readme_tells_of_every_command(command: str) -> None:
    assert f"drumbo {command}" in (ROOT / "README.md").read_text()


def test_every_picture_of_the_readme_is_there_and_there_are_few() -> None:
    shots = {p.name for p in (ROOT / "docs/screenshots").glob("*.png")}
    assert len(shots) < 20
    readme = (ROOT / "README.md").read_text()
    linked = {part.split(")")[0] for part in readme.split("docs/screenshots/")[1:]}
    assert linked == shots
