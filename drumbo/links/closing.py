"""How every print ends: heaters off, read back, said."""

from __future__ import annotations

import contextlib
import time
from collections.abc import Callable
from dataclasses import dataclass, replace

from drumbo.core.errors import LinkError
from drumbo.core.run import Heaters
from drumbo.links.flight import MARK
from drumbo.links.line import Line
from drumbo.links.talk import Ended, Mute, Talk, Timing
from drumbo.links.words import HeatReport

WORDS_OFF = ("M107", "M104 S0", "M140 S0")
QUICK = b"\nM108\nM410\n"
"""Ends what it waits for, and drops the moves that it has planned; a printer without these words passes over them."""
BLIND = b"\nM104 S0\nM140 S0\n"
"""At once and without numbers, for a printer that may not answer; what it says afterwards is what counts."""
ROUNDS = 6
REOPEN_EVERY_S = 1.0


@dataclass
class Closing:
    """Switches a printer off over its line, opening it again where it broke.

    `connect` opens a line and greets the printer; `tick` as in Talk, but here it ends nothing. `seen` are the heaters
    that it ever reported: a report without one of them proves nothing.
    """

    connect: Callable[[], Talk]
    timing: Timing
    tick: Callable[[], None]
    seen: HeatReport | None = None
    hurry: bool = True

    def finish(
        self, talk: Talk | None, *, quick: bool, park: tuple[str, ...] = ()
    ) -> tuple[Heaters, HeatReport | None]:  # fmt: skip
        """Switch off; returns what is known of the heaters, and the last temperatures."""
        heaters, heats = Heaters.GONE, None
        until = time.monotonic() + self.timing.slow_s
        for _ in range(ROUNDS):
            try:
                talk = talk or self._reopened()
                heaters = Heaters.TOLD
                done = self._switch_off(talk, quick=quick)
                heats = talk.heats or heats
                if done:
                    self._park(talk, park)
                    heaters = Heaters.OFF
            except Mute:
                heaters = Heaters.TOLD
                if talk is not None and talk.heats is not None and self._plainly(talk):
                    heaters, heats = Heaters.OFF, talk.heats
                break
            except LinkError:
                heaters = Heaters.GONE
                if talk is None:
                    break
                _hang_up(talk)
                talk = None
            except Ended:
                # It restarted or halted: a halted one answers nothing more, any other is asked again.
                if talk is None or talk.halted:
                    break
                if self._plainly(talk):
                    heaters, heats = Heaters.OFF, talk.heats
            if heaters == Heaters.OFF or time.monotonic() > until:
                break
        _hang_up(talk)
        return heaters, heats

    def _switch_off(self, talk: Talk, *, quick: bool) -> bool:
        """Tell everything off and look; True where the printer says that it is."""
        talk.calm(replace(self.timing, silence_s=self.timing.answer_s), self.tick, hurry=self.hurry)
        talk.line.write(QUICK * quick + BLIND)
        known = self.seen or talk.most
        tools = [f"M104 T{number} S0" for number, _ in (known.tools if known else ())]
        chamber = ["M141 S0"] if known is not None and known.chamber is not None else []
        talk.deliver([*WORDS_OFF, *tools, *chamber])
        return self.is_off(talk)

    def _plainly(self, talk: Talk) -> bool:
        """Without numbers, for a printer that does not get along with them; True where it says that it is off."""
        with contextlib.suppress(LinkError, Ended):
            talk.reports.clear()
            for words in (*WORDS_OFF, MARK, MARK):
                talk.ask(f"\n{words}\n".encode())
            return self.is_off(talk)
        return False

    def is_off(self, talk: Talk) -> bool:
        """Whether the last two reports say so: one alone may have been hurt on its way."""
        return len(talk.reports) > 1 and all(self._is_off(heats) for heats in talk.reports)

    def _is_off(self, heats: HeatReport) -> bool:
        if heats.all_off is not True:
            return False
        return self.seen is None or len(heats.all) >= len(self.seen.all)

    def _park(self, talk: Talk, park: tuple[str, ...]) -> None:
        """Lift and move aside, where that is wanted. What goes wrong now changes nothing about the heaters."""
        with contextlib.suppress(LinkError, Ended):
            if park:
                talk.deliver([*park, "M400"])

    def _reopened(self) -> Talk:
        """The line again, for as long as it may have gone for a moment only; the LinkError of the last try if not."""
        until = time.monotonic() + self.timing.reopen_s
        while True:
            self.tick()
            try:
                return self.connect()
            except LinkError:
                if time.monotonic() > until:
                    raise
            time.sleep(min(REOPEN_EVERY_S, self.timing.reopen_s / 10))


def _hang_up(talk: Talk | None) -> None:
    if talk is not None:
        talk.line.close()


def connect(url: str, baud: int, timing: Timing, tick: Callable[[], None], *, off: bool = False) -> Talk:
    """Open a line and greet the printer. LinkError where there is none, Mute where nobody answers; with `off` such a
    printer is told to switch off all the same.
    """
    line = Line(url, baud)
    talk = Talk(line, timing, tick)
    try:
        talk.greet()
    except Mute:
        # Whatever it is, it is told; and one that answers, but not to numbers, can be asked without them.
        if off:
            with contextlib.suppress(LinkError):
                line.write(BLIND)
            if talk.heats is not None:
                return talk
        line.close()
        raise
    except BaseException:
        line.close()
        raise
    return talk
