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
from drumbo.core.profile import Origin, OriginKind, Value, changed
from drumbo.core.sure import half_90
from drumbo.services.convert import context_of, latest, readings_of, trial_of
from drumbo.services.prior import all_before, with_before
from drumbo.services.profiles import append, facts_of, get_row
from drumbo.store.database import Workshop
from drumbo.store.models import ProfileRow, TrialRow, now
from drumbo.trials import kind_for
from drumbo.trials.base import AnyKind, Bound
from drumbo.trials.toolkit.expect import expected
from drumbo.trials.trial import TrialState, all_read
from drumbo.trials.way import FAMILIAR, WAYS, Jobs, Way, carried, plan_for, wanted


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
class Standing:
    """Where a profile is on its way: `done` of `total` trials; what is begun; the jobs left, the next one first."""

    way: Way
    done: int
    total: int
    begun: tuple[OnTheWay, ...]
    left: tuple[Job, ...]

    @property
    def over(self) -> bool:
        """Whether nothing is left."""
        return not self.left and not self.begun


def offers(workshop: Workshop, profile_id: int) -> tuple[Offer, ...]:
    """The ways from what the profile knows now, the quick one first."""
    with workshop.reading() as session:
        context = _context(session, profile_id)
    return tuple(Offer(way, _jobs(wanted(way, context), context, way)) for way in WAYS)


def estimate(workshop: Workshop, profile_id: int, slugs: Sequence[str], *, quick: bool) -> dict[str, float | None]:
    """About what so many trials take: seconds, grams and money of all together. InvalidInput for one that cannot be
    printed.
    """
    with workshop.reading() as session:
        context, revision = _context(session, profile_id), latest(get_row(session, profile_id)).number
    facts = [facts_of((workshop.folder, profile_id), (slug, quick), context, revision) for slug in slugs]
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
    with workshop.writing() as session:
        row, context = get_row(session, profile_id), _context(session, profile_id)
        open_now = [kind.slug for kind in wanted(way, context)]
        chosen = [slug for slug in open_now if slug in slugs]
        if not chosen:
            raise InvalidInput("slugs", "are none; pick at least one trial")
        row.way = {"key": key, "slugs": chosen, "since": now().isoformat()}
        if way is FAMILIAR:
            _carry_over(session, row, context)


def _carry_over(session: Session, row: ProfileRow, context: Bound[Any, Any]) -> None:
    """What earlier spools came to, as a revision of its own; what a trial found here or somebody set stays."""
    who = {key: found.who for key, found in all_before(session, row, carried(context)).items()}
    new = {
        key: Value(round(found.mean, BY_KEY[key].decimals) + 0.0, Origin(OriginKind.COPY, who[key]), found.error)
        for key, found in carried(context).items()
        if key in who and context.profile.values[key].origin.kind in {OriginKind.START, OriginKind.LABEL}
    }
    if new:
        after = changed(context.profile, new, context.printer.numbers())
        append(session, row, after, f"as {next(iter(who.values()))}")


def leave(workshop: Workshop, profile_id: int) -> None:
    """The profile is on no way any more; what was found stays."""
    with workshop.writing() as session:
        get_row(session, profile_id).way = None


def standing(workshop: Workshop, profile_id: int) -> Standing | None:
    """Where the profile is on its way; None where it is on none."""
    with workshop.reading() as session:
        row = get_row(session, profile_id)
        if row.way is None:
            return None
        way, slugs, context = _way(row.way["key"]), list(row.way["slugs"]), _context(session, profile_id)
        left = [kind for kind in wanted(way, context) if kind.slug in slugs]
        since = datetime.fromisoformat(row.way["since"])
        trials = select(TrialRow).where(
            TrialRow.profile_id == profile_id, TrialRow.state != TrialState.ADOPTED, TrialRow.created_at >= since
        )
        begun = tuple(_begun(each) for each in session.scalars(trials.order_by(TrialRow.id)) if each.kind in slugs)
        busy = {each.kind for each in session.scalars(trials)}
        rest = [kind for kind in left if kind.slug not in busy]
        return Standing(way, len(slugs) - len(left), len(slugs), begun, _jobs(rest, context, way))


def _context(session: Session, profile_id: int) -> Bound[Any, Any]:
    row = get_row(session, profile_id)
    return with_before(session, row, context_of(row))


def _way(key: str) -> Way:
    way = next((way for way in WAYS if way.key == key), None)
    if way is None:
        raise NotFound(f"there is no way “{key[:40]}”; there are {', '.join(way.key for way in WAYS)}")
    return way


def _jobs(left: Sequence[AnyKind[Any, Any]], context: Bound[Any, Any], way: Way) -> tuple[Job, ...]:
    found = Jobs(context, way.quick).of(left)
    return tuple(
        Job(
            tuple(k.slug for k in job), tuple(k.title for k in job), tuple(_expects(k, context, way) for k in job),
        )
        for job in found
    )  # fmt: skip


def _expects(kind: AnyKind[Any, Any], context: Bound[Any, Any], way: Way) -> str:
    told = expected(kind.slug, getattr(context.printer, "drive", ""), quick=way.quick)
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
