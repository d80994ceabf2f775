"""What a trial kind is. A kind is a folder in `drumbo/trials/` whose package holds `KIND`; nothing else names it.

The whole surface is on this page: `Kind` and the values it takes and gives. The generic pages, the command
line, the contract test and the benchmark serve every kind through it.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from typing import Any, ClassVar

from drumbo.core.fields import Field, Scalar, read_all
from drumbo.core.gcode.writer import Job, write
from drumbo.core.piece import Piece
from drumbo.core.profile import Profile, Value
from drumbo.core.toolpath import Toolpath, path_motion
from drumbo.core.workshop import Material, Printer

Plan = Mapping[str, Scalar]


@dataclass(frozen=True, slots=True)
class Context:
    """What a trial is bound to: one printer, one material, one revision of one profile."""

    printer: Printer
    material: Material
    profile: Profile


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
class Readings:
    """What the maker saw. `scores` is by aspect, then by step index (as text, as JSON keys are); 0 to 4."""

    scores: Mapping[str, Mapping[str, int]] = field(default_factory=dict)
    note: str = ""

    def score(self, aspect: str, step: int) -> int | None:
        """The score given, or None where nothing was scored yet."""
        return self.scores.get(aspect, {}).get(str(step))

    def with_score(self, aspect: str, step: int, score: int | None) -> Readings:
        """The same readings with one score set, or taken back with None."""
        row = {key: value for key, value in self.scores.get(aspect, {}).items() if key != str(step)}
        if score is not None:
            row[str(step)] = score
        return replace(self, scores={**self.scores, aspect: row})

    def count(self) -> int:
        """How many scores there are."""
        return sum(len(row) for row in self.scores.values())

    def to_json(self) -> dict[str, Any]:
        """Plain data; `from_json` gives equal readings back."""
        return {"scores": {a: dict(row) for a, row in self.scores.items()}, "note": self.note}

    @classmethod
    def from_json(cls, data: Mapping[str, Any]) -> Readings:
        """The readings that `to_json` wrote."""
        return cls({a: dict(row) for a, row in data.get("scores", {}).items()}, data.get("note", ""))


@dataclass(frozen=True, slots=True)
class Curve:
    """The picture of a fit: quality 0..100 over the swept value, with its band and the points it rests on."""

    x: tuple[float, ...]
    y: tuple[float, ...]
    low: tuple[float, ...]
    high: tuple[float, ...]
    points: tuple[tuple[float, float], ...]
    unit: str = ""


@dataclass(frozen=True, slots=True)
class Result:
    """What the readings say.

    `state` is "good", or what stands in the way: "few" (too few readings), "flat", "edge", "split".
    `value` ± `error` (one standard error) lies in `low`..`high`, which is as good. `says` is the verdict in a
    sentence, `notes` more of it; `extend` fills a plan that goes on where this one ends.
    """

    state: str
    value: float | None = None
    error: float | None = None
    low: float | None = None
    high: float | None = None
    says: str = ""
    notes: tuple[str, ...] = ()
    curve: Curve | None = None
    extend: Mapping[str, Scalar] | None = None

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
        return cls(**{**data, "curve": curve, "notes": tuple(data.get("notes", ()))})


@dataclass(frozen=True, slots=True)
class PrintFile:
    """A trial's file: complete in itself. Seconds, grams and money are of this file."""

    gcode: str
    path: Toolpath
    seconds: float
    grams: float
    cost: float | None


class Kind(ABC):
    """One kind of trial."""

    slug: ClassVar[str]
    title: ClassVar[str]
    process: ClassVar[str] = "filament"
    version: ClassVar[int] = 1
    sets: ClassVar[tuple[str, ...]]
    """Catalogue keys that adopting a result may set; the first is the swept one."""
    group: ClassVar[str]
    """The drum's sector that this kind measures."""
    about: ClassVar[str]

    @abstractmethod
    def fields(self, context: Context) -> Sequence[Field]:
        """What a plan is made of, bounded by what the printer can do."""

    @abstractmethod
    def suggest(self, context: Context) -> dict[str, Scalar]:
        """A plan filled in from label, profile and printer."""

    @abstractmethod
    def check(self, plan: Plan, context: Context) -> dict[str, str]:
        """Raise InvalidInput for a plan that cannot be printed; return warnings by field for one that can."""

    @abstractmethod
    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """The sweep, in the order of printing."""

    @abstractmethod
    def piece(self, plan: Plan, context: Context) -> Piece:
        """The object, one place a step."""

    @abstractmethod
    def roads(self, plan: Plan, context: Context, piece: Piece) -> Toolpath:
        """The piece's toolpath, each step with its own value."""

    @abstractmethod
    def readings(self, plan: Plan) -> tuple[Aspect, ...]:
        """What to look at, at every step."""

    @abstractmethod
    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """What the readings say."""

    @abstractmethod
    def changes(self, plan: Plan, result: Result, context: Context, trial: int) -> dict[str, Value]:
        """What adopting would set, by catalogue key."""

    def overrides(self, plan: Plan) -> dict[str, str]:
        """Catalogue key → what the trial's own file sets it to, in words."""
        values = [step.label for step in self.steps(plan)]
        return {self.sets[0]: f"{values[0]} to {values[-1]}"}

    def lift(self, version: int, plan: Plan) -> dict[str, Scalar]:
        """A plan of an older version, as this version writes it."""
        return dict(plan)

    def read_plan(self, typed: Mapping[str, str | float | None], context: Context) -> dict[str, Scalar]:
        """A plan from what was typed; InvalidInput gathers the problems by field."""
        plan = read_all(self.fields(context), typed)
        self.check(plan, context)
        return plan

    def print_file(self, plan: Plan, context: Context, *, title: Sequence[str] = ()) -> PrintFile:
        """The whole way from a plan to its file."""
        self.check(plan, context)
        path = self.roads(plan, context, self.piece(plan, context))
        numbers = context.profile.numbers()
        job = Job(
            printer=context.printer,
            nozzle_first_c=self.first_layer_c(plan, context),
            nozzle_c=numbers["nozzle_c"],
            bed_first_c=numbers["bed_first_c"],
            bed_c=numbers["bed_c"],
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

    def first_layer_c(self, plan: Plan, context: Context) -> float:
        """Nozzle temperature of the first layer; the profile's, unless the kind sweeps it."""
        del plan
        return context.profile.number("nozzle_first_c")
