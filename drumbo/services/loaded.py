"""What is loaded on a printer, as far as anybody said."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session

from drumbo.core.errors import NotFound
from drumbo.services.convert import material_of
from drumbo.services.spools import keep_loaded
from drumbo.store.database import Workshop
from drumbo.store.models import MaterialRow, PrinterRow


@dataclass(frozen=True, slots=True)
class Loaded:
    """What is in a printer: None where nobody said."""

    id: int | None
    name: str
    colour_hex: str


def loaded(workshop: Workshop, printer_id: int) -> Loaded:
    """What is in a printer."""
    with workshop.reading() as session:
        return named(session, get_printer(session, printer_id).loaded_id)


def named(session: Session, material_id: int | None) -> Loaded:
    """A spool as what is in a printer; None where nothing is."""
    row = session.get(MaterialRow, material_id) if material_id is not None else None
    return Loaded(None, "", "#b9b1a2") if row is None else Loaded(row.id, material_of(row).name, row.colour_hex)


def set_loaded(workshop: Workshop, printer_id: int, material_id: int | None) -> None:
    """Somebody says what is in it."""
    with workshop.writing() as session:
        keep_loaded(session, get_printer(session, printer_id), material_id)


def another_is_loaded(workshop: Workshop, printer_id: int, material_id: int) -> Loaded | None:
    """What is in the printer, where that is another spool than a trial wants."""
    found = loaded(workshop, printer_id)
    return found if found.id not in {None, material_id} else None


def get_printer(session: Session, number: int) -> PrinterRow:
    """A printer's row; NotFound where there is none of that number."""
    row = session.get(PrinterRow, number)
    if row is None:
        raise NotFound(f"there is no printer number {number}")
    return row
