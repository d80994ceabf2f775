"""What becomes of a profile's values in a copy, as its page lists it: by outcome, a line each."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from drumbo.core.catalogue import BY_KEY
from drumbo.core.copying import CarryOver, CopyOutcome
from drumbo.web.filters import shown

_SHOWN = {
    CopyOutcome.CARRIES: ("measured", "carry over"),
    CopyOutcome.RECHECK: ("recheck", "want a recheck"),
    CopyOutcome.START: ("start", "start over"),
}


@dataclass(frozen=True, slots=True)
class CarriedValue:
    """One value: what it was and what it is, as they are printed."""

    name: str
    before: str
    after: str
    unit: str
    why: str


@dataclass(frozen=True, slots=True)
class OutcomeGroup:
    """All values of one outcome; `mark` is the shape before its heading."""

    mark: str
    heading: str
    lines: tuple[CarriedValue, ...]


def outcomes(carried: Iterable[CarryOver]) -> tuple[OutcomeGroup, ...]:
    """The groups that hold something, what carries over first."""
    every = tuple(carried)
    found = []
    for outcome, (mark, many) in _SHOWN.items():
        lines = tuple(_line(one) for one in every if one.outcome == outcome)
        if lines:
            found.append(OutcomeGroup(mark, f"{len(lines)} {many if len(lines) > 1 else outcome}", lines))
    return tuple(found)


def _line(one: CarryOver) -> CarriedValue:
    parameter = BY_KEY[one.key]
    after = "open" if one.after is None else shown(one.after, one.key)
    return CarriedValue(parameter.name, shown(one.before, one.key), after, parameter.unit, one.why)
