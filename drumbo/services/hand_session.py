"""How sessions stand in which somebody has a printer heat, feed and move; and which may have left one hot."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select

from drumbo.core.run import UNSURE, Heaters, RunState
from drumbo.links.journal import JournalEntry, last_entry
from drumbo.links.runs import Runs
from drumbo.services.loaded import get_printer
from drumbo.store.database import Workshop
from drumbo.store.models import PrinterRow


@dataclass(frozen=True, slots=True)
class Hand:
    """How a printer stands that is worked by hand: whether its session goes on, what it does, why it did not do the
    last thing, and its temperatures.
    """

    on: bool
    doing: str
    refused: str
    message: str
    nozzle_c: float | None
    target_c: float | None
    bed_c: float | None = None
    bed_target_c: float | None = None
    filament: str = ""
    heaters: Heaters = Heaters.OFF
    """What is known of the heaters once the session is over."""


def hand_of(workshop: Workshop, run: str) -> Hand:
    """How a session by hand stands."""
    if not run:
        return Hand(False, "", "", "", None, None)
    runs = Runs(workshop.folder)
    # First what waits, then the journal: whatever is taken up in between stands there by then.
    on, waits = runs.at_work(run), runs.has_order(run)
    entry = last_entry(runs.folder(run)) or JournalEntry(RunState.SENDING)
    heat = entry.heat or {}
    doing = entry.doing or ("Telling the printer." if on and waits else "")
    return Hand(
        on, doing, entry.refused, entry.message, heat.get("nozzle_c"),
        heat.get("nozzle_target_c"), heat.get("bed_c"), heat.get("bed_target_c"), entry.filament,
        Heaters(entry.heaters) if entry.at else Heaters.OFF,
    )  # fmt: skip


def session_of(workshop: Workshop, printer_id: int) -> str:
    """The run of a printer's last session by hand; empty where there was none."""
    with workshop.reading() as session:
        return get_printer(session, printer_id).hand_run


@dataclass(frozen=True, slots=True)
class MaybeHot:
    """A printer of which nobody knows that it is cold after it was worked by hand."""

    printer_id: int
    printer: str
    heaters: Heaters
    message: str


def maybe_hot(workshop: Workshop) -> tuple[MaybeHot, ...]:
    """Printers that somebody should look at after a session by hand."""
    with workshop.reading() as session:
        held = session.execute(
            select(PrinterRow.id, PrinterRow.name, PrinterRow.hand_run).where(PrinterRow.hand_run != "")
        ).all()
    found = []
    for number, name, run in held:
        hand = hand_of(workshop, run)
        if not hand.on and hand.heaters in UNSURE:
            found.append(MaybeHot(number, name, hand.heaters, hand.message))
    return tuple(found)


def looked_at(workshop: Workshop, printer_id: int) -> None:
    """Somebody has looked: it is safe. A session that goes on is not forgotten for that."""
    if hand_of(workshop, session_of(workshop, printer_id)).on:
        return
    with workshop.writing() as session:
        get_printer(session, printer_id).hand_run = ""
