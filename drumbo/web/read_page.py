"""All that the Read leaf shows of what is to be scored: rows, columns, and one step at a time on a phone."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from drumbo.services.trials import TrialSheet
from drumbo.trials.readings import Aspect, Readings, Step
from drumbo.web.figure import Band, PiecePicture

LONGEST_HINT = 44
_ORDINALS = {1: "1st", 2: "2nd", 3: "3rd"}


@dataclass(frozen=True, slots=True)
class Cell:
    """One score: of what, at which step. `hint` is what a phone shows until there is one."""

    step: int
    label: str
    aspect: str
    name: str
    words: tuple[str, ...]
    score: int | None
    hint: str

    @property
    def said(self) -> str:
        """What the score says."""
        return "not scored" if self.score is None else self.words[self.score]

    @property
    def told(self) -> str:
        """The score and what it says."""
        return self.said if self.score is None else f"{self.score}, {self.said}"

    @property
    def classes(self) -> str:
        """How its pips stand."""
        return "pips unset" if self.score is None else "pips zero" if self.score == 0 else "pips"

    @property
    def pips(self) -> tuple[tuple[int, bool], ...]:
        """1 to 4, and which of them are filled."""
        return tuple((n, self.score is not None and self.score >= n) for n in range(1, 5))

    @property
    def keys(self) -> tuple[tuple[int, bool], ...]:
        """0 to 4 to press with a thumb; the 0 is down only where it was given."""
        given = self.score
        return tuple((n, given is not None and given >= n and (n > 0 or given == 0)) for n in range(5))


@dataclass(frozen=True, slots=True)
class ReadRow:
    """A step with its scores, in the order of the aspects."""

    index: int
    label: str
    cells: tuple[Cell, ...]
    picked: bool


@dataclass(frozen=True, slots=True)
class Jump:
    """A step to turn to."""

    index: int
    label: str


@dataclass(frozen=True, slots=True)
class OneStep:
    """A step alone, as a phone shows it: where on the piece it is, its scores, and the steps before and after it."""

    row: ReadRow
    where: str
    band: Band
    before: Jump | None
    after: Jump | None


@dataclass(frozen=True, slots=True)
class ReadPage:
    """The scores of a trial. `rows` are in page order, the top of a tower first; `layout` is tower, strip or list. On a
    tower of which one thing is `counted` on each level nothing is scored.
    """

    layout: str
    unit: str
    aspects: tuple[Aspect, ...]
    pick: str
    rows: tuple[ReadRow, ...]
    jumps: tuple[Jump, ...]
    phone: tuple[OneStep, ...]
    keys: tuple[str, ...]
    words: Mapping[str, tuple[str, ...]]
    counted: bool = False
    marks: tuple[str, ...] = ()

    @property
    def columns(self) -> tuple[tuple[Aspect, tuple[Cell, ...]], ...]:
        """Each aspect with its scores along the steps."""
        return tuple((aspect, tuple(row.cells[k] for row in self.rows)) for k, aspect in enumerate(self.aspects))


def read_page(sheet: TrialSheet, picture: PiecePicture) -> ReadPage:
    """The Read leaf of a trial whose piece is drawn so."""
    aspects, steps = sheet.to_read.aspects, sheet.steps
    by_index = {step.index: _row(step, aspects, sheet.readings) for step in steps}
    order = steps if picture.lies else tuple(reversed(steps))
    jumps = tuple(Jump(step.index, step.label) for step in order) if len(steps) > 1 else ()
    ends = ("the left", "the top")[not picture.lies]
    phone = tuple(
        OneStep(
            by_index[band.index],
            f"{_ORDINALS.get(place, f'{place}th')} from {ends}" if len(steps) > 1 else "",
            band,
            _jump(steps, band.index - 1),
            _jump(steps, band.index + 1),
        )
        for place, band in enumerate(picture.bands, start=1)
    )
    return ReadPage(
        layout="list" if len(steps) == 1 else "strip" if picture.lies else "tower",
        unit=sheet.kind.unit,
        aspects=aspects,
        pick=sheet.to_read.pick,
        rows=tuple(by_index[step.index] for step in order),
        jumps=jumps,
        phone=phone if aspects else (),
        keys=tuple(aspect.key for aspect in aspects),
        words={aspect.key: aspect.words for aspect in aspects},
        counted=not (aspects or sheet.to_read.firsts)
        and not picture.lies
        and [len(m.sites) for m in sheet.to_read.measures] == [1],
        marks=_marks(sheet),
    )


def _marks(sheet: TrialSheet) -> tuple[str, ...]:
    """The corners that are marked in a photo for it to be read; none where a photo is only looked at."""
    wanted = sheet.kind.photo_marks(sheet.plan, sheet.context)
    return () if wanted is None else tuple(name for name, _, _ in wanted.corners)


def _row(step: Step, aspects: tuple[Aspect, ...], readings: Readings) -> ReadRow:
    cells = tuple(
        Cell(step.index, step.label, a.key, a.name, a.words, readings.score(a.key, step.index), _hint(a.look_at))
        for a in aspects
    )
    return ReadRow(step.index, step.label, cells, readings.picked == step.index)


def _hint(look_at: str) -> str:
    first = look_at.split(":", maxsplit=1)[0]
    return first if len(first) <= LONGEST_HINT else first[: LONGEST_HINT - 1].rsplit(" ", 1)[0] + "…"


def _jump(steps: tuple[Step, ...], index: int) -> Jump | None:
    return Jump(index, steps[index].label) if 0 <= index < len(steps) else None
