"""Another layer height: by how much more or less a layer is lit, while nobody has tried it."""

from __future__ import annotations

import math
from dataclasses import dataclass

SHARE, SHARE_ERROR = 0.75, 0.15
"""Of two rules that makers go by, the same overcure wants all of Δh/Dp in the exponent, the same dose half-way down
a layer wants half of it. The truth lies between; both lie within one and two thirds of the error.
"""
REACH_UM, REACH_ERROR_UM = 130.0, 45.0
"""Penetration depth of a resin of which nothing was measured."""


@dataclass(frozen=True, slots=True)
class Foretold:
    """An exposure at another layer height, s, with its standard error, and what it rests on in words."""

    exposure_s: float
    error_s: float
    note: str


def factor(known_um: float, wanted_um: float, reach_um: float) -> float:
    """Exposure at `wanted_um` as a share of that at `known_um`: e^(0.75 · Δh / Dp).

    From 50 to 25 µm with a reach of 125 µm: 0.8607.
    """
    return math.exp(SHARE * (wanted_um - known_um) / reach_um)


def foretell(
    exposure_s: float, error_s: float | None, known_um: float, wanted_um: float, reach: tuple[float, float] | None
) -> Foretold:
    """The exposure at another layer height. `reach` is the measured penetration depth with its error, µm, or None: then
    a usual one is taken, and the error is wide.
    """
    deep, unsure = reach or (REACH_UM, REACH_ERROR_UM)
    step = (wanted_um - known_um) / deep
    by_rule, by_reach = SHARE_ERROR * step, SHARE * step * unsure / deep
    known = (error_s if error_s is not None else 0.12 * exposure_s) / exposure_s
    share = math.sqrt(by_rule**2 + by_reach**2 + known**2)
    seconds = exposure_s * factor(known_um, wanted_um, deep)
    rule = f"its working curve ({deep:.0f} µm deep)" if reach else f"a usual reach of {deep:.0f} µm"
    return Foretold(seconds, seconds * share, f"foretold from {known_um:g} µm by {rule}")
