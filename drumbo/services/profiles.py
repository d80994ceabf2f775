"""Profiles: start, look at, what comes next. Changes by hand are in `by_hand`."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime

from sqlalchemy import func, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, selectinload

from drumbo.core.catalogue import counter_of, groups_of, in_group
from drumbo.core.errors import InvalidInput, NotFound
from drumbo.core.fields import Field
from drumbo.core.processes import AnyMaterial, AnyPrinter, process
from drumbo.core.profile import (
    Change,
    Origin,
    OriginKind,
    Profile,
    Sector,
    Status,
    Value,
    changed,
    difference,
    proven,
    resting_on,
    sectors,
    start,
)
from drumbo.core.resin import USUAL_LAYER_UM
from drumbo.services.convert import context_of, latest, material_of, printer_of, profile_of
from drumbo.services.files import facts_of
from drumbo.services.shelf import note_state
from drumbo.services.spools import Spent, spent_on
from drumbo.store.database import Workshop
from drumbo.store.models import MaterialRow, PictureRow, PrinterRow, ProfileRow, RevisionRow, TrialRow, now
from drumbo.trials import kind as find_kind
from drumbo.trials import kind_for, kinds_of
from drumbo.trials.base import SomeBound, SomeKind
from drumbo.trials.trial import TrialState

LONGEST_NAME = 120


@dataclass(frozen=True, slots=True)
class Next:
    """The trial that comes next, and why."""

    kind: SomeKind
    why: str


@dataclass(frozen=True, slots=True)
class Card:
    """A profile as it stands on a shelf or in a list."""

    id: int
    name: str
    material: AnyMaterial
    material_id: int
    printer: AnyPrinter
    printer_id: int
    sectors: tuple[Sector, ...]
    next: Next | None
    revision: int
    changed_at: datetime

    @property
    def measured(self) -> int:
        """How many sectors are measured."""
        return sum(s.known == Status.MEASURED for s in self.sectors)

    @property
    def proven(self) -> bool:
        """Whether the profile, as it is, has a good proof."""
        return any(s.proves for s in self.sectors)

    @property
    def leaves_open(self) -> tuple[str, ...]:
        """Names of the groups that are not measured, or want a recheck."""
        return tuple(s.group.name for s in self.sectors if s.known != Status.MEASURED)

    @property
    def rechecks(self) -> int:
        """How many sectors want a recheck."""
        return sum(s.known == Status.RECHECK for s in self.sectors)


@dataclass(frozen=True, slots=True)
class StoryRevision:
    """One revision in a profile's history, with what it changed."""

    number: int
    note: str
    when: datetime
    trial: int | None
    changes: tuple[Change, ...]


@dataclass(frozen=True, slots=True)
class StoryTrial:
    """A picture of what came off the bed, and the trial it is of."""

    trial: int
    title: str
    when: datetime
    picture: int


@dataclass(frozen=True, slots=True)
class ProfileSheet:
    """A profile's page: card, values, history and its trials. `story` is the first piece and the proof, once it is
    proven and both have a picture.
    """

    card: Card
    profile: Profile
    history: tuple[StoryRevision, ...]
    trials: tuple[tuple[int, str, str, datetime], ...]
    story: tuple[StoryTrial, ...] = ()
    archived: bool = False
    spent: Spent = field(default_factory=lambda: Spent(0, 0.0, 0.0, None))


def get_row(session: Session, number: int, *, history: bool = False) -> ProfileRow:
    """A profile's row with all it needs, what every revision held included where `history` is wanted. NotFound if there
    is none.
    """
    revisions = selectinload(ProfileRow.revisions)
    if history:
        revisions = revisions.undefer(RevisionRow.data)
    wanted = select(ProfileRow).where(ProfileRow.id == number)
    row = session.scalars(
        wanted.options(revisions, selectinload(ProfileRow.printer), selectinload(ProfileRow.material))
    ).first()
    if row is None:
        raise NotFound(f"there is no profile number {number}")
    return row


def card_of(row: ProfileRow) -> Card:
    """The card of a row."""
    revision = latest(row)
    return Card(
        id=row.id,
        name=row.name,
        material=material_of(row.material),
        material_id=row.material_id,
        printer=printer_of(row.printer),
        printer_id=row.printer_id,
        sectors=sectors(profile_of(revision)),
        next=next_trial(context_of(row)),
        revision=revision.number,
        changed_at=revision.created_at,
    )


def card(workshop: Workshop, profile_id: int) -> Card:
    """One profile's card."""
    with workshop.reading() as session:
        return card_of(get_row(session, profile_id))


def suggest_name(workshop: Workshop, material_id: int, printer_id: int, layer: str = "") -> str:
    """A free name that tells material and printer."""
    with workshop.reading() as session:
        material, printer = session.get(MaterialRow, material_id), session.get(PrinterRow, printer_id)
        if material is None or printer is None:
            raise NotFound("pick a material and a printer")
        base = f"{material.name} on {printer.name}{f', {layer}' if layer else ''}"
        taken = set(session.scalars(select(ProfileRow.name).where(ProfileRow.name.startswith(base))))
    number, name = 2, base
    while name in taken:
        name, number = f"{base} ({number})", number + 1
    return name


def layer_of(workshop: Workshop, profile_id: int) -> float | None:
    """A resin profile's layer height, µm; None for one of filament."""
    with workshop.reading() as session:
        return profile_of(latest(get_row(session, profile_id))).numbers().get("layer_um")


def check_name(name: str) -> str:
    """A profile's name as it is kept; InvalidInput where it is none."""
    name = name.strip()
    if not name:
        raise InvalidInput("name", "give the profile a name")
    if len(name) > LONGEST_NAME:
        raise InvalidInput("name", f"is longer than {LONGEST_NAME} characters")
    return name


def create(
    workshop: Workshop, material_id: int, printer_id: int, name: str, layer_um: float | str | None = None
) -> int:  # fmt: skip
    """A profile as a copy of the family's starting values; the start itself is never touched. A resin's is for layers
    of one height.
    """
    name = check_name(name)
    try:
        with workshop.writing() as session:
            what, where = picked(session, material_id, printer_id)
            profile = start(name, what, where, chosen_for(what.process, layer_um))
            return add(session, profile, material_id, printer_id, "copied from the start")
    except IntegrityError:
        raise InvalidInput("name", f"there is a profile called {name} already") from None


def picked(session: Session, material_id: int, printer_id: int) -> tuple[AnyMaterial, AnyPrinter]:
    """The material and the printer that were picked for a profile. InvalidInput names the field."""
    material, printer = session.get(MaterialRow, material_id), session.get(PrinterRow, printer_id)
    if material is None:
        raise InvalidInput("material_id", "pick a material")
    if printer is None:
        raise InvalidInput("printer_id", "pick a printer")
    what, where = material_of(material), printer_of(printer)
    check_fits_together(what, where)
    return what, where


def check_fits_together(material: AnyMaterial, printer: AnyPrinter) -> None:
    """InvalidInput where one is for filament and the other for resin."""
    if material.process != printer.process:
        name = process(material.process).name.lower()
        raise InvalidInput("printer_id", f"{printer.name} is not for {name}; pick a printer that is")


LAYER = Field("layer_um", "Layers of", "µm", low=10, high=200, help="A resin profile is for one layer height.")


def chosen_for(key: str, layer_um: float | str | None) -> dict[str, float]:
    """What a new profile is for and no trial finds: for resin, its layer height. InvalidInput names the field."""
    if "layer_um" not in {p.key for group in groups_of(key) for p in in_group(group.key)}:
        return {}
    if layer_um is None or layer_um == "":
        return {"layer_um": USUAL_LAYER_UM}
    number = LAYER.read(layer_um)
    assert isinstance(number, float)
    return {"layer_um": number}


def add(session: Session, profile: Profile, material_id: int, printer_id: int, note: str) -> int:
    """A profile's first revision, within the caller's transaction; returns the profile's number."""
    row = ProfileRow(name=profile.name, material_id=material_id, printer_id=printer_id)
    row.revisions.append(RevisionRow(number=1, note=note, data=profile.to_json()))
    note_state(row, profile, 1, now())
    session.add(row)
    session.flush()
    return row.id


def append(session: Session, row: ProfileRow, profile: Profile, note: str, trial: int | None = None) -> int:
    """A new revision on top of the others, within the caller's transaction."""
    number = latest(row).number + 1
    row.revisions.append(RevisionRow(number=number, note=note, data=profile.to_json(), trial_id=trial))
    note_state(row, profile, number, now())
    session.flush()
    return number


def go_back(session: Session, row: ProfileRow, restored: Profile, number: int, note: str) -> int:
    """What a profile was at a revision becomes a new one, within the caller's transaction. A trial that was adopted
    since, and whose values it does not hold any more, may be adopted again; one whose values it holds again is adopted.
    """
    made = append(session, row, restored, note)
    held = {value.origin.trial for value in restored.values.values()}
    for trial in session.scalars(select(TrialRow).where(TrialRow.profile_id == row.id)):
        if trial.id in held and trial.adopted_revision is None:
            trial.state, trial.adopted_revision = TrialState.ADOPTED, made
        elif trial.id not in held and (trial.adopted_revision or 0) > number:
            trial.state, trial.adopted_revision = TrialState.PRINTED, None
    return made


def printer_moved(session: Session, printer_id: int, key: str, was: float, now: float, note: str) -> None:
    """The printer's own value went from `was` to `now`: what rests on it in its profiles is marked, or unmarked."""
    wanted = select(ProfileRow).where(ProfileRow.printer_id == printer_id).options(selectinload(ProfileRow.revisions))
    for row in session.scalars(wanted):
        profile = profile_of(latest(row))
        after = changed(resting_on(profile, key, was), {}, {key: now})
        if any(c.before and c.after and c.before.recheck != c.after.recheck for c in difference(profile, after)):
            append(session, row, after, note)


def sheet(workshop: Workshop, profile_id: int) -> ProfileSheet:
    """Everything for a profile's page."""
    with workshop.reading() as session:
        row = get_row(session, profile_id, history=True)
        card = card_of(row)
        history = []
        for before, after in zip([None, *row.revisions], row.revisions, strict=False):
            changes = difference(profile_of(before), profile_of(after)) if before is not None else ()
            history.append(StoryRevision(after.number, after.note, after.created_at, after.trial_id, changes))
        wanted = select(TrialRow.id, TrialRow.kind, TrialRow.state, TrialRow.created_at)
        wanted = wanted.where(TrialRow.profile_id == profile_id).order_by(TrialRow.id.desc())
        trials = tuple((i, k, s, w) for i, k, s, w in session.execute(wanted))
        profile = profile_of(latest(row))
        story = _story(session, profile_id, profile) if proven(profile) else ()
        return ProfileSheet(
            card, profile, tuple(reversed(history)), trials, story, row.archived, spent_on(session, profile_id)
        )


def _story(session: Session, profile_id: int, profile: Profile) -> tuple[StoryTrial, ...]:
    """The first piece that has a picture, and the proof."""
    closing = next(group.key for group in groups_of(profile.process) if group.closes)
    proof = next(v.origin.trial for p in in_group(closing) if (v := profile.values.get(p.key)) is not None)
    wanted = select(TrialRow.id, TrialRow.kind, TrialRow.printed_at, func.max(PictureRow.id))
    wanted = wanted.join(PictureRow).where(TrialRow.profile_id == profile_id, TrialRow.printed_at.is_not(None))
    seen = session.execute(wanted.group_by(TrialRow.id).order_by(TrialRow.id)).all()
    looked = [StoryTrial(i, find_kind(kind).title, when, picture) for i, kind, when, picture in seen if when]
    last = [look for look in looked if look.trial == proof]
    return (looked[0], last[0]) if last and looked[0] != last[0] else ()


def new_batch(workshop: Workshop, profile_id: int) -> int:
    """Another batch or bottle of the material is in use: what was found on the one before wants a recheck."""
    with workshop.writing() as session:
        row = get_row(session, profile_id)
        profile = profile_of(latest(row))
        counter = counter_of(profile.process)
        before = profile.numbers().get(counter.key, 1.0)
        held = resting_on(profile, counter.key, before)
        value = Value(before + 1, Origin(OriginKind.HAND, f"a new {counter.name.lower()}"))
        after = changed(held, {counter.key: value}, printer_of(row.printer).numbers())
        return append(session, row, after, f"{counter.name.lower()} {before + 1:g}")


def next_trial(context: SomeBound) -> Next | None:
    """The first kind of trial, in trial order, that says why it should come; None when all there are have been."""
    for kind in kinds_of(context.profile.process).values():
        why = kind.wants(context)
        if why is not None:
            return Next(kind, why)
    return None


def next_facts(workshop: Workshop, profile_id: int, slug: str) -> Mapping[str, float | None]:
    """Seconds, grams and money of a trial as it would be suggested now."""
    with workshop.reading() as session:
        row = get_row(session, profile_id)
        context, revision = context_of(row), latest(row).number
    chosen = kind_for(slug, context.profile.process)
    return facts_of(chosen, chosen.suggest(context), context, revision)
