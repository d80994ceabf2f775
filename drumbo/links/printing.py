"""The process that sends: `python -m drumbo.links.printing FOLDER`, with the folder of a run.

It is small and knows nothing of the application: no database, no pages, none of the scientific packages. Whatever
happens, also to itself, ends in the same closing: heaters off, read back, said in the journal.
"""

from __future__ import annotations

import os
import signal
import sys
import time
import traceback
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

from drumbo.core.errors import DrumboError, LinkError
from drumbo.core.run import Heaters, RunState
from drumbo.links.closing import Closing, connect
from drumbo.links.flight import Flight
from drumbo.links.journal import Journal
from drumbo.links.lines import FileLines
from drumbo.links.modal import Modal
from drumbo.links.resting import Part, Resting, Waiting, span, until
from drumbo.links.runs import GO_ON, LOOK, OFF, ORDER_BYTES, ORDERS, PACKAGE, PAUSE, STOP, RunOrder
from drumbo.links.talk import Ended, Mute, Talk, Timing

ORDERS_EVERY_S = 0.1


class StopWanted(Exception):
    """Somebody wants the print to end."""


class Orders:
    """What this process is told from outside: by its orders, or by a signal of the system."""

    def __init__(self, folder: Path) -> None:
        self._file = os.open(folder / ORDERS, os.O_RDONLY)
        self._looked = 0.0
        self.stop = self.go_on = self.pause = False
        self.why = ""
        for number in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP):
            signal.signal(number, self._signalled)

    def _signalled(self, number: int, _frame: object) -> None:
        self.stop = True
        self.why = f"The sending process was told to end ({signal.Signals(number).name})."

    def look(self) -> None:
        """Read them, ten times a second at most."""
        now = time.monotonic()
        if now - self._looked < ORDERS_EVERY_S:
            return
        self._looked = now
        try:
            what = os.pread(self._file, ORDER_BYTES, 0).strip().decode("ascii", "replace")
        except OSError:
            return
        self.stop = self.stop or what == STOP
        self.go_on, self.pause = what == GO_ON, what == PAUSE

    def done(self, folder: Path) -> None:
        """What was told was done, so that it may be told again."""
        self.go_on = self.pause = False
        try:
            handle = os.open(folder / ORDERS, os.O_RDWR)
            os.pwrite(handle, b" " * ORDER_BYTES, 0)
            os.close(handle)
        except OSError:
            pass


class Sending:
    """One print over a line, from greeting to closing."""

    def __init__(self, folder: Path, job: RunOrder, journal: Journal, orders: Orders) -> None:
        self._folder, self._job, self._journal, self._orders = folder, job, journal, orders
        self._timing = Timing(**job.timing)
        self._talk: Talk | None = None
        self._lines: FileLines | None = None
        self._flight: Flight | None = None
        self._part: Part | None = None
        self._modal, self._followed = Modal(), 0
        self._resting = Resting(**job.resting)
        self._sends = self._wants_rest = False
        self._wait: Waiting | None = None
        self._says = ""
        self._touched = False
        self._waits_since: float | None = None
        self._waits_at = 0

    def run(self) -> None:
        """Print, and close down whatever comes."""
        try:
            state, message = self._print()
        except Ended as ended:
            state, message = ended.state, self._where(ended.message)
        except StopWanted:
            state, message = RunState.STOPPED, self._orders.why
        except LinkError as error:
            state = RunState.LOST if self._touched else RunState.FAILED
            message = self._where(_sentence(str(error))) if self._touched else _sentence(str(error))
        except DrumboError as error:
            state, message = RunState.FAILED, _sentence(str(error))
        except BaseException as error:
            traceback.print_exc()
            state, message = RunState.FAILED, self._where(f"Drumbo itself failed ({type(error).__name__}: {error}).")
        self._end(state, message)

    def _where(self, message: str) -> str:
        if self._lines is None or not self._taken():
            return message
        return f"{message} That was after line {self._lines.number(self._taken() - 1)} of the file."

    def _taken(self) -> int:
        """Lines of the file that the printer has taken."""
        return self._part.first + self._flight.places if self._flight and self._part else 0

    def _print(self) -> tuple[RunState, str]:
        self._lines = FileLines(Path(self._job.file))
        self._journal.note(total=len(self._lines), now=True)
        self._talk = connect(self._job.url, self._job.baud, self._timing, self._tick)
        self._touched = True
        rests = [self._lines.place(number) for number in self._job.rests]
        first = 0
        while True:
            self._send_part(first, rests)
            first = self._taken()
            if first >= len(self._lines):
                return RunState.DONE, ""
            self._rest(planned=first in rests)

    def _send_part(self, first: int, rests: Sequence[int]) -> None:
        """Send the file from a place on, up to its end, the next rest, or where somebody has it pause."""
        assert self._talk is not None
        assert self._lines is not None
        part = Part(self._lines, first)
        stop = until(rests, first)
        if stop is not None:
            part.end(stop)
        if first:
            self._talk.number()
        self._part, self._flight = part, self._talk.flight(part)
        self._sends = True
        self._talk.send(self._flight)
        self._sends = False

    def _rest(self, *, planned: bool) -> None:
        """Leave the piece, wait for somebody, and take the print up again."""
        assert self._talk is not None
        assert self._lines is not None
        place = self._taken()
        self._modal.follow(self._lines[k] for k in range(self._followed, place))
        self._followed = place
        self._says = "Lifting the head and moving it aside."
        self._talk.deliver(self._resting.away(self._modal))
        self._orders.done(self._folder)
        self._wants_rest = False
        self._wait = Waiting(self._talk, self._timing, self._job.waits_s)
        self._says = "It pauses here, as planned." if planned else "Paused."
        while not self._orders.go_on:
            self._wait.look()
        self._orders.done(self._folder)
        self._wait, self._says = None, "Taking the print up again."
        self._talk.deliver(self._resting.back(self._modal))
        self._says = ""

    def _tick(self) -> None:
        """Ten times a second: orders, and the journal."""
        self._orders.look()
        if self._orders.stop:
            raise StopWanted
        talk = self._talk
        if talk is None:
            return
        if self._orders.go_on and self._wait is None:
            self._orders.done(self._folder)
            talk.go_on()
        if self._orders.pause:
            self._orders.done(self._folder)
            self._wants_rest = self._wait is None
        if self._wants_rest and self._sends:
            self._pause()
        told = (self._says, self._wait.says if self._wait else "", talk.waits_for, self._patience(talk))
        said = " ".join(filter(None, (*told, self._silence(talk)))) or talk.note
        self._note(RunState.PAUSED if talk.waits_for or self._wait else RunState.SENDING, said)

    def _pause(self) -> None:
        """Somebody wants it to rest: send no more than what is on its way, up to the next travel."""
        assert self._part is not None
        assert self._flight is not None
        self._part.cut(self._flight.drawn)
        self._wants_rest = False
        self._says = "Pausing once the printer has done what it was sent."

    def _patience(self, talk: Talk) -> str:
        """For how long it may still wait, hot and with nobody there; past that the print is ended."""
        now = time.monotonic()
        if self._taken() != self._waits_at:
            # Only lines that are taken show that it went on: an answer in between does not.
            self._waits_since, self._waits_at = None, self._taken()
        if not talk.waits_for:
            return ""
        self._waits_since = self._waits_since or now
        if self._job.waits_s is None:
            return ""
        left = self._waits_since + self._job.waits_s - now
        if left <= 0:
            raise Ended(RunState.FAILED, f"It waited {span(self._job.waits_s)} for somebody, hot, and nobody came.")
        return f"It stays hot for {span(left)} more; then the print is ended."

    def _silence(self, talk: Talk) -> str:
        quiet = talk.silence_s
        return f"The printer has said nothing for {quiet:.0f} s." if quiet > self._timing.told_s else ""

    def _note(self, state: RunState, message: str, *, now: bool = False) -> None:
        taken = self._taken()
        self._journal.note(
            state=state, message=message, sent=taken, now=now,
            line=self._lines.number(taken - 1) if taken and self._lines else 0,
            heat=self._talk.heats.to_json() if self._talk and self._talk.heats else self._journal.last.heat,
        )  # fmt: skip

    def _end(self, state: RunState, message: str) -> None:
        """Heaters off, read back, said; then nothing more."""
        heaters = Heaters.UNTOUCHED
        if self._touched:
            self._note(RunState.STOPPING, f"{message} Switching the heaters off.".strip(), now=True)
            try:
                heaters = self._close(state)
            except BaseException:
                traceback.print_exc()
                heaters = Heaters.TOLD
        elif self._talk is not None:
            self._talk.line.close()
        self._journal.note(state=state, message=message, sent=self._taken(), heaters=heaters, now=True)

    def _close(self, state: RunState) -> Heaters:
        def tick() -> None:
            self._note(RunState.STOPPING, self._journal.last.message)

        seen = self._talk.most if self._talk else None
        closing = Closing(
            lambda: connect(self._job.url, self._job.baud, self._timing, tick, off=True),
            self._timing, tick, seen, hurry=state != RunState.DONE,
        )  # fmt: skip
        if state == RunState.DONE and self._talk is not None:
            try:
                # What is planned is printed before anything goes cold, and mostly the file has switched off by itself.
                self._talk.calm(self._timing, tick)
                self._talk.deliver(["M400"])
                if closing.is_off(self._talk):
                    self._talk.line.close()
                    self._journal.note(heat=self._talk.heats.to_json() if self._talk.heats else None)
                    return Heaters.OFF
            except (Ended, LinkError) as error:
                traceback.print_exception(error)
        park = self._job.park if state in {RunState.STOPPED, RunState.FAILED} and self._taken() else ()
        heaters, heats = closing.finish(self._talk, quick=state != RunState.DONE, park=park)
        if heats is not None:
            self._journal.note(heat=heats.to_json())
        return heaters


def _sentence(text: str) -> str:
    return text[:1].upper() + text[1:] + ("" if text.endswith((".", "!", "?")) else ".")


def look_after(job: RunOrder, journal: Journal) -> None:
    """After a print whose process is gone: ask the printer, and switch it off where that is wanted."""
    timing = Timing(**job.timing)

    def tick() -> None:
        journal.note(state=RunState.STOPPING, message=journal.last.message or "Asking the printer.")

    def again() -> Talk:
        return connect(job.url, job.baud, timing, tick, off=job.switch_off)

    tick()
    try:
        talk = again()
    except (LinkError, Ended) as error:
        heaters = Heaters.GONE
        if isinstance(error, Mute | Ended):
            heaters = Heaters.TOLD if job.switch_off else Heaters.UNKNOWN
        journal.note(state=RunState.DONE, message=_sentence(str(error)), heaters=heaters, now=True)
        return
    heats = talk.heats
    said = f"It answers: {heats.says}." if heats else "It answers, and tells no temperatures."
    told = heats.to_json() if heats else None
    if not job.switch_off:
        talk.line.close()
        off = Closing(again, timing, tick, talk.most).is_off(talk)
        journal.note(
            state=RunState.DONE, message=said, heaters=Heaters.OFF if off else Heaters.UNKNOWN, heat=told, now=True
        )
        return
    journal.note(state=RunState.STOPPING, message=said, heat=told, now=True)
    heaters, last = Closing(again, timing, tick, talk.most).finish(talk, quick=True)
    journal.note(state=RunState.DONE, message=said, heaters=heaters, heat=last.to_json() if last else told, now=True)


def look_around(job: RunOrder, journal: Journal, orders: Orders) -> None:
    """Try ports at the usual speeds."""
    from drumbo.links.ports import TRY, USUAL, look_at  # noqa: PLC0415 - lists the system's devices, which is rarely wanted

    def tick(said: str) -> None:
        journal.note(state=RunState.SENDING, message=said)
        orders.look()
        if orders.stop:
            raise StopWanted

    try:
        found, failed = look_at(job.ports, USUAL, tick, replace(TRY, **job.timing))
    except StopWanted:
        journal.note(state=RunState.STOPPED, message="Stopped.", heaters=Heaters.UNTOUCHED, now=True)
        return
    journal.note(state=RunState.DONE, message=" ".join(failed), heaters=Heaters.UNTOUCHED, found=tuple(found), now=True)


def main(folder: Path) -> None:
    """Do a run's job."""
    orders, journal, job = Orders(folder), Journal(folder), RunOrder.read(folder)
    journal.note(total=job.total, now=True)
    try:
        if job.kind == PACKAGE:
            from drumbo.links.package import print_package  # noqa: PLC0415 - HTTP is more than G-code needs

            print_package(job, journal, orders)
        elif job.kind == OFF:
            look_after(job, journal)
        elif job.kind == LOOK:
            look_around(job, journal, orders)
        else:
            Sending(folder, job, journal, orders).run()
    except BaseException as error:
        journal.note(
            state=RunState.FAILED, message=f"Drumbo itself failed ({type(error).__name__}: {error}).", now=True
        )
        raise
    finally:
        journal.close()


if __name__ == "__main__":
    main(Path(sys.argv[1]))
