"""What the proof says of a profile in which all is right, and of one in which a single value is off.

A profile stands where its spool's truth is; nothing is known of who reads. For each value that is moved, the table
tells how often the part is good: of the profile as it should be, the more the better; of the others, the fewer.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from bench.rig import Drawn, file_of, looked_again, read, shape_of, with_values
from bench.ways import RIGHT
from bench.whole import PROOF
from drumbo.standins.filament.printing import melt
from drumbo.trials import kind
from drumbo.trials.base import Context

READERS = 4
SURE = 0.001
KEPT_BACK = 0.9
"""What of the limit of flow a profile uses."""
MOVES: dict[str, tuple[str, float, float]] = {
    "all right": ("", 1.0, 0.0),
    "14 °C too hot": ("nozzle_c", 1.0, 14.0),
    "14 °C too cold": ("nozzle_c", 1.0, -14.0),
    "flow 5 % too high": ("flow_ratio", 1.05, 0.0),
    "flow 5 % too low": ("flow_ratio", 0.95, 0.0),
    "half of the retraction": ("retraction_mm", 0.5, 0.0),
}
"""What is off: the value, by which factor, and by how much."""


def _right(spool: Drawn) -> Context:
    """The profile as it should be, found in the order of work."""
    for key, truth in RIGHT.items():
        number = truth(spool) * (KEPT_BACK if key == "max_flow_mm3_s" else 1.0)
        spool = replace(spool, context=with_values(spool.context, {key: (number, SURE)}))
    return spool.context


def calls(spool: Drawn) -> dict[str, list[bool]]:
    """By what is off: whether the part is good, one entry a reader."""
    trial, right = kind(PROOF), _right(spool)
    said: dict[str, list[bool]] = {}
    for name, (key, factor, by) in MOVES.items():
        moved = {key: (right.profile.number(key) * factor + by, SURE)} if key else {}
        context = with_values(right, moved)
        plan = trial.suggest(context)
        shape = shape_of(file_of(trial, plan, context).gcode)
        for reader in range(READERS):
            seed = spool.number * READERS + reader
            thing = melt(replace(shape, digest=seed), spool.spool)
            first = read(trial, plan, context, thing, seed)
            _, result = looked_again(trial, plan, context, thing, seed, first)
            said.setdefault(name, []).append(result.state == "good")
    return said


def table(spools: list[dict[str, list[bool]]]) -> dict[str, float]:
    """Share of all parts that are good."""
    return {name: round(float(np.mean([spool[name] for spool in spools])), 2) for name in MOVES}
