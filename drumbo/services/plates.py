"""Plates: several trials of a profile in one job. Each is printed with the others, then read and adopted by itself."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from threading import Condition
from typing import Any

from cachetools import LRUCache, cached
from sqlalchemy.orm import Session, selectinload

from drumbo.core.catalogue import BY_KEY, FILAMENT
from drumbo.core.errors import InvalidInput, NotFound
from drumbo.core.fields import Field
from drumbo.core.heights import HeadClearance
from drumbo.core.piece import Piece, Standing, draw_above
from drumbo.core.plate import clearance_of
from drumbo.core.printer import Printer
from drumbo.services.convert import at_c_of, context_of, filament_context, filament_printer_of, latest, trial_of
from drumbo.services.files import made_of
from drumbo.services.prior import with_before
from drumbo.services.profiles import Card, card_of, get_row
from drumbo.store.database import Workshop
from drumbo.store.models import PlateRow, ProfileRow, TrialRow
from drumbo.trials import kinds_of
from drumbo.trials.base import Context, Kind
from drumbo.trials.plate import (
    BETWEEN,
    HEAT,
    Order,
    PieceAsked,
    PlateFile,
    at_heat,
    can_share,
    check,
    once_more,
    plate_file,
    titled,
    warnings,
)
from drumbo.trials.trial import Trial, TrialState, all_read
from drumbo.trials.way import plan_for

Typed = Mapping[str, str]
AGAIN = "again_c"
"""Beside the fields of a plan: a second piece of it at this temperature."""


@dataclass(frozen=True, slots=True)
class PieceOutline:
    """One piece on the drawing of the bed: what it is called, its turn, where it stands, and its outline about its
    middle (SVG path data, mm, y downwards).
    """

    title: str
    turn: int
    standing: Standing
    outline: str


@dataclass(frozen=True, slots=True)
class PlateChoice:
    """A kind that a plate could have: the plan's fields with their values as they stand in the form, and problems."""

    kind: Kind[Any]
    chosen: bool
    fields: tuple[Field, ...]
    values: Mapping[str, Any]
    in_words: str


@dataclass(frozen=True, slots=True)
class PlateDraft:
    """A plate that is being put together. `problems` are by field, "pieces" for all of it; `assumed` is the room that
    the head is taken to need, where the printer's page does not tell all of it and it needs any; `order` is the one
    asked for, and `by_layer` whether it came to that.
    """

    card: Card
    printer: Printer
    quick: bool
    order: Order
    choices: tuple[PlateChoice, ...]
    problems: Mapping[str, str]
    warnings: tuple[str, ...]
    spots: tuple[PieceOutline, ...]
    facts: Mapping[str, float | None]
    assumed: HeadClearance | None
    by_layer: bool

    @property
    def chosen(self) -> tuple[PlateChoice, ...]:
        """What is on it."""
        return tuple(choice for choice in self.choices if choice.chosen)


@dataclass(frozen=True, slots=True)
class OnPlate:
    """One trial of a plate: its turn, how far it is, and the leaf that comes next."""

    id: int
    title: str
    turn: int
    state: TrialState
    leaf: str
    in_words: str
    seconds: float
    grams: float


@dataclass(frozen=True, slots=True)
class PlateSheet:
    """Everything for a plate's page."""

    id: int
    card: Card
    printer: Printer
    trials: tuple[OnPlate, ...]
    spots: tuple[PieceOutline, ...]
    facts: dict[str, Any]
    created_at: datetime
    alike: bool
    """Whether two of its pieces look alike, as they differ in temperature alone."""

    @property
    def by_layer(self) -> bool:
        """Whether its pieces are printed layer by layer."""
        return bool(self.facts.get("by_layer"))

    @property
    def printed(self) -> bool:
        """Whether it came off the bed."""
        return all(trial.state is not TrialState.PLANNED for trial in self.trials)


def draft(
    workshop: Workshop, profile_id: int, slugs: Sequence[str], typed: Typed, *, quick: bool, order: str = ""
) -> PlateDraft:
    """A plate of some kinds, with their plans as proposed or as typed so far; nothing is refused yet."""
    with workshop.reading() as session:
        row = get_row(session, profile_id)
        context, card, revision = _context(session, row), card_of(row), latest(row).number
    choices, problems, asked = _choices(context, slugs, typed, quick=quick)
    told: tuple[str, ...] = tuple(dict.fromkeys(warnings([each.kind for each in asked])))
    spots: tuple[PieceOutline, ...] = ()
    facts: dict[str, float | None] = {}
    by_layer, wish = False, order_of(order)
    if not problems:
        try:
            file = _file(asked, context, revision, wish)
            by_layer = file.by_layer
            spots = tuple(
                _spot(
                    each.title, share.turn, share.standing, each.kind.piece(each.plan, at_heat(context, each.nozzle_c))
                )
                for each, share in zip(asked, file.shares, strict=True)
            )
            facts = {"seconds": file.seconds, "grams": file.grams, "cost": file.cost}
        except InvalidInput as error:
            problems = dict(error.problems)
    known = bool(context.printer.clearance_radius_mm and context.printer.clearance_height_mm)
    assumed = None if known or by_layer else clearance_of(context.printer)
    return PlateDraft(card, context.printer, quick, wish, choices, problems, told, spots, facts, assumed, by_layer)


def create(
    workshop: Workshop, profile_id: int, slugs: Sequence[str], typed: Typed, *, quick: bool, order: str = ""
) -> int:
    """Plan a plate: one file, and a trial for each piece. InvalidInput names the fields; nothing is half saved."""
    with workshop.reading() as session:
        row = get_row(session, profile_id)
        context, revision = _context(session, row), latest(row).number
    _, problems, asked = _choices(context, slugs, typed, quick=quick)
    if problems:
        raise InvalidInput.of(problems)
    file = _file(asked, context, revision, order_of(order))
    digest = workshop.files.put(file.gcode.encode())
    with workshop.writing() as session:
        facts = {"seconds": file.seconds, "grams": file.grams, "cost": file.cost, "by_layer": file.by_layer}
        plate = PlateRow(profile_id=profile_id, file_digest=digest, facts=facts)
        session.add(plate)
        session.flush()
        for each, share in zip(asked, file.shares, strict=True):
            session.add(
                TrialRow(
                    profile_id=profile_id, revision=revision, kind=each.kind.slug, kind_version=each.kind.version,
                    state=TrialState.PLANNED, plan=each.plan.to_json(), readings={}, file_digest=digest,
                    plate_id=plate.id,
                    facts={"seconds": share.seconds, "grams": share.grams, "cost": share.cost},
                    stands={"middle": share.standing.middle, "room": share.standing.room, "turn": share.turn,
                            "last_line": share.last_line, "nozzle_c": each.nozzle_c},
                )
            )  # fmt: skip
        session.flush()
        return plate.id


def sheet(workshop: Workshop, plate_id: int) -> PlateSheet:
    """Everything for a plate's page. NotFound where there is none."""
    with workshop.reading() as session:
        plate = session.get(PlateRow, plate_id, options=[selectinload(PlateRow.trials)])
        if plate is None:
            raise NotFound(f"there is no plate number {plate_id}")
        found = sorted(((_turn(row), row, trial_of(row)) for row in plate.trials), key=lambda each: each[0])
        return PlateSheet(
            plate.id,
            card_of(get_row(session, plate.profile_id)),
            filament_printer_of(get_row(session, plate.profile_id).printer),
            tuple(_on_plate(turn, row, trial) for turn, row, trial in found),
            tuple(
                _spot(titled(trial.kind, at_c_of(row)), turn, trial.stands, trial.piece) for turn, row, trial in found
            ),
            plate.facts,
            plate.created_at,
            any(at_c_of(row) is not None for row in plate.trials),
        )


def _context(session: Session, row: ProfileRow) -> Context:
    """What its trials are bound to. NotFound where a profile's trials are printed layer by layer of resin."""
    held = with_before(session, row, context_of(row))
    if held.profile.process != FILAMENT:
        raise NotFound("plates are for filament: a trial of resin has the screen for itself")
    return filament_context(held)


def _turn(row: TrialRow) -> int:
    return int((row.stands or {}).get("turn", 1))


def _on_plate(turn: int, row: TrialRow, trial: Trial) -> OnPlate:
    leaf = "print"
    if trial.state is TrialState.ADOPTED:
        leaf = "adopt"
    elif trial.state is TrialState.PRINTED:
        leaf = "adopt" if all_read(trial.kind, trial.plan, trial.readings) else "read"
    return OnPlate(
        row.id, titled(trial.kind, at_c_of(row)), turn, trial.state, leaf, trial.kind.in_words(trial.plan),
        float(row.facts["seconds"]), float(row.facts["grams"]),
    )  # fmt: skip


def _choices(
    context: Context, slugs: Sequence[str], typed: Typed, *, quick: bool
) -> tuple[tuple[PlateChoice, ...], dict[str, str], list[PieceAsked]]:
    """Every kind that could be on the plate, what is wrong by field, and the pieces that can be planned."""
    choices: list[PlateChoice] = []
    problems: dict[str, str] = {}
    asked: list[PieceAsked] = []
    for kind in kinds_of(context.profile.process).values():
        if not can_share(kind) or kind.hindered(context):
            continue
        chosen = kind.slug in slugs
        plan = plan_for(kind, context, quick=quick)
        given = {key: typed[name] for key in plan.to_json() if (name := kind.slug + BETWEEN + key) in typed}
        values: Mapping[str, Any] = {**plan.to_json(), **given}
        in_words = ""
        try:
            plan = kind.read_plan(values, context)
            in_words = kind.in_words(plan)
        except InvalidInput as error:
            problems |= {kind.slug + BETWEEN + key: text for key, text in error.problems.items() if chosen}
        else:
            asked += [PieceAsked(kind, plan)] if chosen else []
        fields = tuple(replace(each, key=kind.slug + BETWEEN + each.key) for each in kind.asked(context))
        named = {kind.slug + BETWEEN + key: value for key, value in values.items()}
        if once_more(kind):
            field = _again(kind, context)
            fields, named = (*fields, field), {**named, field.key: typed.get(field.key, "")}
            try:
                again_c = field.read(typed.get(field.key)) if chosen else None
            except InvalidInput as error:
                problems |= error.problems
            else:
                if again_c == context.profile.number(HEAT):
                    problems[field.key] = "is what the profile has; give another temperature, or leave it empty"
                elif again_c is not None:
                    asked.append(PieceAsked(kind, plan, float(again_c)))
        choices.append(PlateChoice(kind, chosen, fields, named, in_words))
    if not problems:
        try:
            check(asked, context)
        except InvalidInput as error:
            problems = dict(error.problems)
    return tuple(choices), problems, asked


def _again(kind: Kind[Any], context: Context) -> Field:
    """At which temperature a trial is on the plate a second time."""
    now, low = context.profile.number(HEAT), BY_KEY[HEAT].low
    return Field(
        kind.slug + BETWEEN + AGAIN, "Once more at", "°C", low=low, high=context.printer.nozzle_max_c, required=False,
        whole=True, help=f"Where the profile's {now:g} °C are not sure yet: a second piece, at this temperature.",
    )  # fmt: skip


def order_of(typed: str) -> Order:
    """The order of a form; as fits where it says none. InvalidInput for one that there is not."""
    if typed and typed not in tuple(Order):
        raise InvalidInput("order", f"is none of {', '.join(Order)}; choose one of the three")
    return Order(typed) if typed else Order.AS_FITS


def _key(asked: Sequence[PieceAsked], context: Context, revision: int, order: Order) -> tuple[object, ...]:
    pieces = tuple((each.kind.slug, repr(each.plan), each.nozzle_c) for each in asked)
    return pieces, *made_of(context), context.profile.name, revision, order


@cached(LRUCache(4), key=_key, condition=Condition())
def _file(asked: Sequence[PieceAsked], context: Context, revision: int, order: Order) -> PlateFile:
    """A plate's file; the form, its estimate and the plan want the same one."""
    return plate_file(asked, context, title=(f"profile {context.profile.name}, revision {revision}",), order=order)


def _spot(title: str, turn: int, standing: Standing, piece: Piece) -> PieceOutline:
    return PieceOutline(title, turn, standing, draw_above(piece))
