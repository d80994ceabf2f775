"""The light of a resin profile's first layers as steps: where everything is, in pixels."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from drumbo.core.light.job import exposures

LEFT, RIGHT, TOP, FLOOR = 44.0, 436.0, 14.0, 132.0
MORE = 6
"""Normal layers that are shown behind the last one that is lit longer."""


@dataclass(frozen=True, slots=True)
class LightSteps:
    """Paths of bottom, transition and normal layers; ticks are (y, text)."""

    bottom: str
    transition: str
    normal: str
    ticks: tuple[tuple[float, str], ...]
    counts: tuple[int, int]
    layers: int
    says: str


def light_steps(numbers: Mapping[str, float]) -> LightSteps:
    """A bar a layer, as high as its light is long."""
    bottoms, transitions = int(numbers["bottom_layers"]), int(numbers["transition_layers"])
    normal_s, bottom_s = numbers["exposure_s"], numbers["bottom_exposure_s"]
    count = bottoms + transitions + MORE
    times = exposures(normal_s, bottom_s, bottoms, transitions, count)
    each, most = (RIGHT - LEFT) / count, max(times)
    paths = ["", "", ""]
    for layer, seconds in enumerate(times):
        high = (FLOOR - TOP) * seconds / most
        kind = 0 if layer < bottoms else 1 if layer < bottoms + transitions else 2
        x = LEFT + layer * each
        paths[kind] += f"M{x + 0.8:.1f} {FLOOR}V{FLOOR - high:.1f}H{x + each - 0.8:.1f}V{FLOOR}Z"
    ticks = tuple((round(FLOOR - (FLOOR - TOP) * s / most, 1), f"{s:.3g} s") for s in (bottom_s, normal_s))
    says = f"{bottoms} bottom layers of {bottom_s:g} s, {transitions} transition layers, then {normal_s:g} s"
    return LightSteps(paths[0], paths[1], paths[2], ticks, (bottoms, transitions), count, says)
