"""Files for printers without a line: put into a folder, or uploaded; printed by the maker's word; and the log."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import joinedload

from drumbo.core.errors import InvalidInput, NotNow
from drumbo.core.printer import Printer
from drumbo.core.processes import AnyPrinter, process
from drumbo.core.run import RUNNING, Heaters, RunState
from drumbo.links.folder import file_name, put
from drumbo.links.upload import upload
from drumbo.services.convert import material_of, printer_of
from drumbo.services.jobs import file_called, prints_of, title_of
from drumbo.services.live import layer_begins, pauses_of
from drumbo.services.trials import get_trial
from drumbo.store.database import Workshop
from drumbo.store.models import PrintRow, ProfileRow, TrialRow, now

LOGGED = 30


@dataclass(frozen=True, slots=True)
class Logged:
    """A print as a printer's log has it; `digest` is the beginning of its file's."""

    trial: int
    title: str
    spool: str
    state: RunState
    message: str
    digest: str
    started_at: datetime
    seconds: float | None


def put_on_card(workshop: Workshop, trial_id: int, pause_layer: int | None = None) -> Path:
    """Put a trial's file into its printer's folder, flushed and read back; returns where it is. InvalidInput where the
    printer has no folder or the file no such layer, NotNow while it prints that trial, LinkError for what is wrong with
    the folder.
    """
    printer, name = _for_whom(workshop, trial_id)
    if not printer.folder:
        raise InvalidInput("folder", f"{printer.name} has no folder for files; give it one under Edit")
    there = put(printer.folder, name, file_with_pause(workshop, trial_id, pause_layer), never=workshop.folder)
    _handed(workshop, trial_id, f"It is in {there}, read back and the same. Eject the card before you take it out.")
    return there


def upload_to_printer(workshop: Workshop, trial_id: int, pause_layer: int | None = None) -> str:
    """Upload a trial's file to its printer; returns what to tell. Refuses like `put_on_card`."""
    printer, name = _for_whom(workshop, trial_id)
    if not printer.upload_url:
        raise InvalidInput("upload_url", f"{printer.name} has no upload address; give it one under Edit")
    data = file_with_pause(workshop, trial_id, pause_layer)
    same = upload(printer.upload_url, name, data, user=printer.upload_user, token=printer.upload_token)
    sure = "read back and the same" if same else "though it gives nothing back to compare"
    said = f"{printer.name} has {name}, {sure}. Begin it at the printer."
    _handed(workshop, trial_id, said)
    return said


def _for_whom(workshop: Workshop, trial_id: int) -> tuple[AnyPrinter, str]:
    """A trial's printer, and what its file is called there. NotNow while that trial is printed."""
    with workshop.reading() as session:
        row = get_trial(session, trial_id)
        printer, material = printer_of(row.profile.printer), material_of(row.profile.material)
        if any(run.state in RUNNING for run in prints_of(row)):
            raise NotNow("this trial is being printed over the line")
        ending = process(printer.process).file_ending
        return printer, file_name(file_called(row), material.name, ending=ending)


def _handed(workshop: Workshop, trial_id: int, said: str) -> None:
    with workshop.writing() as session:
        printer_id = get_trial(session, trial_id).profile.printer_id
        session.add(
            PrintRow(trial_id=trial_id, printer_id=printer_id, state=RunState.HANDED, total=0, message=said,
                     heaters=Heaters.UNTOUCHED, finished_at=now(), dealt_at=now())
        )  # fmt: skip


def file_with_pause(workshop: Workshop, trial_id: int, layer: int | None) -> bytes:
    """A trial's file, with its printer's own pause before a layer, counted from 1, where one is wanted, and where its
    kind has it rest. InvalidInput for no such layer.
    """
    layers = pauses_of(workshop, trial_id, () if layer is None else (layer,))
    with workshop.reading() as session:
        row = get_trial(session, trial_id)
        digest, printer = row.file_digest, printer_of(row.profile.printer)
    data = workshop.files.get(digest)
    if not layers:
        return data
    word = (printer.pause_gcode if isinstance(printer, Printer) else "") or "M0"
    lines = data.split(b"\n")
    for at, before in sorted(zip(layer_begins(workshop, trial_id, layers), layers, strict=True), reverse=True):
        lines.insert(at - 1, f"{word} ; pause before layer {before}".encode())
    return b"\n".join(lines)


def log(workshop: Workshop, printer_id: int) -> list[Logged]:
    """What was printed on a printer, the newest first."""
    with workshop.reading() as session:
        wanted = select(PrintRow).where(PrintRow.printer_id == printer_id).order_by(PrintRow.id.desc()).limit(LOGGED)
        with_spool = joinedload(PrintRow.trial).joinedload(TrialRow.profile).joinedload(ProfileRow.material)
        return [
            Logged(
                row.trial_id, title_of(row.trial), material_of(row.trial.profile.material).name,
                RunState(row.state), row.message, row.trial.file_digest[:12], row.started_at, row.elapsed_s,
            )
            for row in session.scalars(wanted.options(with_spool))
        ]  # fmt: skip
