"""What a trial kind is. A kind is a folder in `drumbo/trials/` whose package holds `KIND`; nothing else names it.

The whole surface is on this page: `AnyKind`, `Kind` for filament, and the values that they take and give; pictures of
results are in `pictures`, and resin's kinds build on `layered`. The generic pages, the command line, the contract test
and the benchmark serve every kind through it.
"""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from typing import Any, ClassVar, Generic, TypeVar

import numpy as np
from numpy.typing import NDArray

from drumbo.core.catalogue import BY_KEY, FILAMENT
from drumbo.core.errors import InvalidInput
from drumbo.core.fields import Field, Scalar
from drumbo.core.fit.ordinal import USUAL, Leaning
from drumbo.core.gcode.writer import PrintJob, write
from drumbo.core.pair import Partner
from drumbo.core.piece import Piece
from drumbo.core.prior import Before
from drumbo.core.profile import Origin, OriginKind, Profile, Status, Value, sectors
from drumbo.core.sure import half_90
from drumbo.core.toolpath import Toolpath, path_motion
from drumbo.core.workshop import Material, Printer
from drumbo.trials.pictures import Chart, Curve, Map, Spread
from drumbo.trials.plan import Bounds, TrialPlan

Floats = NDArray[np.float64]


D = TypeVar("D")
M = TypeVar("M")


@dataclass(frozen=True, slots=True)
class Bound(Generic[D, M]):
    """What a trial is bound to: one printer, one material, one revision of one profile; in one of a pair, `other` is
    the second of the two. `before` is what earlier spools came to, by catalogue key, where somebody asked for that.
    """

    printer: D
    material: M
    profile: Profile
    other: Partner | None = None
    before: Mapping[str, Before] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Context(Bound[Printer, Material]):
    """What a filament trial is bound to."""


C = TypeVar("C", bound="Bound[Any, Any]")
P = TypeVar("P", bound=TrialPlan)


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
    """Something to measure with a tool at every step, at each of its sites; bounds in `unit` are hard."""

    key: str
    name: str
    unit: str
    sites: tuple[Site, ...]
    low: float
    high: float
    decimals: int = 2
    tool: str = "calliper"
    how: str = ""


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
        """How many readings there are to give, the quick way apart."""
        return steps * (len(self.aspects) + sum(len(m.sites) for m in self.measures)) + len(self.firsts)


@dataclass(frozen=True, slots=True)
class Readings:
    """What the maker saw. Step indices are text, as JSON keys are.

    `scores` is by aspect, then by step; 0 to 4. `measures` is by measure, step and site, in the measure's unit.
    `firsts` holds the step at which something is seen first, or the number of steps where none shows it. `picked` is
    the step chosen the quick way. `reader` is who read, and `leaning` what was known of them when they began: how much
    higher they score than is usual, with its standard deviation.
    """

    scores: Mapping[str, Mapping[str, int]] = field(default_factory=dict)
    measures: Mapping[str, Mapping[str, Mapping[str, float]]] = field(default_factory=dict)
    firsts: Mapping[str, int] = field(default_factory=dict)
    picked: int | None = None
    note: str = ""
    reader: str = ""
    leaning: Leaning = USUAL

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

    def with_first(self, key: str, step: int | None) -> Readings:
        """The same readings with one beginning set, or taken back with None."""
        others = {other: at for other, at in self.firsts.items() if other != key}
        return replace(self, firsts=others if step is None else {**others, key: step})

    def count(self) -> int:
        """How many scores, numbers and beginnings there are."""
        numbers = sum(len(row) for steps in self.measures.values() for row in steps.values())
        return sum(len(row) for row in self.scores.values()) + numbers + len(self.firsts)

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
        )


@dataclass(frozen=True, slots=True)
class Result:
    """What the readings say.

    `state` is "good", or what stands in the way: "few" (too few readings), "flat", "edge", "split".
    `value` with its `error` (one standard error) lies in `low`..`high`, which is as good. `says` is the verdict in a
    sentence, `notes` more of it; `also` holds what else was found, for the kind's own `changes`; `extend` fills a
    plan that goes on where this one ends, under the words `extend_says`. A `headline` stands in the number's place
    where that would say little. `reader` is what is known of whoever read, once these readings are counted in.
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

    @property
    def as_good(self) -> bool:
        """Whether all of `low`..`high` is as good, and not only where the right value lies."""
        if self.value is None or self.error is None or self.low is None or self.high is None or self.low == self.high:
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
            curve = Curve(**columns, points=points, unit=curve.get("unit", ""))
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


@dataclass(frozen=True, slots=True)
class PrintFile:
    """A trial's file: complete in itself. Seconds, grams and money are of this file."""

    gcode: str
    path: Toolpath
    seconds: float
    grams: float
    cost: float | None


class AnyKind(ABC, Generic[C, P]):
    """One kind of trial, of whatever process."""

    slug: ClassVar[str]
    plan_type: type[P]
    """What it asks for."""
    title: ClassVar[str]
    process: ClassVar[str]
    version: ClassVar[int] = 1
    sets: ClassVar[tuple[str, ...]]
    """Catalogue keys that adopting a result may set; the first is the one the result is in."""
    step_unit: ClassVar[str | None] = None
    """Unit of the steps' labels, where it is not that of the first key in `sets`."""
    solid: ClassVar[bool] = True
    """Whether the piece is a solid that is printed; else it is only a picture of what to do."""
    called: ClassVar[str] = "steps"
    """What the steps of its piece are called."""
    ends: ClassVar[tuple[str, str]] = ("at the bottom", "at the top")
    """Where the first and the last of them are."""
    purges: ClassVar[bool] = True
    """Whether filament that is changed at a pause is to be pushed until it is clean."""
    on_demand: ClassVar[bool] = False
    """Whether it is only for those who ask for it: nobody is told to print it."""
    few: ClassVar[str] = "Score what you see at each step; a curve needs three."
    """What to do first, while there is no result."""
    group: ClassVar[str]
    """The drum's sector that this kind measures."""
    about: ClassVar[str]

    @property
    def unit(self) -> str:
        """Unit of the steps' labels."""
        return BY_KEY[self.sets[0]].unit if self.step_unit is None else self.step_unit

    @property
    def scope(self) -> str:
        """Whose value a result is: the "profile"'s, the "printer"'s or a "pair"'s."""
        return BY_KEY[self.sets[0]].scope

    def fields(self, context: C) -> tuple[Field, ...]:
        """What a plan is made of, bounded by what the printer can do."""
        bounds = self.bounds(context)
        return tuple(bounds.get(field.key, Bounds()).on(field) for field in self.plan_type.fields())

    def bounds(self, context: C) -> Mapping[str, Bounds]:
        """What the context makes of fields, by key."""
        del context
        return {}

    @abstractmethod
    def suggest(self, context: C) -> P:
        """A plan filled in from label, profile and printer."""

    def quick(self, context: C) -> P:
        """A plan that tells enough in less time and material; as `suggest` has it, where nobody knows better."""
        return self.suggest(context)

    @abstractmethod
    def check(self, plan: P, context: C) -> dict[str, str]:
        """Raise InvalidInput for a plan that cannot be printed; return warnings by field for one that can."""

    @abstractmethod
    def steps(self, plan: P) -> tuple[Step, ...]:
        """The sweep, in the order of printing."""

    @abstractmethod
    def piece(self, plan: P, context: C) -> Piece:
        """The object, one place a step."""

    @abstractmethod
    def readings(self, plan: P) -> ToRead:
        """What to look at and what to measure, at every step."""

    @abstractmethod
    def evaluate(self, plan: P, readings: Readings) -> Result:
        """What the readings say."""

    def changes(self, plan: P, result: Result, context: C, trial: int) -> dict[str, Value]:
        """What adopting would set, by catalogue key: as it stands here, the first key's value."""
        del plan, context
        if result.value is None:
            return {}
        return {self.sets[0]: Value(self.adopted(result.value), self.origin(trial), result.error)}

    def adopted(self, value: float) -> float:
        """A result as it goes into a profile: to the digits that it is shown with there."""
        return round(value, BY_KEY[self.sets[0]].decimals) + 0.0

    def origin(self, trial: int, note: str = "") -> Origin:
        """Where a value that this kind found comes from."""
        return Origin(OriginKind.TRIAL, note or self.title.lower(), trial)

    def printer_for(self, plan: P, context: C) -> dict[str, float]:
        """Facts of the printer that hold for this file only, by field."""
        del plan, context
        return {}

    def keeps(self, result: Result) -> bool:
        """Whether a result is one to adopt."""
        return result.value is not None

    def overrides(self, plan: P) -> dict[str, str]:
        """Catalogue key → what the trial's own file sets it to, in words."""
        values = [step.label for step in self.steps(plan)]
        return {self.sets[0]: f"{values[0]} to {values[-1]}"}

    def wants(self, context: C) -> str | None:
        """Why this trial should come next for a profile, in a sentence; None where it need not."""
        if self.on_demand:
            return None
        state = next(s for s in sectors(context.profile) if s.group.key == self.group)
        if state.known == Status.MEASURED:
            return None
        if state.known == Status.RECHECK:
            return f"{state.reason}."
        name = BY_KEY[self.sets[0]].name
        return f"{name} is {'set by hand' if state.known == Status.HAND else 'a starting value'}; not measured yet."

    def hindered(self, context: C) -> str | None:
        """Why this trial cannot be run on a printer or material at all, and what to do; None where it can."""
        del context
        return None

    def in_words(self, plan: P) -> str:
        """The sweep in one sentence."""
        steps = self.steps(plan)
        unit = f" {self.unit}" if self.unit else ""
        (first, last), (near, far) = (steps[0].label, steps[-1].label), self.ends
        return f"{len(steps)} {self.called}, {first}{unit} {near} to {last} {far}."

    def instructions(self, plan: P, context: C) -> str:
        """What to do at the printer, before the print, beyond loading the spool and clearing the bed."""
        del plan, context
        return ""

    def pauses(self, plan: P, context: C) -> tuple[int, ...]:
        """Layers before which somebody has to do something, from 1 on: its print rests there."""
        del plan, context
        return ()

    def lift(self, version: int, plan: Mapping[str, Scalar]) -> Mapping[str, Scalar]:
        """A plan's JSON of an older version, as this version writes it."""
        del version
        return plan

    def read_plan(self, typed: Mapping[str, str | float | None], context: C) -> P:
        """A plan from what was typed; InvalidInput gathers the problems by field."""
        plan = self.plan_type.read(typed, self.fields(context))
        self.check(plan, context)
        return plan

    @abstractmethod
    def print_file(self, plan: P, context: C, *, title: Sequence[str] = ()) -> Any:
        """The whole way from a plan to what is printed: it has `seconds`, `grams` and `cost`."""


class Kind(AnyKind[Context, P]):
    """One kind of filament trial."""

    process: ClassVar[str] = FILAMENT
    shares_bed: ClassVar[bool] = True
    """Whether its piece can be one of several in a job: not where somebody has to be there, or it takes all the bed."""

    @abstractmethod
    def roads(self, plan: P, context: Context, piece: Piece) -> Toolpath:
        """The piece's toolpath, each step with its own value."""

    def print_file(self, plan: P, context: Context, *, title: Sequence[str] = ()) -> PrintFile:
        """The whole way from a plan to its file."""
        self.check(plan, context)
        path = self.roads(plan, context, self.piece(plan, context))
        numbers, (bed_first_c, bed_c) = context.profile.numbers(), self.bed_for(plan, context)
        job = PrintJob(
            printer=replace(context.printer, **self.printer_for(plan, context)),  # type: ignore[arg-type]
            nozzle_first_c=self.first_layer_c(plan, context),
            nozzle_c=numbers["nozzle_c"],
            bed_first_c=bed_first_c,
            bed_c=bed_c,
            pressure_advance_s=numbers["pressure_advance_s"],
            title=(self.title, context.printer.name, context.material.name, *title),
        )
        grams = path.grams(context.material.density_g_cm3, numbers["filament_diameter_mm"])
        return PrintFile(
            gcode=write(path, job),
            path=path,
            seconds=path_motion(path).total_s,
            grams=grams,
            cost=context.material.cost(grams),
        )

    def first_layer_c(self, plan: P, context: Context) -> float:
        """Nozzle temperature of the first layer; the profile's, unless the kind sweeps it."""
        del plan
        return context.profile.number("nozzle_first_c")

    def bed_for(self, plan: P, context: Context) -> tuple[float, float]:
        """Bed temperature of the first layer and of the others; the profile's, unless the kind tries another."""
        del plan
        return context.profile.number("bed_first_c"), context.profile.number("bed_c")


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
