"""What several commands use."""

from __future__ import annotations

import signal
from pathlib import Path
from typing import TYPE_CHECKING

import click

if TYPE_CHECKING:
    from drumbo.store.database import Workshop


def stop_on_signals() -> None:
    """All ways of ending a program end this one, the closing of its terminal too."""

    def stop(*_args: object) -> None:
        raise SystemExit(0)

    signal.signal(signal.SIGTERM, stop)
    signal.signal(signal.SIGHUP, stop)
    # A shell that starts a program in the background has it ignore Ctrl-C; here that always ends it.
    signal.signal(signal.SIGINT, signal.default_int_handler)


def long_words(seconds: float) -> str:
    """Minutes to a tenth, and hours and minutes from two hours on."""
    minutes = round(seconds / 60)
    return f"{seconds / 60:.1f} min" if minutes < 120 else f"{minutes // 60} h {minutes % 60:02d} min"


def open_workshop(folder: Path) -> Workshop:
    """The workshop in a folder, to be closed again; NotFound where there is none."""
    from drumbo.core.errors import NotFound  # noqa: PLC0415
    from drumbo.store.archive import DATABASE  # noqa: PLC0415
    from drumbo.store.database import Workshop  # noqa: PLC0415

    if not (folder / DATABASE).exists():
        raise NotFound(f"there is no workshop in {folder}")
    return Workshop(folder)


def write_file(path: Path, data: bytes) -> None:
    """Write what a command made; click.FileError, with the system's own reason, where that cannot be."""
    try:
        path.write_bytes(data)
    except OSError as error:
        raise click.FileError(str(path), f"{error.strerror}") from error
