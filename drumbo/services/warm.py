"""Warming up: what fits need and the compiled loops are loaded before the first maker waits for them."""

from __future__ import annotations

from threading import Event

from drumbo.core.families import FAMILIES
from drumbo.core.fit.evenly import evenly
from drumbo.core.gcode.inspect import inspect
from drumbo.core.gcode.reader import read
from drumbo.core.gcode.writer import PrintJob, write
from drumbo.core.material import Material
from drumbo.core.piece import block, union
from drumbo.core.printer import Printer
from drumbo.core.profile import start
from drumbo.core.toolpath import build, path_motion, settings_for


def warm(stop: Event) -> None:
    """Lay, write, read back and look through a small table: legs, a bridge between them, an edge that hangs out. Ends
    early when told to stop.
    """
    evenly(2, 4)
    kin = FAMILIES[0]
    material = Material("", "", kin.key, "", "#000000", kin.nozzle_low_c, kin.nozzle_high_c)
    printer = Printer("")
    numbers = start("", material, printer).numbers()
    legs = [block((x, -3, 0), (x + 4, 3, 3)) for x in (-10, 6)]
    table = union([*legs, block((-12, -4, 2.6), (12, 4, 4))])
    path = build(table, settings_for(numbers, printer), middle=printer.bed_middle, purge_from=(10, 8))
    if stop.is_set():
        return
    path_motion(path)
    inspect(read(write(path, PrintJob(printer, 210, 210, 60, 60)).encode()))
