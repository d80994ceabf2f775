"""What the skins say, in numbers and in words."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from drumbo.core.counted import counted
from drumbo.core.light.curve import WorkingCurve, fit
from drumbo.core.sure import half_90
from drumbo.trials.cure_on_glass.plan import Plan
from drumbo.trials.pictures import Axis, Chart, Series
from drumbo.trials.readings import Readings, Step
from drumbo.trials.result import Result
from drumbo.trials.toolkit.wider import holding

FEWEST = 4
OVERCURES = (20, 50, 100)
HEIGHTS_UM = np.arange(20.0, 121.0, 5.0)
BENT = 2.6
"""A bend of so many standard errors is one."""
LARGE_ERROR = 0.12
HOPELESS = 0.5
"""Share of the depth by which it is uncertain from which on nothing can be told."""


def verdict(plan: Plan, steps: Sequence[Step], rows: Sequence[tuple[str, str]], readings: Readings) -> Result:
    """The line through all skins; what it foretells; which skins stand apart."""
    taken = [
        (step, name, value * 1000)
        for step in steps
        for key, name in rows
        if (value := readings.measured("skin", step.index, key)) is not None
    ]
    different = len({step.value for step, _, _ in taken})
    if different < FEWEST:
        left = FEWEST - different
        return Result("few", says=f"Measure skins of {counted(left, 'more time')}; a line needs four.")
    seconds, depth = np.array([s.value for s, _, _ in taken]), np.array([d for _, _, d in taken])
    found = fit(seconds, depth)
    if found is None:
        return Result("few", says="Thickness does not grow with the light; check which skin is which.")
    if found.reach_error_um > HOPELESS * found.reach_um:
        return Result(
            "split", says="The skins scatter too much to lie on a line; check which is which, and measure again."
        )
    found = replace(
        found,
        reach_error_um=holding("cure-on-glass", found.reach_error_um),
        log_critical_error=holding("cure-on-glass", found.log_critical_error),
    )
    names = [f"{step.label} s, {name}" for step, name, _ in taken]
    intensity = plan.intensity_mw_cm2
    also = {"critical_s": found.critical_s, "critical_log_error": found.log_critical_error}
    if isinstance(intensity, float):
        also["critical_mj_cm2"] = found.critical_s * intensity * plan.power_percent / 100
    return Result(
        state=_state(found),
        value=found.reach_um, error=found.reach_error_um,
        low=found.reach_um - half_90(found.reach_error_um),
        high=found.reach_um + half_90(found.reach_error_um),
        says=_says(plan, found), notes=tuple(_notes(plan, found, names, depth, also)),
        charts=(_line(found, seconds, depth), _by_height(found)), also=also,
    )  # fmt: skip


def _state(found: WorkingCurve) -> str:
    unsure = found.reach_error_um / found.reach_um > LARGE_ERROR or _bent(found)
    return "split" if unsure else "good"


def _bent(found: WorkingCurve) -> bool:
    return abs(found.bent_um) > BENT * found.bent_error_um


def _says(plan: Plan, found: WorkingCurve) -> str:
    if _bent(found):
        return "The skins do not lie on a straight line over the logarithm of the light; read the notes first."
    height, over = plan.layer_um, plan.overcure_percent
    depth = height * (1 + over / 100)
    seconds = found.seconds(depth)
    error = seconds * found.log_error(depth)
    return f"{seconds:.2f} ± {half_90(error):.2f} s set {height:g} µm and {over:g} % more."


def _notes(
    plan: Plan, found: WorkingCurve, names: Sequence[str], depth: np.ndarray, also: dict[str, float]
) -> list[str]:
    unsure = found.critical_s * found.log_critical_error
    onset = f"It sets from {found.critical_s:.2f} ± {half_90(unsure):.2f} s on"
    if "critical_mj_cm2" in also:
        onset += f", which is {also['critical_mj_cm2']:.1f} mJ/cm²"
    notes = [f"{onset}."]
    out = [f"{d:.0f} µm after {name}" for d, name, kept in zip(depth, names, found.kept, strict=True) if not kept]
    if out:
        notes.append(f"Left out: {', '.join(out)}; {'it stands' if len(out) == 1 else 'they stand'} apart.")
    if _bent(found):
        way = "thicker" if found.bent_um > 0 else "thinner"
        notes.append(
            f"Shortest and longest lights give {way} skins than the middle ones: rinse skins clean, "
            "or keep to times near those you print with."
        )
    lowest, highest = found.depth_um(found.low_s), found.depth_um(found.high_s)
    notes.append(f"Measured from {max(lowest, 0):.0f} to {highest:.0f} µm; beyond that it is a guess.")
    if plan.layer_um * (1 + plan.overcure_percent / 100) < lowest:
        notes.append("The layer asked for is thinner than the thinnest skin: a shorter light would tell it better.")
    return notes


def _line(found: WorkingCurve, seconds: np.ndarray, depth: np.ndarray) -> Chart:
    """Thickness over the logarithm of the light, down to where nothing sets."""
    x = np.geomspace(found.critical_s, found.high_s * 1.1, 40)
    line = [found.reach_um * math.log(t / found.critical_s) for t in x]
    band = [found.reach_um * found.log_error(d) for d in line]
    series = (
        Series("", "band", _tuple(x), _tuple(np.subtract(line, band)), _tuple(np.add(line, band))),
        Series("", "line", _tuple(x), _tuple(line)),
        Series("skins", "points", _tuple(seconds), _tuple(depth), (found.usual_um,) * len(depth), found.kept),
    )
    return Chart("Thickness over the light, on a logarithmic scale", Axis("Light", "s", log=True),
                 Axis("Thickness", "µm"), series)  # fmt: skip


def _by_height(found: WorkingCurve) -> Chart:
    """The exposure for any layer height, for little, some and much overcure."""
    series = []
    for tone, over in enumerate(OVERCURES):
        depths = HEIGHTS_UM * (1 + over / 100)
        seconds = np.array([found.seconds(d) for d in depths])
        if over == 50:
            error = seconds * np.array([found.log_error(d) for d in depths])
            series.append(
                Series(
                    "", "band", _tuple(HEIGHTS_UM), _tuple(seconds - half_90(error)), _tuple(seconds + half_90(error))
                )
            )
        series.append(Series(f"+{over} %", "line", _tuple(HEIGHTS_UM), _tuple(seconds), tone=tone))
    return Chart("The light for a layer height and so much overcure", Axis("Layer", "µm"), Axis("Exposure", "s"),
                 tuple(series))  # fmt: skip


def _tuple(values: object) -> tuple[float, ...]:
    return tuple(round(float(v), 4) for v in np.asarray(values))
