"""What goes on by itself once a print was begun: its end is written down, its pieces photographed, its spools charged,
and a printer whose sending process is gone is looked after. Once, by whichever application sees it first.
"""

from __future__ import annotations

import contextlib
import fcntl
import logging
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

from sqlalchemy import or_, select, update
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from drumbo.core.errors import InvalidInput, LinkError, NotNow
from drumbo.core.printer import Printer
from drumbo.core.run import RUNNING, Heaters, RunState
from drumbo.links.journal import JournalEntry
from drumbo.links.runs import OFF, RunOrder, Runs
from drumbo.links.simulated import simulated_reader
from drumbo.services.convert import kind_of, printer_of, trial_of
from drumbo.services.jobs import done_by, get_print, now_printed
from drumbo.services.pictures import add_picture
from drumbo.services.printer_line import baud_of
from drumbo.services.spools import take_from_spool
from drumbo.services.trials import get_trial
from drumbo.store.database import Workshop
from drumbo.store.models import ChangeRow, PrinterRow, PrintRow, now

log = logging.getLogger(__name__)
FOLLOW_S = 1.0
KILLED = "The program that was sending has ended in the middle of it, so the printer is not watched."


class PrintFollower:
    """Looks at the journals of a workshop's runs, every second once begun. `look_after` asks a printer what it does,
    and has it switch off.
    """

    def __init__(
        self, workshop: Workshop, runs: Runs, timing: dict[str, float], look_after: Callable[[int, bool], None]
    ) -> None:
        self._workshop, self.runs, self._timing, self._look_after = workshop, runs, timing, look_after
        self._closing = threading.Event()
        self._thread = threading.Thread(target=self._follow_on, name="prints", daemon=True)

    def begin(self) -> None:
        """From now on, in a thread of its own."""
        self._thread.start()

    def close(self) -> None:
        """No more."""
        self._closing.set()
        if self._thread.is_alive():
            self._thread.join()

    def _follow_on(self) -> None:
        while not self._closing.wait(FOLLOW_S):
            try:
                self.follow()
            except Exception:
                # Whatever one print's papers hold, the others are followed.
                log.exception("prints could not be followed")

    def follow(self) -> None:
        """Write down what has ended meanwhile, and look after printers whose sending process is gone."""
        self._follow_hands()
        with self._workshop.reading() as session:
            wanted = select(PrintRow.id, PrintRow.run, PrintRow.state, PrintRow.rescue)
            rows = session.execute(
                wanted.where(or_(PrintRow.state.in_(RUNNING), PrintRow.heaters == Heaters.ASKING))
            ).all()
        for number, name, state, rescue in rows:
            try:
                if state in RUNNING:
                    self._follow_run(number, name)
                else:
                    self._follow_rescue(number, rescue)
            except OperationalError as error:
                # Somebody keeps the database to himself, or the disk is full. Prints do not care; this comes again.
                log.warning("print %s is not written down for now: %s", number, error.orig)

    def _follow_hands(self) -> None:
        """A session by hand whose process is gone has left its printer as it was: it is switched off."""
        with self._workshop.reading() as session:
            wanted = select(PrinterRow).where(PrinterRow.hand_run != "")
            held = [(row.id, row.hand_run, printer_of(row)) for row in session.scalars(wanted)]
        for number, name, printer in held:
            entry, gone = self.runs.look(name)
            if not gone or entry is None or not entry.running:
                continue
            job = RunOrder(OFF, printer.link_url, printer.name, timing=self._timing, baud=baud_of(printer))
            with contextlib.suppress(NotNow, LinkError):
                rescue = self.runs.begin(job)
                with self._workshop.writing() as session:
                    session.execute(update(PrinterRow).where(PrinterRow.id == number).values(hand_run=rescue))

    def _follow_run(self, number: int, name: str) -> None:
        if not name:
            self.finish(number, JournalEntry(RunState.LOST, message=KILLED, heaters=Heaters.UNKNOWN))
            return
        entry, gone = self.runs.look(name)
        if entry is not None and not entry.running and entry.heaters:
            self.finish(number, entry)
        elif gone and (entry is None or not entry.at):
            with self.alone(name):
                entry, gone = self.runs.look(name)
            if not gone or (entry is not None and entry.at):
                return  # it was only just beginning
            self.finish(
                number, JournalEntry(RunState.FAILED, message="The print did not begin.", heaters=Heaters.UNTOUCHED)
            )
        elif gone and entry is not None:
            said = f"{KILLED} That was after line {entry.line} of the file." if entry.line else KILLED
            self.finish(
                number,
                JournalEntry(RunState.LOST, entry.sent, entry.total, entry.line, said, entry.heat, Heaters.UNKNOWN),
            )

    def _follow_rescue(self, number: int, name: str) -> None:
        entry, gone = self.runs.look(name)
        if entry is not None and not entry.running and entry.heaters:
            self._write(number, {"heaters": entry.heaters, "heat": entry.heat, "rescue": name})
        elif gone:
            self._write(number, {"heaters": Heaters.UNKNOWN})

    def finish(self, run_id: int, entry: JournalEntry) -> None:
        """A run has ended: what follows from that, once, whoever sees it first."""
        with self._workshop.reading() as session:
            name = get_print(session, run_id).run
        with self.alone(name):
            with self._workshop.reading() as session:
                row = get_print(session, run_id)
                if row.state not in RUNNING:
                    return
                trial_id, printer = row.trial_id, printer_of(row.printer)
            if printer.camera_url:
                self._photograph(trial_id, printer.camera_url, _reached(entry))
            self._write_end(run_id, entry)
        if entry.heaters == Heaters.UNKNOWN:
            with contextlib.suppress(NotNow, LinkError, InvalidInput):
                self._look_after(run_id, not isinstance(printer, Printer) or printer.after_crash == "off")

    def _write_end(self, run_id: int, entry: JournalEntry) -> None:
        with self._workshop.writing() as session:
            run = get_print(session, run_id)
            run.state, run.sent, run.message, run.heaters = entry.state, entry.sent, entry.message, entry.heaters
            run.total, run.elapsed_s = entry.total or run.total, entry.elapsed_s
            run.heat, run.finished_at = entry.heat or run.heat, now()
            run.factors = [list(change) for change in entry.factors]
            _take_from_spools(session, run)
            now_printed(done_by(run.trial, _reached(entry)))

    def _write(self, run_id: int, values: dict[str, Any]) -> None:
        with self._workshop.writing() as session:
            session.execute(update(PrintRow).where(PrintRow.id == run_id).values(**values))

    @contextmanager
    def alone(self, name: str) -> Iterator[None]:
        """Nobody else, in this application or another one, writes down the end of that run meanwhile."""
        folder = self.runs.folder(name) if name else self.runs.home()
        folder.mkdir(parents=True, exist_ok=True)
        with (folder / "ending").open("a") as file:
            fcntl.flock(file, fcntl.LOCK_EX)
            yield

    def _photograph(self, trial_id: int, camera_url: str, line: int | None) -> None:
        """A picture of each piece that came off the bed. A camera that fails costs the picture, not the print."""
        try:
            with self._workshop.reading() as session:
                mates = [
                    (mate.id, trial_of(mate))
                    for mate in done_by(get_trial(session, trial_id), line)
                    if kind_of(mate).solid
                ]
            for number, trial in mates:
                data, frame = simulated_reader(camera_url, trial.stands.room).picture(trial.piece.view)
                add_picture(self._workshop, number, data, "camera", frame)
        except (LinkError, InvalidInput) as error:
            log.warning("no picture of trial %s: %s", trial_id, error)


def _reached(entry: JournalEntry) -> int | None:
    """The line of the file after which a print broke off; None where it was done."""
    return None if entry.state == RunState.DONE else entry.line


def _take_from_spools(session: Session, run: PrintRow) -> None:
    """What a print took, from the spool that was in at the time: a pause may have changed it, or a feeder."""
    second = run.trial.facts.get("second_share")
    if second and run.trial.pair is not None:
        share = run.sent / max(run.total, 1)
        take_from_spool(session, run.trial, share * (1 - second))
        take_from_spool(session, run.trial, share * second, run.trial.pair.other.material)
        return
    wanted = select(ChangeRow).where(ChangeRow.print_id == run.id, ChangeRow.at_sent.is_not(None))
    changes = session.scalars(wanted.order_by(ChangeRow.at_sent, ChangeRow.id)).all()
    spools = [run.trial.profile.material, *(change.new for change in changes)]
    ends = [*(change.at_sent or 0 for change in changes), run.sent]
    begun = 0
    for spool, end in zip(spools, ends, strict=True):
        take_from_spool(session, run.trial, max(end - begun, 0) / max(run.total, 1), spool)
        begun = end
