"""`drumbo demo`: the stand-ins, the demo workshop and the web application on it, until Ctrl-C.

The workshop was filled once by printing all of it on the stand-ins, and is kept here as an archive.
"""

from __future__ import annotations

import shutil
from collections.abc import Callable
from contextlib import ExitStack
from pathlib import Path

from sqlalchemy import select

from drumbo.core.catalogue import FILAMENT, RESIN
from drumbo.demo.devices import relink
from drumbo.links.practice import running, start_resin, start_standin
from drumbo.services.prints import PrintManager
from drumbo.services.simulated import recall_prints
from drumbo.store.archive import DATABASE, FILES, unpack
from drumbo.store.database import Workshop
from drumbo.store.models import PrinterRow, ProfileRow, TrialRow
from drumbo.store.soundness import served_once
from drumbo.trials.trial import TrialState
from drumbo.web.serving import run

ARCHIVE = Path(__file__).with_name("workshop.zip")
Say = Callable[[str], object]


def run_demo(folder: Path, *, port: int, pace: float, fresh: bool, say: Say) -> None:
    """Run the demo and block. A workshop that is there is kept as it was left, unless `fresh`."""
    if fresh:
        # Never from under one that is running.
        with served_once(folder):
            shutil.rmtree(folder, ignore_errors=True)
    first = not (folder / DATABASE).exists()
    if first:
        shutil.rmtree(folder, ignore_errors=True)
        unpack(ARCHIVE, folder)
    with ExitStack() as devices:
        files = (folder / FILES).resolve()
        filament = devices.enter_context(running(start_standin(pace, files=files)))
        resin = devices.enter_context(running(start_resin(pace, files=files)))

        def ready(house: Workshop, room: PrintManager) -> None:
            relink(house, {FILAMENT: filament, RESIN: resin})
            recall_prints(house)
            trial = waits_to_print(house) if first else None
            if trial is not None:
                room.start(trial)

        run(folder, host="127.0.0.1", port=port, say=say, ready=ready, stop_prints=True)


def waits_to_print(house: Workshop) -> int | None:
    """The demo's trial that prints when it is started first: planned, for the filament stand-in."""
    with house.reading() as session:
        wanted = select(TrialRow).join(ProfileRow).join(PrinterRow).where(TrialRow.state == TrialState.PLANNED)
        for row in session.scalars(wanted.order_by(TrialRow.id)):
            spec = row.profile.printer.spec
            if spec.get("camera_url") and spec.get("process", FILAMENT) == FILAMENT:
                return row.id
    return None
