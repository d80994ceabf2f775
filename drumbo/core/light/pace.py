"""How long a resin print takes, where that time goes, and what a change would buy: from a profile's numbers alone."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from drumbo.core.errors import InvalidInput
from drumbo.core.light.height import REACH_UM, factor
from drumbo.core.light.job import exposures, lift_of

Numbers = Mapping[str, float]

TWO_STAGE_MM = 3.0
"""A layer is off the film after so much; the rest of a lift may be fast."""
LEAST_S = 1.0
"""A change that buys less than so much of a whole print is not worth a line, s."""
HIGHEST_MM, MOST_ML = 600.0, 20_000.0


@dataclass(frozen=True, slots=True)
class TimeShare:
    """One part of a layer's time, s."""

    key: str
    name: str
    seconds: float


@dataclass(frozen=True, slots=True)
class Buys:
    """A change of one value, what a print saves by it, s, and the parameter whose risk it is to run."""

    key: str
    says: str
    saves_s: float


@dataclass(frozen=True, slots=True)
class Pace:
    """A print of so many layers: a usual layer's shares, s, all of it, and what changes would buy, the most first."""

    layers: int
    shares: tuple[TimeShare, ...]
    layer_s: float
    total_s: float
    buys: tuple[Buys, ...]


def shares(numbers: Numbers) -> tuple[TimeShare, ...]:
    """Where the time of a usual layer goes. 2.5 s of light, 1 of rest, 6 mm up at 80 and down at 150 mm/min, half a
    second at the top: 2.5, 1, 4.5, 2.4 and 0.5 s.
    """
    lift = lift_of(numbers, bottom=False)
    up = lift.seconds - 60 * lift.mm / lift.retract_mm_min
    return (
        TimeShare("exposure_s", "light", numbers["exposure_s"]),
        TimeShare("rest_before_s", "rest before light", numbers["rest_before_s"]),
        TimeShare("lift_speed_mm_min", "lift", up),
        TimeShare("retract_mm_min", "way back", 60 * lift.mm / lift.retract_mm_min),
        TimeShare("rest_after_s", "rest after lift", numbers["rest_after_s"]),
    )


def total_s(numbers: Numbers, height_mm: float) -> float:
    """A whole print's time, s: bottom layers with their own light, rest and lift, the others as usual."""
    count = _layers(numbers, height_mm)
    bottoms = min(int(numbers["bottom_layers"]), count)
    light = sum(exposures(numbers["exposure_s"], numbers["bottom_exposure_s"], int(numbers["bottom_layers"]),
                          int(numbers["transition_layers"]), count))  # fmt: skip
    lifts = bottoms * lift_of(numbers, bottom=True).seconds + (count - bottoms) * lift_of(numbers, bottom=False).seconds
    rests = bottoms * numbers["rest_bottom_s"] + (count - bottoms) * numbers["rest_before_s"]
    return light + lifts + rests + count * numbers["rest_after_s"]


def _layers(numbers: Numbers, height_mm: float) -> int:
    return max(math.ceil(round(1000 * height_mm / numbers["layer_um"], 6)), 1)


def pace(numbers: Numbers, height_mm: float) -> Pace:
    """The time of a print that is so high. InvalidInput names a height that no printer has."""
    if not 0 < height_mm <= HIGHEST_MM:
        raise InvalidInput("height_mm", f"must be above 0 and up to {HIGHEST_MM:g} mm")
    found, whole = shares(numbers), total_s(numbers, height_mm)
    buys = []
    for key, says, new in _changes(numbers):
        saved = whole - total_s({**numbers, **new}, height_mm)
        if saved > LEAST_S:
            buys.append(Buys(key, says, saved))
    return Pace(
        _layers(numbers, height_mm), found, sum(share.seconds for share in found), whole,
        tuple(sorted(buys, key=lambda each: -each.saves_s)),
    )  # fmt: skip


def _changes(numbers: Numbers) -> list[tuple[str, str, dict[str, float]]]:
    """One step of each value that costs time: its key, words, and the numbers that it changes."""
    layer, lift = numbers["layer_um"], numbers["lift_mm"]
    found = [
        ("rest_before_s", "half a second less rest before light",
         {"rest_before_s": max(numbers["rest_before_s"] - 0.5, 0.0)}),
        ("lift_speed_mm_min", "lift a quarter faster", {"lift_speed_mm_min": 1.25 * numbers["lift_speed_mm_min"]}),
        ("retract_mm_min", "go back half again as fast", {"retract_mm_min": 1.5 * numbers["retract_mm_min"]}),
        ("lift_mm", "lift 1 mm less", {"lift_mm": max(lift - 1, 2.0)}),
        ("bottom_layers", "one bottom layer less", {"bottom_layers": max(numbers["bottom_layers"] - 1, 1.0)}),
    ]  # fmt: skip
    if numbers["lift_slow_mm"] <= 0 and lift > TWO_STAGE_MM:
        found.append(("lift_slow_mm", f"lift in two stages: {TWO_STAGE_MM:g} mm slowly, the rest fast",
                      {"lift_slow_mm": TWO_STAGE_MM}))  # fmt: skip
    thicker = 2 * layer if layer <= 60 else 1.5 * layer
    longer = factor(layer, thicker, numbers.get("penetration_um", REACH_UM))
    found.append(("layer_um", f"layers of {thicker:g} µm",
                  {"layer_um": thicker, "exposure_s": numbers["exposure_s"] * longer}))  # fmt: skip
    return found
