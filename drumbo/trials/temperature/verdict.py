"""What the ladder's scores say, in numbers and in words."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from drumbo.core.fields import Scalar
from drumbo.core.fit.quality import Quality, fit_quality
from drumbo.trials.base import Aspect, Readings, Result, Step
from drumbo.trials.pictures import Curve
from drumbo.trials.temperature.plan import AIMS, Plan

Floats = NDArray[np.float64]


FLAT_DROP = 2.5
"""Below this many times one step's scatter, the steps cannot be told apart."""
SPLIT_MISFIT = 1.9
"""Looks that scatter this much more than usual contradict each other."""


def verdict(plan: Plan, steps: Sequence[Step], aspects: Sequence[Aspect], readings: Readings) -> Result:
    """Fit all scores together and say what they mean; never more than they do."""
    aim = next(a for a in AIMS if a.key == plan.aim)
    weights = np.array([aim.weights[a.key] for a in aspects])
    x = np.array([step.value for step in steps])
    scores = np.array(
        [[_nan(readings.score(aspect.key, step.index)) for aspect in aspects] for step in steps], dtype=float
    )
    steps_seen = int((np.isfinite(scores) & (weights > 0)).any(axis=1).sum())
    if steps_seen < 3:
        left = 3 - steps_seen
        return Result("few", says=f"Score {left} more step{'s' if left > 1 else ''}; a curve needs three.")
    order = np.argsort(x)
    weights = _of_seen(weights, scores)
    found = fit_quality(x[order], scores[order], weights)
    return _result(plan, found, x[order], scores[order], [a.name for a in aspects])


def _nan(score: int | None) -> float:
    return float("nan") if score is None else float(score)


def _of_seen(weights: Floats, scores: Floats) -> Floats:
    """Aspects that nobody scored have no say; the others share their weight."""
    seen = np.isfinite(scores).any(axis=0)
    kept = np.where(seen, weights, 0.0)
    return np.asarray(kept / kept.sum()) if kept.sum() > 0 else np.where(seen, 1.0 / seen.sum(), 0.0)


def _result(plan: Plan, found: Quality, x: Floats, scores: Floats, names: Sequence[str]) -> Result:
    step = float(x[1] - x[0])
    error = max(float(np.hypot(1.15 * found.error, 0.2 * step)), 0.5)
    curve = Curve(
        x=_tuple(found.x), y=_tuple(found.mean), low=_tuple(found.mean - found.sd), high=_tuple(found.mean + found.sd),
        points=tuple((float(a), float(b)) for a, b in zip(x, found.points, strict=True) if np.isfinite(b)), unit="°C",
    )  # fmt: skip
    notes = list(_limits(found, x, names))
    notes += [
        f"{names[aspect]} at {x[step]:.0f} °C stands apart from its neighbours; look again."
        for step, aspect in found.apart[:2]
    ]
    missing = int(np.isnan(scores).sum())
    if missing:
        notes.append(f"{missing} of {scores.size} scores are open; the error counts that in.")
    state, says, extend = _state(plan, found, step)
    low, high = (float(x[0]), float(x[-1])) if state == "flat" else (found.low, found.high)
    return Result(
        state=state, value=found.best, error=error, low=low, high=high,
        says=says, notes=tuple(notes), curve=curve, extend=extend,
    )  # fmt: skip


def _tuple(values: Floats) -> tuple[float, ...]:
    return tuple(round(float(v), 2) for v in values[::2])


def _state(plan: Plan, found: Quality, step: float) -> tuple[str, str, Mapping[str, Scalar] | None]:
    as_good = f"{found.low:.0f} to {found.high:.0f} °C is as good."
    if found.misfit > SPLIT_MISFIT:
        return "split", "The scores contradict each other; look again at the steps far from the curve.", None
    if found.drop < FLAT_DROP:
        low, high = found.x[0], found.x[-1]
        return "flat", f"No clear difference between {low:.0f} and {high:.0f} °C; any of them will do.", None
    if found.edge:
        extend = _further(plan, found, step)
        way = "hotter" if found.edge > 0 else "cooler"
        return "edge", f"Still getting better at the end of the range; print a {way} ladder next.", extend
    return "good", as_good, None


def _further(plan: Plan, found: Quality, step: float) -> dict[str, Scalar]:
    """A plan that overlaps this one by two steps and goes on in the better direction."""
    if found.edge > 0:
        low = found.x[-1] - 2 * step
        return replace(plan, cold_c=float(low), hot_c=float(low + 6 * step)).to_json()
    high = found.x[0] + 2 * step
    return replace(plan, hot_c=float(high), cold_c=float(high - 6 * step)).to_json()


def _limits(found: Quality, x: Floats, names: Sequence[str]) -> Sequence[str]:
    """In words, what falls off on either side of the best."""
    notes = []
    for side, word in ((found.x > found.best, "above"), (found.x < found.best, "below")):
        if not side.any():
            continue
        falls: dict[float, list[str]] = {}
        for name, part in zip(names, found.parts, strict=True):
            if not np.isfinite(part).all():
                continue
            here = float(np.interp(found.best, found.x, part))
            bad = side & (part < min(here - 1.0, 2.2))
            if bad.any():
                edge = found.x[bad].min() if word == "above" else found.x[bad].max()
                falls.setdefault(float(x[np.abs(x - edge).argmin()]), []).append(name.lower())
        for edge, what in sorted(falls.items(), reverse=word == "below")[:2]:
            verb = "falls" if len(what) == 1 and not what[0].endswith("s") else "fall"
            notes.append(f"{_list(what).capitalize()} {verb} off {word} {edge:.0f} °C.")
    return notes


def _list(words: Sequence[str]) -> str:
    """One, two and three as a person would say them."""
    return " and ".join(filter(None, [", ".join(words[:-1]), words[-1]]))
