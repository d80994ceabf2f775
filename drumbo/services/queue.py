"""Files that wait for a printer. None begins by itself: somebody says each time that the plate is clear."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import delete, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, joinedload

from drumbo.core.errors import NotFound, NotNow
from drumbo.core.run import RUNNING
from drumbo.services.convert import material_of
from drumbo.services.jobs import facts_of_file, mates_of, title_of
from drumbo.services.live import layer_begins
from drumbo.services.loaded import another_is_loaded
from drumbo.services.prints import PrintManager
from drumbo.services.trials import get_trial
from drumbo.store.database import Workshop
from drumbo.store.models import PrinterRow, PrintRow, ProfileRow, QueueRow, TrialRow


@dataclass(frozen=True, slots=True)
class Queued:
    """A file that waits; `seconds` is how long it prints."""

    id: int
    trial_id: int
    title: str
    spool: str
    seconds: float
    pause_layer: int | None
    material_id: int


@dataclass(frozen=True, slots=True)
class Queue:
    """What waits for a printer, and whether it prints."""

    printer_id: int
    printer: str
    busy: bool
    files: tuple[Queued, ...]


def add(workshop: Workshop, trial_id: int, pause_layer: int | None = None) -> None:
    """Put a trial's file behind what waits already. NotNow where it does so itself, InvalidInput for no such layer."""
    if pause_layer is not None:
        layer_begins(workshop, trial_id, [pause_layer])
    try:
        with workshop.writing() as session:
            row = get_trial(session, trial_id)
            mates = select(QueueRow.id).where(QueueRow.trial_id.in_([mate.id for mate in mates_of(row)]))
            if session.scalars(mates).first() is not None:
                raise NotNow("this file waits for its printer already")
            session.add(QueueRow(printer_id=row.profile.printer_id, trial_id=trial_id, pause_layer=pause_layer))
            session.flush()
    except IntegrityError:
        raise NotNow("this file waits for its printer already") from None


def queue(workshop: Workshop, printer_id: int) -> Queue:
    """What waits for a printer."""
    with workshop.reading() as session:
        printer = session.get(PrinterRow, printer_id)
        if printer is None:
            raise NotFound(f"there is no printer number {printer_id}")
        going = select(PrintRow.id).where(PrintRow.printer_id == printer_id, PrintRow.state.in_(RUNNING))
        busy = session.scalars(going).first() is not None
        return Queue(printer_id, printer.name, busy, _files(session, printer_id))


def queues(workshop: Workshop) -> list[Queue]:
    """All printers for which something waits."""
    with workshop.reading() as session:
        numbers = list(session.scalars(select(QueueRow.printer_id).distinct()))
    return [queue(workshop, number) for number in numbers]


def _files(session: Session, printer_id: int) -> tuple[Queued, ...]:
    with_all = joinedload(QueueRow.trial).joinedload(TrialRow.profile).joinedload(ProfileRow.material)
    wanted = select(QueueRow).where(QueueRow.printer_id == printer_id).order_by(QueueRow.id).options(with_all)
    return tuple(
        Queued(
            row.id, row.trial_id, title_of(row.trial), material_of(row.trial.profile.material).name,
            float(facts_of_file(row.trial)["seconds"]), row.pause_layer, row.trial.profile.material_id,
        )
        for row in session.scalars(wanted)
    )  # fmt: skip


def remove(workshop: Workshop, number: int) -> None:
    """It waits no longer."""
    with workshop.writing() as session:
        session.execute(delete(QueueRow).where(QueueRow.id == number))


def plate_is_clear(workshop: Workshop, room: PrintManager, printer_id: int) -> int:
    """Print the first that waits; returns its trial. NotNow while the printer prints, where nothing waits, or where
    another spool is loaded than it wants.
    """
    found = queue(workshop, printer_id)
    if not found.files:
        raise NotNow(f"nothing waits for {found.printer}")
    first = found.files[0]
    other = another_is_loaded(workshop, printer_id, first.material_id)
    if other is not None:
        raise NotNow(f"{other.name} is loaded on {found.printer}, and the next file wants {first.spool}")
    room.start(first.trial_id, () if first.pause_layer is None else (first.pause_layer,))
    remove(workshop, first.id)
    return first.trial_id
