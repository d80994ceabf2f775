"""Two materials in one print: pairs of profiles, where they can live together, and what trials of the two found."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from threading import Condition
from typing import Any

from cachetools import LRUCache, cached
from sqlalchemy import or_, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, selectinload

from drumbo.core.catalogue import FILAMENT
from drumbo.core.errors import InvalidInput, NotFound
from drumbo.core.fields import number as read_number
from drumbo.core.filament_change import USUAL_PURGE_MM
from drumbo.core.pair import CommonGround, Partner, check_pair, common_ground
from drumbo.core.part_of_two import Body, PartOfTwo, part_of_bodies, part_of_two, read_bodies, read_heights
from drumbo.core.printer import Printer
from drumbo.exchange.meshes import joined
from drumbo.services.convert import filament_printer_of, material_of, partner_of
from drumbo.services.planner import PlannedPart, bodies_of
from drumbo.services.profiles import get_row
from drumbo.store.database import Workshop
from drumbo.store.models import PairRow, ProfileRow, TrialRow
from drumbo.trials import kind

LONGEST_NOTE = 1000
MOST_HAND_MIN, MOST_PLANNED = 120.0, 12


@dataclass(frozen=True, slots=True)
class PairMember:
    """One of the two as pages show it."""

    profile_id: int
    profile: str
    partner: Partner
    colour_hex: str


@dataclass(frozen=True, slots=True)
class PairTrial:
    """A trial of a pair."""

    id: int
    title: str
    state: str
    created_at: datetime


@dataclass(frozen=True, slots=True)
class PairSheet:
    """A pair's page."""

    id: int
    printer_id: int
    printer: Printer
    one: PairMember
    other: PairMember
    ground: CommonGround
    values: dict[str, dict[str, Any]]
    trials: tuple[PairTrial, ...]
    notes: str

    @property
    def name(self) -> str:
        """Both spools."""
        return f"{self.one.partner.name} and {self.other.partner.name}"

    @property
    def purges_mm(self) -> tuple[float, float]:
        """What is pushed at a change, from the first to the second and back, mm: as found, or as usual."""
        there, back = (
            float(self.values[key]["number"]) if key in self.values else USUAL_PURGE_MM
            for key in ("purge_there_mm", "purge_back_mm")
        )
        return there, back


def create(workshop: Workshop, one_id: int, other_id: int | None) -> int:
    """Make a pair of two profiles; the one there is of the two, where there is. InvalidInput says why it is none."""
    if other_id is None:
        raise InvalidInput("other", "is needed: choose the other profile")
    try:
        with workshop.writing() as session:
            one = get_row(session, one_id)
            try:
                other = get_row(session, other_id)
            except NotFound:
                raise InvalidInput("other", "is not there any more; choose another one") from None
            wrong = [r.printer.spec.get("process", FILAMENT) != FILAMENT for r in (one, other)]
            if any(wrong):
                raise InvalidInput("other", "is of another process; only filament goes with filament")
            check_pair(
                partner_of(one), partner_of(other),
                same_profile=one_id == other_id, same_printer=one.printer_id == other.printer_id,
            )  # fmt: skip
            found = session.scalar(select(PairRow.id).where(
                or_((PairRow.one_id == one_id) & (PairRow.other_id == other_id),
                    (PairRow.one_id == other_id) & (PairRow.other_id == one_id))))  # fmt: skip
            if found is not None:
                return found
            row = PairRow(one_id=one_id, other_id=other_id, values={})
            session.add(row)
            session.flush()
            return row.id
    except IntegrityError:
        # Somebody made it at the same moment.
        return create(workshop, one_id, other_id)


def sheet(workshop: Workshop, number: int) -> PairSheet:
    """Everything for a pair's page. NotFound where there is none."""
    with workshop.reading() as session:
        row = pair_row(session, number)
        one, other = _member(row.one), _member(row.other)
        printer = filament_printer_of(row.one.printer)
        wanted = select(TrialRow).where(TrialRow.pair_id == number).order_by(TrialRow.id.desc())
        trials = tuple(
            PairTrial(trial.id, kind(trial.kind).title, trial.state, trial.created_at)
            for trial in session.scalars(wanted)
        )
        return PairSheet(
            number, row.one.printer_id, printer, one, other, common_ground(one.partner, other.partner, printer),
            row.values, trials, row.notes,
        )  # fmt: skip


@dataclass(frozen=True, slots=True)
class PlannedOfTwo:
    """A part planned for a pair: which, what it comes to, and where it goes by bodies, each one's solid and whether it
    is of the first material.
    """

    part: PlannedPart
    plan: PartOfTwo
    bodies: tuple[tuple[Body, bool], ...] = ()


def plan_part(workshop: Workshop, number: int, part_id: int, typed: Mapping[str, str]) -> PlannedOfTwo:
    """A part of both, with what was typed: `hand`, minutes for each change; and the `heights`, mm, at which the
    material changes, or for a part of several bodies the material of each. InvalidInput names what cannot be.
    """
    found = sheet(workshop, number)
    part, bodies = bodies_of(workshop, part_id)
    wide, deep, high = part.size
    if wide > found.printer.bed_x_mm or deep > found.printer.bed_y_mm or high > found.printer.height_mm:
        raise InvalidInput("part", f"is {wide:g} × {deep:g} × {high:g} mm; {found.printer.name} has no room for it")
    minutes = read_number("hand", typed.get("hand", "")) if found.printer.by_hand else 0.0
    if not 0 <= minutes <= MOST_HAND_MIN:
        raise InvalidInput("hand", f"must lie between 0 and {MOST_HAND_MIN:g} minutes")
    asked = Turns(minutes, found.purges_mm, part_id)
    if part.bodies and not typed.get("heights", "").strip():
        of_first = read_bodies(part.bodies, typed)
        plan = _planned(bodies, found, replace(asked, of_first=of_first))
        return PlannedOfTwo(part, plan, tuple(zip(bodies, of_first, strict=True)))
    return PlannedOfTwo(part, _planned(bodies, found, replace(asked, heights=read_heights(typed.get("heights", "")))))


@dataclass(frozen=True, slots=True)
class Turns:
    """What decides the turns of the two in a part: heights, mm, or each body's material; the hand's minutes for each
    change, and what is purged, there and back, mm.
    """

    hand_min: float
    purge_mm: tuple[float, float]
    part_id: int
    heights: tuple[float, ...] = ()
    of_first: tuple[bool, ...] = ()


def _planned_key(_bodies: Sequence[Body], pair: PairSheet, asked: Turns) -> tuple[object, ...]:
    partners = (pair.one.partner, pair.other.partner)
    numbers = (tuple(sorted(partner.profile.numbers().items())) for partner in partners)
    return asked, *numbers, *(partner.material for partner in partners), repr(pair.printer)


@cached(LRUCache(MOST_PLANNED), key=_planned_key, condition=Condition())
def _planned(bodies: Sequence[Body], pair: PairSheet, asked: Turns) -> PartOfTwo:
    """Reckoned once: it takes seconds for a large part."""
    one, other = pair.one.partner, pair.other.partner
    minutes, purge_mm = asked.hand_min, asked.purge_mm
    if asked.of_first:
        return part_of_bodies(
            bodies, asked.of_first, one, other, pair.printer, hand_min=minutes, purge_mm=purge_mm
        )  # fmt: skip
    return part_of_two(
        joined(bodies), one, other, pair.printer, asked.heights, hand_min=minutes, purge_mm=purge_mm
    )  # fmt: skip


def pair_row(session: Session, number: int) -> PairRow:
    """The row of a pair; NotFound where there is none."""
    row = session.get(PairRow, number)
    if row is None:
        raise NotFound(f"there is no pair number {number}")
    return row


def _member(row: ProfileRow) -> PairMember:
    return PairMember(row.id, row.name, partner_of(row), row.material.colour_hex)


@dataclass(frozen=True, slots=True)
class Listed:
    """A pair in a list."""

    id: int
    one: str
    other: str
    printer: str
    colours: tuple[str, str]


def pairs(workshop: Workshop, profile_id: int | None = None) -> list[Listed]:
    """All pairs, or those of a profile, newest first."""
    wanted = select(PairRow).order_by(PairRow.id.desc()).options(
        selectinload(PairRow.one), selectinload(PairRow.other)
    )  # fmt: skip
    if profile_id is not None:
        wanted = wanted.where(or_(PairRow.one_id == profile_id, PairRow.other_id == profile_id))
    with workshop.reading() as session:
        return [
            Listed(
                row.id,
                material_of(row.one.material).name,
                material_of(row.other.material).name,
                row.one.printer.name,
                (row.one.material.colour_hex, row.other.material.colour_hex),
            )
            for row in session.scalars(wanted)
        ]


def possible(workshop: Workshop, profile_id: int) -> list[tuple[int, str]]:
    """Profiles that may be paired with one: on the same printer, of another spool or setting."""
    with workshop.reading() as session:
        row = get_row(session, profile_id)
        wanted = select(ProfileRow).where(
            ProfileRow.printer_id == row.printer_id, ProfileRow.id != profile_id, ProfileRow.archived.is_(False)
        )
        return [(other.id, other.name) for other in session.scalars(wanted.order_by(ProfileRow.name))]


def next_spool(workshop: Workshop, trial_id: int) -> int | None:
    """Which spool comes next at a pause of a pair's trial: the one of the two that is not in the printer; None where
    the trial is of no pair.
    """
    with workshop.reading() as session:
        row = session.get(TrialRow, trial_id)
        if row is None or row.pair is None:
            return None
        first, second = row.pair.one.material_id, row.pair.other.material_id
        return int(first if row.profile.printer.loaded_id == second else second)


def set_notes(workshop: Workshop, number: int, notes: str) -> None:
    """The maker's own words about a pair."""
    if len(notes) > LONGEST_NOTE:
        raise InvalidInput("notes", f"may have {LONGEST_NOTE} characters at most")
    with workshop.writing() as session:
        pair_row(session, number).notes = notes.strip()
