"""A checklist for one part: what it says of the whole profile, and which trials it leads back to. For proofs.

Scores count as most people would give them, as far as the reader's earlier trials and the part's own best points tell
that. One look in some slips, and a part has many points: one or two that may be poor are looked at again before they
send anybody back to a trial.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from drumbo.core.catalogue import GROUPS
from drumbo.core.fields import Scalar
from drumbo.core.fit.ordinal import BIAS_SD, LOOK_SD, SEVERITY_SD, Leaning
from drumbo.core.profile import Profile, Status, sectors
from drumbo.core.sure import half_90
from drumbo.trials.plan import ask
from drumbo.trials.readings import Aspect, Readings

Floats = NDArray[np.float64]

FINE = 2.75
"""From here a point counts as good; scores count as most people would give them, which is known to a quarter."""
DOUBTFUL, POOR, POOR_AT_ONCE = 2.25, 1.5, 1.75
"""Below the first a point is looked at again, below the second it fails the part once it was; below the third where
nobody is asked to look again. Set on stand-in spools of one seed, and as good on those of others: bench/proofs.py.
"""
BEST_POINTS, BEST, BEST_SD = 3, 3.7, 0.3
"""The best so many points of a part that is worth a proof get so much on average; that tells to within so much how
strictly somebody scores, and of no more than people commonly differ by: a part may be mediocre all over.
"""
MOST_SLIPS = 2
"""More poor points than that are no slips of the eye."""
LOOK_AGAIN = "Look again"
ONCE, TWICE = "once", "twice"
LOOKED = ((ONCE, "looked at once"), (TWICE, "looked at again"))


@dataclass(frozen=True, slots=True)
class Point:
    """One line of the checklist, the group of the profile that it leads back to, and whether it may fail the part."""

    aspect: Aspect
    group: str
    must: bool = True


def ask_looked(label: str = "Doubtful points") -> Any:
    """The plan's field for whether doubtful points were looked at again; it may be set when the part is read."""
    return ask(label, kind="choice", choices=LOOKED, late=True, after=True)


def with_looked(plan: Mapping[str, Scalar]) -> Mapping[str, Scalar]:
    """A plan of the time when nobody was asked to look again: it says what it said then."""
    return {"looked": TWICE, **plan}


@dataclass(frozen=True, slots=True)
class Judged:
    """How much of a part came out well, % with its error; whether it is good; and why, in words."""

    percent: float
    error: float
    good: bool
    says: str
    notes: tuple[str, ...]


def open_points(points: Sequence[Point], readings: Readings) -> int:
    """How many were not scored yet."""
    return sum(readings.score(point.aspect.key, 0) is None for point in points)


def judged(
    points: Sequence[Point], readings: Readings, least_percent: float, wrong: Sequence[str] = (),
    wrong_groups: Collection[str] = (), *, looked: str | None = None,
) -> Judged:  # fmt: skip
    """Good where nothing fails and nearly all is as it should be; else what to look at again, or to go back to. `wrong`
    is what was measured beside the list and is not right, in words, with the groups that it leads back to. `looked`
    says whether doubtful points were looked at again; None where nobody is asked to. All points must be scored.
    """
    given = np.array([readings.score(point.aspect.key, 0) or 0 for point in points], float)
    scores = given - _runs(readings.leaning, given)
    percent = 25 * float(np.clip(scores, 0, 4).mean())
    error = 25 * math.hypot(LOOK_SD, BIAS_SD) / math.sqrt(len(scores))
    least = {None: POOR_AT_ONCE, ONCE: DOUBTFUL, TWICE: POOR}[looked]
    poor = [point for point, score in zip(points, scores, strict=True) if point.must and score < least]
    weak = [point for point, score in zip(points, scores, strict=True) if score < FINE]
    if not poor and not wrong and percent >= least_percent:
        notes = (f"Not quite right: {_named(weak)}.",) if weak else ()
        return Judged(percent, error, True, "It came out as it should: this profile is proven.", notes)
    if 0 < len(poor) <= MOST_SLIPS and not wrong and looked == ONCE:
        says = f"{LOOK_AGAIN}: {_named(poor)}."
        again = "Score that again, as if for the first time, and choose “looked at again” below."
        return Judged(percent, error, False, says, (again,))
    why = " and ".join(filter(None, [_named(poor), ", ".join(wrong)]))
    says = f"Not yet: {why}." if why else "Not yet: too much of it is only passable."
    back = {point.group for point in weak} | set(wrong_groups)
    names = [group.name.lower() for group in GROUPS if group.key in back]
    return Judged(percent, error, False, says, (f"Go back to {', then '.join(names)}.",) if names else ())


def _runs(reader: Leaning, given: Floats) -> float:
    """How much higher than most somebody scores. Where it is lower, the part's best points have their say, which
    should be nearly perfect. Where it is higher, only what is sure of it counts: part of what looks like a mild reader
    is that curves expect less of a good print.
    """
    own = min(max(float(np.sort(given)[-BEST_POINTS:].mean()) - BEST, -SEVERITY_SD), 0.0)
    weight = reader.sd**2 / (reader.sd**2 + BEST_SD**2)
    return (1 - weight) * min(reader.mean, 0.0) + weight * own + max(reader.mean - half_90(reader.sd), 0.0)


def wanted(profile: Profile, group: str) -> str | None:
    """Why a part should be printed, in a sentence, once nothing before it is left; None where it is proven."""
    state = next(sector for sector in sectors(profile) if sector.group.key == group)
    if state.known == Status.MEASURED:
        return None
    if state.known == Status.RECHECK:
        return f"{state.reason}; print the part once more."
    return "All that comes before it is known: one small part tells whether it holds together."


def _named(points: Sequence[Point]) -> str:
    return ", ".join(point.aspect.name.lower() for point in points)
