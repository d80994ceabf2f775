"""What the weights of blobs say, in numbers, curves and words."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from drumbo.core.counted import counted
from drumbo.core.fit.melt import BLOB_SD, FEWEST, NOTHING, Melt, fit_melt
from drumbo.core.sure import half_90
from drumbo.trials.pictures import Axis, Chart, Series
from drumbo.trials.readings import Readings, Step
from drumbo.trials.result import MORE, Result
from drumbo.trials.toolkit.wider import holding
from drumbo.trials.weighed_blobs.plan import KEPT, THRESHOLDS, Plan

Floats = NDArray[np.float64]
Rows = Sequence[tuple[float, str, str]]

FILAMENT_MM, DENSITY = 1.75, 1.24
SCALE_SD_G = 0.0007
POORLY = 3.0
HELD = 0.93
"""Where the poorest blob is still so much of a slow one, nothing failed."""


def kept_share(plan: Plan) -> float:
    """Share of the limit that goes into the profile."""
    return 1 - next(k.share for k in KEPT if k.key == plan.kept_back)


def reckoned_g(plan: Plan) -> float:
    """What a blob weighs if all of it arrives, g, for a usual filament; what it really is comes out of the fit."""
    return plan.length_mm * math.pi * FILAMENT_MM**2 / 4 * DENSITY / 1000


SCATTER = "The weights scatter more than blobs do; weigh those again that stand apart."
Taken = Sequence[tuple[Step, float, str, float]]
"""Blobs that were weighed: flow, temperature, the row's letter and grams."""


def verdict(plan: Plan, steps: Sequence[Step], rows: Rows, readings: Readings) -> Result:
    """The flow at which the chosen share still arrives, at the temperature wanted."""
    taken = [
        (step, heat, letter, grams)
        for heat, key, letter in rows
        for step in steps
        if (grams := readings.measured("blob", step.index, key)) is not None
    ]
    if len(taken) < FEWEST:
        left = FEWEST - len(taken)
        more = counted(left, "more blob")
        return Result("few", says=f"Weigh {more}; four tell something, all tell more.")
    flow, heat = np.array([s.value for s, _, _, _ in taken]), np.array([h for _, h, _, _ in taken])
    share, sd = _shares(plan, flow, np.array([g for _, _, _, g in taken]))
    if (share > NOTHING).sum() < FEWEST:
        return Result("few", says="These weigh next to nothing: look whether filament came at all, and weigh in grams.")
    found = fit_melt(flow, heat, share, np.full(len(flow), sd))
    if found.kept.sum() < FEWEST:
        return Result("split", says=SCATTER)
    return _result(plan, steps, found, _Weighed(taken, flow, heat, share))


@dataclass(frozen=True, slots=True)
class _Weighed:
    """Blobs by flow, temperature and share of a slow one, (n,) each."""

    taken: Taken
    flow: Floats
    heat: Floats
    share: Floats


def _shares(plan: Plan, flow: Floats, grams: Floats) -> tuple[Floats, float]:
    """(n,) weights as shares of what the slow blobs weigh, and what the scale adds to each."""
    slow = max(float(np.median(grams[flow <= np.quantile(flow, 0.3)])), 0.1 * reckoned_g(plan))
    return grams / slow, SCALE_SD_G / slow


def _result(plan: Plan, steps: Sequence[Step], found: Melt, weighed: _Weighed) -> Result:
    wanted = next(t.share for t in THRESHOLDS if t.key == plan.threshold)
    at = plan.nozzle_c
    value, error = found.limit(at, wanted)
    error = holding("weighed-blobs", error)
    notes = _notes(found, weighed, at, wanted)
    charts = (_delivered(found, weighed, wanted), _capability(found, weighed, at, wanted, value))
    if float(weighed.share[found.kept].min()) / found.gain > HELD:
        top = steps[-1].value
        says = f"Nothing failed up to {top:g} mm³/s; the limit lies higher. Print faster ones next."
        extend = replace(plan, low_mm3_s=round(0.7 * top, 1), high_mm3_s=round(1.9 * top, 1)).to_json()
        low = min(value, top)
        return Result("edge", low, max(error, 0.1 * top), low, value, says, notes, charts=charts, extend=extend,
                      beyond=MORE)  # fmt: skip
    low, high = value - half_90(error), value + half_90(error)
    if found.misfit > POORLY:
        return Result("split", value, error, low, high, SCATTER, notes, charts=charts)
    law = {
        "at": at,
        "number": value,
        "rate": found.rate,
        "low": float(weighed.heat.min()),
        "high": float(weighed.heat.max()),
    }
    says = f"{value:.1f} mm³/s at {at:g} °C: there {wanted * 100:.0f} % still arrive."
    return Result(
        "good", value, error, low, high, says, notes, charts=charts, also=law if law["low"] < law["high"] else None
    )


def _notes(found: Melt, weighed: _Weighed, at: float, wanted: float) -> tuple[str, ...]:
    notes = []
    heats = np.unique(weighed.heat).tolist()
    if len(heats) > 1:
        hotter, here = found.limit(at + 10, wanted)[0], found.limit(at, wanted)[0]
        gain = f"{(hotter / here - 1) * 100:.0f} % more"
        notes.append(f"10 °C more carry {hotter:.1f}, {gain}; the profile's limit follows its temperature.")
        each = ", ".join(f"{found.limit(heat, wanted)[0]:.1f} at {heat:g}" for heat in heats)
        notes.append(f"By temperature: {each} °C.")
    else:
        notes.append("One temperature alone tells no curve; a change of it will want a recheck.")
    if not heats[0] - 5 <= at <= heats[-1] + 5:
        notes.append(f"{at:g} °C was not among the rows: that limit is taken along the curve.")
    ground = _named(weighed, weighed.share <= NOTHING)
    if ground:
        where = f"Nothing came at {', '.join(ground)}: there the drive had ground the filament."
        notes.append(f"{where} Cut it off before the next print.")
    out = _named(weighed, ~found.kept & (weighed.share > NOTHING))
    if out:
        notes.append(f"{', '.join(out)} {'stands' if len(out) == 1 else 'stand'} apart and had no say; weigh again.")
    off = [f"{heat:g}" for heat, own, error in found.own if _lies_off(found, heat, own, error)]
    if off and len(found.own) > 2:
        notes.append(f"{', '.join(off)} °C lies off the curve; was the nozzle at its heat?")
    return tuple(notes)


def _named(weighed: _Weighed, which: NDArray[np.bool_]) -> list[str]:
    """Names of blobs: B3 is the third of row B."""
    return [f"{letter}{step.index + 1}" for (step, _, letter, _), it in zip(weighed.taken, which, strict=True) if it]


def _lies_off(found: Melt, heat: float, own: float, error: float) -> bool:
    return abs(own - found.limit(heat)[0]) > 3 * math.hypot(error, 0.02 * own)


def _delivered(found: Melt, weighed: _Weighed, wanted: float) -> Chart:
    """Share that arrives over flow, a curve a temperature, the hottest first."""
    flow = weighed.flow
    series = [Series(f"{wanted * 100:.0f} %", "level", (), (wanted * 100,))]
    grid = np.linspace(0.9 * flow.min(), 1.02 * flow.max(), 60)
    sd = round(100 * BLOB_SD * max(found.misfit, 1.0), 2)
    for tone, one in enumerate(np.unique(weighed.heat)[::-1].tolist()):
        mine, name = weighed.heat == one, f"{one:g} °C"
        curve = 100 * found.share(grid, np.full(len(grid), one))
        series.append(Series(name, "line", _rounded(grid), _rounded(curve), tone=tone))
        shares = _rounded(100 * weighed.share[mine] / found.gain)
        kept = tuple(bool(k) for k in found.kept[mine])
        series.append(Series(name, "points", _rounded(flow[mine]), shares, (sd,) * len(shares), kept, tone))
    return Chart("What arrives", Axis("Flow asked for", "mm³/s"), Axis("arrives", "%"), tuple(series))


def _capability(found: Melt, weighed: _Weighed, at: float, wanted: float, value: float) -> Chart:
    """The limit over temperature, with its band, each row by itself, and where the profile works."""
    low, high = min(weighed.heat.min(), at), max(weighed.heat.max(), at)
    grid = np.linspace(low - 8, high + 8, 50)
    mean, sd = np.array([found.limit(float(t), wanted) for t in grid]).T
    scale = value / found.limit(at)[0]
    heats, own, errors = (np.array(c) for c in zip(*found.own, strict=True)) if found.own else (np.empty(0),) * 3
    series = (
        Series("", "band", _rounded(grid), _rounded(mean - half_90(1) * sd), _rounded(mean + half_90(1) * sd)),
        Series("", "line", _rounded(grid), _rounded(mean)),
        Series("this row by itself", "points", _rounded(heats), _rounded(own * scale), _rounded(errors * scale),
               (True,) * len(heats)),
        Series(f"{value:.1f} at {at:g} °C", "mark", (at,), (round(value, 3),)),
    )  # fmt: skip
    return Chart("What each temperature carries", Axis("Nozzle", "°C"), Axis("limit", "mm³/s"), series)


def _rounded(values: Floats) -> tuple[float, ...]:
    return tuple(round(float(v), 3) for v in values)
