"""Warming up: the compiled loops are loaded before the first maker waits for them."""

from __future__ import annotations

from threading import Event

from drumbo.core.families import FAMILIES
from drumbo.core.gcode.reader import read
from drumbo.core.profile import start
from drumbo.core.workshop import Material, Printer
from drumbo.trials import kinds
from drumbo.trials.base import Context


def warm(stop: Event) -> None:
    """Plan, write and read back each kind's suggestion once; ends early when told to stop."""
    kin = FAMILIES[0]
    material = Material("", "", kin.key, "", "#000000", kin.nozzle_low_c, kin.nozzle_high_c)
    printer = Printer("")
    context = Context(printer, material, start("", material, printer))
    for kind in kinds().values():
        if stop.is_set():
            return
        read(kind.print_file(kind.suggest(context), context).gcode.encode())
