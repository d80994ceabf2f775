"""Profiles as lists show them: from columns alone, so that five hundred of them are as quick as five."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from sqlalchemy import Select, func, or_, select
from sqlalchemy.orm import selectinload, undefer

from drumbo.core.catalogue import GROUPS, groups_of
from drumbo.core.errors import NotFound
from drumbo.core.processes import PROCESSES
from drumbo.core.profile import Profile, Sector, Status, Value, sectors, start
from drumbo.services.convert import material_of, printer_of, profile_of
from drumbo.store.database import Workshop
from drumbo.store.models import MaterialRow, PrinterRow, ProfileRow, RevisionRow, now

PAGE = 40
MOST_NAMES = 2000
STATES = {
    "any": "in any state",
    "recheck": "with something to recheck",
    "open": "with something not measured yet",
    "proven": "proven",
    "away": "archived",
}
SORTS = {"changed": "changed last", "name": "by name", "measured": "most measured", "printer": "by printer"}
_ORDER = {
    "changed": (ProfileRow.changed_at.desc(), ProfileRow.id.desc()),
    "name": (ProfileRow.name,),
    "measured": (ProfileRow.measured.desc(), ProfileRow.name),
    "printer": (PrinterRow.name, ProfileRow.name),
}


@dataclass(frozen=True, slots=True)
class Spine:
    """A profile in a list."""

    id: int
    name: str
    material_id: int
    product: str
    colour: str
    colour_hex: str
    family: str
    printer_id: int
    printer: str
    known: Mapping[str, str]
    measured: int
    rechecks: int
    proven: bool
    revision: int
    changed_at: datetime
    archived: bool

    @property
    def sectors(self) -> tuple[Sector, ...]:
        """The drum, without reasons."""
        return tuple(Sector(g, Status(self.known[g.key])) for g in GROUPS if g.key in self.known)


@dataclass(frozen=True, slots=True)
class ShelfPage:
    """One page of a list, and how many there are in all."""

    spines: tuple[Spine, ...]
    total: int
    page: int

    @property
    def more(self) -> bool:
        """Whether there is a next page."""
        return (self.page + 1) * PAGE < self.total


def note_state(row: ProfileRow, profile: Profile, number: int, when: datetime) -> None:
    """Keep in a profile's columns what lists show of its newest revision."""
    states = sectors(profile)
    row.newest, row.changed_at = number, when
    row.known = {s.group.key: str(s.known) for s in states}
    row.measured = sum(s.known == Status.MEASURED for s in states)
    row.rechecks = sum(s.known == Status.RECHECK for s in states)
    row.proven = any(s.proves for s in states)


def fill_in(workshop: Workshop) -> None:
    """Bring profiles of an older version up to date: what lists show of them, and values that came since."""
    highest = select(func.max(RevisionRow.number)).where(RevisionRow.profile_id == ProfileRow.id)
    last = highest.correlate(ProfileRow).scalar_subquery()
    wanted = select(ProfileRow, RevisionRow).join(RevisionRow, RevisionRow.profile_id == ProfileRow.id)
    wanted = wanted.where(RevisionRow.number == last).options(
        undefer(RevisionRow.data), selectinload(ProfileRow.printer), selectinload(ProfileRow.material)
    )
    with workshop.reading() as session:
        behind = [
            row.id
            for row, newest in session.execute(wanted)
            if row.newest == 0 or _missing(row, profile_of(newest))
        ]  # fmt: skip
    if not behind:
        return
    with workshop.writing() as session:
        for row, newest in session.execute(wanted.where(ProfileRow.id.in_(behind))):
            whole = _with_new_values(row, newest)
            note_state(row, profile_of(whole), whole.number, whole.created_at)


def _missing(row: ProfileRow, held: Profile) -> dict[str, Value]:
    """Starting values of parameters that the version which wrote a profile did not know."""
    fresh = start(row.name, material_of(row.material), printer_of(row.printer), held.numbers())
    return {key: value for key, value in fresh.values.items() if key not in held.values}


def _with_new_values(row: ProfileRow, newest: RevisionRow) -> RevisionRow:
    """A revision with what is missing; the same one where nothing is."""
    held = profile_of(newest)
    missing = _missing(row, held)
    if not missing:
        return newest
    whole = replace(held, values={**held.values, **missing})
    note = "values that this version of Drumbo brings"
    made = RevisionRow(number=newest.number + 1, note=note, data=whole.to_json(), created_at=now())
    row.revisions.append(made)
    return made


_COLUMNS = (
    ProfileRow.id, ProfileRow.name, ProfileRow.material_id, MaterialRow.spec["product"].as_string(),
    MaterialRow.spec["colour"].as_string(), MaterialRow.colour_hex, MaterialRow.family, ProfileRow.printer_id,
    PrinterRow.name, ProfileRow.known, ProfileRow.measured, ProfileRow.rechecks, ProfileRow.proven, ProfileRow.newest,
    ProfileRow.changed_at, ProfileRow.archived,
)  # fmt: skip


def find(
    workshop: Workshop, text: str = "", *, printer: int = 0, material: int = 0, family: str = "", state: str = "any",
    sort: str = "changed", page: int = 0, size: int = PAGE,
) -> ShelfPage:  # fmt: skip
    """A page of profiles whose names hold every word of `text`, of one printer, spool or polymer, in one state.

    What was put away is found by its state alone, or where one spool or printer is asked for.
    """
    wanted = select(*_COLUMNS).join(ProfileRow.material).join(ProfileRow.printer)
    for word in text.split()[:6]:
        places = (ProfileRow.name, PrinterRow.name, MaterialRow.name, MaterialRow.spec["maker"].as_string())
        wanted = wanted.where(or_(*(place.icontains(word, autoescape=True) for place in places)))
    if printer:
        wanted = wanted.where(ProfileRow.printer_id == printer)
    if material:
        wanted = wanted.where(ProfileRow.material_id == material)
    if family:
        wanted = wanted.where(MaterialRow.family == family)
    wanted = _in_state(wanted, state, everything=bool(printer or material))
    with workshop.reading() as session:
        total = session.scalar(select(func.count()).select_from(wanted.subquery())) or 0
        rows = session.execute(wanted.order_by(*_ORDER.get(sort, _ORDER["changed"])).offset(page * size).limit(size))
        return ShelfPage(tuple(Spine(*row) for row in rows), total, page)


def _in_state(wanted: Select[Any], state: str, *, everything: bool) -> Select[Any]:
    if state == "away":
        return wanted.where(ProfileRow.archived)
    if not everything:
        wanted = wanted.where(~ProfileRow.archived)
    if state == "recheck":
        return wanted.where(ProfileRow.rechecks > 0)
    if state == "open":
        return wanted.where(
            or_(
                *(
                    MaterialRow.family.in_(process.families) & (ProfileRow.measured < len(groups_of(key)))
                    for key, process in PROCESSES.items()
                )
            )
        )
    if state == "proven":
        return wanted.where(ProfileRow.proven)
    return wanted


@dataclass(frozen=True, slots=True)
class Name:
    """A profile to pick from a list of names."""

    id: int
    name: str


def names(workshop: Workshop, of: str | None = None) -> list[Name]:
    """All profiles, or those of one process, that are not put away, the one changed last first."""
    with workshop.reading() as session:
        wanted = select(ProfileRow.id, ProfileRow.name).join(ProfileRow.material)
        wanted = wanted.where(~ProfileRow.archived)
        if of is not None:
            wanted = wanted.where(MaterialRow.family.in_(PROCESSES[of].families))
        rows = session.execute(wanted.order_by(*_ORDER["changed"]).limit(MOST_NAMES))
        return [Name(*row) for row in rows]


def named(workshop: Workshop, name: str) -> int:
    """The number of the profile with a name; NotFound tells the names that there are."""
    with workshop.reading() as session:
        number = session.scalar(select(ProfileRow.id).where(ProfileRow.name == name))
        if number is None:
            there = session.scalars(select(ProfileRow.name).order_by(ProfileRow.name).limit(12)).all()
            raise NotFound(f"there is no profile called {name}; there are: {', '.join(there) or 'none yet'}")
    return number


def put_away(workshop: Workshop, number: int, *, away: bool) -> None:
    """Take a profile off the shelf, or put it back. Nothing of it is lost, and its page is there as before."""
    with workshop.writing() as session:
        row = session.get(ProfileRow, number)
        if row is not None:
            row.archived = away
