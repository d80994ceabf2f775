"""Taking a result in: before and after first, then as a new revision, or into the printer."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import asdict, dataclass, replace
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session, selectinload

from drumbo.core.catalogue import BY_KEY, FILAMENT
from drumbo.core.errors import InvalidInput, LinkError, NotNow
from drumbo.core.gcode.dialects import dialect
from drumbo.core.printer import Printer
from drumbo.core.prior import Joined
from drumbo.core.processes import AnyPrinter
from drumbo.core.profile import (
    Change,
    Origin,
    OriginKind,
    Profile,
    Status,
    Value,
    changed,
    difference,
    resting_on,
    with_basis,
)
from drumbo.core.profile import sectors as sectors_of
from drumbo.links.greeting import tell
from drumbo.links.runs import Runs
from drumbo.services.convert import (
    context_of,
    kind_of,
    latest,
    plan_of,
    printer_of,
    profile_of,
    result_of,
    trial_context,
)
from drumbo.services.printer_line import baud_of
from drumbo.services.prior import all_before, with_before
from drumbo.services.profiles import append, printer_moved
from drumbo.services.trials import get_trial
from drumbo.store.database import Workshop
from drumbo.store.models import PairRow, PrinterRow, ProfileRow, TrialRow
from drumbo.trials.readings import Readings
from drumbo.trials.result import Result
from drumbo.trials.trial import TrialState
from drumbo.trials.way import is_unlike

TRIES = 10
SAY = "history"
"""Among a trial's facts: whether earlier spools have a say in its result."""


@dataclass(frozen=True, slots=True)
class History:
    """What earlier spools would say to a result: who they are, the value by itself and joined with theirs, both as
    adopted, and whether they have a say. A spool that `differs` from them in all that was found of it is better looked
    at by itself.
    """

    who: str
    key: str
    alone: tuple[float, float]
    joined: Joined
    has_say: bool
    differs: bool


@dataclass(frozen=True, slots=True)
class Preview:
    """What adopting would do: before and after, and what changed since the trial was planned.

    `after` is the profile as it would be. For a trial of the printer, `doubted` names profiles whose flow would
    want a recheck, with the flow that does the same afterwards, and `commands` tells the printer.
    """

    changes: tuple[Change, ...]
    after: Profile
    since: tuple[Change, ...]
    leaves_open: tuple[str, ...]
    doubted: tuple[tuple[str, float], ...] = ()
    commands: tuple[str, ...] = ()
    history: History | None = None


def preview(workshop: Workshop, trial_id: int) -> Preview:
    """What adopting would change now. NotNow while there is no value to adopt."""
    with workshop.reading() as session:
        return _preview(session, get_trial(session, trial_id))


def _preview(session: Session, row: TrialRow) -> Preview:
    history = _history(session, row)
    current, new = profile_of(latest(row.profile)), _found(row, history)
    if kind_of(row).scope == "printer":
        return _printer_preview(session, row, current, new)
    if row.pair is not None:
        return Preview(tuple(_of_pair(row.pair, new)), current, (), ())
    printer = printer_of(row.profile.printer)
    after = changed(current, new, printer.numbers())
    planned = context_of(row.profile, row.revision).profile
    still_open = tuple(s.group.name for s in sectors_of(after) if s.known != Status.MEASURED)
    return Preview(difference(current, after), after, difference(planned, current), still_open, history=history)


def _history(session: Session, row: TrialRow) -> History | None:
    """None where nothing was found before, or the trial's result is not one that earlier spools can speak to: values
    that belong together as a curve's do are not moved one by one.
    """
    result, key = result_of(row), kind_of(row).sets[0]
    alone_of_all = row.pair is None and kind_of(row).process == FILAMENT
    if not alone_of_all or result is None or result.value is None or not result.error or result.beyond:
        return None
    said = all_before(session, row.profile, (key,)).get(key)
    value = kind_of(row).changes(plan_of(row), result, trial_context(row, now=True), row.id).get(key)
    if said is None or value is None or not value.error or value.dependency is not None:
        return None
    alone = value.number, value.error
    known = with_before(session, row.profile, context_of(row.profile))
    differs = is_unlike(known, {key: alone})
    return History(said.who, key, alone, said.before.joined(*alone), row.facts.get(SAY, not differs), differs)


def let_history_speak(workshop: Workshop, trial_id: int, *, has_say: bool) -> None:
    """Whether what earlier spools came to has a say in a trial's result. NotNow once that is adopted."""
    with workshop.writing() as session:
        row = _open(get_trial(session, trial_id))
        row.facts = {**row.facts, SAY: has_say}


def _found(row: TrialRow, history: History | None) -> dict[str, Value]:
    """What the result would set. Each value rests on what the trial was printed with, not on what holds by now."""
    result = result_of(row)
    if result is None or result.value is None:
        raise NotNow("there is no result to adopt yet; read the piece first")
    if not kind_of(row).keeps(result):
        raise NotNow(result.says)
    printed = trial_context(row)
    if history is not None and history.has_say:
        result = _with_history(result, history)
    new = kind_of(row).changes(plan_of(row), result, trial_context(row, now=True), row.id)
    if row.pair is not None:
        return new
    first = kind_of(row).sets[0]
    if not result.usable and first in new:
        doubt = f"the range ended too early, and {result.beyond} may be better"
        # Nobody knows how far it is off.
        new[first] = replace(new[first], error=None, doubt=doubt)
    if history is not None and history.has_say:
        new[history.key] = replace(new[history.key], alone=history.alone)
    numbers = {**printed.printer.numbers(), **printed.profile.numbers(), **{k: v.number for k, v in new.items()}}
    held = profile_of(latest(row.profile)).values
    kept = {key: _on_its_curve(value, held.get(key), numbers) for key, value in new.items()}
    return {key: with_basis(value, key, numbers) for key, value in kept.items()}


def _with_history(result: Result, history: History) -> Result:
    """The result with what earlier spools say counted in: in the share by which that moves what is adopted, as some
    kinds keep a margin.
    """
    assert result.value is not None
    assert result.error is not None
    (alone, error), joined = history.alone, history.joined
    moved = result.value * joined.value / alone if alone else result.value + joined.value - alone
    return replace(result, value=moved, error=result.error * joined.error / error)


def _on_its_curve(value: Value, held: Value | None, numbers: Mapping[str, float]) -> Value:
    """A curve that the profile has goes on through a newer value, which was found at `numbers`."""
    law = held.dependency if held is not None else None
    if value.dependency is not None or law is None or law.key not in numbers:
        return value
    return replace(value, dependency=law.through(numbers[law.key], value.number, value.origin.note))


def _printer_preview(session: Session, row: TrialRow, current: Profile, new: dict[str, Value]) -> Preview:
    printer = printer_of(row.profile.printer)
    (key, value), *_ = new.items()
    was = _was(row, printer, key)
    before = None if was is None else Value(was, Origin(OriginKind.HAND, "as it was"))
    doubted = [] if was is None else list(_doubted(session, row.profile.printer_id, key, was, value.number))
    commands = _told_by(printer, key, value.number)
    return Preview((Change(key, before, value),), current, (), (), tuple(doubted), tuple(commands))


def _doubted(session: Session, printer_id: int, key: str, was: float, now: float) -> Iterator[tuple[str, float]]:
    """Profiles whose flow rests on a number of the printer's that moves, with the flow that does the same then."""
    for profile_row in _profiles_on(session, printer_id):
        profile = profile_of(latest(profile_row))
        flow = changed(resting_on(profile, key, was), {}, {key: now}).values.get("flow_ratio")
        if flow is not None and flow.recheck and not profile.values["flow_ratio"].recheck:
            yield profile_row.name, flow.number * was / now


def _told_by(printer: AnyPrinter, key: str, number: float) -> list[str]:
    """The lines that tell a printer a number of its own, and have it kept; none where it takes no such line."""
    words = dialect(printer.dialect) if isinstance(printer, Printer) else None
    word = None if words is None else getattr(words, key.removesuffix("_mm"), None)
    return [] if words is None or word is None else [word.write(number), *([words.keep] if words.keep else [])]


def _was(row: TrialRow, printer: AnyPrinter, key: str) -> float | None:
    """What the printer had when the trial was printed; None where nobody had measured it."""
    known = printer.numbers().get(key)
    return kind_of(row).printer_for(plan_of(row), context_of(row.profile)).get(key) if known is None else known


def _profiles_on(session: Session, printer_id: int) -> list[ProfileRow]:
    wanted = select(ProfileRow).where(ProfileRow.printer_id == printer_id).options(selectinload(ProfileRow.revisions))
    return list(session.scalars(wanted))


def adopt(workshop: Workshop, trial_id: int) -> int:
    """Take the result into the profile as a new revision; returns its number. A printer's result returns 0.

    It is worked out first and kept in a moment's transaction; again, where the profile or the readings moved meanwhile.
    """
    for _ in range(TRIES):
        with workshop.reading() as session:
            row = _open(get_trial(session, trial_id))
            found, seen = _preview(session, row), _state(row)
        with workshop.writing() as session:
            row = _open(get_trial(session, trial_id))
            if _state(row) != seen:
                continue
            if kind_of(row).scope == "printer":
                number = _into_printer(session, row, found)
            elif row.pair is not None:
                number = _into_pair(session, row, found)
            else:
                number = append(session, row.profile, found.after, kind_of(row).title, row.id)
            row.state, row.adopted_revision = TrialState.ADOPTED, number
            return number
    raise NotNow("somebody else changes this profile just now; try again")


def _open(row: TrialRow) -> TrialRow:
    if row.adopted_revision is not None:
        raise NotNow("this result was adopted already")
    return row


def _state(row: TrialRow) -> tuple[object, ...]:
    """What the outcome of adopting hangs on."""
    return latest(row.profile).number, row.profile.printer.spec, row.plan, row.readings, row.facts.get(SAY)


def _into_printer(session: Session, row: TrialRow, found: Preview) -> int:
    change, printer = found.changes[0], row.profile.printer
    assert change.after is not None
    now, result = change.after.number, result_of(row)
    assert result is not None
    facts = kind_of(row).of_printer(plan_of(row), Readings.from_json(row.readings), result)
    held = asdict(printer_of(printer))
    before = {change.key: None if change.before is None else change.before.number}
    row.facts = {**row.facts, "before": {**before, **{key: held[key] for key in facts}}}
    _set(printer, {change.key: now, **facts})
    if change.before is not None:
        was, name = change.before.number, BY_KEY[change.key].name
        printer_moved(session, printer.id, change.key, was, now, f"{name} of {printer.name} changed")
    return 0


def _of_pair(pair: PairRow, new: Mapping[str, Value]) -> Iterator[Change]:
    """What the pair had found before, and what it would have now."""
    for key, value in new.items():
        held = pair.values.get(key)
        was = None if held is None else Value(
            held["number"],
            Origin(OriginKind.TRIAL if held["trial"] else OriginKind.COPY, "found before", held["trial"]),
            held["error"],
        )  # fmt: skip
        yield Change(key, was, value)


def _into_pair(session: Session, row: TrialRow, found: Preview) -> int:
    pair = session.get_one(PairRow, row.pair_id)
    new = {
        change.key: {"number": change.after.number, "error": change.after.error, "trial": row.id}
        for change in found.changes
        if change.after is not None
    }
    row.facts = {**row.facts, "before": {key: pair.values.get(key) for key in new}}
    pair.values = {**pair.values, **new}
    return 0


def _set(printer: PrinterRow, facts: Mapping[str, Any]) -> None:
    printer.spec = asdict(replace(printer_of(printer), **facts))


def take_back(workshop: Workshop, trial_id: int) -> None:
    """Give the printer, or the pair, back what it had before a trial of it was adopted; rechecks that came of it go
    away.
    """
    with workshop.writing() as session:
        row = get_trial(session, trial_id)
        if row.pair_id is not None and row.adopted_revision is not None:
            pair = session.get_one(PairRow, row.pair_id)
            values = {**pair.values, **row.facts["before"]}
            pair.values = {key: kept for key, kept in values.items() if kept is not None}
            row.state, row.adopted_revision = TrialState.PRINTED, None
            return
        if kind_of(row).scope != "printer" or row.adopted_revision is None:
            raise NotNow("there is nothing to take back here")
        printer, key, before = row.profile.printer, kind_of(row).sets[0], row.facts["before"]
        # Trials that were adopted long ago kept the number alone.
        before = before if isinstance(before, dict) else {key: float(before)}
        now, was = printer_of(printer).numbers()[key], before[key]
        _set(printer, before)
        if was is not None:
            printer_moved(session, printer.id, key, now, was, f"{BY_KEY[key].name} of {printer.name} set back")
        row.state, row.adopted_revision = TrialState.PRINTED, None


def tell_printer(workshop: Workshop, trial_id: int) -> str:
    """Send an adopted printer value over the link, and have it kept. LinkError tells what is wrong."""
    with workshop.reading() as session:
        row = get_trial(session, trial_id)
        printer = printer_of(row.profile.printer)
        if row.adopted_revision is None:
            raise NotNow("adopt the result first")
        if not printer.link_url:
            raise InvalidInput("link_url", f"{printer.name} has no link; type the commands at the printer")
        commands = _commands(row, printer)
    if not commands:
        raise LinkError("this firmware takes the value from its configuration file")
    with Runs(workshop.folder).claim(printer.link_url, printer.name):
        tell(printer.link_url, commands, baud_of(printer))
    return f"{printer.name} has it now: {', '.join(commands)}."


def _commands(row: TrialRow, printer: AnyPrinter) -> list[str]:
    key = kind_of(row).sets[0]
    value = printer.numbers().get(key)
    return [] if value is None else _told_by(printer, key, value)
