"""The lamp of a resin printer, lit for some seconds to be looked at."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from drumbo.core.errors import InvalidInput, LinkError, NotFound
from drumbo.core.fields import Field, read_all
from drumbo.core.resin import ResinPrinter
from drumbo.links.lamp import light_up, stays_lit_s
from drumbo.links.runs import Runs
from drumbo.services.workshop import printer as find_printer
from drumbo.store.database import Workshop

SECONDS = Field("seconds", "Lit for", "s", low=1, high=20, step=1)
USUAL_S = 4.0


@dataclass(frozen=True, slots=True)
class LampNow:
    """What a printer says of its lamp: how much longer it is lit, s; None where it does not say. `trouble` is why it
    could not be asked.
    """

    left_s: float | None
    trouble: str = ""

    @property
    def lit(self) -> bool:
        """Whether it is lit, as far as is known."""
        return bool(self.left_s)


def begin(workshop: Workshop, printer_id: int, typed: Mapping[str, str], *, clear: bool) -> LampNow:
    """Light the whole screen. InvalidInput names the field, NotNow while it prints, LinkError where it does not."""
    seconds = float(read_all((SECONDS,), typed)["seconds"] or USUAL_S)
    if not clear:
        raise InvalidInput("clear", "say that vat and plate are off: what is in the vat would set in a sheet")
    printer = _printer(workshop, printer_id)
    with Runs(workshop.folder).claim(printer.link_url, printer.name):
        return LampNow(light_up(printer.link_url, seconds))


def out(workshop: Workshop, printer_id: int) -> LampNow:
    """Put it out before its time."""
    try:
        return LampNow(light_up(_printer(workshop, printer_id).link_url, 0.0))
    except LinkError as error:
        return LampNow(None, str(error))


def now(workshop: Workshop, printer_id: int) -> LampNow:
    """What the printer says of it."""
    try:
        return LampNow(stays_lit_s(_printer(workshop, printer_id).link_url))
    except LinkError as error:
        return LampNow(None, str(error))


def _printer(workshop: Workshop, printer_id: int) -> ResinPrinter:
    made = find_printer(workshop, printer_id)
    if not isinstance(made, ResinPrinter):
        raise NotFound(f"{made.name} has no lamp")
    if not made.link_url:
        raise InvalidInput("link_url", f"{made.name} has no link; light its lamp at the printer")
    return made
