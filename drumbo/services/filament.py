"""Changing filament step by step: over a session by hand, or in a print that pauses."""

from __future__ import annotations

import math
from dataclasses import asdict, dataclass, replace

from sqlalchemy import func, or_, select
from sqlalchemy.orm import Session, aliased

from drumbo.core.catalogue import FILAMENT
from drumbo.core.errors import InvalidInput, LinkError, NotFound, NotNow
from drumbo.core.filament_change import HEAT_MARGIN_C, STEPS, ChangeStep, FilamentChange
from drumbo.core.material import Material
from drumbo.core.run import RUNNING, RunState
from drumbo.links.journal import LONGEST, entries, last_entry
from drumbo.links.runs import GO_ON, Runs
from drumbo.links.simulated import Load, simulated_reader
from drumbo.services.convert import filament_printer_of, latest, printer_of, profile_of, spool_of
from drumbo.services.hand_session import Hand, hand_of
from drumbo.services.loaded import Loaded, get_printer, named
from drumbo.services.prints import PrintManager
from drumbo.services.spools import keep_loaded
from drumbo.store.database import Workshop
from drumbo.store.models import ChangeRow, MaterialRow, PairRow, PrinterRow, PrintRow, ProfileRow, now
from drumbo.trials import kind

UNLIKE_C = 15.0
"""A file's temperature that is further from what a spool is printed at than this is said, °C."""
BEFORE_BYTES = 200 * LONGEST
"""How far back a journal is read for what was before a pause: some hours of waiting."""


@dataclass(frozen=True, slots=True)
class ChangePage:
    """A change of filament as its page shows it. `ready` is whether the next step can be pressed now."""

    id: int
    printer_id: int
    printer: str
    old: Loaded
    new: Loaded
    step: ChangeStep
    steps: tuple[ChangeStep, ...]
    plan: FilamentChange
    hand: Hand
    ready: bool
    pushed_mm: float
    purged_mm: float
    trial_id: int | None
    goes_on_c: float | None = None
    """At what the print that pauses goes on, °C: its file says so, whatever is in the printer by then."""

    @property
    def advice(self) -> str:
        """What the hand does now."""
        return self.plan.advice(self.step)

    @property
    def unlike(self) -> str:
        """What to think of before the print goes on with a spool that its file was not made for."""
        if self.goes_on_c is None or abs(self.goes_on_c - self.plan.new_c) <= UNLIKE_C:
            return ""
        how = "That is too cold for it: it may clog." if self.goes_on_c < self.plan.new_c else "That is hot for it."
        return (
            f"The print goes on at {self.goes_on_c:g} °C, as its file says; {self.new.name} is printed at about "
            f"{self.plan.new_c:g} °C. {how}"
        )


def begin(workshop: Workshop, room: PrintManager, printer_id: int, material_id: int) -> int:
    """Begin a change to another spool; the nozzle heats. Where a print pauses on the printer it is done there. NotNow
    while it prints, InvalidInput for a spool that cannot be.
    """
    with workshop.reading() as session:
        row = get_printer(session, printer_id)
        if row.spec.get("process", FILAMENT) != FILAMENT:
            raise NotNow("a resin printer has no filament")
        new = session.get(MaterialRow, material_id)
        if new is None or new.spec.get("process", FILAMENT) != FILAMENT:
            raise InvalidInput("material", "choose the spool that is to go in")
        plan = _plan(session, row, new)
        if plan.hot_c > filament_printer_of(row).nozzle_max_c:
            raise InvalidInput("material", f"it takes {plan.hot_c:g} °C, more than the printer may run")
        old_id = row.loaded_id
        paused = _paused(session, workshop, printer_id)
        if paused:
            row_printed = session.get_one(PrintRow, paused[0])
            plan = replace(plan, purges=kind(row_printed.trial.kind).purges)
    run = paused[1] if paused else room.begin_by_hand(printer_id)
    with workshop.writing() as session:
        for old in session.scalars(
            select(ChangeRow).where(ChangeRow.printer_id == printer_id, ChangeRow.ended_at.is_(None))
        ):
            old.step, old.ended_at = ChangeStep.DROPPED, now()
        change = ChangeRow(
            printer_id=printer_id, from_id=old_id, to_id=material_id, print_id=paused[0] if paused else None,
            step=plan.first, plan=asdict(plan), run=run, seen_fed_mm=_fed(workshop, run),
        )  # fmt: skip
        session.add(change)
        session.flush()
        number = change.id
    _tell(room, run, f"heat {plan.hot_c:g}")
    return number


def _plan(session: Session, printer: PrinterRow, new: MaterialRow) -> FilamentChange:
    old = session.get(MaterialRow, printer.loaded_id) if printer.loaded_id is not None else None
    made, material = filament_printer_of(printer), spool_of(new)
    return FilamentChange(
        old_c=None if old is None else _heat(session, printer.id, old),
        new_c=_heat(session, printer.id, new),
        drive=made.drive,
        tube_mm=made.tube_mm,
        old_family=old.family if old is not None else "",
        new_family=new.family,
        abrasive=material.abrasive == "yes",
        took_mm=_took(session, printer.id, old, new),
    )


def _heat(session: Session, printer_id: int, material: MaterialRow) -> float:
    """At what a spool is printed on a printer: its profile's value, or the middle of its label's range."""
    wanted = select(ProfileRow).where(
        ProfileRow.printer_id == printer_id, ProfileRow.material_id == material.id, ProfileRow.archived.is_(False)
    )
    row = session.scalars(wanted.order_by(ProfileRow.id.desc()).limit(1)).first()
    if row is not None:
        return profile_of(latest(row)).number("nozzle_c")
    made = spool_of(material)
    return float(round((made.nozzle_low_c + made.nozzle_high_c) / 2))


def _took(session: Session, printer_id: int, old: MaterialRow | None, new: MaterialRow) -> float | None:
    """How much it takes to come clean: as a trial of the two found, else as it was last time from this spool to that,
    or from its polymer to the other's.
    """
    if old is None:
        return None
    found = _measured(session, printer_id, old, new)
    if found is not None:
        return found
    wanted = select(ChangeRow).where(ChangeRow.printer_id == printer_id, ChangeRow.step == ChangeStep.DONE)
    rows = [row for row in session.scalars(wanted.order_by(ChangeRow.id.desc())) if row.old is not None]
    same = [row for row in rows if (row.from_id, row.to_id) == (old.id, new.id)]
    alike = [row for row in rows if row.old and (row.old.family, row.new.family) == (old.family, new.family)]
    return next((row.purged_mm for row in [*same, *alike]), None)


def _measured(session: Session, printer_id: int, old: MaterialRow, new: MaterialRow) -> float | None:
    """What a trial found for these two spools on this printer."""
    one, other = aliased(ProfileRow), aliased(ProfileRow)
    wanted = select(PairRow, one.material_id).join(one, PairRow.one).join(other, PairRow.other)
    wanted = wanted.where(one.printer_id == printer_id, or_(
        (one.material_id == old.id) & (other.material_id == new.id),
        (one.material_id == new.id) & (other.material_id == old.id),
    ))  # fmt: skip
    for row, first in session.execute(wanted.order_by(PairRow.id.desc())):
        kept = row.values.get("purge_there_mm" if first == old.id else "purge_back_mm")
        if kept is not None:
            return float(kept["number"])
    return None


def _paused(session: Session, workshop: Workshop, printer_id: int) -> tuple[int, str] | None:
    """A print that pauses on the printer: its number and its run."""
    wanted = select(PrintRow).where(PrintRow.printer_id == printer_id, PrintRow.state.in_(RUNNING))
    row = session.scalars(wanted.order_by(PrintRow.id.desc())).first()
    entry = last_entry(Runs(workshop.folder).folder(row.run)) if row is not None and row.run else None
    return (row.id, row.run) if row is not None and entry is not None and entry.state is RunState.PAUSED else None


def change(workshop: Workshop, number: int) -> ChangePage:
    """A change of filament."""
    with workshop.reading() as session:
        row = _change(session, number)
        plan, step = FilamentChange(**row.plan), ChangeStep(row.step)
        hand = hand_of(workshop, row.run)
        hot = hand.nozzle_c is not None and hand.nozzle_c >= plan.hot_c - HEAT_MARGIN_C
        ready = hand.on and not hand.doing and (hot or step is not ChangeStep.HEAT)
        left_out = {ChangeStep.OUT} if plan.old_c is None else set()
        left_out |= set() if plan.purges else {ChangeStep.CLEAN}
        steps = tuple(s for s in STEPS if s not in left_out)
        trial = session.get(PrintRow, row.print_id) if row.print_id is not None else None
        # The file of a pair heats as each of the two wants it.
        alone = trial is not None and trial.trial.pair_id is None
        goes_on_c = _goes_on_at(workshop, row.run) if alone else None
        return ChangePage(
            row.id, row.printer_id, row.printer.name, named(session, row.from_id), named(session, row.to_id), step,
            steps, plan, hand, ready, row.pushed_mm, row.purged_mm, trial.trial_id if trial is not None else None,
            goes_on_c,
        )  # fmt: skip


def _goes_on_at(workshop: Workshop, run: str) -> float | None:
    """What the nozzle is held at when the print goes on, °C: its process knows the file, and what the printer said last
    where the file waits for the printer itself.
    """
    folder = Runs(workshop.folder).folder(run)
    if (last := last_entry(folder)) is not None and last.goes_on_c:
        return last.goes_on_c
    told = [e for e in entries(folder, BEFORE_BYTES) if e.state is RunState.SENDING]
    target = (told[-1].heat or {}).get("nozzle_target_c") if told else None
    return float(target) if target else None


def latest_change(workshop: Workshop, printer_id: int) -> int | None:
    """The change that goes on at a printer, if any."""
    with workshop.reading() as session:
        wanted = select(func.max(ChangeRow.id)).where(ChangeRow.printer_id == printer_id, ChangeRow.ended_at.is_(None))
        return session.scalar(wanted)


def press(workshop: Workshop, room: PrintManager, number: int, action: str) -> None:
    """Somebody has done a step, or wants it once more. NotNow where it cannot go on yet."""
    found = change(workshop, number)
    if found.step.over:
        raise NotNow("this change of filament is over")
    try:
        step, orders = found.plan.press(found.step, action)
    except KeyError:
        raise NotNow("that is no step of it") from None
    if not found.hand.on:
        raise NotNow("the printer has gone cold meanwhile; heat it again")
    if not found.ready:
        raise NotNow("wait until the nozzle is hot" if not found.hand.doing else "wait until the printer is done")
    if found.step is ChangeStep.OUT and action == "next" and found.hand.filament == "in":
        raise NotNow("the printer's sensor still sees filament; pull more, or take it out by hand")
    _count(workshop, number)
    for order in orders:
        _tell(room, _run(workshop, number), order)
    if step is not found.step:
        _turn(workshop, room, found, step)


def _turn(workshop: Workshop, room: PrintManager, found: ChangePage, step: ChangeStep) -> None:
    """To the next step, and what hangs on it."""
    with workshop.writing() as session:
        row = _change(session, found.id)
        row.step = step
        if step is ChangeStep.PUT_IN:
            keep_loaded(session, row.printer, None)
        if step is ChangeStep.LOAD:
            keep_loaded(session, row.printer, row.to_id)
            if row.print_id is not None:
                entry = last_entry(Runs(workshop.folder).folder(row.run))
                row.at_sent = entry.sent if entry is not None else None
        if step is ChangeStep.DONE:
            row.ended_at = now()
            material = spool_of(row.new)
            left = material.left_after(_grams(row.pushed_mm, material))
            if left is not None:
                row.new.spec = {**row.new.spec, material.left_key: left}
        camera, run, in_print = printer_of(row.printer).camera_url, row.run, row.print_id is not None
        spool = Load(row.new.family, row.new.spool_seed, row.new.colour_hex)
    if step is ChangeStep.LOAD and camera:
        simulated_reader(camera).load("spool", spool, clean=False)
    if step is ChangeStep.DONE and not in_print:
        room.runs.order(run, GO_ON)


def _grams(length_mm: float, material: Material) -> float:
    return float(length_mm * math.pi * material.diameter_mm**2 / 4 * material.density_g_cm3 / 1000)


def lift(workshop: Workshop, room: PrintManager, number: int) -> None:
    """The head to where it can be seen; a print that pauses has it aside already."""
    found = change(workshop, number)
    if not found.step.over and found.hand.on:
        _tell(room, _run(workshop, number), "lift")


def heat_again(workshop: Workshop, room: PrintManager, number: int) -> None:
    """After the session ended: another one, hot again, at the same step."""
    found = change(workshop, number)
    if found.step.over or found.hand.on:
        return
    run = room.begin_by_hand(found.printer_id)
    with workshop.writing() as session:
        row = _change(session, number)
        row.run, row.seen_fed_mm, row.print_id = run, 0.0, None
    _tell(room, run, f"heat {found.plan.hot_c:g}")


def drop(workshop: Workshop, room: PrintManager, number: int) -> None:
    """Leave it at that: the session ends cold; a print that pauses goes on waiting."""
    with workshop.writing() as session:
        row = _change(session, number)
        run, in_print = row.run, row.print_id is not None
        if not ChangeStep(row.step).over:
            row.step, row.ended_at = ChangeStep.DROPPED, now()
    if not in_print:
        end(room, run)


def end(room: PrintManager, run: str) -> None:
    """End a session by hand: heaters off, read back."""
    try:
        room.runs.order(run, GO_ON)
    except (NotNow, NotFound):
        return


def _count(workshop: Workshop, number: int) -> None:
    """What was fed since it was counted last belongs to the step that is being left, or done again."""
    with workshop.writing() as session:
        row = _change(session, number)
        fed = _fed(workshop, row.run)
        more, row.seen_fed_mm = fed - row.seen_fed_mm, fed
        if row.step in {ChangeStep.LOAD, ChangeStep.CLEAN, ChangeStep.WIPE}:
            row.pushed_mm = max(row.pushed_mm + more, 0.0)
        if row.step in {ChangeStep.CLEAN, ChangeStep.WIPE}:
            row.purged_mm = max(row.purged_mm + more, 0.0)


def _fed(workshop: Workshop, run: str) -> float:
    entry = last_entry(Runs(workshop.folder).folder(run)) if run else None
    return entry.fed_mm if entry is not None else 0.0


def _run(workshop: Workshop, number: int) -> str:
    with workshop.reading() as session:
        return _change(session, number).run


def _tell(room: PrintManager, run: str, what: str) -> None:
    try:
        room.runs.hand(run, what)
    except LinkError as error:
        raise NotNow(str(error)) from error


def _change(session: Session, number: int) -> ChangeRow:
    row = session.get(ChangeRow, number)
    if row is None:
        raise NotFound(f"there is no change of filament number {number}")
    return row
