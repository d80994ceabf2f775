"""Printing over a link: begun here, sent by a process of its own, followed by its journal.

The database learns of a print's beginning and its end. In between nothing here is needed: the application may end, be
killed or be kept from its database, and the print goes on.
"""

from __future__ import annotations

import contextlib
import fcntl
import logging
import threading
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from sqlalchemy import ColumnElement, or_, select, update
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from drumbo.core.address import WEB, parse_address
from drumbo.core.errors import InvalidInput, LinkError, NotFound, NotNow
from drumbo.core.gcode.dialects import dialect
from drumbo.core.processes import AnyPrinter
from drumbo.core.run import BROKEN, RUNNING, SURE, UNSURE, Heaters, RunState
from drumbo.core.workshop import Printer
from drumbo.links.greeting import greet
from drumbo.links.hands import factors
from drumbo.links.journal import JournalEntry
from drumbo.links.package import layers_of
from drumbo.links.runs import GO_ON, HAND, OFF, PACKAGE, PAUSE, PRINT, STOP, RunOrder, Runs, count_lines, new_name
from drumbo.links.simulated import simulated_reader
from drumbo.services.convert import baud_of, kind_of, material_of, printer_of, trial_of
from drumbo.services.jobs import done_by, now_printed
from drumbo.services.live import layer_begins, pauses_of
from drumbo.services.pictures import add_picture
from drumbo.services.practice import PracticeHall
from drumbo.services.simulated import spools_of
from drumbo.services.spools import keep_loaded, take_from_spool
from drumbo.services.trials import get_trial
from drumbo.store.database import Workshop
from drumbo.store.models import ChangeRow, PrinterRow, PrintRow, now

log = logging.getLogger(__name__)
FOLLOW_S = 1.0
STOPS_S = 60.0
HAND_WAITS_S = 900.0
"""A printer that is moved by hand goes cold when nobody has asked for anything for so long."""
KILLED = "The program that was sending has ended in the middle of it, so the printer is not watched."


class PrintManager:
    """The prints of a workshop, whichever application began them."""

    def __init__(self, workshop: Workshop, timing: dict[str, float] | None = None) -> None:
        self._workshop = workshop
        self._timing = timing or {}
        self.runs = Runs(workshop.folder)
        self.practice = PracticeHall(workshop)
        self._closing = threading.Event()
        self._follower = threading.Thread(target=self._follow_on, name="prints", daemon=True)
        self._follower.start()

    # -- what people do

    def start(self, trial_id: int, rest_layers: Sequence[int] = ()) -> int:
        """Send a trial's file to its printer, with a pause before each of some layers, from 1 on. NotNow while that one
        is busy, InvalidInput without a link or such a layer, GcodeError where a line of the file is too long.
        """
        self.practice.wake()
        layers = pauses_of(self._workshop, trial_id, rest_layers)
        rests = layer_begins(self._workshop, trial_id, layers) if layers else ()
        with self._workshop.reading() as session:
            trial = get_trial(session, trial_id)
            printer, material = printer_of(trial.profile.printer), trial.profile.material
            printer_id = trial.profile.printer_id
            self._may_start(session, printer_id, printer)
            digest = trial.file_digest
            self._workshop.files.get(digest)
            holder, material_id = material_of(material).holder, material.id
            spools = spools_of(trial)
        job = self._job(printer, self._workshop.files.path(digest).resolve(), rests)
        name = new_name()
        with self.runs.claim(job.url, printer.name) as claimed:
            if printer.camera_url:
                simulated_reader(printer.camera_url).load(holder, *spools)
            try:
                # Until its process is there, nobody may take it for one that did not begin.
                with self._alone(name):
                    run_id = self._write_beginning(trial_id, printer_id, material_id, name, job.total)
                    self.runs.launch(name, job, claimed)
            except LinkError as error:
                self._finish(run_id, JournalEntry(RunState.FAILED, message=str(error), heaters=Heaters.UNTOUCHED))
                raise
            except OSError as error:
                raise LinkError(f"the print cannot begin: {error.strerror} in the data folder") from error
        self.runs.tidy()
        return run_id

    def _write_beginning(self, trial_id: int, printer_id: int, material_id: int, name: str, total: int) -> int:
        """A print begins: the number of its row. What was left open of earlier ones on this printer is dealt with."""
        with self._workshop.writing() as session:
            session.execute(
                update(PrintRow)
                .where(PrintRow.printer_id == printer_id, PrintRow.dealt_at.is_(None), _over())
                .values(dealt_at=now())
            )
            run = PrintRow(trial_id=trial_id, printer_id=printer_id, state=RunState.SENDING, total=total, run=name)
            session.add(run)
            session.flush()
            keep_loaded(session, session.get_one(PrinterRow, printer_id), material_id)
            return run.id

    def _may_start(self, session: Session, printer_id: int, printer: AnyPrinter) -> None:
        if not printer.link_url:
            raise InvalidInput("link_url", f"{printer.name} has no link; give it one, or take the file along")
        busy = select(PrintRow.id).where(PrintRow.printer_id == printer_id, PrintRow.state.in_(RUNNING))
        if session.scalars(busy).first() is not None:
            raise NotNow(f"{printer.name} is printing; wait until it is done, or stop it")

    def _job(self, printer: AnyPrinter, path: Path, rests: Sequence[int] = ()) -> RunOrder:
        web = parse_address(printer.link_url).way == WEB
        return RunOrder(
            PACKAGE if web else PRINT,
            printer.link_url,
            printer.name,
            str(path),
            layers_of(path) if web else count_lines(path),
            park=tuple(printer.park_lines()),
            waits_s=printer.waits_s,
            rests=tuple(rests),
            timing=self._timing,
            **(_over_line(printer) if isinstance(printer, Printer) else {}),
        )

    def stop(self, run_id: int, wait_s: float = 0.0) -> None:
        """Have a run stop; its heaters go off, and its journal says whether the printer confirms it."""
        name = self._name(run_id)
        self.runs.order(name, STOP)
        if wait_s:
            self.join(run_id, wait_s)

    def pause(self, run_id: int) -> None:
        """Have a print rest at the next travel: head up and aside, until somebody has it go on."""
        self.runs.order(self._name(run_id), PAUSE)

    def change_pace(self, run_id: int, speed: float, flow: float) -> None:
        """Print slower or faster, with more or less flow, %, from here on; kept with the print. NotNow while it is
        still at the last such change, or for what is beyond reason.
        """
        factors(f"0 factors {speed:g} {flow:g}")
        self.runs.hand(self._name(run_id), f"factors {speed:g} {flow:g}")

    def go_on(self, run_id: int) -> None:
        """Have a printer that waits for somebody go on."""
        self.runs.order(self._name(run_id), GO_ON)

    def begin_by_hand(self, printer_id: int) -> str:
        """A session in which somebody has the printer heat, feed and move, see `links.hands`; returns its run, maybe of
        one that goes on already. NotNow while the printer prints, or has no line for that.
        """
        with self._workshop.reading() as session:
            row = session.get(PrinterRow, printer_id)
            if row is None:
                raise NotFound(f"there is no printer number {printer_id}")
            printer, kept = printer_of(row), row.hand_run
            self._may_start(session, printer_id, printer)
        if kept and self.runs.at_work(kept):
            return kept
        if not (isinstance(printer, Printer) and asks_line({"link_url": printer.link_url})):
            raise NotNow(f"{printer.name} has no line over which it could be moved by hand")
        waits_s = min(HAND_WAITS_S, printer.waits_s or HAND_WAITS_S)
        job = RunOrder(HAND, printer.link_url, printer.name, limits=limits_of(printer), waits_s=waits_s,
                       timing=self._timing, baud=baud_of(printer))  # fmt: skip
        name = self.runs.begin(job)
        with self._workshop.writing() as session:
            session.execute(update(PrinterRow).where(PrinterRow.id == printer_id).values(hand_run=name))
        return name

    def look_after(self, run_id: int, *, switch_off: bool = True) -> None:
        """Ask a printer what it does, and switch its heaters off. NotNow while it prints."""
        with self._workshop.reading() as session:
            row = _get(session, run_id)
            printer = printer_of(row.printer)
            if row.state in RUNNING:
                raise NotNow("this print goes on; stop it first")
        if not asks_line({"link_url": printer.link_url}):
            raise NotNow(f"{printer.name} cannot be asked over its link; go and look")
        name = new_name()
        with self.runs.claim(printer.link_url, printer.name) as claimed:
            self._write(run_id, {"rescue": name, "heaters": Heaters.ASKING})
            job = RunOrder(OFF, printer.link_url, printer.name, switch_off=switch_off, timing=self._timing,
                      baud=baud_of(printer))  # fmt: skip
            self.runs.launch(name, job, claimed)

    def deal(self, run_id: int) -> None:
        """Somebody has looked at the printer: the print needs nobody any more."""
        self._write(run_id, {"dealt_at": now()})

    def join(self, run_id: int, timeout_s: float) -> None:
        """Wait for a run's end, and for what follows from it."""
        name = self._name(run_id)
        if self.runs.wait(name, timeout_s) is not None:
            self.follow()

    def close(self, *, stop_prints: bool = False) -> list[str]:
        """Let go. Prints go on, unless they are to be stopped: then this waits, and tells what the printers confirm."""
        self._closing.set()
        self._follower.join()
        with self._workshop.reading() as session:
            wanted = select(PrintRow.id, PrintRow.run, PrinterRow.name).join(PrintRow.printer)
            going = session.execute(wanted.where(PrintRow.state.in_(RUNNING))).all()
        if not stop_prints:
            self.practice.close()
            return [f"{printer} goes on printing; drumbo stop ends it." for _, _, printer in going]
        for _, name, _ in going:
            with contextlib.suppress(NotNow, NotFound):
                self.runs.order(name, STOP)
        told = []
        for number, name, printer in going:
            entry = self.runs.wait(name, STOPS_S) if name else None
            sure = entry is not None and entry.heaters in SURE
            told.append(
                f"{printer}: " + ("stopped; it confirms that." if sure else "it does not confirm. Go and look.")
            )
            with contextlib.suppress(OperationalError, NotNow):
                self.join(number, STOPS_S)
        self.practice.close()
        return told

    def _name(self, run_id: int) -> str:
        with self._workshop.reading() as session:
            name = _get(session, run_id).run
        if not name:
            raise NotNow("this print is not running any more")
        return name

    def _write(self, run_id: int, values: dict[str, Any]) -> None:
        with self._workshop.writing() as session:
            session.execute(update(PrintRow).where(PrintRow.id == run_id).values(**values))

    # -- what goes on by itself

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
            self._finish(number, JournalEntry(RunState.LOST, message=KILLED, heaters=Heaters.UNKNOWN))
            return
        entry, gone = self.runs.look(name)
        if entry is not None and not entry.running and entry.heaters:
            self._finish(number, entry)
        elif gone and (entry is None or not entry.at):
            with self._alone(name):
                entry, gone = self.runs.look(name)
            if not gone or (entry is not None and entry.at):
                return  # it was only just beginning
            self._finish(
                number, JournalEntry(RunState.FAILED, message="The print did not begin.", heaters=Heaters.UNTOUCHED)
            )
        elif gone and entry is not None:
            said = f"{KILLED} That was after line {entry.line} of the file." if entry.line else KILLED
            self._finish(
                number,
                JournalEntry(RunState.LOST, entry.sent, entry.total, entry.line, said, entry.heat, Heaters.UNKNOWN),
            )

    def _follow_rescue(self, number: int, name: str) -> None:
        entry, gone = self.runs.look(name)
        if entry is not None and not entry.running and entry.heaters:
            self._write(number, {"heaters": entry.heaters, "heat": entry.heat, "rescue": name})
        elif gone:
            self._write(number, {"heaters": Heaters.UNKNOWN})

    def _finish(self, run_id: int, entry: JournalEntry) -> None:
        """A run has ended: what follows from that, once, whoever sees it first."""
        with self._workshop.reading() as session:
            name = _get(session, run_id).run
        with self._alone(name):
            with self._workshop.reading() as session:
                row = _get(session, run_id)
                if row.state not in RUNNING:
                    return
                trial_id, printer = row.trial_id, printer_of(row.printer)
            if printer.camera_url:
                self._photograph(trial_id, printer.camera_url, _reached(entry))
            self._write_end(run_id, entry)
        if entry.heaters == Heaters.UNKNOWN:
            with contextlib.suppress(NotNow, LinkError, InvalidInput):
                self.look_after(run_id, switch_off=not isinstance(printer, Printer) or printer.after_crash == "off")

    def _write_end(self, run_id: int, entry: JournalEntry) -> None:
        with self._workshop.writing() as session:
            run = _get(session, run_id)
            run.state, run.sent, run.message, run.heaters = entry.state, entry.sent, entry.message, entry.heaters
            run.total, run.elapsed_s = entry.total or run.total, entry.elapsed_s
            run.heat, run.finished_at = entry.heat or run.heat, now()
            run.factors = [list(change) for change in entry.factors]
            _take_from_spools(session, run)
            now_printed(done_by(run.trial, _reached(entry)))

    @contextmanager
    def _alone(self, name: str) -> Iterator[None]:
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


def _over() -> ColumnElement[bool]:
    return PrintRow.state.not_in(RUNNING)


def _get(session: Session, run_id: int) -> PrintRow:
    row = session.get(PrintRow, run_id)
    if row is None:
        raise NotFound(f"there is no print number {run_id}")
    return row


def needs_somebody() -> ColumnElement[bool]:
    """Which prints stay on the bench until somebody has dealt with them: those that went wrong, and those after which
    it is not known that the printer is cold.
    """
    unsure = PrintRow.heaters.in_(UNSURE)
    return _over() & PrintRow.dealt_at.is_(None) & (PrintRow.state.in_(BROKEN) | unsure)


def asks_line(spec: dict[str, Any]) -> bool:
    """Whether a printer has a line over which it can be asked and told."""
    link = str(spec.get("link_url") or "")
    return bool(link) and not link.startswith("http")


def _over_line(printer: Printer) -> dict[str, Any]:
    """What a run needs to know of a printer that is sent line by line."""
    return {
        "baud": baud_of(printer),
        "limits": limits_of(printer),
        "resting": {
            "aside": printer.aside, "highest_mm": printer.height_mm, "standby_c": printer.standby_c,
        },
        "expects": expects_of(printer),
        "pressure_word": pressure_word_of(printer),
    }  # fmt: skip


def limits_of(printer: Printer) -> dict[str, Any]:
    """How far it may go by hand, see `links.hands.Limits`."""
    return {
        "nozzle_max_c": printer.nozzle_max_c, "bed_max_c": printer.bed_max_c, "low": printer.bed_low,
        "high": printer.bed_high, "highest_mm": printer.height_mm,
    }  # fmt: skip


def expects_of(printer: Printer) -> dict[str, float]:
    """What a printer should tell of itself, see `links.self_report`."""
    steps = {"steps_mm": printer.extruder_steps_mm} if printer.extruder_steps_mm else {}
    return {**steps, "accel_mm_s2": printer.accel_mm_s2, "speed_mm_s": printer.speed_max_mm_s}


def pressure_word_of(printer: Printer) -> str:
    """The word by which its page says that pressure advance is set; empty for a dialect without one."""
    setting = dialect(printer.dialect).pressure_advance
    return setting.word if setting is not None else ""


def try_link(workshop: Workshop, printer_id: int) -> str:
    """Greet a printer; LinkError tells what is wrong, NotNow while it prints."""
    with workshop.reading() as session:
        row = session.get(PrinterRow, printer_id)
        printer = printer_of(row) if row is not None else None
    if printer is None or not printer.link_url:
        raise InvalidInput("link_url", "there is no link to test")
    with Runs(workshop.folder).claim(printer.link_url, printer.name):
        if isinstance(printer, Printer):
            said = greet(printer.link_url, baud_of(printer), expects_of(printer), pressure_word_of(printer))
        else:
            said = greet(printer.link_url, baud_of(printer), {}, "")
    return f"It answers{said}."
