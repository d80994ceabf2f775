"""Combs over a plate that somebody levelled by hand. The truth is how much higher or lower the nozzle must run, on the
mean over the combs, for what is fed to just fill the first layer.
"""

from __future__ import annotations

import numpy as np

from bench.rig import Drawn, Tally, file_of, read, shape_of
from drumbo.standins.filament import physics
from drumbo.standins.filament.bed import draw_bed
from drumbo.standins.filament.printing import melt
from drumbo.trials import kind

SLUG = "first-layer"
MIDDLE = 4


def correction(spool: Drawn, readers: int) -> Tally:
    """mm."""
    trial, context, tally = kind(SLUG), spool.context, Tally()
    plan = trial.suggest(context)
    file = file_of(trial, plan, context)
    middle, bed = context.printer.bed_middle, draw_bed(spool.seed * 1000 + spool.number + 1, context.printer.bed_middle)
    thing = melt(shape_of(file.gcode), spool.spool, bed=bed)
    boxes = [place.box(middle) for place in trial.piece(plan, context).places]
    places = np.array([[(low[0] + high[0]) / 2, (low[1] + high[1]) / 2] for low, high in boxes])
    layer = float(plan["layer_mm"] or 0.0)
    filled = layer * physics.fed_share(spool.spool) * context.profile.number("flow_ratio")
    truth = filled - layer - float(bed.above(places).mean())
    for reader in range(readers):
        readings = read(trial, plan, context, thing, spool.number * readers + reader)
        result = trial.evaluate(plan, readings)
        assert result.value is not None
        assert result.error is not None
        habit = (readings.measured("best", MIDDLE, "here") or 0.0) / 100 - layer
        tally.found(result.value, result.error, habit, truth, 0.0, new=trial.changes(plan, result, context, 1))
    tally.cost([file])
    return tally
