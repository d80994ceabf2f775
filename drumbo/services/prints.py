"""Printing over a link: begun here, sent by a process of its own, followed by its journal (`print_follower`).

The database learns of a print's beginning and its end. In between nothing here is needed: the application may end, be
killed or be kept from its database, and the print goes on.
"""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from sqlalchemy import select, update
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from drumbo.core.address import WEB, parse_address
from drumbo.core.errors import InvalidInput, LinkError, NotFound, NotNow
from drumbo.core.printer import Printer
from drumbo.core.processes import AnyPrinter
from drumbo.core.run import RUNNING, SURE, Heaters, RunState
from drumbo.links.hands import factors
from drumbo.links.journal import JournalEntry
from drumbo.links.package import layers_of
from drumbo.links.runs import GO_ON, HAND, OFF, PACKAGE, PAUSE, PRINT, STOP, RunOrder, Runs, count_lines, new_name
from drumbo.links.simulated import simulated_reader
from drumbo.services.convert import material_of, printer_of
from drumbo.services.jobs import get_print, is_over
from drumbo.services.live import layer_begins, pauses_of
from drumbo.services.practice import PracticeHall
from drumbo.services.print_follower import PrintFollower
from drumbo.services.printer_line import asks_line, baud_of, limits_of, over_line
from drumbo.services.simulated import spools_of
from drumbo.services.spools import keep_loaded
from drumbo.services.trials import get_trial
from drumbo.store.database import Workshop
from drumbo.store.models import PrinterRow, PrintRow, now

STOPS_S = 60.0
HAND_WAITS_S = 900.0
"""A printer that is moved by hand goes cold when nobody has asked for anything for so long."""


class PrintManager:
    """The prints of a workshop, whichever application began them."""

    def __init__(self, workshop: Workshop, timing: dict[str, float] | None = None) -> None:
        self._workshop = workshop
        self._timing = timing or {}
        self.runs = Runs(workshop.folder)
        self.practice = PracticeHall(workshop)
        self._follower = PrintFollower(
            workshop, self.runs, self._timing, lambda run_id, off: self.look_after(run_id, switch_off=off)
        )
        self._follower.begin()

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
                with self._follower.alone(name):
                    run_id = self._write_beginning(trial_id, printer_id, material_id, name, job.total)
                    self.runs.launch(name, job, claimed)
            except LinkError as error:
                self._follower.finish(
                    run_id, JournalEntry(RunState.FAILED, message=str(error), heaters=Heaters.UNTOUCHED)
                )
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
                .where(PrintRow.printer_id == printer_id, PrintRow.dealt_at.is_(None), is_over())
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
            **(over_line(printer) if isinstance(printer, Printer) else {}),
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
            row = get_print(session, run_id)
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

    def follow(self) -> None:
        """Write down what has ended meanwhile, and look after printers whose sending process is gone."""
        self._follower.follow()

    def close(self, *, stop_prints: bool = False) -> list[str]:
        """Let go. Prints go on, unless they are to be stopped: then this waits, and tells what the printers confirm."""
        self._follower.close()
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
            name = get_print(session, run_id).run
        if not name:
            raise NotNow("this print is not running any more")
        return name

    def _write(self, run_id: int, values: dict[str, Any]) -> None:
        with self._workshop.writing() as session:
            session.execute(update(PrintRow).where(PrintRow.id == run_id).values(**values))
