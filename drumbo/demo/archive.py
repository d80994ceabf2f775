"""Makes the demo's archive anew, by printing all of it on the stand-ins: `python -m drumbo.demo.archive`."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from contextlib import ExitStack
from pathlib import Path

import click

from drumbo.demo.fill import fill
from drumbo.demo.run import ARCHIVE
from drumbo.links.practice import running, start_resin, start_standin
from drumbo.services.prints import PrintManager
from drumbo.store.archive import pack
from drumbo.store.database import Workshop

FILLING_PACE = 200_000.0


def make_archive(out: Path, say: Callable[[str], object]) -> int:
    """Fill a workshop and pack it; returns how many files are in it."""
    with ExitStack() as held:
        filament = held.enter_context(running(start_standin(FILLING_PACE)))
        resin = held.enter_context(running(start_resin(FILLING_PACE)))
        folder = Path(held.enter_context(tempfile.TemporaryDirectory()))
        house = Workshop(folder)
        held.callback(house.close)
        room = PrintManager(house)
        fill(house, room, filament, resin, say)
        room.close()
        with out.open("wb") as file:
            return pack(folder, file)


if __name__ == "__main__":
    count = make_archive(ARCHIVE, click.echo)
    click.echo(f"{ARCHIVE.name}: {count} files, {ARCHIVE.stat().st_size / 1e6:.1f} MB")
