"""The first page: what is going on, what waits to be read, what comes next; and the search."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import ColumnElement, func, or_, select
from sqlalchemy.orm import Session, selectinload

from drumbo.core.catalogue import BY_KEY, FILAMENT
from drumbo.core.catalogue import find as parameters
from drumbo.core.processes import process_of_family
from drumbo.core.run import RUNNING
from drumbo.services.convert import at_c_of, kind_of, plan_of, readings_of, result_of
from drumbo.services.hand_session import MaybeHot, maybe_hot
from drumbo.services.jobs import mates_of, needs_somebody, title_of
from drumbo.services.live import live
from drumbo.services.printer_line import asks_line
from drumbo.services.profiles import Card, card
from drumbo.services.queue import Queue, queues
from drumbo.services.shelf import Spine, find
from drumbo.services.trials import Run, run_of
from drumbo.store.database import Workshop
from drumbo.store.models import MaterialRow, PrinterRow, PrintRow, ProfileRow, TrialRow
from drumbo.trials.plate import titled
from drumbo.trials.trial import TrialState, all_read

SHELF, NEXTS, MOST, RECENT, FOUND = 12, 3, 6, 5, 3


@dataclass(frozen=True, slots=True)
class ActiveRun:
    """A run that is on a printer now, or went wrong there. `asks_line` tells whether its printer can be asked; `share`
    and `left_s` how much is done, by time, and how long the rest takes.
    """

    run: Run
    printer: str
    trial: int
    title: str
    profile: str
    share: float
    left_s: float
    asks_line: bool
    process: str


@dataclass(frozen=True, slots=True)
class Waiting:
    """A trial that waits for the maker: `step` is the leaf to turn to."""

    trial: int
    title: str
    profile: str
    leaf: str
    scores: int


@dataclass(frozen=True, slots=True)
class AtRest:
    """A printer that prints nothing: what is in it as far as anybody said, and its last print, with how that ended."""

    id: int
    name: str
    process: str
    loaded: str
    colour_hex: str
    trial: int | None
    title: str
    state: str
    ended_at: datetime | None


@dataclass(frozen=True, slots=True)
class FoundLast:
    """A result that was adopted: what of, the number in words, and whose it is."""

    trial: int
    name: str
    number: str
    profile: str


@dataclass(frozen=True, slots=True)
class Bench:
    """All for the first page."""

    troubles: tuple[ActiveRun, ...]
    going: tuple[ActiveRun, ...]
    waiting: tuple[Waiting, ...]
    queues: tuple[Queue, ...]
    maybe_hot: tuple[MaybeHot, ...]
    at_rest: tuple[AtRest, ...]
    found: tuple[FoundLast, ...]
    shelf: tuple[Spine, ...]
    nexts: tuple[Card, ...]
    printers: int
    materials: int


def bench(workshop: Workshop) -> Bench:
    """What is going on."""
    with workshop.reading() as session:
        with_papers = (
            selectinload(PrintRow.trial).selectinload(TrialRow.profile), selectinload(PrintRow.printer)
        )  # fmt: skip
        runs = session.scalars(select(PrintRow).where(PrintRow.state.in_(RUNNING)).options(*with_papers))
        going = tuple(_going(r, workshop) for r in runs)
        left = select(PrintRow).where(needs_somebody()).options(*with_papers).order_by(PrintRow.id.desc()).limit(MOST)
        troubles = tuple(_going(r, workshop) for r in session.scalars(left))
        busy = {g.trial for g in going}
        open_trials = session.scalars(
            select(TrialRow)
            .where(TrialRow.state != TrialState.ADOPTED)
            .options(selectinload(TrialRow.profile))
            .order_by(TrialRow.id.desc())
            .limit(12)
        )
        waiting = tuple(_waiting(row) for row in _one_a_job(open_trials, busy))
        at_rest, found = _at_rest(session), _found_last(session)
        printers = len(session.scalars(select(PrinterRow.id)).all())
        materials = len(session.scalars(select(MaterialRow.id)).all())
    shelf = find(workshop, size=SHELF).spines
    nexts = tuple(card(workshop, spine.id) for spine in shelf[:NEXTS])
    return Bench(
        troubles,
        going,
        waiting,
        tuple(queues(workshop)),
        maybe_hot(workshop),
        at_rest,
        found,
        shelf,
        nexts,
        printers,
        materials,
    )


def _at_rest(session: Session) -> tuple[AtRest, ...]:
    """Printers that print nothing, the one that was used last first; no other presets of a machine that prints."""
    ended = func.coalesce(PrintRow.finished_at, PrintRow.started_at)
    lasts = select(func.max(PrintRow.id)).where(PrintRow.state.not_in(RUNNING)).group_by(PrintRow.printer_id)
    at_work = select(PrintRow.printer_id).where(PrintRow.state.in_(RUNNING))
    every = session.scalars(select(PrinterRow)).all()
    printing = set(session.scalars(at_work))
    taken = {sign for row in every if row.id in printing for sign in _signs(row)}
    busy = [row.id for row in every if taken & _signs(row)]
    wanted = (
        select(PrinterRow, MaterialRow, PrintRow, ended)
        .outerjoin(MaterialRow, PrinterRow.loaded_id == MaterialRow.id)
        .outerjoin(PrintRow, (PrintRow.printer_id == PrinterRow.id) & PrintRow.id.in_(lasts))
        .where(PrinterRow.id.not_in(busy))
        .options(selectinload(PrintRow.trial).selectinload(TrialRow.profile))
        .order_by(ended.desc().nulls_last(), PrinterRow.name)
        .limit(MOST)
    )
    return tuple(
        AtRest(
            printer.id, printer.name, printer.spec.get("process", FILAMENT), inside.name if inside else "",
            inside.colour_hex if inside else "", last.trial_id if last else None,
            title_of(last.trial) if last else "", last.state if last else "", at,
        )
        for printer, inside, last, at in session.execute(wanted)
    )  # fmt: skip


def _found_last(session: Session) -> tuple[FoundLast, ...]:
    """What was adopted last; of a pair's trials and of proofs nothing, as one number says little of them."""
    wanted = select(TrialRow).where(TrialRow.state == TrialState.ADOPTED, TrialRow.pair_id.is_(None))
    wanted = wanted.options(selectinload(TrialRow.profile)).order_by(TrialRow.id.desc()).limit(2 * FOUND)
    told = []
    for row in session.scalars(wanted):
        result, parameter = result_of(row), BY_KEY[kind_of(row).sets[0]]
        if result is None or result.value is None or parameter.aside:
            continue
        number = parameter.show(kind_of(row).adopted(result.value))
        half = f" ± {parameter.show_error(result.error)}" if result.error is not None else ""
        told.append(FoundLast(row.id, parameter.name, f"{number}{half} {parameter.unit}".strip(), row.profile.name))
    return tuple(told[:FOUND])


def _signs(row: PrinterRow) -> set[tuple[str, str]]:
    """What tells a machine: presets that share any of it are of the same one."""
    told = {key: str(row.spec.get(key) or "") for key in ("machine", "link_url")}
    return {("id", str(row.id)), *((key, sign) for key, sign in told.items() if sign)}


def _going(row: PrintRow, workshop: Workshop) -> ActiveRun:
    now = live(workshop, row.trial_id) if row.state in RUNNING else None
    run, share, left_s = (now.run, now.share, now.left_s) if now else (run_of(row, workshop), 0.0, 0.0)
    return ActiveRun(run, row.printer.name, row.trial_id, title_of(row.trial), row.trial.profile.name, share,
                 left_s, asks_line(row.printer.spec), row.printer.spec.get("process", FILAMENT))  # fmt: skip


def _one_a_job(rows: Iterable[TrialRow], busy: set[int]) -> Iterator[TrialRow]:
    """Trials that wait for something: of a plate that is not printed yet only one, and none that is being printed."""
    seen: set[int] = set()
    for row in rows:
        mates = {mate.id for mate in mates_of(row)}
        if row.id in seen or (mates & busy):
            continue
        if row.state == TrialState.PLANNED:
            seen |= mates
        yield row


def _waiting(row: TrialRow) -> Waiting:
    chosen, plan, readings = kind_of(row), plan_of(row), readings_of(row)
    leaf = "print" if row.state == TrialState.PLANNED else "adopt" if all_read(chosen, plan, readings) else "read"
    title = title_of(row) if row.state == TrialState.PLANNED else titled(chosen, at_c_of(row))
    return Waiting(row.id, title, row.profile.name, leaf, readings.count())


_LAST: dict[str, tuple[ColumnElement[Any], ...]] = {
    "profile": (ProfileRow.changed_at.desc(), ProfileRow.id.desc()),
    "material": (
        select(func.max(ProfileRow.changed_at)).where(ProfileRow.material_id == MaterialRow.id)
        .scalar_subquery().desc().nulls_last(), MaterialRow.id.desc(),
    ),
    "printer": (
        select(func.max(PrintRow.started_at)).where(PrintRow.printer_id == PrinterRow.id)
        .scalar_subquery().desc().nulls_last(), PrinterRow.id.desc(),
    ),
}  # fmt: skip
"""What was used last comes first."""


@dataclass(frozen=True, slots=True)
class Hit:
    """Something the search found: what it is, its name, and where it is; of a value its key too."""

    what: str
    name: str
    id: int
    key: str = ""


def recent(workshop: Workshop) -> list[Hit]:
    """The profiles that were changed last."""
    with workshop.reading() as session:
        wanted = select(ProfileRow.id, ProfileRow.name).order_by(*_LAST["profile"]).limit(RECENT)
        return [Hit("profile", name, number) for number, name in session.execute(wanted)]


def search(workshop: Workshop, text: str) -> list[Hit]:
    """Profiles, materials and printers whose name holds every word of `text`, the last used first, and values that go
    by these words, in the profile that was changed last; at most 12.
    """
    words = text.split()[:6]
    if not words:
        return []
    hits: list[Hit] = []
    with workshop.reading() as session:
        for what, table in (("profile", ProfileRow), ("material", MaterialRow), ("printer", PrinterRow)):
            wanted = select(table.id, table.name)
            for word in words:
                columns = [table.name.icontains(word, autoescape=True)]
                if table is MaterialRow:
                    columns.append(MaterialRow.spec["maker"].as_string().icontains(word, autoescape=True))
                wanted = wanted.where(or_(*columns))
            found = session.execute(wanted.order_by(*_LAST[what]).limit(6))
            hits += [Hit(what, name, number) for number, name in found]
        newest = session.execute(
            select(ProfileRow.id, MaterialRow.family).join(ProfileRow.material).order_by(ProfileRow.changed_at.desc())
        ).first()
    if newest is not None and all(any(sign.isalpha() for sign in word) for word in words):
        hits += [
            Hit("value", p.name, newest[0], p.key)
            for p in parameters(text, 4, process_of_family(newest[1]).key)
            if p.scope == "profile" and not p.found
        ]
    return hits[:12]
