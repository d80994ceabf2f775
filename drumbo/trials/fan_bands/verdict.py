"""What a gantry's scores say: the best fan for the aim, and what bridges, slopes and short layers need of it.

More air never hurts a bridge, a slope or a tip, and always costs bond. So normal layers get as much as the bond can
spare for the aim, but no more than slopes and tips gain by; bridges, slopes and short layers have a fan of their own,
which is the least that does.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from drumbo.core.fit.ordinal import learned
from drumbo.core.fit.ramp import Ramp, fit_ramp
from drumbo.trials.fan_bands.plan import AIMS, Aim, Plan
from drumbo.trials.pictures import Axis, Chart, Curve, Series
from drumbo.trials.readings import Aspect, Readings, Step
from drumbo.trials.result import Result
from drumbo.trials.toolkit.verdict import SPLIT_MISFIT, contradict, open_scores
from drumbo.trials.toolkit.wider import holding

Floats = NDArray[np.float64]


BOND, HELPED = "bond", ("overhang", "tip")
ENOUGH = 0.5
"""Scores below its best that nobody tells from it: the least fan within that does."""
CLEAN = 2.9
"""A tip with less than this was not clean with any fan."""
LEAST_ERROR = 0.025


def verdict(plan: Plan, steps: Sequence[Step], aspects: Sequence[Aspect], readings: Readings) -> Result:
    """Fit every aspect over the fan; never say more than the scores do."""
    aim = next(a for a in AIMS if a.key == plan.aim)
    x = np.array([step.value for step in steps]) / 100
    scores = {aspect.key: readings.column(aspect.key, steps) for aspect in aspects}
    missing = {key: max(3 - int(np.isfinite(column).sum()), 0) for key, column in scores.items()}
    if missing[BOND] or all(missing[key] for key in HELPED):
        return Result("few", says="Score the bond and the overhangs or tips of three bands or more.")
    ramps = {
        key: fit_ramp(
            x, column, rising=key != BOND, within=aim.spends if key == BOND else ENOUGH, reader=readings.leaning
        )
        for key, column in scores.items()
        if not missing[key]
    }
    spare = ramps[BOND].places
    needed = np.max([ramps[key].places for key in HELPED if key in ramps], axis=0)
    drawn = np.minimum(spare, needed)
    value, error = float(np.median(drawn)), max(holding("fan-bands", float(drawn.std())), LEAST_ERROR)
    worst = max(ramp.misfit for ramp in ramps.values())
    bound = "bond" if float(np.median(spare)) <= float(np.median(needed)) else "need"
    says = _says(value, bound, ramps[BOND], aim)
    if worst > SPLIT_MISFIT:
        says = contradict("bands", "the curves")
    low, high = (float(v) for v in np.quantile(drawn, (0.16, 0.84)))
    return Result(
        "split" if worst > SPLIT_MISFIT else "good", 100 * value, 100 * error, 100 * min(low, value),
        100 * max(high, value), says, _notes(plan, value, ramps, scores), _likely(drawn),
        charts=(_trade_off(value, ramps, x, scores, {a.key: a.name for a in aspects}),), also=_also(plan, value, ramps),
        reader=learned([ramp.leans for ramp in ramps.values()], readings.leaning),
    )  # fmt: skip


def _says(value: float, bound: str, bond: Ramp, aim: Aim) -> str:
    if bound == "need":
        return "More than that makes overhangs and tips no better."
    if value > 0.97:
        return "The bond stands all of it."
    loses = float(bond.mean[0] - bond.mean[-1])
    return f"As much as the bond can spare for {aim.name}; all of it would cost {loses:.1f} of its score."


def _least(ramp: Ramp | None) -> float | None:
    """The least fan that does, 0..1."""
    return None if ramp is None else float(np.median(ramp.places))


def _also(plan: Plan, value: float, ramps: Mapping[str, Ramp]) -> dict[str, float]:
    """Fans of bridges, slopes and short layers, never less than the normal one; and the layer time that was clean."""
    also = {}
    for key, aspect in (
        ("fan_bridge_percent", "bridge"), ("fan_overhang_percent", "overhang"), ("fan_short_percent", "tip"),
    ):  # fmt: skip
        least = _least(ramps.get(aspect))
        if least is not None:
            also[key] = 100 * max(least, value)
    if "tip" in ramps and _clean(ramps["tip"]):
        also["layer_time_min_s"] = plan.layer_s
    return also


def _clean(tip: Ramp) -> bool:
    return float(tip.mean[-1]) >= CLEAN


def _notes(plan: Plan, value: float, ramps: Mapping[str, Ramp], scores: Mapping[str, Floats]) -> tuple[str, ...]:
    notes = []
    for aspect, name in (("bridge", "Bridges"), ("overhang", "Overhangs")):
        least = _least(ramps.get(aspect))
        if least is not None and least > value + 0.05:
            notes.append(f"{name} get better up to {100 * least:.0f} %: they have a fan of their own.")
    tip, seconds = ramps.get("tip"), plan.layer_s
    if tip is not None:
        least = _least(tip)
        if not _clean(tip):
            notes.append(
                f"Tips stay soft at {seconds:g} s a layer with any fan: plan this again with {seconds + 4:g} s."
            )
        elif least is not None and least > value + 0.05:
            notes.append(f"Layers as quick as {seconds:g} s come out clean with {100 * least:.0f} %.")
        else:
            notes.append(f"Layers as quick as {seconds:g} s come out clean.")
    missing = sum(int(np.isnan(column).sum()) for column in scores.values())
    return (*notes, *open_scores(missing, sum(len(c) for c in scores.values())))


def _likely(drawn: Floats) -> Curve:
    """How likely each fan is the one to take, against the likeliest, 0..100."""
    grid, spread = np.linspace(0, 1, 61), max(holding("fan-bands", float(drawn.std())), LEAST_ERROR)
    height = np.exp(-0.5 * ((grid[:, None] - drawn[None, ::10]) / spread) ** 2).mean(axis=1)
    likely = 100 * height / height.max()
    return Curve.of(100 * grid, likely, np.zeros_like(likely), np.empty(0), np.empty(0))


def _trade_off(
    value: float, ramps: Mapping[str, Ramp], x: Floats, scores: Mapping[str, Floats], names: Mapping[str, str]
) -> Chart:
    """Every aspect over the fan with what was scored, and where they balance."""
    series = []
    for tone, (key, ramp) in enumerate(ramps.items()):
        along = tuple(round(100 * float(v), 1) for v in ramp.x[::3])
        series.append(
            Series(names[key].lower(), "line", along, tuple(round(float(v), 2) for v in ramp.mean[::3]), tone=tone)
        )
        seen = np.flatnonzero(np.isfinite(scores[key]))
        points = tuple(float(100 * x[i]) for i in seen), tuple(float(scores[key][i]) for i in seen)
        series.append(Series(names[key].lower(), "points", *points, (0.0,) * len(seen), (True,) * len(seen), tone))
    bond = ramps[BOND]
    at = (round(100 * value, 1),)
    series.append(Series("taken", "mark", at, (round(float(np.interp(value, bond.x, bond.mean)), 2),)))
    return Chart("What air gives and takes", Axis("Fan", "%"), Axis("score", "of 4"), tuple(series))
