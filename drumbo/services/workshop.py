"""Printers and materials: add, change, list."""

from __future__ import annotations

import re
import secrets
from collections.abc import Mapping
from dataclasses import asdict, dataclass, replace
from typing import IO, Any, TypeVar

from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, selectinload

from drumbo.core.catalogue import BY_KEY, FILAMENT
from drumbo.core.copying import Surroundings, moved, unfit
from drumbo.core.errors import InvalidInput, NotFound
from drumbo.core.fields import Field
from drumbo.core.printer import PRINTER_FIELDS
from drumbo.core.processes import AnyMaterial, AnyPrinter, Process, process
from drumbo.core.profile import Profile, changed, difference, resting_on
from drumbo.services.convert import latest, material_of, printer_of, profile_of
from drumbo.services.profiles import append
from drumbo.store.archive import pack as pack_folder
from drumbo.store.database import Workshop
from drumbo.store.models import MaterialRow, PrinterRow, ProfileRow

Typed = Mapping[str, str | float | None]
Row = TypeVar("Row", PrinterRow, MaterialRow)


def printers(workshop: Workshop) -> list[tuple[int, AnyPrinter]]:
    """All printers by name."""
    with workshop.reading() as session:
        rows = session.scalars(select(PrinterRow).order_by(PrinterRow.name)).all()
        return [(row.id, printer_of(row)) for row in rows]


def materials(workshop: Workshop) -> list[tuple[int, AnyMaterial]]:
    """All materials, newest first."""
    with workshop.reading() as session:
        rows = session.scalars(select(MaterialRow).order_by(MaterialRow.id.desc())).all()
        return [(row.id, material_of(row)) for row in rows]


def printer(workshop: Workshop, number: int) -> AnyPrinter:
    """One printer; NotFound if there is none."""
    with workshop.reading() as session:
        return printer_of(_get(session, PrinterRow, number, "printer"))


def material(workshop: Workshop, number: int) -> AnyMaterial:
    """One material; NotFound if there is none."""
    with workshop.reading() as session:
        return material_of(_get(session, MaterialRow, number, "material"))


def as_typed(workshop: Workshop, number: int) -> dict[str, Any]:
    """A printer as its form has it, for saving it with something changed."""
    return asdict(printer(workshop, number))


@dataclass(frozen=True, slots=True)
class Consequence:
    """What changing a printer does to one of its profiles: names of values that will want a recheck, and reasons for
    which it does not fit any more.
    """

    profile: int
    name: str
    doubted: tuple[str, ...]
    unfit: tuple[str, ...]


def consequences(workshop: Workshop, typed: Typed, number: int) -> list[Consequence]:
    """What saving a printer as typed would do to its profiles. Nothing is kept."""
    with workshop.reading() as session:
        row = _get(session, PrinterRow, number, "printer")
        made = _with_found(of_process(row.spec).read_printer(typed), printer_of(row))
        found = []
        for profile in _profiles_on(session, number):
            before = profile_of(latest(profile))
            after = _on_changed_printer(profile, before, printer_of(row), made)
            doubted = tuple(
                BY_KEY[key].name
                for key, value in after.values.items()
                if value.recheck and not before.values[key].recheck
            )
            reasons = tuple(set(unfit(after, made)) - set(unfit(before, printer_of(row))))
            if doubted or reasons:
                found.append(Consequence(profile.id, profile.name, doubted, reasons))
        return found


def _profiles_on(session: Session, number: int) -> list[ProfileRow]:
    wanted = select(ProfileRow).where(ProfileRow.printer_id == number).order_by(ProfileRow.name)
    return list(session.scalars(wanted.options(selectinload(ProfileRow.revisions), selectinload(ProfileRow.material))))


def _on_changed_printer(row: ProfileRow, profile: Profile, before: AnyPrinter, after: AnyPrinter) -> Profile:
    """A profile after its printer's steps, nozzle or drive have changed."""
    material = material_of(row.material)
    for key, was in before.numbers().items():
        now = after.numbers().get(key, was)
        if now != was:
            profile = changed(resting_on(profile, key, was), {}, {key: now})
    return moved(profile, Surroundings(material, before), Surroundings(material, after))


def _tell_profiles(session: Session, number: int, before: AnyPrinter, after: AnyPrinter) -> None:
    """What a change of a printer means to the profiles on it: a new revision of those in which a recheck changes."""
    for profile in _profiles_on(session, number):
        held = profile_of(latest(profile))
        moved_on = _on_changed_printer(profile, held, before, after)
        if any(c.before and c.after and c.before.recheck != c.after.recheck for c in difference(held, moved_on)):
            append(session, profile, moved_on, f"{after.name} was changed by hand")


def _with_found(made: AnyPrinter, before: AnyPrinter) -> AnyPrinter:
    """A printer as typed, with what nobody types as it was."""
    return replace(made, **{key: getattr(before, key) for key in made.found_here})


def _of_machine(session: Session, made: AnyPrinter) -> AnyPrinter:
    """A new preset of a machine that is here already, with what was found of that machine."""
    if not made.machine or not made.of_machine:
        return made
    others = (printer_of(row) for row in session.scalars(select(PrinterRow).order_by(PrinterRow.id)))
    for other in others:
        if type(other) is type(made) and made.machine == (other.machine or other.name):
            return replace(made, **{key: getattr(other, key) for key in made.of_machine})
    return made


def of_process(facts: Mapping[str, Any]) -> Process:
    """The process that typed or kept facts are of; filament where they do not say."""
    return process(str(facts.get("process") or FILAMENT))


def save_printer(workshop: Workshop, typed: Typed, number: int | None = None) -> int:
    """Add a printer of the process that is typed, or change the one under `number`. InvalidInput names the fields."""
    try:
        with workshop.writing() as session:
            row = PrinterRow() if number is None else _get(session, PrinterRow, number, "printer")
            made = of_process(typed if number is None else row.spec).read_printer(typed)
            before = None if number is None else printer_of(row)
            made = _of_machine(session, made) if before is None else _with_found(made, before)
            row.name, row.spec = made.name, asdict(made)
            session.add(row)
            session.flush()
            if before is not None:
                _tell_profiles(session, row.id, before, made)
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
    if number is None:
        row = MaterialRow(spool_seed=secrets.randbelow(2**31) if spool_seed is None else spool_seed)
        made = of_process(typed).read_material(typed)
    else:
        row = _get(session, MaterialRow, number, "material")
        made = of_process(row.spec).read_material(typed)
    row.name, row.family, row.colour_hex, row.spec = made.name, made.family, made.colour_hex, asdict(made)
    session.add(row)
    session.flush()
    return row


def _get(session: Session, cls: type[Row], number: int, what: str) -> Row:
    row = session.get(cls, number)
    if row is None:
        raise NotFound(f"there is no {what} number {number}")
    return row


def pack(workshop: Workshop, out: IO[bytes]) -> int:
    """Write the whole workshop as one file; returns how many files are in it."""
    return pack_folder(workshop.folder, out)


def paste_printer(text: str) -> tuple[dict[str, str], list[str]]:
    """A printer's fields from lines like “bed_x_mm = 220” or “Bed, X: 220 mm”, and the lines that say nothing known."""
    by_name = {}
    for field in PRINTER_FIELDS:
        for name in (field.key, field.label):
            by_name[_plain(name)] = field
    values, left = {}, []
    for line in text.splitlines():
        name, mark, value = line.partition("=") if "=" in line else line.partition(":")
        known = by_name.get(_plain(name))
        if mark and known is not None and value.strip():
            values[known.key] = _choice(known, value.strip())
        elif line.strip() and not line.lstrip().startswith(("#", ";")):
            left.append(line.strip()[:60])
    return values, left


def _plain(name: str) -> str:
    return re.sub(r"[^a-z0-9]+", " ", name.lower()).strip()


def _choice(field: Field, text: str) -> str:
    """A choice by its key or by its words."""
    return next((key for key, words in field.choices if text.lower() in {key.lower(), words.lower()}), text)
