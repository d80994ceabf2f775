"""What the readings of a trial say, and how an earlier trial's answer is counted in."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any

from drumbo.core.errors import InvalidInput
from drumbo.core.fields import Scalar
from drumbo.core.fit.ordinal import Leaning
from drumbo.core.sure import half_90
from drumbo.trials.pictures import Chart, Curve, Map, Spread
from drumbo.trials.plan import TrialPlan

MORE, LESS = "more", "less"


def beyond(end: float) -> str:
    """Which way the right value lies from a range's end: below 0 its lower end, above 0 its upper one, 0 within."""
    return MORE if end > 0 else LESS if end < 0 else ""


@dataclass(frozen=True, slots=True)
class Result:
    """What the readings say.

    `state` is "good", or what stands in the way: "few" (too few readings), "flat", "edge", "split".
    `value` with its `error` (one standard error) lies in `low`..`high`, which is as good. `says` is the verdict in a
    sentence, `notes` more of it; `also` holds what else was found, for the kind's own `changes`; `extend` fills a
    plan that goes on where this one ends, under the words `extend_says`. A `headline` stands in the number's place
    where that would say little. `reader` is what is known of whoever read, once these readings are counted in.

    Where the range ends too early, `beyond` is MORE or LESS: the right value is `low` or more, or `high` or less, and
    nobody knows how far beyond. A `value` that is that bound itself held, and can be used.
    """

    state: str
    value: float | None = None
    error: float | None = None
    low: float | None = None
    high: float | None = None
    says: str = ""
    notes: tuple[str, ...] = ()
    curve: Curve | None = None
    spreads: tuple[Spread, ...] = ()
    charts: tuple[Chart, ...] = ()
    maps: tuple[Map, ...] = ()
    also: Mapping[str, float] | None = None
    extend: Mapping[str, Scalar] | None = None
    extend_says: str = "Plan the next range"
    headline: str = ""
    reader: Leaning | None = None
    beyond: str = ""

    @property
    def bound(self) -> float | None:
        """What the right value lies beyond; None where it lies within what is said."""
        return {MORE: self.low, LESS: self.high}.get(self.beyond)

    @property
    def usable(self) -> bool:
        """Whether the value is one to print with: within the range, or at its end and held there."""
        return not self.beyond or self.bound == self.value

    @property
    def as_good(self) -> bool:
        """Whether all of `low`..`high` is as good, and not only where the right value lies."""
        if self.value is None or self.error is None or self.low is None or self.high is None or self.low == self.high:
            return False
        if self.beyond:
            return False
        sides = (self.high - self.value, self.value - self.low)
        return not any(math.isclose(side, half_90(self.error), rel_tol=0.02) for side in sides)

    def to_json(self) -> dict[str, Any]:
        """Plain data; `from_json` gives an equal result back."""
        return asdict(self)

    @classmethod
    def from_json(cls, data: Mapping[str, Any]) -> Result:
        """The result that `to_json` wrote."""
        curve = data.get("curve")
        if curve is not None:
            columns = {k: tuple(curve[k]) for k in ("x", "y", "low", "high")}
            points = tuple((float(x), float(y)) for x, y in curve["points"])
            curve = Curve(**columns, points=points, unit=curve.get("unit", ""), name=curve.get("name", ""))
        spreads = tuple(
            Spread(**{**row, "points": tuple((str(w), float(n), bool(k)) for w, n, k in row["points"])})
            for row in data.get("spreads", ())
        )
        charts = tuple(Chart.from_json(row) for row in data.get("charts", ()))
        maps = tuple(Map.from_json(row) for row in data.get("maps", ()))
        reader = data.get("reader")
        more = {
            "reader": None if reader is None else Leaning(**reader),
            "maps": maps,
            "curve": curve,
            "spreads": spreads,
            "charts": charts,
            "notes": tuple(data.get("notes", ())),
        }
        return cls(**{**data, **more})


def weighed(one: tuple[float, float], other: tuple[float, float]) -> tuple[float, float]:
    """Two values with their standard errors as one. (1.0, 0.02) and (1.1, 0.02): (1.05, 0.0141)."""
    weights = one[1] ** -2, other[1] ** -2
    return (one[0] * weights[0] + other[0] * weights[1]) / sum(weights), sum(weights) ** -0.5


def known_before(value: float | None, error: float | None) -> tuple[float, float] | None:
    """What an earlier trial found, from two fields of a plan; None where they are empty."""
    return None if value is None or error is None else (value, error)


def check_known(plan: TrialPlan, value: str, error: str) -> None:
    """InvalidInput names the field that is missing where only one of the two was filled in."""
    if (plan[value] is None) != (plan[error] is None):
        missing = value if plan[value] is None else error
        raise InvalidInput(missing, "is needed too: what is known needs both the value and how sure it is")
