"""Printers and materials: add, change, list."""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from dataclasses import asdict, replace
from typing import TypeVar

from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from drumbo.core.catalogue import BY_KEY
from drumbo.core.errors import InvalidInput, NotFound
from drumbo.core.workshop import Material, Printer, read_material, read_printer
from drumbo.services.convert import material_of, printer_of
from drumbo.services.profiles import printer_moved
from drumbo.store.database import Workshop
from drumbo.store.models import MaterialRow, PrinterRow

Typed = Mapping[str, str | float | None]
Row = TypeVar("Row", PrinterRow, MaterialRow)


def printers(workshop: Workshop) -> list[tuple[int, Printer]]:
    """All printers by name."""
    with workshop.reading() as session:
        rows = session.scalars(select(PrinterRow).order_by(PrinterRow.name)).all()
        return [(row.id, printer_of(row)) for row in rows]


def materials(workshop: Workshop) -> list[tuple[int, Material]]:
    """All materials, newest first."""
    with workshop.reading() as session:
        rows = session.scalars(select(MaterialRow).order_by(MaterialRow.id.desc())).all()
        return [(row.id, material_of(row)) for row in rows]


def printer(workshop: Workshop, number: int) -> Printer:
    """One printer; NotFound if there is none."""
    with workshop.reading() as session:
        return printer_of(_get(session, PrinterRow, number, "printer"))


def material(workshop: Workshop, number: int) -> Material:
    """One material; NotFound if there is none."""
    with workshop.reading() as session:
        return material_of(_get(session, MaterialRow, number, "material"))


def save_printer(workshop: Workshop, typed: Typed, number: int | None = None) -> int:
    """Add a printer, or change the one under `number`. InvalidInput names the fields."""
    made = read_printer(typed)
    try:
        with workshop.writing() as session:
            row = PrinterRow() if number is None else _get(session, PrinterRow, number, "printer")
            before = {} if number is None else printer_of(row).numbers()
            if number is not None:
                made = replace(made, own=printer_of(row).own)
            row.name, row.spec = made.name, asdict(made)
            session.add(row)
            session.flush()
            for key, was in before.items():
                now = made.numbers().get(key, was)
                if now != was:
                    printer_moved(session, row.id, key, was, now, f"{BY_KEY[key].name} of {made.name} by hand")
            return row.id
    except IntegrityError:
        raise InvalidInput("name", f"there is a printer called {made.name} already") from None


def save_material(workshop: Workshop, typed: Typed, number: int | None = None, spool_seed: int | None = None) -> int:
    """Add a material from its label, or change the one under `number`. InvalidInput names the fields."""
    with workshop.writing() as session:
        return add_material(session, typed, number, spool_seed).id


def add_material(
    session: Session, typed: Typed, number: int | None = None, spool_seed: int | None = None
) -> MaterialRow:  # fmt: skip
    """The same within a transaction that goes on."""
    made = read_material(typed)
    if number is None:
        row = MaterialRow(spool_seed=secrets.randbelow(2**31) if spool_seed is None else spool_seed)
    else:
        row = _get(session, MaterialRow, number, "material")
    row.name, row.family, row.colour_hex, row.spec = made.name, made.family, made.colour_hex, asdict(made)
    session.add(row)
    session.flush()
    return row


def _get(session: Session, cls: type[Row], number: int, what: str) -> Row:
    row = session.get(cls, number)
    if row is None:
        raise NotFound(f"there is no {what} number {number}")
    return row
