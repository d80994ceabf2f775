"""What the workshop found before for a parameter: with the same polymer, on the same printer or on one alike."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload, undefer

from drumbo.core.catalogue import BY_KEY, FILAMENT
from drumbo.core.prior import Before, before
from drumbo.core.processes import FAMILY_NAMES
from drumbo.core.profile import OriginKind
from drumbo.services.convert import printer_of, profile_of
from drumbo.services.profiles import get_row
from drumbo.store.database import Workshop
from drumbo.store.models import MaterialRow, ProfileRow, RevisionRow
from drumbo.trials.base import Bound

PROFILE_KEYS = frozenset(key for key, p in BY_KEY.items() if p.scope == "profile" and not p.found)
"""Parameters of which earlier spools may tell something."""
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
    with workshop.reading() as session:
        return all_before(session, get_row(session, profile_id), (key,)).get(key)


def all_before(session: Session, mine: ProfileRow, keys: Iterable[str] = PROFILE_KEYS) -> dict[str, FoundBefore]:
    """The same for many parameters at once, by key; what nothing is known of is left out."""
    wanted_keys = [key for key in keys if key in PROFILE_KEYS]
    if not wanted_keys:
        return {}
    here: dict[str, dict[int, float]] = {key: {} for key in wanted_keys}
    alike: dict[str, dict[int, float]] = {key: {} for key in wanted_keys}
    place = _place(printer_of(mine.printer))
    for row, revision in session.execute(_others(mine)):
        same_place = _place(printer_of(row.printer)) == place
        values = profile_of(revision).values
        for key in wanted_keys:
            value = values.get(key)
            if value is None or value.origin.kind != OriginKind.TRIAL or value.recheck:
                continue
            # What history had a say in is no new witness: each spool says what its own trial said.
            number = value.number if value.alone is None else value.alone[0]
            if row.printer_id == mine.printer_id:
                here[key].setdefault(row.material_id, number)
            if same_place:
                alike[key].setdefault(row.material_id, number)
    printer, family = mine.printer.name, FAMILY_NAMES[mine.material.family]
    told = {}
    for key in wanted_keys:
        for values_of, where in ((here[key], f"on {printer}"), (alike[key], f"on printers like {printer}")):
            found = before(list(values_of.values()), 10.0 ** -BY_KEY[key].decimals, BY_KEY[key].tolerance)
            if found is not None:
                told[key] = FoundBefore(found, f"{found.count} {family} {where}")
                break
    return told


def with_before(session: Session, row: ProfileRow, context: Bound[Any, Any]) -> Bound[Any, Any]:
    """What a trial is bound to, with what earlier spools came to."""
    return replace(context, before={key: found.before for key, found in all_before(session, row).items()})


def _others(mine: ProfileRow) -> Any:
    """Newest profiles of other spools of the polymer, with their newest revisions."""
    return (
        select(ProfileRow, RevisionRow)
        .join(RevisionRow, (RevisionRow.profile_id == ProfileRow.id) & (RevisionRow.number == ProfileRow.newest))
        .join(ProfileRow.material)
        .where(MaterialRow.family == mine.material.family, ProfileRow.material_id != mine.material_id)
        .order_by(ProfileRow.changed_at.desc())
        .limit(MOST)
        .options(joinedload(ProfileRow.printer), undefer(RevisionRow.data))
    )


def _place(printer: object) -> tuple[object, ...]:
    """What makes two machines alike for a value."""
    if getattr(printer, "process", FILAMENT) == FILAMENT:
        return getattr(printer, "nozzle_mm", None), getattr(printer, "drive", None)
    return getattr(printer, "pixel_um", None), getattr(printer, "intensity_mw_cm2", None)
