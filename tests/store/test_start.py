"""What a start says of a folder that is damaged, of another program or newer, of a full disk and of a second server;
and the doctor, who looks it over.
"""

from __future__ import annotations

import errno
import os
import random
import shutil
import sqlite3
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest
from click.testing import CliRunner

from drumbo.cli import main
from drumbo.core.errors import NotFound, NotNow
from drumbo.services import doctor, workshop
from drumbo.store.database import PART, Workshop, write_safely
from drumbo.store.soundness import DATABASE, in_words, served_once
from drumbo.web.serving import _secret
from tests.conftest import LABEL, PATIENCE_S


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    """A workshop that was closed."""
    made = Workshop(tmp_path / "data")
    workshop.save_material(made, LABEL, spool_seed=3)
    made.files.put(b"a file that nobody knows")
    made.close()
    return tmp_path / "data"


def _garbage(path: Path) -> None:
    path.write_bytes(random.Random(1).randbytes(20_000))


def _cut(path: Path) -> None:
    path.write_bytes(path.read_bytes()[: path.stat().st_size // 2])


def _scribbled(path: Path) -> None:
    data = bytearray(path.read_bytes())
    data[4096:12_288] = random.Random(2).randbytes(8192)
    path.write_bytes(bytes(data))


def _newer(path: Path) -> None:
    with sqlite3.connect(path) as held:
        held.execute("UPDATE alembic_version SET version_num = '0099'")
    held.close()


def _folder(path: Path) -> None:
    path.unlink()
    path.mkdir()


def _other(path: Path) -> None:
    path.unlink()
    with sqlite3.connect(path) as held:
        held.execute("CREATE TABLE songs (name TEXT)")
    held.close()


SPOILT: list[tuple[Callable[[Path], object], str]] = [
    (_garbage, "damaged"), (_cut, "damaged"), (_scribbled, "damaged"), (_newer, "newer Drumbo"),
    (_other, "another program"), (lambda path: path.write_bytes(b""), "is empty"),
    (lambda path: path.unlink(), "is missing"), (_folder, "is no file"),
]  # fmt: skip


def _listing(folder: Path) -> list[str]:
    return sorted(str(path.relative_to(folder)) for path in folder.rglob("*"))


@pytest.mark.parametrize(("spoil", "says"), SPOILT)
def test_a_folder_that_cannot_be_opened_is_told_in_one_line_and_left_as_it_is(
    folder: Path, spoil: Callable[[Path], object], says: str
) -> None:
    spoil(folder / DATABASE)
    before = _listing(folder)
    with pytest.raises(NotNow, match=says):
        Workshop(folder)
    told = CliRunner().invoke(main, ["--data", str(folder), "serve", "--port", "0"])
    assert told.exit_code == 1
    assert len(told.output.strip().splitlines()) == 1
    assert says in told.output
    assert _listing(folder) == before


def test_what_a_database_says_becomes_what_to_do() -> None:
    for said, words in (
        ("attempt to write a readonly database", "cannot be written to"),
        ("database or disk is full", "is full; make room"),
        ("unable to open database file", "cannot be opened"),
        ("database is locked", "held by another program"),
    ):
        assert words in in_words(sqlite3.OperationalError(said), Path("x"))


def test_a_disk_without_room_is_told_and_nothing_half_made_stays(tmp_path: Path) -> None:
    script = (
        "import resource, signal; signal.signal(signal.SIGXFSZ, signal.SIG_IGN)\n"
        "resource.setrlimit(resource.RLIMIT_FSIZE, (30_000, 30_000))\n"
        "from drumbo.cli import main\n"
        f"main(['--data', {str(tmp_path / 'data')!r}, 'serve', '--port', '0'])\n"
    )
    done = subprocess.run(
        [sys.executable, "-c", script], capture_output=True, text=True, timeout=PATIENCE_S, check=False, cwd=Path.cwd(),
    )  # fmt: skip
    assert done.returncode == 1
    assert "Traceback" not in done.stderr
    assert len(done.stderr.strip().splitlines()) == 1
    assert "disk" in done.stderr


def test_a_file_is_written_whole_or_not_at_all(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def full(*_names: object) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    write_safely(tmp_path / "kept", b"whole")
    monkeypatch.setattr(os, "replace", full)
    with pytest.raises(OSError, match="No space left"):
        write_safely(tmp_path / "other", b"half")
    assert _listing(tmp_path) == ["kept"]
    assert (tmp_path / "kept").read_bytes() == b"whole"


def test_a_folder_is_served_once(folder: Path) -> None:
    with served_once(folder):
        told = CliRunner().invoke(main, ["--data", str(folder), "serve", "--port", "0"])
        assert told.exit_code == 1
        assert "another Drumbo serves the workshop" in told.output
    with served_once(folder):
        pass


@pytest.mark.parametrize("kept", [b"", b"  \n", b"abc"])
def test_a_secret_with_which_anybody_could_sign_is_made_anew(folder: Path, kept: bytes) -> None:
    (folder / "secret").write_bytes(kept)
    made = _secret(folder)
    assert len(made) == 64
    assert _secret(folder) == made
    assert (folder / "secret").stat().st_mode & 0o077 == 0


def test_the_doctor_finds_what_is_wrong_and_mends_what_loses_nothing(folder: Path) -> None:
    made = Workshop(folder)
    digest = made.files.put(b"solid of a part")
    gone = made.files.put(b"another part")
    made.close()
    with sqlite3.connect(folder / DATABASE) as held:
        for name, kept in (("one", digest), ("two", gone)):
            held.execute(
                "INSERT INTO parts (name, digest, size, created_at) VALUES (?, ?, '{}', '2026-01-01')", (name, kept)
            )
    held.close()
    assert len(doctor.look_over(folder).ailments) == 1, "what nobody knows"
    path = folder / "files" / digest[:2] / digest
    path.write_bytes(b"something else")
    (folder / "files" / gone[:2] / gone).unlink()
    (path.parent / f"{PART}x1").write_bytes(b"half")
    says = " ".join(each.says for each in doctor.look_over(folder).ailments)
    for found in ("is not what was kept", "is missing", "belongs to nothing", "half-written"):
        assert found in says
    mended = doctor.look_over(folder, mend=True)
    assert sum(each.mended for each in mended.ailments) == 2
    assert len(list((folder / "set-aside").iterdir())) == 1
    left = doctor.look_over(folder)
    assert len(left.ailments) == 2
    told = CliRunner().invoke(main, ["--data", str(folder), "doctor"])
    assert told.exit_code == 1
    assert "wrong: the file of part" in told.output


def test_the_doctor_says_all_is_well_where_it_is_and_looks_at_broken_ones(folder: Path, tmp_path: Path) -> None:
    shutil.rmtree(folder / "files")
    told = CliRunner().invoke(main, ["--data", str(folder), "doctor"])
    assert (told.exit_code, "all is well" in told.output) == (0, True)
    _cut(folder / DATABASE)
    assert "damaged" in doctor.look_over(folder).ailments[0].says
    with pytest.raises(NotFound):
        doctor.look_over(tmp_path / "nowhere")
    with served_once(folder), pytest.raises(NotNow, match="serves the workshop"):
        doctor.look_over(folder, mend=True)
