"""What a fit of scores says, in the states and words that all kinds share."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from drumbo.core.counted import counted
from drumbo.core.fit.quality import Quality, fit_quality
from drumbo.core.sure import half_90
from drumbo.trials.pictures import Curve
from drumbo.trials.readings import Aspect, Readings, Step
from drumbo.trials.result import Result, beyond
from drumbo.trials.toolkit.wider import holding

Floats = NDArray[np.float64]

NEEDED = 3
"""Steps that make a curve."""
SPLIT_MISFIT = 1.9
"""Looks that scatter this much more than usual contradict each other."""
FILAMENT_SHARE = 0.004
"""What one strip's flow is commonly off by, as a share, since the filament that went into it was thicker or thinner
than the spool is on the mean: makers hold it to ± 0.02 mm, and it wavers along metres.
"""
FLAT_DROP = 2.5
"""Below this many times one step's scatter, the steps cannot be told apart."""


def few(
    seen: int, one: str = "step", many: str = "", *, verb: str = "Score", then: str = "; a curve needs three."
) -> Result:
    """Too few readings yet, and how many more it takes.

    >>> few(2, "foot", "feet").says
    'Score 1 more foot; a curve needs three.'
    """
    left = NEEDED - seen
    return Result("few", says=f"{verb} {counted(left, f'more {one}', f'more {many}' if many else '')}{then}")


def contradict(things: str = "steps", far_from: str = "the curve") -> str:
    """The words for scores that no curve fits."""
    return f"The scores contradict each other; look again at the {things} far from {far_from}."


def all_alike(low: float, high: float, unit: str, decimals: int = 0, so: str = "any of them will do") -> str:
    """The words for scores that tell no difference."""
    unit = f" {unit}" if unit else ""
    return f"No clear difference between {low:.{decimals}f} and {high:.{decimals}f}{unit}; {so}."


def if_strict(value: float, sways: float, error: float, unit: str, decimals: int) -> tuple[str, ...]:
    """A note of what the answer is for somebody who reads more strictly than is usual, where that matters.

    >>> if_strict(216.0, -2.0, 3.0, "°C", 0)
    ('If your readings run strict, it is 214 rather than 216 °C.',)
    """
    told, usual = f"{value + sways:.{decimals}f}", f"{value:.{decimals}f}"
    if abs(sways) < MATTERS * error or told == usual:
        return ()
    return (f"If your readings run strict, it is {told} rather than {usual}{f' {unit}' if unit else ''}.",)


MATTERS = 0.3
"""Share of a standard error from which on the reader's severity is spoken of."""


def open_scores(missing: int, of: int) -> tuple[str, ...]:
    """A note of what was not scored, if anything."""
    return (f"{missing} of {of} scores are open; the error counts that in.",) if missing else ()


@dataclass(frozen=True, slots=True)
class BestStep:
    """How the best value of a scored sweep is told. `ways` is what values below and above it are called, where the
    sweep may end too early; without them its ends are no edge. No error is smaller than `least_error` or than
    `step_share` of a step.
    """

    unit: str
    things: str = "steps"
    ways: tuple[str, str] | None = None
    piece: str = "one"
    least_error: float = 0.0
    step_share: float = 0.2
    flat_drop: float = FLAT_DROP
    kind: str = ""

    def of(
        self, steps: Sequence[Step], aspects: Sequence[Aspect], weights: Floats, readings: Readings
    ) -> tuple[Result, Quality] | None:
        """What all scores together say, with the fit itself; None where fewer than three steps were looked at.
        Aspects that nobody scored have no say; the others share their weight. `extend` is left to the kind.
        """
        order = np.argsort([step.value for step in steps])
        x = np.array([step.value for step in steps])[order]
        scores = np.column_stack([readings.column(aspect.key, steps) for aspect in aspects])[order]
        if self.seen(scores, weights) < NEEDED:
            return None
        found = fit_quality(x, scores, _of_seen(weights, scores), reader=readings.leaning)
        step = float(x[1] - x[0])
        error = max(holding(self.kind, float(np.hypot(1.15 * found.error, self.step_share * step))), self.least_error)
        state, says = self._told(found)
        low, high = (float(x[0]), float(x[-1])) if state == "flat" else (found.low, found.high)
        if state in {"split", "edge"}:
            # What is as good as the best means nothing where scores contradict each other, or the best lies beyond.
            low, high = found.best - half_90(error), found.best + half_90(error)
        notes = tuple(
            f"{aspects[k].name} at {x[i]:g} {self.unit} stands apart from its neighbours; look again."
            for i, k in found.apart[:2]
        )
        notes += open_scores(int(np.isnan(scores).sum()), scores.size)
        curve = Curve.of(found.x, found.mean, found.sd, x, found.points)
        past = beyond(found.edge) if state == "edge" else ""
        return Result(state, found.best, error, low, high, says, notes, curve, reader=found.reader, beyond=past), found

    @staticmethod
    def seen(scores: Floats, weights: Floats) -> int:
        """At how many steps something of weight was scored."""
        return int((np.isfinite(scores) & (weights > 0)).any(axis=1).sum())

    def _told(self, found: Quality) -> tuple[str, str]:
        if found.misfit > SPLIT_MISFIT:
            return "split", contradict(self.things)
        if found.drop < self.flat_drop:
            return "flat", all_alike(float(found.x[0]), float(found.x[-1]), self.unit)
        if found.edge and self.ways:
            way = self.ways[found.edge > 0]
            return "edge", f"Still getting better at the end of the range; print {way} {self.piece} next."
        return "good", f"{found.low:.0f} to {found.high:.0f} {self.unit} is as good."


def _of_seen(weights: Floats, scores: Floats) -> Floats:
    seen = np.isfinite(scores).any(axis=0)
    kept = np.where(seen, weights, 0.0)
    return np.asarray(kept / kept.sum()) if kept.sum() > 0 else np.where(seen, 1.0 / seen.sum(), 0.0)
