"""One print over a line, from greeting to closing: its pauses, its waits, its orders, a line that breaks."""

from __future__ import annotations

import time
import traceback
from collections.abc import Sequence
from pathlib import Path

from drumbo.core.errors import DrumboError, LinkError, NotNow
from drumbo.core.run import Heaters, RunState
from drumbo.links.closing import Closing, connect
from drumbo.links.flight import Flight
from drumbo.links.hands import MOST_FACTORS, MOVES, PLAIN, Limits, carry_out, factors, sentence
from drumbo.links.journal import Journal
from drumbo.links.lines import FileLines
from drumbo.links.modal import Modal
from drumbo.links.orders import Orders, StopWanted
from drumbo.links.resting import Excerpt, Resting, RestWatch, span, until
from drumbo.links.runs import RunOrder
from drumbo.links.self_report import differences
from drumbo.links.talk import Ended, Talk, Timing


class Sending:
    """One print over a line, from greeting to closing."""

    ends_quickly = False
    """Whether what is planned is dropped at a good end too, rather than done before anything goes cold."""

    def __init__(self, folder: Path, job: RunOrder, journal: Journal, orders: Orders) -> None:
        self._folder, self._job, self._journal, self._orders = folder, job, journal, orders
        self._timing = Timing(**job.timing)
        self._talk: Talk | None = None
        self._lines: FileLines | None = None
        self._flight: Flight | None = None
        self._part: Excerpt | None = None
        self._modal, self._followed = Modal(), 0
        self._resting = Resting(**job.resting)
        self._sends = self._wants_rest = False
        self._wait: RestWatch | None = None
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
            message = self._where(sentence(str(error))) if self._touched else sentence(str(error))
        except DrumboError as error:
            state, message = RunState.FAILED, sentence(str(error))
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
        self._talk.note = " ".join(differences(self._talk.texts, self._job.expects, self._job.pressure_word))
        rests = [self._lines.place(number) for number in self._job.rests]
        first = 0
        while True:
            self._send_part(first, rests)
            first = self._taken()
            if first >= len(self._lines):
                if self._journal.last.factors:
                    self._talk.deliver(PLAIN)
                return RunState.DONE, ""
            self._rest(planned=first in rests)

    def _send_part(self, first: int, rests: Sequence[int]) -> None:
        """Send the file from a place on, up to its end, the next rest, or where somebody has it pause."""
        assert self._talk is not None
        assert self._lines is not None
        part = Excerpt(self._lines, first)
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
        self._journal.note(goes_on_c=self._modal.nozzle)
        self._says = "Lifting the head and moving it aside."
        self._talk.deliver(self._resting.away(self._modal))
        self._orders.done(self._folder)
        self._wants_rest = False
        self._wait = RestWatch(self._talk, self._timing, self._job.waits_s)
        self._says = "It pauses here, as planned." if planned else "Paused."
        while not self._orders.go_on:
            self._wait.look()
            if self._orders.hand:
                limits = Limits.of(self._job.limits)
                carry_out(self._orders.hand, self._talk, self._journal, limits, self._taken_up, MOVES)
                # It may be hot again, and somebody is there: the time that it may stay so begins anew.
                self._wait = RestWatch(self._talk, self._timing, self._job.waits_s)
        self._orders.done(self._folder)
        self._wait, self._says = None, "Taking the print up again."
        self._talk.deliver(self._resting.back(self._modal))
        self._says = ""
        self._journal.note(goes_on_c=0.0)

    def _taken_up(self) -> None:
        self._orders.done(self._folder)

    @property
    def _waits_for_order(self) -> bool:
        """Whether to go on is for this process, and not for a printer that waits by itself."""
        return self._wait is not None

    def _tick(self) -> None:
        """Ten times a second: orders, and the journal."""
        self._orders.look()
        if self._orders.stop:
            raise StopWanted
        talk = self._talk
        if talk is None:
            return
        if self._orders.go_on and not self._waits_for_order:
            self._orders.done(self._folder)
            talk.go_on()
        if self._orders.pause:
            self._orders.done(self._folder)
            self._wants_rest = self._wait is None
        if self._wants_rest and self._sends:
            self._pause()
        if self._orders.hand and not self._waits_for_order:
            self._change_pace(self._orders.hand)
        told = (self._says, self._wait.says if self._wait else "", talk.waits_for, self._patience(talk))
        said = " ".join(filter(None, (*told, self._silence(talk)))) or talk.note
        self._note(RunState.PAUSED if talk.waits_for or self._wait else RunState.SENDING, said)

    def _change_pace(self, text: str) -> None:
        """Somebody wants it slower or faster, or with more or less flow; anything else waits for a pause."""
        digits = text.partition(" ")[0]
        number = int(digits) if digits.isdecimal() else self._journal.last.did
        self._orders.done(self._folder)
        try:
            asked = factors(text)
            if asked is None or self._flight is None or not self._sends:
                raise NotNow("while it prints only its speed and flow can be changed; pause it first")
        except NotNow as error:
            self._journal.note(did=number, refused=sentence(str(error)), now=True)
            return
        _, speed, flow = asked
        self._flight.add([f"M220 S{speed:g}", f"M221 S{flow:g}"])
        line = self._lines.number(self._taken() - 1) if self._lines and self._taken() else 0
        told = (*self._journal.last.factors, (line, speed, flow))[-MOST_FACTORS:]
        self._journal.note(did=number, refused="", factors=told, now=True)

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
        quick = self.ends_quickly or state != RunState.DONE
        closing = Closing(
            lambda: connect(self._job.url, self._job.baud, self._timing, tick, off=True),
            self._timing, tick, seen, hurry=quick,
        )  # fmt: skip
        if not quick and self._talk is not None:
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
        plain = PLAIN if self._journal.last.factors else ()
        park = self._job.park if state in {RunState.STOPPED, RunState.FAILED} and self._taken() else ()
        heaters, heats = closing.finish(self._talk, quick=quick, park=(*plain, *park))
        if heats is not None:
            self._journal.note(heat=heats.to_json())
        return heaters
