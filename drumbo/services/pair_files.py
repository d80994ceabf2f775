"""Pairs as files and labels, and back."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict

from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from drumbo.core.copying import Surroundings, copied
from drumbo.core.errors import InvalidInput, NotFound
from drumbo.core.pair import common_ground
from drumbo.core.piece.dovetail import USUAL_GAP_MM, dovetail
from drumbo.exchange.meshes import threemf_bytes
from drumbo.exchange.pair_file import BroughtPair, FoundOfTwo, pair_json, read_pair
from drumbo.exchange.profile_file import Brought, profile_data
from drumbo.exchange.spool_label import Label, lay_out_pair
from drumbo.services.convert import filament_printer_of, latest, material_of, partner_of, printer_of, profile_of
from drumbo.services.pairs import pair_row
from drumbo.services.profiles import add, check_fits_together, check_name
from drumbo.services.workshop import add_material
from drumbo.store.database import Workshop
from drumbo.store.models import MaterialRow, PairRow, PrinterRow, ProfileRow

NEW = "new"
SIDES = ("one", "other")
Asked = Mapping[str, str]
"""What was picked on the page: printer_id; and for each side name_… and material_…, a number or "new"."""


def export(workshop: Workshop, number: int) -> str:
    """A pair as a file: both profiles as they are now, and what trials of the two found."""
    with workshop.reading() as session:
        row = pair_row(session, number)
        found = {key: FoundOfTwo(kept["number"], kept.get("error")) for key, kept in row.values.items()}
        return pair_json([_data(each) for each in (row.one, row.other)], found, row.notes)


def _data(row: ProfileRow) -> dict[str, object]:
    newest = latest(row)
    return profile_data(profile_of(newest), newest.number, material_of(row.material), printer_of(row.printer))


def label_of(workshop: Workshop, number: int, address: str) -> Label:
    """A label for both spools; its code is the address."""
    with workshop.reading() as session:
        row = pair_row(session, number)
        one, other, printer = partner_of(row.one), partner_of(row.other), filament_printer_of(row.one.printer)
        found = {key: float(kept["number"]) for key, kept in row.values.items()}
        return lay_out_pair(one, other, common_ground(one, other, printer), found, printer.name, code=address)


def dovetail_of(workshop: Workshop, number: int) -> bytes:
    """Two parts that hold by their shape, as a 3MF: an object for each material. The gap on either side is the first
    one's clearance that turns, where a trial found it.
    """
    with workshop.reading() as session:
        row = pair_row(session, number)
        one, other = partner_of(row.one), partner_of(row.other)
    measured = one.profile.values.get("clearance_turn_mm")
    parts = dovetail(USUAL_GAP_MM if measured is None else 2 * measured.number)
    return threemf_bytes(*parts, names=(f"groove, {one.name}", f"slide, {other.name}"))


def look(workshop: Workshop, digest: str) -> BroughtPair:
    """What a file that was brought holds."""
    if len(digest) != 64 or not set(digest) <= set("0123456789abcdef"):
        raise NotFound("there is no such file")
    return read_pair(workshop.files.get(digest))


def take(workshop: Workshop, digest: str, asked: Asked) -> int:
    """Make two profiles and their pair of a file; returns the pair's number. All of it, or nothing."""
    brought = look(workshop, digest)
    names = [_named(asked, side) for side in SIDES]
    if names[0] == names[1]:
        raise InvalidInput("name_other", "is the name of the first one too; give it another")
    try:
        with workshop.writing() as session:
            printer = session.get(PrinterRow, _number(asked.get("printer_id", "")))
            if printer is None:
                raise InvalidInput("printer_id", "pick one")
            made = [
                _profile(session, each, name, printer, asked.get(f"material_{side}", NEW), f"material_{side}")
                for each, name, side in zip((brought.one, brought.other), names, SIDES, strict=True)
            ]
            values = {
                key: {"number": found.number, "error": found.error, "trial": None}
                for key, found in brought.found.items()
            }
            row = PairRow(one_id=made[0], other_id=made[1], values=values, notes=brought.notes)
            session.add(row)
            session.flush()
            return row.id
    except IntegrityError:
        raise InvalidInput("name_one", "or the other name is taken already; give both names of their own") from None


def _named(asked: Asked, side: str) -> str:
    try:
        return check_name(asked.get(f"name_{side}", ""))
    except InvalidInput as error:
        raise InvalidInput(f"name_{side}", next(iter(error.problems.values()))) from None


def _number(text: str) -> int:
    return int(text) if text.isdecimal() and text.isascii() and len(text) < 10 else 0


def _profile(
    session: Session, brought: Brought, name: str, printer: PrinterRow, picked: str, field: str
) -> int:  # fmt: skip
    if picked == NEW:
        material: MaterialRow | None = add_material(session, asdict(brought.material))
    else:
        material = session.get(MaterialRow, _number(picked))
    if material is None:
        raise InvalidInput(field, "is not there any more; pick another spool")
    place = Surroundings(material_of(material), printer_of(printer))
    try:
        check_fits_together(place.material, place.printer)
    except InvalidInput as error:
        raise InvalidInput("printer_id", next(iter(error.problems.values()))) from None
    profile, _ = copied(brought.profile, name, Surroundings(brought.material, brought.printer), place)
    note = f"taken from the file of {brought.profile.name}, revision {brought.revision}"
    return add(session, profile, material.id, printer.id, note)
