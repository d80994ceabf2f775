"""Ways from here to a proven profile: what each takes, the one that a profile is on, and what comes next on it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from drumbo.core.catalogue import BY_KEY
from drumbo.core.errors import InvalidInput, NotFound
from drumbo.core.printer import Printer
from drumbo.core.profile import Origin, OriginKind, Value, changed
from drumbo.core.sure import half_90
from drumbo.services.convert import context_of, latest, profile_of, readings_of, trial_of
from drumbo.services.files import facts_of
from drumbo.services.prior import all_before, with_before
from drumbo.services.profiles import append, get_row
from drumbo.store.database import Workshop
from drumbo.store.models import TrialRow, now
from drumbo.trials import kind_for
from drumbo.trials.base import SomeBound, SomeKind
from drumbo.trials.toolkit.expect import expected
from drumbo.trials.trial import TrialState, all_read
from drumbo.trials.way import FAMILIAR, OWN, WAYS, Jobs, Way, carried, is_open, is_unlike, plan_for, wanted

NOBODYS = {OriginKind.START, OriginKind.LABEL}
"""Values that nobody found or set."""


@dataclass(frozen=True, slots=True)
class Job:
    """One print of a way: the kinds of trials in it, and how surely each is expected to tell its value, in words; empty
    where nobody knows.
    """

    slugs: tuple[str, ...]
    titles: tuple[str, ...]
    expects: tuple[str, ...]

    @property
    def named(self) -> tuple[tuple[str, str, str], ...]:
        """Slug, title and what to expect of each."""
        return tuple(zip(self.slugs, self.titles, self.expects, strict=True))


@dataclass(frozen=True, slots=True)
class Offer:
    """A way that a profile could go from here; what has nothing to do has no jobs."""

    way: Way
    jobs: tuple[Job, ...]

    @property
    def slugs(self) -> tuple[str, ...]:
        """All kinds that it leads through."""
        return tuple(slug for job in self.jobs for slug in job.slugs)


@dataclass(frozen=True, slots=True)
class OnTheWay:
    """A trial of the way that is begun and not done: the leaf that comes next, and its plate, if it has one."""

    id: int
    title: str
    leaf: str
    plate_id: int | None


@dataclass(frozen=True, slots=True)
class WayStanding:
    """Where a profile is on its way: `done` of `total` trials; what is begun; the jobs left, the next one first;
    and whether the spool was found to be unlike the ones before, so that it is looked at by itself.
    """

    way: Way
    done: int
    total: int
    begun: tuple[OnTheWay, ...]
    left: tuple[Job, ...]
    differs: bool = False

    @property
    def over(self) -> bool:
        """Whether nothing is left."""
        return not self.left and not self.begun


def offers(workshop: Workshop, profile_id: int) -> tuple[Offer, ...]:
    """The ways from what the profile knows now, the quick one first."""
    with workshop.reading() as session:
        context = _context(session, profile_id)
    return tuple(Offer(way, _jobs(wanted(way, context), context, way) if is_open(way, context) else ()) for way in WAYS)


def estimate(workshop: Workshop, profile_id: int, slugs: Sequence[str], *, quick: bool) -> dict[str, float | None]:
    """About what so many trials take: seconds, grams and money of all together. InvalidInput for one that cannot be
    printed.
    """
    with workshop.reading() as session:
        context, revision = _context(session, profile_id), latest(get_row(session, profile_id)).number
    kinds = [kind_for(slug, context.profile.process) for slug in slugs]
    facts = [facts_of(kind, plan_for(kind, context, quick=quick), context, revision) for kind in kinds]
    costs = [each["cost"] for each in facts]
    return {
        "seconds": sum(each["seconds"] or 0.0 for each in facts), "grams": sum(each["grams"] or 0.0 for each in facts),
        "cost": None if None in costs else sum(cost or 0.0 for cost in costs),
    }  # fmt: skip


def proposed(workshop: Workshop, profile_id: int, slug: str, *, quick: bool) -> dict[str, Any]:
    """The plan of a trial alone, as a way proposes it: field → what to fill in; what stays empty is left out."""
    with workshop.reading() as session:
        context = _context(session, profile_id)
    plan = plan_for(kind_for(slug, context.profile.process), context, quick=quick)
    return {key: value for key, value in plan.to_json().items() if value is not None}


def begin(workshop: Workshop, profile_id: int, key: str, slugs: Sequence[str]) -> None:
    """Go a way, or the part of it that was picked. NotFound for no such way, InvalidInput where nothing was picked."""
    way = _way(key)
    with workshop.reading() as session:
        context = _context(session, profile_id)
        new = _carried_over(session, profile_id, context) if way is FAMILIAR else {}
    chosen = [kind.slug for kind in wanted(way, context) if kind.slug in slugs and is_open(way, context)]
    if not chosen:
        raise InvalidInput("slugs", "are none; pick at least one trial")
    with workshop.writing() as session:
        row = get_row(session, profile_id)
        row.way = {"key": key, "slugs": chosen, "since": now().isoformat()}
        held = profile_of(latest(row))
        # What a trial found meanwhile, or somebody set, stays.
        open_yet = {k: value for k, value in new.items() if held.values[k].origin.kind in NOBODYS}
        if open_yet:
            who = next(iter(open_yet.values())).origin.note
            append(session, row, changed(held, open_yet, context.printer.numbers()), f"as {who}")


def _carried_over(session: Session, profile_id: int, context: SomeBound) -> dict[str, Value]:
    """What earlier spools came to, for what a familiar material takes from them."""
    taken = carried(context)
    who = {key: found.who for key, found in all_before(session, get_row(session, profile_id), taken).items()}
    return {
        key: Value(round(found.mean, BY_KEY[key].decimals) + 0.0, Origin(OriginKind.COPY, who[key]), found.error)
        for key, found in taken.items()
        if key in who
    }


def leave(workshop: Workshop, profile_id: int) -> None:
    """The profile is on no way any more; what was found stays."""
    with workshop.writing() as session:
        get_row(session, profile_id).way = None


def standing(workshop: Workshop, profile_id: int) -> WayStanding | None:
    """Where the profile is on its way; None where it is on none."""
    with workshop.reading() as session:
        row = get_row(session, profile_id)
        if row.way is None or row.way["key"] not in {way.key for way in WAYS}:
            return None
        way, slugs, context = _way(row.way["key"]), list(row.way["slugs"]), _context(session, profile_id)
        open_now = wanted(way, context)
        # A spool that is not like the ones before is looked at in what was taken from them too.
        slugs += [kind.slug for kind in open_now if way is FAMILIAR and kind.group not in OWN]
        left = [kind for kind in open_now if kind.slug in slugs]
        since = datetime.fromisoformat(row.way["since"])
        trials = select(TrialRow).where(
            TrialRow.profile_id == profile_id, TrialRow.state != TrialState.ADOPTED, TrialRow.created_at >= since,
            TrialRow.kind.in_([kind.slug for kind in left]),
        )  # fmt: skip
        newest = {each.kind: each for each in session.scalars(trials.order_by(TrialRow.id))}
        begun = tuple(_begun(each) for each in sorted(newest.values(), key=lambda each: each.id))
        rest = [kind for kind in left if kind.slug not in newest]
        differs = way is FAMILIAR and is_unlike(context)
        return WayStanding(way, len(slugs) - len(left), len(slugs), begun, _jobs(rest, context, way), differs)


def _context(session: Session, profile_id: int) -> SomeBound:
    row = get_row(session, profile_id)
    return with_before(session, row, context_of(row))


def _way(key: str) -> Way:
    way = next((way for way in WAYS if way.key == key), None)
    if way is None:
        raise NotFound(f"there is no way “{key[:40]}”; there are {', '.join(way.key for way in WAYS)}")
    return way


def _jobs(left: Sequence[SomeKind], context: SomeBound, way: Way) -> tuple[Job, ...]:
    found = Jobs(context, way.quick).of(left)
    return tuple(
        Job(
            tuple(k.slug for k in job), tuple(k.title for k in job), tuple(_expects(k, context, way) for k in job),
        )
        for job in found
    )  # fmt: skip


def _expects(kind: SomeKind, context: SomeBound, way: Way) -> str:
    drive = context.printer.drive if isinstance(context.printer, Printer) else ""
    told = expected(kind.slug, drive, quick=way.quick)
    if told is None:
        return ""
    if told.share:
        return f"± {100 * told.half:.0f} % of the value"
    parameter = BY_KEY[kind.sets[0]]
    return f"± {parameter.show_error(told.half / half_90(1.0))} {parameter.unit}".strip()


def _begun(row: TrialRow) -> OnTheWay:
    trial = trial_of(row)
    leaf = "print"
    if trial.state is TrialState.PRINTED:
        done = all_read(trial.kind, trial.plan, readings_of(row)) and trial.result is not None
        leaf = "adopt" if done and trial.result is not None and trial.result.value is not None else "read"
    return OnTheWay(row.id, trial.kind.title, leaf, row.plate_id)
