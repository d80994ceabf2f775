"""What every accuracy sequence needs: printers and spools as they come, a print, a reader, and a tally."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from contextlib import AbstractContextManager, contextmanager
from contextvars import ContextVar
from dataclasses import dataclass, field, replace
from typing import Any, TypeVar

import numpy as np

from drumbo.core.errors import InvalidInput
from drumbo.core.families import FAMILIES
from drumbo.core.fit.ordinal import Leaning, known_of
from drumbo.core.material import Material
from drumbo.core.printer import Printer
from drumbo.core.profile import Origin, OriginKind, Value, start
from drumbo.core.sure import half_90
from drumbo.standins import eye, worlds
from drumbo.standins.filament.geometry import Geometry, geometry
from drumbo.standins.filament.interpreter import Machine
from drumbo.standins.filament.printing import PrintedObject, melt
from drumbo.standins.filament.spool import Spool, draw_spool
from drumbo.standins.tools import JawsOnBed
from drumbo.trials.base import Context, PrintFile, SomeKind
from drumbo.trials.plan import TrialPlan
from drumbo.trials.readings import Readings
from drumbo.trials.result import Result
from drumbo.trials.toolkit.checklist import LOOK_AGAIN, ONCE, TWICE

T = TypeVar("T")

AGAIN = 7919
"""Another look of the same person draws from another seed."""
FEW_PRINTERS = 9
"""So many printers, one a polymer, are all that the quick path has."""
MOST_KEPT = 60
"""Files and shapes that are kept."""

_world: ContextVar[worlds.World] = ContextVar("world", default=worlds.VARIED)
_quick: ContextVar[bool] = ContextVar("quick", default=False)
_design: ContextVar[Callable[[Any, Any], Any] | None] = ContextVar("design", default=None)
_told: ContextVar[list[tuple[Leaning, Leaning]] | None] = ContextVar("told", default=None)
_kept: OrderedDict[object, Any] = OrderedDict()


def looked_by(seed: int) -> AbstractContextManager[None]:
    """As long as it lasts, the reader of that number in the world of now looks and measures."""
    return worlds.looking(worlds.draw_reader(_world.get(), seed))


@contextmanager
def one_reader() -> Iterator[None]:
    """As long as it lasts, one person reads all trials, as in a workshop: what each tells of how strictly they score is
    known when the next is read.
    """
    token = _told.set([])
    try:
        yield
    finally:
        _told.reset(token)


def known(readings: Readings) -> Readings:
    """The same readings with what is known of their reader by now."""
    told = _told.get()
    return replace(readings, leaning=known_of(told)) if told else readings


def learn(readings: Readings, result: Result) -> None:
    """What a result tells of the reader is known from here on."""
    told = _told.get()
    if told is not None and result.reader is not None:
        told.append((readings.leaning, result.reader))


def enter(name: str, quick: bool = False) -> None:
    """From here on spools and readers are drawn from this world. `quick` draws them on few printers, so that plans, and
    with them files, come again and are laid only once: the same way, for less variety of printers.
    """
    _world.set(worlds.WORLDS[name])
    _quick.set(quick)


def print_as(design: Callable[[Any, Any], Any] | None) -> None:
    """From here on trials are planned by this, given a kind and a context, and once each; None: as suggested, and again
    where the first answer was coarse.
    """
    _design.set(design)


@contextmanager
def printed_once() -> Iterator[None]:
    """As long as it lasts, trials are printed by their quick plans, and once each."""
    token = _design.set(lambda trial, context: trial.quick(context))
    try:
        yield
    finally:
        _design.reset(token)


def planned(trial: SomeKind, context: Any) -> Any:
    """The plan of a trial that is to be printed."""
    design = _design.get()
    return trial.suggest(context) if design is None else design(trial, context)


def finer(trial: SomeKind, context: Any) -> bool:
    """Whether a trial is printed once more, finer."""
    return _design.get() is None and trial.wants(context) is not None


def here() -> worlds.World:
    """The world that was entered."""
    return _world.get()


def once(key: object, make: Callable[[], T], most: int = MOST_KEPT) -> T:
    """What was made for this key before, as long as it is among the last `most` that were asked for."""
    if key not in _kept:
        while len(_kept) >= most:
            _kept.popitem(last=False)
        _kept[key] = make()
    _kept.move_to_end(key)
    made: T = _kept[key]
    return made


def once_a_spool(right: Callable[[Drawn], float]) -> Callable[[Drawn], float]:
    """A truth that is computed once for a spool and a profile's numbers: designs are many, the truth is one."""

    def known(spool: Drawn) -> float:
        numbers = repr(sorted(spool.context.profile.numbers().items()))
        return once(("right", right.__module__, here().name, spool.seed, spool.number, numbers), lambda: right(spool))

    return known


@dataclass
class Tally:
    """Signed errors, one entry a reader; costs, one entry a spool. `values` and `truths` are as they are, errors may be
    shares of the truth; `new` is what adopting the last reader's result sets. `nothing` is the error of who prints
    nothing and keeps the starting value; `width` half of the 90 % interval; `failed` and `habit_failed` tell where
    there was no answer: then the starting value stays, and its error counts.
    """

    drumbo: list[float] = field(default_factory=list)
    habit: list[float] = field(default_factory=list)
    nothing: list[float] = field(default_factory=list)
    inside: list[bool] = field(default_factory=list)
    width: list[float] = field(default_factory=list)
    failed: list[bool] = field(default_factory=list)
    habit_failed: list[bool] = field(default_factory=list)
    prints: list[int] = field(default_factory=list)
    grams: list[float] = field(default_factory=list)
    minutes: list[float] = field(default_factory=list)
    drives: list[str] = field(default_factory=list)
    values: list[float] = field(default_factory=list)
    truths: list[float] = field(default_factory=list)
    new: dict[str, Value] = field(default_factory=dict)

    def found(
        self, value: float | None, error: float | None, habit: float | None, truth: float, start: float,
        drive: str = "", *, shares: bool = False, new: dict[str, Value] | None = None,
    ) -> None:  # fmt: skip
        """One reader's result, unrounded, beside what the habit makes of the same readings and what `start` was."""
        unit = truth if shares else 1.0
        told = value is not None and error is not None
        kept = start if value is None else value
        self.failed.append(not told)
        self.habit_failed.append(habit is None)
        self.drumbo.append((kept - truth) / unit)
        self.habit.append(((start if habit is None else habit) - truth) / unit)
        self.nothing.append((start - truth) / unit)
        self.values.append(kept)
        self.truths.append(truth)
        self.new = new or {}
        self.drives.append(drive)
        if error is not None and told:
            self.inside.append(abs(kept - truth) <= half_90(error))
            self.width.append(half_90(error) / unit)
        else:
            self.inside.append(False)  # only what is told can hold

    def cost(self, files: list[Any]) -> None:
        """What one spool took."""
        self.prints.append(len(files))
        self.grams.append(sum(file.grams for file in files))
        self.minutes.append(sum(file.seconds for file in files) / 60)

    def join(self, other: Tally) -> None:
        """Take another spool's entries in."""
        for name in self.__dataclass_fields__:
            if name != "new":
                getattr(self, name).extend(getattr(other, name))


def drawn_context(rng: np.random.Generator, number: int) -> Context:
    """A printer and a labelled spool, as they come; of few printers where that is to be quick."""
    kin = FAMILIES[number % FEW_PRINTERS if _quick.get() else int(rng.integers(len(FAMILIES)))]
    if _quick.get():
        rng = np.random.default_rng(number % FEW_PRINTERS)
    printer = Printer(
        "bench", drive=str(rng.choice(["direct", "bowden"])), nozzle_max_c=310, bed_max_c=120,
        accel_mm_s2=float(rng.choice([1000, 2000, 4000])),
    )  # fmt: skip
    material = Material("-", "-", kin.key, "-", "#808080", kin.nozzle_low_c, kin.nozzle_high_c,
                        density_g_cm3=kin.density_g_cm3)  # fmt: skip
    return Context(printer, material, start("bench", material, printer))


@dataclass(frozen=True)
class Drawn:
    """One hidden spool on one printer."""

    number: int
    seed: int
    context: Context
    spool: Spool
    rng: np.random.Generator


def drawn(seed: int, number: int) -> Drawn:
    """The spool of that number; the same seed always gives the same."""
    rng = np.random.default_rng([seed, number])
    context = drawn_context(rng, number)
    spool = draw_spool(context.material.family, seed * 10_000 + number, context.printer.drive, _world.get())
    return Drawn(number, seed, context, spool, rng)


def file_of(trial: SomeKind, plan: Any, context: Context) -> Any:
    """The file of a plan."""
    other = context.other and (context.other.material, sorted(context.other.profile.numbers().items()))
    bound = (context.printer, context.material, sorted(context.profile.numbers().items()), other)
    return once(("file", trial.slug, repr(plan), repr(bound)), lambda: trial.print_file(plan, context))


def moves_of(gcode: str) -> Mapping[str, Sequence[float]]:
    """What the stand-in's head does for a file."""
    device = Machine()
    for line in gcode.splitlines():
        device.run(line)
    return device.moves


def shape_of(gcode: str, machine: Machine | None = None) -> Geometry:
    """What the stand-in makes of a file, up to the melting."""

    def lay() -> Geometry:
        device = machine or Machine()
        for line in gcode.splitlines():
            device.run(line)
        return geometry(device.moves)

    return lay() if machine else once(("shape", gcode), lay)


def printed(file: PrintFile, spool: Spool, machine: Machine | None = None) -> PrintedObject:
    """A file printed with a spool."""
    return melt(shape_of(file.gcode, machine), spool)


def read(trial: SomeKind, plan: Any, context: Context, thing: PrintedObject, seed: int) -> Readings:
    """What one person sees and measures, with the noise of people and tools."""
    with looked_by(seed):
        return _read(trial, plan, context, thing, seed)


def read_at(
    trial: SomeKind, plan: Any, context: Context, thing: PrintedObject, middle: tuple[float, float], seed: int
) -> Readings:
    """The same of a piece that stands elsewhere on the bed."""
    with looked_by(seed):
        return _read(trial, plan, context, thing, seed, middle)


def _read(
    trial: SomeKind, plan: Any, context: Context, thing: PrintedObject, seed: int,
    middle: tuple[float, float] | None = None,
) -> Readings:  # fmt: skip
    piece, to_read = trial.piece(plan, context), trial.readings(plan)
    middle = middle or context.printer.bed_middle
    aspects = [a.key for a in to_read.aspects]
    readings = Readings()
    if aspects:
        scores = eye.look(thing, [place.box(middle) for place in piece.places], aspects, seed)
        rows = {a: {str(i): int(scores[i, k]) for i in range(len(scores))} for k, a in enumerate(aspects)}
        readings = replace(readings, scores=rows)
    if to_read.firsts:
        boxes = [place.box(middle) for place in piece.places]
        firsts = eye.first_seen(thing, boxes, [f.key for f in to_read.firsts], seed)
        readings = replace(readings, firsts=firsts)
    placed = [jaw.on_bed(middle) for jaw in piece.jaws]
    numbers = eye.measure_all(thing, [JawsOnBed(j.a, j.b, j.z, j.tool) for j in placed], seed)
    for jaw, value in zip(piece.jaws, numbers, strict=True):
        if value is not None:
            readings = readings.with_measure(jaw.measure, jaw.step, jaw.site, value)
    return readings


def second_look(
    trial: SomeKind, plan: Any, context: Context, thing: PrintedObject, seed: int,
    middle: tuple[float, float] | None = None,
) -> Readings:  # fmt: skip
    """What the same person sees and measures when they look once more, with slips of its own."""
    with looked_by(seed):
        return _read(trial, plan, context, thing, seed + AGAIN, middle)


def looked_again(
    trial: SomeKind, plan: Any, context: Context, thing: PrintedObject, seed: int, first: Readings,
    middle: tuple[float, float] | None = None,
) -> tuple[Readings, Result]:  # fmt: skip
    """What a checklist says; where it asks for it, once what it names was looked at again, by the same person."""
    result = trial.evaluate(plan, first)
    if plan.to_json().get("looked") != ONCE or not result.says.startswith(LOOK_AGAIN):
        return first, result
    second = second_look(trial, plan, context, thing, seed, middle)
    readings = first
    for aspect in trial.aspects:
        if aspect.name.lower() in result.says:
            readings = readings.with_score(aspect.key, 0, second.score(aspect.key, 0))
    return readings, trial.evaluate(plan.with_value("looked", TWICE), readings)


def sure(result: Result) -> tuple[float, float]:
    """A result's value and error; it has both."""
    assert result.value is not None
    assert result.error is not None
    return result.value, result.error


def go(
    trial: SomeKind, spool: Drawn, plan: Any, reader: int, files: list[Any], extensions: int = 0,
    unmeasured: Collection[str] = (),
) -> tuple[TrialPlan, Result, Readings]:  # fmt: skip
    """Print a plan, read it but for measures that nobody takes, and go on where it ends too early; the files join those
    of the spool.
    """
    while True:
        file = file_of(trial, plan, spool.context)
        files.append(file)
        thing, seed = printed(file, spool.spool), spool.number * 100 + reader
        readings = known(read(trial, plan, spool.context, thing, seed))
        readings = replace(readings, measures={k: v for k, v in readings.measures.items() if k not in unmeasured})
        readings, result = looked_again(trial, plan, spool.context, thing, seed, readings)
        learn(readings, result)
        if result.state != "edge" or result.extend is None or extensions == 0:
            return plan, result, readings
        further = trial.plan_type.of(result.extend)
        try:
            trial.check(further, spool.context)
        except InvalidInput:
            # No printer can print what would come next: a maker stops here too.
            return plan, result, readings
        plan, extensions = further, extensions - 1


def with_values(context: Context, numbers: dict[str, tuple[float, float]]) -> Context:
    """The context with values adopted from trials: number and error by catalogue key."""
    origin = Origin(OriginKind.TRIAL, "", 1)
    new = {key: Value(number, origin, error) for key, (number, error) in numbers.items()}
    return replace(context, profile=replace(context.profile, values={**context.profile.values, **new}))


def best_step(totals: np.ndarray) -> int:
    """The habit's pick: the step with the best total, the middle one of a tie."""
    ties = np.flatnonzero(totals >= totals.max() - 1e-9)
    return int(ties[len(ties) // 2])
