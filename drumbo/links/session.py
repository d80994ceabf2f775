"""A printer by hand: heated, fed and moved while nothing prints, as somebody asks for it.

Nobody may be there any more: where no order comes for `waits_s` all is switched off, read back, and the line let go of.
"""

from __future__ import annotations

import time

from drumbo.core.run import RunState
from drumbo.links.closing import connect
from drumbo.links.flight import MARK
from drumbo.links.hands import Limits, carry_out
from drumbo.links.resting import span
from drumbo.links.sending import Sending
from drumbo.links.talk import Ended


class HandSession(Sending):
    """From greeting to closing, as a print is; in between come orders instead of lines."""

    ends_quickly = True

    @property
    def _waits_for_order(self) -> bool:
        return True

    def _print(self) -> tuple[RunState, str]:
        self._talk = connect(self._job.url, self._job.baud, self._timing, self._tick)
        self._touched = True
        limits, homed, last = Limits.of(self._job.limits), False, time.monotonic()
        while not self._orders.go_on:
            if text := self._orders.hand:
                word = carry_out(text, self._talk, self._journal, limits, self._taken_up, homed=homed)
                homed, last = homed or word in {"home", "lift"}, time.monotonic()
            self._talk.ask(f"{MARK}\n".encode(), self._timing.answer_s)
            if self._talk.silence_s > self._timing.silence_s:
                raise Ended(RunState.LOST, f"The printer has said nothing for {self._talk.silence_s:.0f} s.")
            if self._job.waits_s is not None and time.monotonic() - last > self._job.waits_s:
                return (
                    RunState.DONE,
                    f"No command came for {span(self._job.waits_s)}, so all was switched off.",
                )
        return RunState.DONE, ""
