"""What is done at a printer besides printing: it is asked after a print that was lost, or looked for at the ports."""

from __future__ import annotations

from dataclasses import replace

from drumbo.core.errors import LinkError
from drumbo.core.run import Heaters, RunState
from drumbo.links.closing import Closing, connect
from drumbo.links.hands import sentence
from drumbo.links.journal import Journal
from drumbo.links.orders import Orders, StopWanted
from drumbo.links.runs import RunOrder
from drumbo.links.talk import Ended, Mute, Talk, Timing


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
        journal.note(state=RunState.DONE, message=sentence(str(error)), heaters=heaters, now=True)
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
