"""The speed planner: a profile, a part and a set of print settings in; flows, time and each change's share out."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import PurePath
from threading import Condition

from cachetools import LRUCache, cached
from manifold3d import Manifold
from sqlalchemy import select
from sqlalchemy.exc import IntegrityError

from drumbo.core import planner
from drumbo.core.errors import InvalidInput, NotFound
from drumbo.core.fields import Field, Scalar
from drumbo.core.part_of_two import Body
from drumbo.core.planner import Planned, Stage
from drumbo.core.toolpath import Toolpath
from drumbo.exchange.meshes import joined, read_bodies
from drumbo.services.convert import context_of, filament_context
from drumbo.services.profiles import get_row
from drumbo.store.database import Workshop
from drumbo.store.models import PartRow, PrintSetRow
from drumbo.trials.base import Context

REFERENCE = "the reference part"
LONGEST_NAME = 60
MOST_PATHS, MOST_SOLIDS, MOST_PLANNED = 12, 4, 100


@dataclass(frozen=True, slots=True)
class PlannedPart:
    """A part to plan for; number 0 is Drumbo's own. `size` is x, y, z in mm; `bodies` what its bodies are called, where
    it has several.
    """

    id: int
    name: str
    size: tuple[float, float, float]
    bodies: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class KeptSet:
    """Print settings kept under a name."""

    id: int
    name: str
    wish: Mapping[str, float]


@dataclass(frozen=True, slots=True)
class Question:
    """What is planned: a profile's context, a part, the settings as now and as wished."""

    context: Context
    part: PlannedPart
    fields: tuple[Field, ...]
    now: Mapping[str, float]
    wish: Mapping[str, float]
    solid_key: str


@dataclass(frozen=True, slots=True)
class Answer:
    """What it comes to, before and after; money in the material's currency or None."""

    question: Question
    before: Planned
    after: Planned
    cost: float | None


def parts(workshop: Workshop) -> tuple[PlannedPart, ...]:
    """The reference part and the maker's own, newest first."""
    with workshop.reading() as session:
        rows = session.scalars(select(PartRow).order_by(PartRow.id.desc()))
        return (_reference(), *(_part(row) for row in rows))


def _part(row: PartRow) -> PlannedPart:
    x, y, z = row.size["mm"]
    return PlannedPart(row.id, row.name, (x, y, z), tuple(row.size.get("bodies", ())))


def _reference() -> PlannedPart:
    return PlannedPart(0, REFERENCE, _size(planner.reference_part()))


def _size(solid: Manifold) -> tuple[float, float, float]:
    x0, y0, z0, x1, y1, z1 = solid.bounding_box()
    return (round(x1 - x0, 2), round(y1 - y0, 2), round(z1 - z0, 2))


def add_part(workshop: Workshop, name: str, data: bytes) -> int:
    """Take a maker's STL or 3MF in; returns its number. The same file twice is the same part."""
    bodies = read_bodies(data)
    size = {"mm": list(_size(joined(bodies))), "bodies": [body.name for body in bodies] if len(bodies) > 1 else []}
    name = PurePath(name.replace("\\", "/")).name[:LONGEST_NAME].strip() or "part"
    digest = workshop.files.put(data)
    with workshop.writing() as session:
        row = session.scalars(select(PartRow).where(PartRow.digest == digest)).first()
        if row is None:
            row = PartRow(name=name, digest=digest, size=size)
            session.add(row)
            session.flush()
        row.size = size
        return row.id


def part_of(workshop: Workshop, part_id: int) -> tuple[PlannedPart, Manifold]:
    """A part and its solid; 0 is the reference part. NotFound for one there is not."""
    with workshop.reading() as session:
        row = session.get(PartRow, part_id) if part_id else None
        if part_id and row is None:
            raise NotFound(f"there is no part number {part_id}")
        part, digest = (_part(row), row.digest) if row is not None else (_reference(), "")
    return part, _solid(workshop, digest)


def bodies_of(workshop: Workshop, part_id: int) -> tuple[PlannedPart, tuple[Body, ...]]:
    """A part and its bodies; one for a part that has no more. NotFound for a part there is not."""
    part, solid = part_of(workshop, part_id)
    if not part.bodies:
        return part, (Body(part.name, solid),)
    with workshop.reading() as session:
        row = session.get(PartRow, part_id)
        digest = row.digest if row is not None else ""
    return part, _bodies(workshop, digest)


def question(workshop: Workshop, profile_id: int, part_id: int, typed: Mapping[str, Scalar]) -> Question:
    """What is asked; InvalidInput gathers the problems by field, NotFound for a part there is not."""
    with workshop.reading() as session:
        context = filament_context(context_of(get_row(session, profile_id)))
        row = session.get(PartRow, part_id) if part_id else None
        if part_id and row is None:
            raise NotFound(f"there is no part number {part_id}")
        part, key = (_part(row), row.digest) if row is not None else (_reference(), "")
    _check_fits(part, context)
    now = planner.as_now(context.profile, context.printer)
    wish = planner.read_wish(typed, context.profile, context.printer)
    return Question(context, part, planner.fields(context.printer), now, wish, key)


def _check_fits(part: PlannedPart, context: Context) -> None:
    printer, (x, y, z) = context.printer, part.size
    if x > printer.bed_x_mm or y > printer.bed_y_mm or z > printer.height_mm:
        room = f"{printer.bed_x_mm:g} × {printer.bed_y_mm:g} × {printer.height_mm:g} mm"
        raise InvalidInput("part", f"is {x:g} × {y:g} × {z:g} mm; {printer.name} has room for {room}")


def answer(workshop: Workshop, asked: Question) -> Answer:
    """Flows, time and grams as now and as wished."""
    before, after = (_planned(workshop, asked, wish) for wish in (asked.now, asked.wish))
    return Answer(asked, before, after, asked.context.material.cost(after.grams))


def stages(workshop: Workshop, asked: Question) -> tuple[Stage, ...]:
    """Each change's share in the time."""

    def seconds(wish: Mapping[str, float]) -> float:
        return _planned(workshop, asked, wish).seconds

    return planner.stages(asked.now, asked.wish, asked.context.printer, seconds)


def _planned_key(_workshop: Workshop, asked: Question, wish: Mapping[str, float]) -> tuple[object, ...]:
    context = asked.context
    return asked.solid_key, repr(context.printer), repr(context.profile.values), tuple(sorted(wish.items()))


@cached(LRUCache(MOST_PLANNED), key=_planned_key, condition=Condition())
def _planned(workshop: Workshop, asked: Question, wish: Mapping[str, float]) -> Planned:
    """What a wish comes to, reckoned once: the same sets come again with every field that is changed."""
    profile, printer = asked.context.profile, asked.context.printer
    return planner.planned(wish, _roads(workshop, asked, wish), profile, printer)


def _roads_key(_workshop: Workshop, asked: Question, wish: Mapping[str, float]) -> tuple[object, ...]:
    lie = tuple(wish[key] for key in planner.ROADS)
    context = asked.context
    return asked.solid_key, repr(context.printer), tuple(sorted(context.profile.numbers().items())), lie


@cached(LRUCache(MOST_PATHS), key=_roads_key, condition=Condition())
def _roads(workshop: Workshop, asked: Question, wish: Mapping[str, float]) -> Toolpath:
    """A part's roads, laid once for each set of what decides where they lie."""
    return planner.roads(_solid(workshop, asked.solid_key), wish, asked.context.profile, asked.context.printer)


def _file_key(workshop: Workshop, digest: str) -> tuple[str, str]:
    return str(workshop.folder), digest


@cached(LRUCache(MOST_SOLIDS), key=_file_key, condition=Condition())
def _solid(workshop: Workshop, digest: str) -> Manifold:
    return joined(_bodies(workshop, digest)) if digest else planner.reference_part()


@cached(LRUCache(MOST_SOLIDS), key=_file_key, condition=Condition())
def _bodies(workshop: Workshop, digest: str) -> tuple[Body, ...]:
    return read_bodies(workshop.files.get(digest))


def kept_sets(workshop: Workshop) -> tuple[KeptSet, ...]:
    """Settings kept under a name, by name."""
    with workshop.reading() as session:
        rows = session.scalars(select(PrintSetRow).order_by(PrintSetRow.name))
        return tuple(KeptSet(row.id, row.name, dict(row.wish)) for row in rows)


def kept_set(workshop: Workshop, number: int) -> KeptSet:
    """One of them; NotFound if there is none."""
    with workshop.reading() as session:
        row = session.get(PrintSetRow, number)
        if row is None:
            raise NotFound(f"there are no print settings number {number}")
        return KeptSet(row.id, row.name, dict(row.wish))


def keep(workshop: Workshop, name: str, asked: Question) -> int:
    """Keep the wished settings under a name of their own; InvalidInput where there is one already."""
    name = name.strip()
    if not name:
        raise InvalidInput("name", "give the settings a name")
    if len(name) > LONGEST_NAME:
        raise InvalidInput("name", f"is longer than {LONGEST_NAME} characters")
    try:
        with workshop.writing() as session:
            row = PrintSetRow(name=name, wish=dict(asked.wish))
            session.add(row)
            session.flush()
            return row.id
    except IntegrityError:
        raise InvalidInput("name", f"there are settings called {name} already; choose another name") from None


def forget(workshop: Workshop, number: int) -> KeptSet:
    """Throw a set away; returns it, so that it can be kept again."""
    found = kept_set(workshop, number)
    with workshop.writing() as session:
        session.delete(session.get(PrintSetRow, number))
    return found
