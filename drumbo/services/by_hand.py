"""A maker's own changes to a profile: a value by hand, doubts put aside, what is the printer's, a change taken back."""

from __future__ import annotations

from dataclasses import asdict, replace

from sqlalchemy import select
from sqlalchemy.orm import selectinload

from drumbo.core.catalogue import BY_KEY, PARAMETERS, process_of
from drumbo.core.errors import InvalidInput, NotFound, NotNow
from drumbo.core.fields import number as read_number
from drumbo.core.processes import AnyPrinter
from drumbo.core.profile import Origin, OriginKind, Value, changed, of_printer
from drumbo.core.profile import still_good as profile_still_good
from drumbo.services.convert import latest, printer_of, profile_of
from drumbo.services.profiles import append, get_row, go_back
from drumbo.store.database import Workshop
from drumbo.store.models import PrinterRow, ProfileRow

LONGEST_NOTE = 1000
BED_LOW_C, BED_HIGH_C = 0.0, 250.0


class ChangedMeanwhile(InvalidInput):
    """Somebody else set the value while it was being typed; `now` is what it is."""

    def __init__(self, now: str) -> None:
        super().__init__("number", f"was set to {now} elsewhere meanwhile; press Set again to have yours")
        self.now = now


def set_value(workshop: Workshop, profile_id: int, key: str, typed: str, was: str | None = None) -> int:
    """One value by hand, as a new revision. Unusual values are taken; the page warns. `was` is what was shown when it
    was typed; ChangedMeanwhile where that is not so any more.
    """
    with workshop.reading() as session:
        held = profile_of(latest(get_row(session, profile_id)))
    name = BY_KEY[key].name.lower() if key in BY_KEY else repr(key[:40])
    if process_of(key) != held.process:
        raise NotFound(f"a {held.process} profile has no {name}")
    number = read_number(key, typed, BY_KEY[key].unit)
    with workshop.writing() as session:
        row = get_row(session, profile_id)
        profile = profile_of(latest(row))
        now = profile.values.get(key)
        if now is not None and now.number == number:
            return latest(row).number
        # Within the transaction, so that nobody comes in between.
        if was is not None and now is not None and f"{now.number:g}" != was:
            raise ChangedMeanwhile(BY_KEY[key].show(now.number))
        value = Value(number, Origin(OriginKind.HAND, f"by hand, revision {latest(row).number + 1}"))
        after = changed(profile, {key: value}, printer_of(row.printer).numbers())
        return append(session, row, after, f"{BY_KEY[key].name} by hand")


def set_plates(workshop: Workshop, profile_id: int, typed: str) -> int:
    """The same bed temperature for every plate, as one new revision."""
    number = read_number("number", typed, "°C")
    keys = [p.key for p in PARAMETERS if p.plate]
    if not BED_LOW_C <= number <= BED_HIGH_C:
        raise InvalidInput("number", f"goes from {BED_LOW_C:g} to {BED_HIGH_C:g} °C")
    with workshop.writing() as session:
        row = get_row(session, profile_id)
        profile = profile_of(latest(row))
        origin = Origin(OriginKind.HAND, f"by hand, revision {latest(row).number + 1}")
        after = changed(profile, {key: Value(number, origin) for key in keys}, printer_of(row.printer).numbers())
        return append(session, row, after, f"all plates at {number:g} °C by hand")


def still_good(workshop: Workshop, profile_id: int, key: str, note: str) -> int:
    """The maker says that a value holds although what it rests on has moved; a new revision says so, with the note."""
    note = note.strip()
    if len(note) > LONGEST_NOTE:
        raise InvalidInput("note", f"is longer than {LONGEST_NOTE} characters")
    with workshop.writing() as session:
        row = get_row(session, profile_id)
        profile = profile_of(latest(row))
        if key not in profile.values or not profile.values[key].recheck:
            raise NotNow("nothing there wants a recheck")
        after = profile_still_good(profile, key, note or "still good", printer_of(row.printer).numbers())
        return append(session, row, after, f"{BY_KEY[key].name} is still good{': ' + note if note else ''}")


def share(workshop: Workshop, profile_id: int, key: str) -> int:
    """Make a profile's value the printer's for all materials. Profiles on it that still have a starting value take it;
    those that measured or set their own keep it. Returns how many took it.
    """
    with workshop.writing() as session:
        row = get_row(session, profile_id)
        profile = profile_of(latest(row))
        if key not in BY_KEY or not BY_KEY[key].shared or key not in profile.values:
            raise NotNow("that belongs to the material; no printer has it for all")
        number = profile.values[key].number
        printer = _set_own(row.printer, {**printer_of(row.printer).own, key: number})
        took = 0
        wanted = select(ProfileRow).where(ProfileRow.printer_id == row.printer_id)
        for other in session.scalars(wanted.options(selectinload(ProfileRow.revisions))):
            held = profile_of(latest(other))
            if other.id == profile_id or held.values[key].origin.kind != OriginKind.START:
                continue
            after = changed(held, {key: of_printer(number, printer)}, printer.numbers())
            append(session, other, after, f"{BY_KEY[key].name} as on {printer.name}, for all materials")
            took += 1
        return took


def unshare(workshop: Workshop, profile_id: int, key: str) -> None:
    """The printer has no value for all materials any more; what profiles hold stays."""
    with workshop.writing() as session:
        row = get_row(session, profile_id)
        own = printer_of(row.printer).own
        if key not in own:
            raise NotNow("the printer has no such value")
        _set_own(row.printer, {k: v for k, v in own.items() if k != key})


def _set_own(row: PrinterRow, own: dict[str, float]) -> AnyPrinter:
    printer = replace(printer_of(row), own=own)
    row.spec = asdict(printer)
    return printer


def undo(workshop: Workshop, profile_id: int) -> int:
    """Take the last change back: what was before it becomes a new revision; nothing is lost."""
    with workshop.writing() as session:
        row = get_row(session, profile_id)
        if len(row.revisions) < 2:
            raise NotNow("there is no change to take back")
        before, gone = row.revisions[-2], row.revisions[-1]
        restored = changed(profile_of(before), {}, printer_of(row.printer).numbers())
        return go_back(session, row, restored, before.number, f"took back revision {gone.number}")
