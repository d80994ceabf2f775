"""What is asked about a piece, step by step, and what somebody answered."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from drumbo.core.fit.ordinal import USUAL, Leaning

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Step:
    """One value of the sweep; `label` stands on the piece."""

    index: int
    value: float
    label: str


@dataclass(frozen=True, slots=True)
class Aspect:
    """Something to score at every step, 0 to 4. `words` say what each score looks like, worst first."""

    key: str
    name: str
    words: tuple[str, str, str, str, str]
    look_at: str = ""


@dataclass(frozen=True, slots=True)
class Site:
    """One place at which a step is measured."""

    key: str
    name: str


@dataclass(frozen=True, slots=True)
class Measure:
    """Something to measure with a tool at every step, or only `at` some, at each of its sites; bounds in `unit` are
    hard. What is `extra` makes the answer surer and may be left out.
    """

    key: str
    name: str
    unit: str
    sites: tuple[Site, ...]
    low: float
    high: float
    decimals: int = 2
    tool: str = "calliper"
    how: str = ""
    extra: bool = False
    at: tuple[int, ...] | None = None

    def is_at(self, step: int) -> bool:
        """Whether it is measured at a step."""
        return self.at is None or step in self.at

    def count(self, steps: int) -> int:
        """How many numbers that makes, of so many steps."""
        return len(self.sites) * (steps if self.at is None else len(self.at))


@dataclass(frozen=True, slots=True)
class PhotoMarks:
    """What in a photo of a piece is to be marked, so that the photo can be read: `corners` of what lies flat, by name
    and place on the piece, mm, counter-clockwise as seen from above.
    """

    corners: tuple[tuple[str, float, float], ...]


@dataclass(frozen=True, slots=True)
class PhotoReading:
    """One number that a photo told: of a measure, at a step and site, with its standard error."""

    measure: str
    step: int
    site: str
    number: float
    error: float


@dataclass(frozen=True, slots=True)
class First:
    """Something that begins at one step and stays: at which one is it seen first?"""

    key: str
    name: str
    look_at: str


@dataclass(frozen=True, slots=True)
class ToRead:
    """All that is to be read. `firsts` are asked once for all steps, aspects and measures at every step. `pick` is the
    question of a quick way: which one step is best. Where `measures_lead`, they say the most and are asked for first.
    """

    aspects: tuple[Aspect, ...] = ()
    measures: tuple[Measure, ...] = ()
    firsts: tuple[First, ...] = ()
    pick: str = ""
    measures_lead: bool = False

    def count(self, steps: int) -> int:
        """How many readings there are to give, without what is extra and the quick way."""
        numbers = sum(m.count(steps) for m in self.measures if not m.extra)
        return steps * len(self.aspects) + numbers + len(self.firsts)

    @property
    def numbers(self) -> int:
        """How many numbers may be given at a step."""
        return sum(len(m.sites) for m in self.measures)

    def is_measured(self, step: int) -> bool:
        """Whether anything is measured at a step."""
        return any(m.is_at(step) for m in self.measures)

    @property
    def extra(self) -> frozenset[str]:
        """The measures that may be left out."""
        return frozenset(m.key for m in self.measures if m.extra)


@dataclass(frozen=True, slots=True)
class Readings:
    """What the maker saw. Step indices are text, as JSON keys are.

    `scores` is by aspect, then by step; 0 to 4. `measures` is by measure, step and site, in the measure's unit.
    `firsts` holds the step at which something is seen first, or the number of steps where none shows it. `picked` is
    the step chosen the quick way. `reader` is who read, and `leaning` what was known of them when they began: how much
    higher they score than is usual, with its standard deviation. `photographed` is what a photo told beside that: by
    measure, step and site, a number and its standard error.
    """

    scores: Mapping[str, Mapping[str, int]] = field(default_factory=dict)
    measures: Mapping[str, Mapping[str, Mapping[str, float]]] = field(default_factory=dict)
    firsts: Mapping[str, int] = field(default_factory=dict)
    picked: int | None = None
    note: str = ""
    reader: str = ""
    leaning: Leaning = USUAL
    photographed: Mapping[str, Mapping[str, Mapping[str, tuple[float, float]]]] = field(default_factory=dict)

    def score(self, aspect: str, step: int) -> int | None:
        """The score given, or None where nothing was scored yet."""
        return self.scores.get(aspect, {}).get(str(step))

    def column(self, aspect: str, steps: Sequence[Step]) -> Floats:
        """(n,) the scores of an aspect by step, NaN where nothing was scored."""
        scores = (self.score(aspect, step.index) for step in steps)
        return np.array([math.nan if score is None else float(score) for score in scores])

    def measured(self, measure: str, step: int, site: str) -> float | None:
        """The number measured, or None where nothing was measured yet."""
        return self.measures.get(measure, {}).get(str(step), {}).get(site)

    def by_photo(self, measure: str, step: int, site: str) -> tuple[float, float] | None:
        """What a photo told, and its standard error; None where none did."""
        return self.photographed.get(measure, {}).get(str(step), {}).get(site)

    def with_score(self, aspect: str, step: int, score: int | None) -> Readings:
        """The same readings with one score set, or taken back with None."""
        row = {key: value for key, value in self.scores.get(aspect, {}).items() if key != str(step)}
        if score is not None:
            row[str(step)] = score
        return replace(self, scores={**self.scores, aspect: row})

    def with_measure(self, measure: str, step: int, site: str, number: float | None) -> Readings:
        """The same readings with one number set, or taken back with None."""
        steps = self.measures.get(measure, {})
        row = {key: value for key, value in steps.get(str(step), {}).items() if key != site}
        if number is not None:
            row[site] = number
        return replace(self, measures={**self.measures, measure: {**steps, str(step): row}})

    def with_photo(self, measure: str, step: int, site: str, number: float, error: float) -> Readings:
        """The same readings with what a photo told of one number, and its standard error."""
        steps = self.photographed.get(measure, {})
        row = {**steps.get(str(step), {}), site: (number, error)}
        return replace(self, photographed={**self.photographed, measure: {**steps, str(step): row}})

    def with_first(self, key: str, step: int | None) -> Readings:
        """The same readings with one beginning set, or taken back with None."""
        others = {other: at for other, at in self.firsts.items() if other != key}
        return replace(self, firsts=others if step is None else {**others, key: step})

    def count(self, without: Collection[str] = ()) -> int:
        """How many scores, numbers and beginnings there are, `without` those of some measures."""
        numbers = {
            (measure, step, site)
            for told in (self.measures, self.photographed)
            for measure, steps in told.items()
            if measure not in without
            for step, row in steps.items()
            for site in row
        }
        return sum(len(row) for row in self.scores.values()) + len(numbers) + len(self.firsts)

    @property
    def any(self) -> bool:
        """Whether anything was read yet."""
        return self.picked is not None or self.count() > 0

    def to_json(self) -> dict[str, Any]:
        """Plain data; `from_json` gives equal readings back."""
        return {
            "scores": {a: dict(row) for a, row in self.scores.items()},
            "measures": {m: {s: dict(row) for s, row in steps.items()} for m, steps in self.measures.items()},
            "firsts": dict(self.firsts),
            "picked": self.picked,
            "note": self.note,
            "reader": self.reader,
            "leaning": [self.leaning.mean, self.leaning.sd],
            **(
                {
                    "photographed": {
                        m: {s: {k: list(read) for k, read in row.items()} for s, row in steps.items()}
                        for m, steps in self.photographed.items()
                    }
                }
                if self.photographed
                else {}
            ),
        }

    @classmethod
    def from_json(cls, data: Mapping[str, Any]) -> Readings:
        """The readings that `to_json` wrote."""
        return cls(
            scores={a: dict(row) for a, row in data.get("scores", {}).items()},
            measures={m: {s: dict(row) for s, row in steps.items()} for m, steps in data.get("measures", {}).items()},
            firsts=dict(data.get("firsts", {})),
            picked=data.get("picked"),
            note=data.get("note", ""),
            reader=data.get("reader", ""),
            leaning=Leaning(*data["leaning"]) if "leaning" in data else USUAL,
            photographed={
                m: {s: {k: (read[0], read[1]) for k, read in row.items()} for s, row in steps.items()}
                for m, steps in data.get("photographed", {}).items()
            },
        )
