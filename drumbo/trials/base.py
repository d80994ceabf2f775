"""What a trial kind is. A kind is a folder in `drumbo/trials/` whose package holds `KIND`; nothing else names it.

The whole surface is on this page: `AnyKind`, and `Kind` for filament. What they take and give is in `plan`, `readings`
and `result`, pictures of results in `pictures`; resin's kinds build on `layered`. The generic pages, the command line,
the contract test and the benchmark serve every kind through it.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, ClassVar, Generic, Protocol, TypeAlias, TypeVar

from drumbo.core.catalogue import BY_KEY, FILAMENT
from drumbo.core.fields import Field, Scalar
from drumbo.core.gcode.writer import PrintJob, write
from drumbo.core.material import Material
from drumbo.core.pair import Partner
from drumbo.core.piece import Piece
from drumbo.core.printer import Printer
from drumbo.core.prior import Before
from drumbo.core.processes import AnyMaterial, AnyPrinter
from drumbo.core.profile import Origin, OriginKind, Profile, Status, Value, sectors
from drumbo.core.toolpath import Toolpath, path_motion
from drumbo.sight.rectify import View
from drumbo.trials.plan import Bounds, TrialPlan
from drumbo.trials.readings import Aspect, PhotoMarks, PhotoReading, Readings, Step, ToRead
from drumbo.trials.result import Result

D_co = TypeVar("D_co", covariant=True)
M_co = TypeVar("M_co", covariant=True)


@dataclass(frozen=True, slots=True)
class Bound(Generic[D_co, M_co]):
    """What a trial is bound to: one printer, one material, one revision of one profile; in one of a pair, `other` is
    the second of the two. `before` is what earlier spools came to, by catalogue key, where somebody asked for that.
    """

    printer: D_co
    material: M_co
    profile: Profile
    other: Partner | None = None
    before: Mapping[str, Before] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Context(Bound[Printer, Material]):
    """What a filament trial is bound to."""


SomeBound: TypeAlias = Bound[AnyPrinter, AnyMaterial]
"""What a trial of whatever process is bound to."""

C = TypeVar("C", bound=SomeBound)
P = TypeVar("P", bound=TrialPlan)


@dataclass(frozen=True, slots=True)
class PrintFile:
    """A trial's file: complete in itself. Seconds, grams and money are of this file."""

    gcode: str
    path: Toolpath
    seconds: float
    grams: float
    cost: float | None


class Printable(Protocol):
    """What every trial's file tells of itself, whatever it is printed with."""

    @property
    def seconds(self) -> float: ...
    @property
    def grams(self) -> float: ...
    @property
    def cost(self) -> float | None: ...


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
    aspects: ClassVar[tuple[Aspect, ...]] = ()
    """All that it may ask a score of: the guide shows what each looks like."""
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

    def asked(self, context: C) -> tuple[Field, ...]:
        """What is asked before anything is printed."""
        return tuple(field for field in self.fields(context) if not field.after)

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

    def photo_marks(self, plan: P, context: C) -> PhotoMarks | None:
        """What is to be marked in a photo for its piece to be read from that; None where a photo is only looked at."""
        del plan, context
        return None

    def read_photo(self, plan: P, context: C, view: View) -> tuple[PhotoReading, ...]:
        """What a photo of the piece tells. InvalidInput where it tells nothing."""
        del plan, context, view
        return ()

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

    def of_printer(self, plan: P, readings: Readings, result: Result) -> Mapping[str, Any]:
        """Facts of the printer that adopting keeps on its page beside the result, by field."""
        del plan, readings, result
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

    def within(self, plan: P, context: C) -> P:
        """The plan nearest to this one whose numbers the printer has room for, each for itself."""
        for asked in self.fields(context):
            value = plan[asked.key]
            if isinstance(value, (int, float)):
                plan = plan.with_value(asked.key, min(max(value, asked.low), asked.high))
        return plan

    @abstractmethod
    def print_file(self, plan: P, context: C, *, title: Sequence[str] = ()) -> Any:
        """The whole way from a plan to what is printed: something that is `Printable`."""


SomeKind: TypeAlias = AnyKind[Any, Any]
"""Some kind: what its plans are and what it is bound to only it knows."""


class Kind(AnyKind[Context, P]):
    """One kind of filament trial."""

    process: ClassVar[str] = FILAMENT
    shares_bed: ClassVar[bool] = True
    """Whether its piece can be one of several in a job: not where somebody has to be there, or it takes all the bed."""
    layers_wait: ClassVar[bool] = True
    """Whether others may be printed between its layers: not where that changes what is asked (how long a layer takes),
    nor where the temperature changes on the way up, or it is one line that does not stop.
    """

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
