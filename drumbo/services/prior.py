"""What the workshop found before for a parameter: with the same polymer, on the same printer or on one alike."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

from sqlalchemy import Select, select
from sqlalchemy.orm import Session, joinedload, undefer

from drumbo.core.catalogue import BY_KEY
from drumbo.core.printer import Printer
from drumbo.core.prior import Before, before
from drumbo.core.processes import FAMILY_NAMES, AnyPrinter
from drumbo.core.profile import OriginKind
from drumbo.core.resin import ResinPrinter
from drumbo.services.convert import printer_of, profile_of
from drumbo.services.profiles import get_row
from drumbo.store.database import Workshop
from drumbo.store.models import MaterialRow, ProfileRow, RevisionRow
from drumbo.trials.base import SomeBound

PROFILE_KEYS = frozenset(key for key, p in BY_KEY.items() if p.scope == "profile" and not p.found)
"""Parameters of which earlier spools may tell something."""
FEWEST_OF_MAKER = 2
MOST = 200
"""Profiles that are looked at, the newest first."""


@dataclass(frozen=True, slots=True)
class FoundBefore:
    """What earlier spools came to, and which: in words, like “4 PLA on Petrel One”; and how the same maker's lie among
    them, in a sentence, where that can be told.
    """

    before: Before
    who: str
    makers_own: str = ""


def found_before(workshop: Workshop, profile_id: int, key: str) -> FoundBefore | None:
    """What other spools of the polymer came to by trials; None where fewer than three did, or nothing is known of the
    parameter. Each spool counts once, by its newest profile, and only where its value holds.
    """
    with workshop.reading() as session:
        return all_before(session, get_row(session, profile_id), (key,)).get(key)


@dataclass(frozen=True, slots=True)
class _Witness:
    """What one earlier spool came to by itself, whose it was, and whether that was on this very printer."""

    number: float
    maker: str
    here: bool


def all_before(session: Session, mine: ProfileRow, keys: Iterable[str] = PROFILE_KEYS) -> dict[str, FoundBefore]:
    """The same for many parameters at once, by key; what nothing is known of is left out."""
    found: dict[str, dict[int, _Witness]] = {key: {} for key in keys if key in PROFILE_KEYS}
    if not found:
        return {}
    place = _place(printer_of(mine.printer))
    for row, revision in session.execute(_others(mine)):
        if _place(printer_of(row.printer)) != place:
            continue
        here, values = row.printer_id == mine.printer_id, profile_of(revision).values
        for key, witnesses in found.items():
            value, known = values.get(key), witnesses.get(row.material_id)
            if value is None or value.origin.kind != OriginKind.TRIAL or value.recheck:
                continue
            if known is None or (here and not known.here):
                # What history had a say in is no new witness: each spool says what its own trial said.
                number = value.number if value.alone is None else value.alone[0]
                witnesses[row.material_id] = _Witness(number, _maker(row), here)
    told = {key: _summed_up(key, list(witnesses.values()), mine) for key, witnesses in found.items()}
    return {key: summary for key, summary in told.items() if summary is not None}


def _summed_up(key: str, witnesses: Sequence[_Witness], mine: ProfileRow) -> FoundBefore | None:
    """Those on this printer where they are enough, else those on all alike."""
    family, printer = FAMILY_NAMES[mine.material.family], mine.printer.name
    here = [witness for witness in witnesses if witness.here]
    for some, where in ((here, f"on {printer}"), (witnesses, f"on printers like {printer}")):
        numbers = [witness.number for witness in some]
        found = before(numbers, 10.0 ** -BY_KEY[key].decimals, _usual_spread(key, numbers))
        if found is not None:
            return FoundBefore(found, f"{found.count} {family} {where}", _makers_own(key, some, found, _maker(mine)))
    return None


def _usual_spread(key: str, numbers: Sequence[float]) -> float | None:
    """By how much spools commonly differ."""
    return BY_KEY[key].spread_at(sum(numbers) / len(numbers)) or None if numbers else None


def _makers_own(key: str, some: Sequence[_Witness], found: Before, maker: str) -> str:
    """How the same maker's spools lie among them, in words, where that can be told apart."""
    own = [witness.number for witness in some if witness.maker == maker]
    if len(own) < FEWEST_OF_MAKER or len(own) == len(some):
        return ""
    parameter, off = BY_KEY[key], sum(own) / len(own) - found.mean
    if abs(off) < max(10.0**-parameter.decimals, 0.3 * found.spread):
        return ""
    shown = f"{parameter.show(abs(off))} {parameter.unit}".strip()
    return f"The {len(own)} of {maker} tend {shown} {'higher' if off > 0 else 'lower'}."


def _maker(row: ProfileRow) -> str:
    return str(row.material.spec.get("maker", ""))


def with_before(session: Session, row: ProfileRow, context: SomeBound) -> SomeBound:
    """What a trial is bound to, with what earlier spools came to."""
    return replace(context, before={key: found.before for key, found in all_before(session, row).items()})


def _others(mine: ProfileRow) -> Select[ProfileRow, RevisionRow]:
    """Newest profiles of other spools of the polymer, with their newest revisions."""
    return (
        select(ProfileRow, RevisionRow)
        .join(RevisionRow, (RevisionRow.profile_id == ProfileRow.id) & (RevisionRow.number == ProfileRow.newest))
        .join(ProfileRow.material)
        .where(MaterialRow.family == mine.material.family, ProfileRow.material_id != mine.material_id)
        .order_by(ProfileRow.changed_at.desc())
        .limit(MOST)
        .options(joinedload(ProfileRow.printer), joinedload(ProfileRow.material), undefer(RevisionRow.data))
    )


def _place(printer: AnyPrinter) -> tuple[object, ...]:
    """What makes two machines alike for a value."""
    if isinstance(printer, Printer):
        return printer.nozzle_mm, printer.drive
    return (printer.pixel_um, printer.intensity_mw_cm2) if isinstance(printer, ResinPrinter) else ()
