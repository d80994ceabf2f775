"""What the workshop found before for a parameter: with the same polymer, on the same printer or on one alike."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import joinedload

from drumbo.core.catalogue import BY_KEY, FILAMENT
from drumbo.core.prior import Before, before
from drumbo.core.processes import FAMILY_NAMES
from drumbo.core.profile import OriginKind
from drumbo.services.convert import printer_of, profile_of
from drumbo.services.profiles import get_row
from drumbo.store.database import Workshop
from drumbo.store.models import MaterialRow, ProfileRow, RevisionRow

MOST = 200
"""Profiles that are looked at, the newest first."""


@dataclass(frozen=True, slots=True)
class FoundBefore:
    """What earlier spools came to, and which: in words, like “4 PLA on Petrel One”."""

    before: Before
    who: str


def found_before(workshop: Workshop, profile_id: int, key: str) -> FoundBefore | None:
    """What other spools of the polymer came to by trials; None where fewer than three did, or nothing is known of the
    parameter. Each spool counts once, by its newest profile, and only where its value holds.
    """
    if key not in BY_KEY or BY_KEY[key].scope != "profile" or BY_KEY[key].found:
        return None
    with workshop.reading() as session:
        mine = get_row(session, profile_id)
        wanted = (
            select(ProfileRow, RevisionRow)
            .join(RevisionRow, (RevisionRow.profile_id == ProfileRow.id) & (RevisionRow.number == ProfileRow.newest))
            .join(ProfileRow.material)
            .where(MaterialRow.family == mine.material.family, ProfileRow.material_id != mine.material_id)
            .order_by(ProfileRow.changed_at.desc())
            .limit(MOST)
            .options(joinedload(ProfileRow.printer))
        )
        here: dict[int, float] = {}
        alike: dict[int, float] = {}
        place = _place(printer_of(mine.printer))
        for row, revision in session.execute(wanted):
            value = profile_of(revision).values.get(key)
            if value is None or value.origin.kind != OriginKind.TRIAL or value.recheck:
                continue
            if row.printer_id == mine.printer_id:
                here.setdefault(row.material_id, value.number)
            if _place(printer_of(row.printer)) == place:
                alike.setdefault(row.material_id, value.number)
        printer, family = mine.printer.name, FAMILY_NAMES[mine.material.family]
    least = 10.0 ** -BY_KEY[key].decimals
    for values, where in ((here, f"on {printer}"), (alike, f"on printers like {printer}")):
        found = before(list(values.values()), least)
        if found is not None:
            return FoundBefore(found, f"{found.count} {family} {where}")
    return None


def _place(printer: object) -> tuple[object, ...]:
    """What makes two machines alike for a value."""
    if getattr(printer, "process", FILAMENT) == FILAMENT:
        return getattr(printer, "nozzle_mm", None), getattr(printer, "drive", None)
    return getattr(printer, "pixel_um", None), getattr(printer, "intensity_mw_cm2", None)
