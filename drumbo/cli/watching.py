"""Files that arrive in a folder are checked, and a report is written beside each."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from drumbo.cli.checking import report
from drumbo.core.errors import DrumboError

if TYPE_CHECKING:
    from drumbo.core.gcode.against import Against

SUFFIXES = frozenset({".gcode", ".gco", ".g", ".nc", ".gz", ".zip"})
ENDINGS = {"text": ".check.txt", "json": ".check.json", "sarif": ".check.sarif"}
LOOKS_EACH_S = 0.5


def watch(folder: Path, form: str, held: Against, say: Callable[[str], None]) -> None:
    """Look again and again until the program is ended. A file is checked once it no longer grows, and again when it
    was changed.
    """
    say(f"Watching {folder}; Ctrl-C ends it.")
    seen: dict[Path, tuple[int, int]] = {}
    try:
        while True:
            seen = look_once(folder, form, held, seen, say)
            time.sleep(LOOKS_EACH_S)
    except KeyboardInterrupt:
        say("Ended.")


def look_once(
    folder: Path, form: str, held: Against, seen: dict[Path, tuple[int, int]], say: Callable[[str], None]
) -> dict[Path, tuple[int, int]]:
    """Check what arrived and is as it was a look ago; returns what is there now, as (size, time of change)."""
    now: dict[Path, tuple[int, int]] = {}
    for file in sorted(folder.iterdir()):
        if file.suffix.lower() not in SUFFIXES:
            continue
        try:
            told = file.stat()
        except FileNotFoundError:
            continue
        now[file] = (told.st_size, told.st_mtime_ns)
        beside = file.with_name(file.name + ENDINGS[form])
        done = beside.exists() and beside.stat().st_mtime_ns >= told.st_mtime_ns
        if not done and seen.get(file) == now[file]:
            _check_one(file, beside, form, held, say)
    return now


def _check_one(file: Path, beside: Path, form: str, held: Against, say: Callable[[str], None]) -> None:
    try:
        text, bad = report(file.read_bytes(), file.name, form, held)
        says = "something may spoil the print" if bad else "nothing that spoils a print"
    except DrumboError as error:
        text, says = f"cannot be read: {error}", "cannot be read"
    except OSError as error:
        say(f"{file.name}: {error.strerror}; tried again")
        return
    try:
        # Whole or not at all: another program may be waiting for it.
        part = beside.with_name(beside.name + ".part")
        part.write_text(text + "\n")
        part.replace(beside)
    except OSError as error:
        say(f"{file.name}: {says}, but the report cannot be written: {error.strerror}")
        return
    say(f"{file.name}: {says}")
