"""Printers to practise on: simulated ones that Drumbo starts, finds again and ends by itself."""

from __future__ import annotations

import threading
from dataclasses import asdict, replace

from sqlalchemy import select

from drumbo.core.errors import InvalidInput
from drumbo.core.printer import Printer
from drumbo.core.run import RUNNING
from drumbo.links.practice import SimulatedPrinter, answers, start_standin
from drumbo.services.simulated import recall_prints
from drumbo.services.workshop import printers, save_printer
from drumbo.store.archive import FILES
from drumbo.store.database import Workshop
from drumbo.store.models import PrinterRow, PrintRow

PACE = 60.0
"""A tower of two hours takes two minutes."""
IDLE_H = 2.0
"""One that goes on printing when Drumbo ends is not there for ever."""
NAME = "Practice printer"
YES = "yes"


class PracticeHall:
    """The simulated printers of a workshop: each a process, told from a real printer by its page's word alone."""

    def __init__(self, workshop: Workshop, pace: float = PACE) -> None:
        self._workshop, self._pace = workshop, pace
        self._mine: dict[int, SimulatedPrinter] = {}
        self._lock = threading.RLock()

    def add(self, drive: str = "direct") -> int:
        """Start one and add it to the workshop; returns its number. The one there is, where there is one already."""
        # Pressed twice, it starts one.
        with self._lock:
            there = next((number for number, p in printers(self._workshop) if p.practice == YES), None)
            if there is not None:
                self.wake()
                return there
            device = self._start(drive)
            try:
                number = self._keep(device, drive)
            except InvalidInput:
                device.end()
                raise
            self._mine[number] = device
            return number

    def _keep(self, device: SimulatedPrinter, drive: str) -> int:
        """A printer of the workshop for it, under a name that is free."""
        taken = {printer.name for _, printer in printers(self._workshop)}
        name = next(n for k in range(1, 99) if (n := f"{NAME} {k}" if k > 1 else NAME) not in taken)
        made = Printer(name, drive=drive, link_url=device.link_url, camera_url=device.camera_url)
        number = save_printer(self._workshop, asdict(made))
        with self._workshop.writing() as session:
            row = session.get_one(PrinterRow, number)
            row.spec = {**row.spec, "practice": YES}
        return number

    def wake(self) -> int:
        """Start those anew that are not there any more, where they are to be found again; returns how many."""
        woken = 0
        with self._lock:
            for number, printer in printers(self._workshop):
                if not isinstance(printer, Printer) or printer.practice != YES or answers(printer.camera_url):
                    continue
                device = self._start(printer.drive)
                if number in self._mine:
                    self._mine.pop(number).end()
                self._mine[number] = device
                linked = replace(printer, link_url=device.link_url, camera_url=device.camera_url)
                save_printer(self._workshop, asdict(linked), number)
                woken += 1
        if woken:
            recall_prints(self._workshop)
        return woken

    def close(self) -> None:
        """End all that nobody prints on."""
        with self._workshop.reading() as session:
            busy = set(session.scalars(select(PrintRow.printer_id).where(PrintRow.state.in_(RUNNING))))
        with self._lock:
            for number, device in self._mine.items():
                if number not in busy:
                    device.end()
            self._mine.clear()

    def _start(self, drive: str) -> SimulatedPrinter:
        return start_standin(self._pace, drive, (self._workshop.folder / FILES).resolve(), IDLE_H)
