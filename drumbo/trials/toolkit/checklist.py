"""A checklist for one part: what it says of the whole profile, and which trials it leads back to. For proofs.

Scores count as most people would give them, as far as the reader's earlier trials tell that. One look in some slips,
and a part has many points: one or two that are poor are looked at again before they send anybody back to a trial.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from drumbo.core.catalogue import GROUPS
from drumbo.core.fields import Scalar
from drumbo.core.fit.ordinal import BIAS_SD, LOOK_SD, Leaning
from drumbo.core.profile import Profile, Status, sectors
from drumbo.core.sure import half_90
from drumbo.trials.plan import ask
from drumbo.trials.readings import Aspect, Readings

FINE, PASSABLE = 3, 2
"""Scores: from which a point counts as good, and below which it fails the whole part."""
LEEWAY = 0.25
"""By so much a score may fall short once it counts as most people would give it: that is known no better."""
MOST_SLIPS = 2
"""More poor points than that are no slips of the eye."""
LOOK_AGAIN = "Look again"
ONCE, TWICE = "once", "twice"
LOOKED = ((ONCE, "looked at once"), (TWICE, "looked at again: it is so"))


@dataclass(frozen=True, slots=True)
class Point:
    """One line of the checklist, the group of the profile that it leads back to, and whether it may fail the part."""

    aspect: Aspect
    group: str
    must: bool = True


def ask_looked(label: str = "Poor points") -> Any:
    """The plan's field for whether poor points were looked at again; it may be set when the part is read."""
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
    wrong_groups: Collection[str] = (), *, looked: str = TWICE,
) -> Judged:  # fmt: skip
    """Good where nothing fails and nearly all is as it should be; else what to look at again, or to go back to. `wrong`
    is what was measured beside the list and is not right, in words, with the groups that it leads back to. All points
    must be scored.
    """
    runs = _runs(readings.leaning)
    scores = [(point, (readings.score(point.aspect.key, 0) or 0) - runs) for point in points]
    percent = 25 * float(np.mean([min(max(score, 0), 4) for _, score in scores]))
    error = 25 * math.hypot(LOOK_SD, BIAS_SD) / math.sqrt(len(scores))
    poor = [point for point, score in scores if point.must and score < PASSABLE - LEEWAY]
    weak = [point for point, score in scores if score < FINE - LEEWAY]
    if not poor and not wrong and percent >= least_percent:
        notes = (f"Not quite right: {_named(weak)}.",) if weak else ()
        return Judged(percent, error, True, "It came out as it should: this profile is proven.", notes)
    if 0 < len(poor) <= MOST_SLIPS and not wrong and looked == ONCE:
        says = f"{LOOK_AGAIN}: {_named(poor)}."
        return Judged(percent, error, False, says, ("If it is as poor as that, choose “looked at again” below.",))
    why = " and ".join(filter(None, [_named(poor), ", ".join(wrong)]))
    says = f"Not yet: {why}." if why else "Not yet: too much of it is only passable."
    back = {point.group for point in weak} | set(wrong_groups)
    names = [group.name.lower() for group in GROUPS if group.key in back]
    return Judged(percent, error, False, says, (f"Go back to {', then '.join(names)}.",) if names else ())


def _runs(reader: Leaning) -> float:
    """How much higher than most somebody scores. Where that is higher, only what is sure of it counts: part of what
    looks like a mild reader is that curves expect less of a good print.
    """
    return min(reader.mean, 0.0) + max(reader.mean - half_90(reader.sd), 0.0)


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
