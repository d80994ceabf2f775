"""Trials: their plans, files and pages. Printing is in `prints`, reading in `reading`, adopting in `adopting`."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from threading import Condition
from typing import Any

from cachetools import LRUCache, cached
from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload, selectinload

from drumbo.core.errors import InvalidInput, NotFound
from drumbo.core.fields import Scalar
from drumbo.core.pair import SECOND
from drumbo.core.piece import Drawing, Piece, Standing, draw
from drumbo.core.run import BROKEN, UNSURE, Heaters, RunState
from drumbo.exchange.meshes import MESHES
from drumbo.links.journal import last_entry
from drumbo.links.runs import Runs
from drumbo.services import readers
from drumbo.services.convert import at_c_of, context_of, latest, partner_of, trial_of
from drumbo.services.files import as_bytes, facts_of, file_of
from drumbo.services.jobs import facts_of_file, mates_of, now_printed, prints_of
from drumbo.services.pictures import Picture, pictures_of
from drumbo.services.profiles import Card, card_of, get_row
from drumbo.services.spools import take_from_spool
from drumbo.store.database import Workshop
from drumbo.store.models import PairRow, PlateRow, PrintRow, ProfileRow, TrialRow, now
from drumbo.trials import kind_for
from drumbo.trials.base import PrintFile, SomeBound, SomeKind
from drumbo.trials.plan import TrialPlan
from drumbo.trials.plate import titled
from drumbo.trials.readings import Readings, Step, ToRead
from drumbo.trials.result import Result
from drumbo.trials.trial import TrialState

Typed = Mapping[str, str | float | None]


@dataclass(frozen=True, slots=True)
class Run:
    """One run over a link; `name` is the one of its papers."""

    id: int
    state: RunState
    sent: int
    total: int
    message: str
    heat: dict[str, Any] | None
    started_at: datetime
    finished_at: datetime | None
    heaters: Heaters = Heaters.OPEN
    elapsed_s: float = 0.0
    dealt: bool = False
    told: str = ""
    name: str = ""
    factors: tuple[tuple[int, float, float], ...] = ()

    @property
    def running(self) -> bool:
        """Whether the printer is at it."""
        return self.state.running

    @property
    def needs_somebody(self) -> bool:
        """Whether it went wrong, or nobody knows that the printer is cold, and nobody has dealt with it."""
        return not self.running and not self.dealt and (self.state in BROKEN or self.heaters in UNSURE)

    @property
    def share(self) -> float:
        """How much of the file is through, 0 to 1."""
        return self.sent / self.total if self.total else 0.0

    def left_s(self, planned_s: float) -> float:
        """Seconds to go: by its own pace so far, or as planned while that is too young to tell."""
        if self.share < 0.04:
            return planned_s * (1 - self.share)
        return self.elapsed_s * (1 - self.share) / self.share


@dataclass(frozen=True, slots=True)
class TrialSheet:
    """Everything for a trial's page."""

    id: int
    kind: SomeKind
    state: TrialState
    plan: TrialPlan
    context: SomeBound
    card: Card
    revision: int
    steps: tuple[Step, ...]
    to_read: ToRead
    readings: Readings
    readers: tuple[str, ...]
    result: Result | None
    facts: dict[str, Any]
    drawing: Drawing
    pictures: tuple[Picture, ...]
    run: Run | None
    runs: tuple[RunState, ...]
    adopted_revision: int | None
    pair_id: int | None
    plate_id: int | None
    job: dict[str, Any]
    stands: Standing
    at_c: float | None
    created_at: datetime
    printed_at: datetime | None

    @property
    def title(self) -> str:
        """What it is called, with the temperature that only it has."""
        return titled(self.kind, self.at_c)


@dataclass(frozen=True, slots=True)
class Draft:
    """A plan that is being made: what the page shows beside the form."""

    kind: SomeKind
    context: SomeBound
    card: Card
    plan: Mapping[str, Scalar]
    """What stands in the form."""
    in_words: str
    drawing: Drawing | None
    warnings: dict[str, str]
    problems: dict[str, str]


def _bound(session: Session, profile_id: int, pair_id: int | None) -> tuple[ProfileRow, SomeBound, PairRow | None]:
    """What a trial that is planned now is bound to. NotFound for a pair that is not of this profile."""
    row = get_row(session, profile_id)
    context = context_of(row)
    if pair_id is None:
        return row, context, None
    pair = session.get(PairRow, pair_id)
    if pair is None or pair.one_id != profile_id:
        raise NotFound("there is no such pair of this profile")
    return row, replace(context, other=partner_of(pair.other)), pair


def draft(
    workshop: Workshop, profile_id: int, slug: str, typed: Typed | None = None, pair_id: int | None = None
) -> Draft:
    """A suggested plan, or what was typed so far; problems come beside the fields and refuse nothing yet."""
    with workshop.reading() as session:
        row, context, _ = _bound(session, profile_id, pair_id)
        card = card_of(row)
    chosen = kind_for(slug, context.profile.process)
    if typed is None:
        plan = chosen.suggest(context)
        return Draft(chosen, context, card, plan.to_json(), *_look(chosen, plan, context))
    try:
        plan = chosen.read_plan(typed, context)
    except InvalidInput as error:
        return Draft(chosen, context, card, dict(typed), "", None, {}, error.problems)
    return Draft(chosen, context, card, plan.to_json(), *_look(chosen, plan, context))


def _look(
    chosen: SomeKind, plan: TrialPlan, context: SomeBound
) -> tuple[str, Drawing | None, dict[str, str], dict[str, str]]:
    try:
        warnings = chosen.check(plan, context)
    except InvalidInput as error:
        return "", None, {}, error.problems
    return chosen.in_words(plan), draw(chosen.piece(plan, context)), warnings, {}


def estimate(
    workshop: Workshop, profile_id: int, slug: str, typed: Typed, pair_id: int | None = None
) -> Mapping[str, float | None]:
    """Seconds, grams and money of a plan; InvalidInput if it cannot be printed."""
    found = draft(workshop, profile_id, slug, typed, pair_id)
    if found.problems:
        raise InvalidInput.of(found.problems)
    return facts_of(found.kind, found.kind.plan_type.of(found.plan), found.context, found.card.revision)


def create(workshop: Workshop, profile_id: int, slug: str, typed: Typed, pair_id: int | None = None) -> int:
    """Plan a trial, of a profile or of a pair: its file is made and kept with it. InvalidInput names the fields;
    nothing is half saved.
    """
    with workshop.reading() as session:
        row, context, pair = _bound(session, profile_id, pair_id)
        revision = latest(row).number
        other_revision = latest(pair.other).number if pair is not None else None
    chosen = kind_for(slug, context.profile.process)
    plan = chosen.read_plan(typed, context)
    file = file_of(chosen, plan, context, revision)
    digest = workshop.files.put(as_bytes(file))
    with workshop.writing() as session:
        trial = TrialRow(
            profile_id=profile_id,
            revision=revision,
            kind=slug,
            kind_version=chosen.version,
            state=TrialState.PLANNED,
            plan=plan.to_json(),
            readings={},
            facts={
                "seconds": file.seconds,
                "grams": file.grams,
                "cost": file.cost,
                **({"second_share": file.path.share_of_tool(SECOND)} if pair and isinstance(file, PrintFile) else {}),
            },
            file_digest=digest,
            pair_id=pair_id,
            other_revision=other_revision,
        )
        session.add(trial)
        session.flush()
        return trial.id


def find_trial(session: Session, number: int) -> TrialRow:
    """A trial's row, with nothing that belongs to it; NotFound if there is none."""
    row = session.get(TrialRow, number)
    if row is None:
        raise NotFound(f"there is no trial number {number}")
    return row


def get_trial(session: Session, number: int) -> TrialRow:
    """A trial's row; NotFound if there is none."""
    wanted = select(TrialRow).where(TrialRow.id == number)
    row = session.scalars(
        wanted.options(
            selectinload(TrialRow.prints),
            selectinload(TrialRow.pictures),
            joinedload(TrialRow.plate).selectinload(PlateRow.trials).selectinload(TrialRow.prints),
            joinedload(TrialRow.profile).options(
                selectinload(ProfileRow.revisions),
                joinedload(ProfileRow.printer),
                joinedload(ProfileRow.material),
            ),
        )
    ).first()
    if row is None:
        raise NotFound(f"there is no trial number {number}")
    return row


def sheet(workshop: Workshop, trial_id: int) -> TrialSheet:
    """Everything for a trial's page."""
    with workshop.reading() as session:
        row = get_trial(session, trial_id)
        trial, prints = trial_of(row), prints_of(row)
        return TrialSheet(
            id=row.id,
            kind=trial.kind,
            state=trial.state,
            plan=trial.plan,
            context=trial.context,
            card=card_of(row.profile),
            revision=trial.revision,
            steps=trial.steps,
            to_read=trial.to_read,
            readings=readers.begun(session, row, trial.readings),
            readers=readers.names(session),
            result=trial.result,
            facts=row.facts,
            drawing=_drawing((row.file_digest, row.kind), lambda: trial.piece),
            pictures=pictures_of(row),
            run=run_of(prints[-1], workshop) if prints else None,
            runs=tuple(RunState(run.state) for run in prints),
            adopted_revision=row.adopted_revision,
            pair_id=row.pair_id,
            plate_id=row.plate_id,
            job=facts_of_file(row),
            stands=trial.stands,
            at_c=at_c_of(row),
            created_at=row.created_at,
            printed_at=row.printed_at,
        )


@cached(LRUCache(64), key=lambda which, _piece: which, condition=Condition())
def _drawing(which: tuple[str, str], piece: Callable[[], Piece]) -> Drawing:
    """The piece's drawing; kept for the trials looked at last, as one file has one piece of a kind."""
    del which
    return draw(piece())


def run_of(row: PrintRow, workshop: Workshop) -> Run:
    """A run as the page shows it: while it goes on, by its journal."""
    runs = Runs(workshop.folder)
    run = Run(
        row.id, RunState(row.state), row.sent, row.total, row.message, row.heat, row.started_at, row.finished_at,
        Heaters(row.heaters), row.elapsed_s or 0.0, row.dealt_at is not None, name=row.run,
        factors=tuple((int(line), float(speed), float(flow)) for line, speed, flow in row.factors or ()),
    )  # fmt: skip
    if run.running and row.run:
        entry = last_entry(runs.folder(row.run))
        if entry is not None:
            # What has ended is at its end once that is written down, with its picture and all.
            state, said = (
                (entry.state, entry.message)
                if entry.running
                else (RunState.STOPPING, entry.message or "It is through.")
            )
            return replace(
                run, state=state, sent=entry.sent, total=entry.total or run.total, message=said,
                heat=entry.heat, elapsed_s=entry.elapsed_s, factors=tuple(entry.factors),
            )  # fmt: skip
    if row.rescue and (entry := last_entry(runs.folder(row.rescue))) is not None:
        return replace(run, told=entry.message)
    return run


def printed_file(workshop: Workshop, trial_id: int) -> bytes:
    """The trial's file, as it goes to the printer."""
    with workshop.reading() as session:
        return workshop.files.get(get_trial(session, trial_id).file_digest)


def mesh(workshop: Workshop, trial_id: int, ending: str = "stl") -> bytes:
    """The trial's piece as STL or 3MF, for the maker's own slicer."""
    with workshop.reading() as session:
        row = get_trial(session, trial_id)
        return MESHES[ending](trial_of(row).piece.solid)


def printed_by_hand(workshop: Workshop, trial_id: int) -> None:
    """The maker printed the file without a link; what it holds can be read now."""
    with workshop.writing() as session:
        row = get_trial(session, trial_id)
        # Of a plate that broke off, the spool gave what went in when that ended.
        if all(each.state == TrialState.PLANNED for each in mates_of(row)):
            take_from_spool(session, row, 1.0)
        now_printed(mates_of(row))
        for run in prints_of(row)[-1:]:
            if run.state == RunState.HANDED:
                run.state, run.finished_at = RunState.DONE, now()
