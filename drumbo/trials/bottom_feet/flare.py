"""How far a foot stands out by its longer light, from two widths of each; and over how many layers it has to fade.

The foot is measured at the plate and above its step, where all feet are lit alike: what the jaws add, and the
calliper's zero, are in both and drop out.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from drumbo.core.fit.callipers import CALLIPER_SD_MM
from drumbo.core.light.job import exposures
from drumbo.trials.bottom_feet.feet import STEP_IN, WIDE
from drumbo.trials.readings import Measure, Readings, Site, Step

FOOT = Measure(
    "foot", "Width of the foot", "mm", (Site("plate", "at the plate"), Site("above", "above the step")),
    WIDE - 4, WIDE + 3, 2,
    how="Across, past the cut corner: the jaws' tips at the very edge that lay on the plate, then on the upper part.",
)  # fmt: skip
FEWEST = 3
LEDGE_MM = 0.015
"""A layer that stands out no more than that beyond the next one is not seen."""
MOST_LAYERS = 10


@dataclass(frozen=True, slots=True)
class Flare:
    """How far each side stands out at a bottom exposure, mm, with its standard error; and the layers it fades over."""

    out_mm: float
    error_mm: float
    layers: int


def flare(steps: tuple[Step, ...], readings: Readings, normal_s: float, bottom_s: float) -> Flare | None:
    """At a bottom exposure, from all feet that were measured; None for fewer than three, or light that is no longer
    than the normal one.

    What a side stands out is taken for c₁·u + c₂·u² of u = ln(bottom ÷ normal): nothing where both are alike, and ever
    less for each doubling of the light.
    """
    told = []
    for step in steps:
        low, high = (readings.measured(FOOT.key, step.index, site.key) for site in FOOT.sites)
        if low is not None and high is not None and step.value > normal_s:
            told.append((math.log(step.value / normal_s), ((low - WIDE) - (high - WIDE + 2 * STEP_IN)) / 2))
    if len(told) < FEWEST or bottom_s <= normal_s:
        return None
    u, out = np.array(told).T
    columns = np.column_stack([u, u**2])
    (c1, c2), *_ = np.linalg.lstsq(columns, out, rcond=None)
    at = math.log(bottom_s / normal_s)
    place = np.array([at, at**2])
    spread = np.linalg.pinv(columns.T @ columns)
    sd = max(CALLIPER_SD_MM / math.sqrt(2), float(np.sqrt(np.mean((out - columns @ (c1, c2)) ** 2))))

    def stands_out(seconds: float) -> float:
        more = math.log(seconds / normal_s)
        return float(c1 * more + c2 * more**2)

    error = sd * math.sqrt(float(place @ spread @ place))
    return Flare(stands_out(bottom_s), error, _fades_over(stands_out, normal_s, bottom_s))


def _fades_over(out: Callable[[float], float], normal_s: float, bottom_s: float) -> int:
    """The fewest layers from bottom to normal light of which none stands out plainly beyond the next one."""
    for layers in range(MOST_LAYERS):
        lights = exposures(normal_s, bottom_s, 1, layers, layers + 2)
        if max(out(one) - out(next_s) for one, next_s in pairwise(lights)) <= LEDGE_MM:
            return layers
    return MOST_LAYERS
