"""Compile the loops once before several workers would each do so: `python -m tests.warm` and one of `PARTS`."""

from __future__ import annotations

import sys
from dataclasses import replace

import numpy as np

from tests.conftest import plain_context, resin_context


def reader() -> None:
    """What reads G-code and looks it through."""
    from drumbo.core.gcode.elevation import FRONT, elevation
    from drumbo.core.gcode.inspect import inspect
    from drumbo.core.gcode.reader import read
    from tests.core.checks.box import PRINTER, analysed, box

    inspect(read(b"G28\nG1 X5 Y5 E1 F600\nG2 X9 Y5 I2 J0 E2\n"))
    # With a step in the air, so that every loop is gone through.
    case = analysed(box(4).before(3, "G1 X20 Y20 E1 F600\nG0 Z0.1\nG0 X90 Y90"))
    inspect(case.program, printer=replace(PRINTER, clearance_radius_mm=40.0, clearance_height_mm=25.0))
    elevation(case, case.role, FRONT, named=True)
    elevation(case, case.found.speed, FRONT)


def printers() -> None:
    """What lays roads and draws layers, and what the stand-in makes of roads."""
    from drumbo.core.light.raster import greys
    from drumbo.exchange.layer_package import package_bytes
    from drumbo.standins.filament.above import top_picture
    from drumbo.standins.filament.camera import front_picture
    from drumbo.standins.filament.spool import draw_spool
    from drumbo.trials import kind
    from tests.readback import printed

    context, trial = plain_context(), kind("batch-check")
    thing = printed(trial.print_file(trial.suggest(context), context).gcode, draw_spool("pla", 1))
    top_picture(thing)
    front_picture(thing)
    resin, coupon = resin_context(), kind("exposure-coupon")
    package_bytes(coupon.print_file(coupon.suggest(resin), resin))
    greys([np.array([(0.0, 0.0), (4.0, 0.0), (2.0, 3.0)])], (20, 20), 0.3, 8)


PARTS = {"reader": reader, "printers": printers}

if __name__ == "__main__":
    PARTS[sys.argv[1]]()
