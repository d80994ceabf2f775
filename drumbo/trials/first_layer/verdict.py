"""What the best patches say: how high the nozzle should run, how the plate lies, and whether it holds."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from drumbo.core.counted import counted
from drumbo.core.fields import Scalar
from drumbo.core.fit.plane import Plane, fit_plane
from drumbo.core.sure import half_90
from drumbo.trials.first_layer.plan import Plan
from drumbo.trials.pictures import Map, MapSpot
from drumbo.trials.readings import Readings, Step
from drumbo.trials.result import Result, beyond
from drumbo.trials.toolkit.wider import holding

Floats = NDArray[np.float64]

FEWEST = 4
AT_THE_END = 0.5
"""From so large a share of places at one end of the comb on, the best height may lie beyond it."""
PLAIN_MM, PLAINLY = 0.035, 2.5
"""What a plate may lean or bow before it is told, and by how many standard errors it must."""
UNEVEN_MM = 0.12
"""Where the best heights differ by more than this, no one height suits the plate."""
LIFTING = 0.2
"""Share of corners that lift from which on the plate does not hold."""
WARMER_C, HOTTEST_C = 5.0, 120.0


def verdict(plan: Plan, heights: Sequence[int], steps: Sequence[Step], readings: Readings) -> Result:
    """From the digits typed at each comb; few while fewer than four are known or they lie in a line."""
    best = {s.index: v for s in steps if (v := readings.measured("best", s.index, "here")) is not None}
    if len(best) < FEWEST:
        return Result("few", says=f"Read {_more(FEWEST - len(best))}; a plane needs four.")
    across = plan.across
    at = np.array([_at(index, across) for index in best])
    layer, step = plan.layer_mm, plan.step_mm
    found_mm = np.array(list(best.values())) / 100
    try:
        plane = fit_plane(at, found_mm - layer, step)
    except ValueError:
        return Result("few", says="Read a comb of another row too; these lie in a line.")
    value = plane.middle_mm
    error = holding("first-layer", float(np.hypot(plane.error_mm, _unsure(found_mm[plane.kept], step))))
    # Where the nozzle is too high for even the lowest patch, corners lift on the warmest plate.
    pressed = [i for i, height in best.items() if height > heights[0]]
    lifted = [n for i in pressed if (n := readings.measured("lifted", i, "here")) is not None]
    holds = not lifted or sum(lifted) / (4 * len(lifted)) < LIFTING
    end = _end(found_mm, heights)
    extend, extend_says = _next(plan, end, holds)
    return Result(
        "edge" if end else "good", value, error, value - half_90(error), value + half_90(error),
        _says(value, error, plan.raise_mm, end), _notes(plane, found_mm, lifted, holds),
        maps=(_map(plane, best, at, layer, readings),), also={"holds": float(holds)},
        extend=extend, extend_says=extend_says, beyond=beyond(end),
    )  # fmt: skip


def _more(combs: int) -> str:
    return counted(combs, "more comb")


def _unsure(found_mm: Floats, step: float) -> float:
    """What all places have in common because heights come in steps, mm: the more of them say the same, the more."""
    _, counts = np.unique(found_mm, return_counts=True)
    return float(step / np.sqrt(12) * max(2 * counts.max() / len(found_mm) - 1, 0.0))


def _at(index: int, across: int) -> tuple[float, float]:
    """Where a comb is, −1 left or front to 1 right or back."""
    row, column = divmod(index, across)
    return 2 * column / (across - 1) - 1, 2 * row / (across - 1) - 1


def _end(found_mm: Floats, heights: Sequence[int]) -> int:
    """−1 where the lowest patches are mostly the best, 1 where the highest are, else 0."""
    for way, height in ((-1, heights[0]), (1, heights[-1])):
        if np.mean(np.abs(found_mm - height / 100) < 0.005) >= AT_THE_END:
            return way
    return 0


def _next(plan: Plan, end: int, holds: bool) -> tuple[dict[str, Scalar] | None, str]:
    if end:
        far = plan.patches // 2 * plan.step_mm
        lowest = 0.08 + far
        middle = max(round(plan.middle_mm + end * far, 2), round(lowest, 2))
        if middle == plan.middle_mm:
            return None, ""
        return replace(plan, middle_mm=middle).to_json(), "Plan the next heights"
    if not holds:
        warmer = min(plan.bed_c + WARMER_C, HOTTEST_C)
        return replace(plan, bed_c=warmer).to_json(), f"Print it again at {warmer:g} °C"
    return None, ""


def _says(value: float, error: float, now: float, end: int) -> str:
    if end:
        way = "lowest" if end < 0 else "highest"
        return f"The {way} patches are the best: the right height may lie beyond them."
    away = value - now
    if abs(away) < half_90(error):
        return "The nozzle runs at the right height, as far as patches can tell."
    way, do = ("low", "higher") if away > 0 else ("high", "lower")
    return f"The nozzle runs {abs(away):.2f} mm too {way}: let it run {do}."


def _notes(plane: Plane, found_mm: Floats, lifted: Sequence[float], holds: bool) -> tuple[str, ...]:
    notes = []
    if not holds:
        notes.append(
            f"{sum(lifted):g} of {4 * len(lifted)} corners lift: clean the plate; if they still do, it is too cold."
        )
    for slope, error, (low, high) in zip(plane.slopes, plane.slope_errors, SIDES, strict=True):
        if 2 * abs(slope) > PLAIN_MM and abs(slope) > PLAINLY * error:
            # Where the nozzle must run higher, the plate is higher.
            up = high if slope > 0 else low
            notes.append(f"The plate is {2 * abs(slope):.2f} mm higher {up}: level it.")
    kept = plane.rests[plane.kept]
    if len(kept) > 5 and np.ptp(kept) > PLAIN_MM and plane.sd_mm > PLAIN_MM / 2:
        notes.append("It is not flat: beyond any lean, heights differ. Only a map in the printer evens that out.")
    if np.ptp(found_mm[plane.kept]) > UNEVEN_MM:
        notes.append("No one height suits all of it; level it first, then print this again.")
    if not plane.kept.all():
        notes.append("One comb stands apart from all others and has no say; look at it again.")
    return tuple(notes) or ("The plate is level and flat, as far as patches can tell.",)


SIDES = (("at the left", "at the right"), ("at the front", "at the back"))


def _map(plane: Plane, best: dict[int, float], at: Floats, layer: float, readings: Readings) -> Map:
    spots = []
    for (x, y), (index, height), kept in zip(at, best.items(), plane.kept, strict=True):
        corners = readings.measured("lifted", index, "here")
        flag = f"{corners:g} lift" if corners else ""
        spots.append(MapSpot(float(x), float(y), round(height / 100 - layer, 4), bool(kept), flag))
    return Map(
        "The plate, from above: how much higher the nozzle must run", "mm", 2, round(plane.middle_mm, 4),
        (round(plane.middle_mm, 5), round(plane.slopes[0], 6), round(plane.slopes[1], 6)), tuple(spots),
    )  # fmt: skip
