"""What the ladder's scores say, in numbers and in words."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from drumbo.core.fields import Scalar
from drumbo.core.fit.quality import Quality
from drumbo.trials.readings import Aspect, Readings, Step
from drumbo.trials.result import Result
from drumbo.trials.temperature.plan import AIMS, Plan
from drumbo.trials.toolkit.verdict import BestStep, few

Floats = NDArray[np.float64]

TELLS = BestStep("°C", ways=("a cooler", "a hotter"), piece="ladder", least_error=0.5, kind="temperature")


def verdict(plan: Plan, steps: Sequence[Step], aspects: Sequence[Aspect], readings: Readings) -> Result:
    """Fit all scores together and say what they mean; never more than they do."""
    aim = next(a for a in AIMS if a.key == plan.aim)
    weights = np.array([aim.weights[a.key] for a in aspects])
    told = TELLS.of(steps, aspects, weights, readings)
    if told is None:
        return few(TELLS.seen(np.column_stack([readings.column(a.key, steps) for a in aspects]), weights))
    result, found = told
    x = np.array(sorted(step.value for step in steps))
    extend = _further(plan, found, float(x[1] - x[0])) if result.state == "edge" else None
    return replace(result, extend=extend, notes=(*_limits(found, x, [a.name for a in aspects]), *result.notes))


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
