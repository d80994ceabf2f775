"""Several trials of one profile in one job: which go together, and their file."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from itertools import combinations
from typing import Any, TypeGuard

import numpy as np

from drumbo.core.catalogue import BY_KEY
from drumbo.core.errors import InvalidInput
from drumbo.core.gcode.writer import PrintJob, write
from drumbo.core.piece import Standing
from drumbo.core.plate import PIECE, Plate, PlateMember, footprint, laid_by_layer, laid_in_turn
from drumbo.core.profile import changed
from drumbo.core.toolpath import Toolpath, path_motion
from drumbo.core.toolpath.pace import layer_times
from drumbo.trials.base import Context, Kind, SomeKind
from drumbo.trials.plan import TrialPlan
from drumbo.trials.toolkit.roads import usual_settings

HEAT, FIRST, LEAST = "nozzle_c", "nozzle_first_c", "layer_time_min_s"
BETWEEN = "."
"""Between a kind and one of its plan's fields, where a plate names it: `temperature.step_c`."""
FEWEST, MOST = 2, 6
"""Pieces of a plate."""
WORTH = 0.9
"""Layer by layer is chosen where it takes no more than this share of the time."""


class Order(StrEnum):
    """In which order pieces are printed: as suits them, each whole before the next, or layer by layer."""

    AS_FITS = "fits"
    IN_TURN = "turn"
    BY_LAYER = "layer"


@dataclass(frozen=True, slots=True)
class PieceAsked:
    """One piece of a plate: a kind and its plan, and the nozzle's temperature where it is not the profile's, °C."""

    kind: Kind[Any]
    plan: TrialPlan
    nozzle_c: float | None = None

    @property
    def title(self) -> str:
        """What it is called beside the others."""
        return titled(self.kind, self.nozzle_c)


def titled(kind: SomeKind, nozzle_c: float | None) -> str:
    """A trial's title, with the temperature that only it has: “Flow by surface at 215 °C”."""
    return kind.title if nozzle_c is None else f"{kind.title} at {nozzle_c:g} °C"


def once_more(kind: SomeKind) -> bool:
    """Whether a kind may be on a plate a second time, at another temperature: where what it finds rests on that, and it
    does not set it itself.
    """
    main = BY_KEY.get(kind.sets[0]) if kind.sets else None
    return can_share(kind) and HEAT not in kind.sets and main is not None and HEAT in main.rests_on


def at_heat(context: Context, nozzle_c: float | None) -> Context:
    """The same at another temperature of the nozzle; the first layer keeps its distance above the others."""
    if nozzle_c is None:
        return context
    held = context.profile.values
    lead = held[FIRST].number - held[HEAT].number
    first = min(nozzle_c + lead, context.printer.nozzle_max_c)
    new = {HEAT: replace(held[HEAT], number=nozzle_c), FIRST: replace(held[FIRST], number=first)}
    return replace(context, profile=changed(context.profile, new, context.printer.numbers()))


@dataclass(frozen=True, slots=True)
class PieceShare:
    """What one piece takes of the whole, and where it stands; `turn` is when its turn comes, from 1 on (layer by layer,
    in each layer), and `last_line` the line of the file with which it is done.
    """

    standing: Standing
    turn: int
    last_line: int
    seconds: float
    grams: float
    cost: float | None


@dataclass(frozen=True, slots=True)
class PlateFile:
    """A plate's file, complete in itself; seconds, grams and money are of all, `shares` in the order asked for."""

    gcode: str
    path: Toolpath
    seconds: float
    grams: float
    cost: float | None
    shares: tuple[PieceShare, ...]
    by_layer: bool


def can_share(kind: SomeKind) -> TypeGuard[Kind[Any]]:
    """Whether a kind's piece can be one of several in a job."""
    return isinstance(kind, Kind) and kind.shares_bed


def waits_for(one: SomeKind, other: SomeKind) -> str | None:
    """The parameter that `one` finds and what `other` finds rests on; None where it rests on nothing of that."""
    found = {key for key in one.sets if key in BY_KEY}
    wanted = {basis for key in other.sets[:1] for basis in BY_KEY[key].rests_on}
    return next((key for key in one.sets if key in found & wanted), None)


def warnings(kinds: Sequence[SomeKind]) -> list[str]:
    """What of several kinds had better wait for the answer of another."""
    told = []
    for one, other in combinations(kinds, 2):
        for first, second in ((one, other), (other, one)):
            key = waits_for(first, second)
            if key is not None:
                told.append(
                    f"{second.title} rests on {BY_KEY[key].name.lower()}, which {first.title.lower()} finds: on one"
                    " plate it is printed with the value of today. Print it afterwards, or expect a recheck."
                )
    return told


def check(pieces: Sequence[PieceAsked], context: Context) -> None:
    """InvalidInput at "pieces" for too few or many, or for one that cannot share a bed."""
    if not FEWEST <= len(pieces) <= MOST:
        raise InvalidInput("pieces", f"are {len(pieces)}; a plate has {FEWEST} to {MOST}")
    asked = [(piece.kind.slug, piece.nozzle_c) for piece in pieces]
    if len(set(asked)) < len(asked):
        raise InvalidInput("pieces", "hold one trial twice; plan the second one alone, or at another temperature")
    for piece in pieces:
        if not can_share(piece.kind):
            raise InvalidInput(
                "pieces", f"cannot hold {piece.kind.title.lower()}: it needs the bed, or you, for itself"
            )
        if (why := piece.kind.hindered(context)) is not None:
            raise InvalidInput("pieces", f"cannot hold {piece.kind.title.lower()}: {why}")


def plate_file(
    pieces: Sequence[PieceAsked], context: Context, *, title: Sequence[str] = (), order: Order = Order.AS_FITS
) -> PlateFile:
    """The whole way from several plans to one file. InvalidInput where one cannot be printed, or not beside others."""
    check(pieces, context)
    for piece in pieces:
        try:
            piece.kind.check(piece.plan, at_heat(context, piece.nozzle_c))
        except InvalidInput as error:
            raise _of(piece, error) from error
    beds = {piece.kind.bed_for(piece.plan, context) for piece in pieces}
    if len(beds) > 1:
        raise InvalidInput("pieces", "want different bed temperatures; print them one by one")
    bed_first_c, bed_c = next(iter(beds))
    plate = _composed(pieces, context, (bed_first_c, bed_c), order)
    first = pieces[plate.order[0]]
    begins = at_heat(context, first.nozzle_c)
    numbers = begins.profile.numbers()
    job = PrintJob(
        printer=context.printer,
        nozzle_first_c=first.kind.first_layer_c(first.plan, begins),
        nozzle_c=numbers["nozzle_c"],
        bed_first_c=bed_first_c,
        # One after another, the plate says itself when the bed changes: after the last piece's first layer.
        bed_c=bed_c if plate.by_layer else bed_first_c,
        pressure_advance_s=numbers["pressure_advance_s"],
        title=(" · ".join(piece.title for piece in pieces), context.printer.name, context.material.name, *title),
    )
    gcode = write(plate.path, job)
    shares = _shares(plate, context, _last_lines(gcode))
    return PlateFile(
        gcode=gcode,
        path=plate.path,
        seconds=sum(share.seconds for share in shares),
        grams=sum(share.grams for share in shares),
        cost=context.material.cost(sum(share.grams for share in shares)),
        shares=shares,
        by_layer=plate.by_layer,
    )


def _composed(pieces: Sequence[PieceAsked], context: Context, bed: tuple[float, float], order: Order) -> Plate:
    """In the order asked for; as fits, one after another where they have room, unless layer by layer is far quicker."""
    laid_with, members = _members(pieces, context)
    if order == Order.BY_LAYER:
        return _by_layer(pieces, laid_with, members, context)
    waits = all(piece.kind.layers_wait for piece in pieces) and len({piece.nozzle_c for piece in pieces}) == 1
    try:
        plate = laid_in_turn(members, context.printer, bed, context.profile.number("pressure_advance_s"))
    except InvalidInput:
        if order == Order.IN_TURN or not waits:
            raise
        return _by_layer(pieces, laid_with, members, context)
    if order == Order.IN_TURN or not waits or sum(_slowed(member.path, context) for member in members) < 2:
        return plate
    try:
        other = _by_layer(pieces, laid_with, members, context)
    except InvalidInput:
        return plate
    return other if path_motion(other.path).total_s < WORTH * path_motion(plate.path).total_s else plate


def _by_layer(
    pieces: Sequence[PieceAsked], laid_with: Sequence[Context], members: Sequence[PlateMember], context: Context
) -> Plate:
    """Layers are slowed down once they are together, not by themselves. All else that a piece sets is as alone."""
    for piece in pieces:
        if not piece.kind.layers_wait:
            raise InvalidInput(
                "pieces",
                f"cannot be printed layer by layer: those of {piece.kind.title.lower()} cannot wait for others; print"
                " them one after another",
            )
    loose = [
        replace(member, path=replace(member.path, speed=_path(piece, _unslowed(held)).speed))
        if _slowed(member.path, context)
        else member
        for piece, held, member in zip(pieces, laid_with, members, strict=True)
    ]
    return laid_by_layer(loose, context.printer, usual_settings(context), context.profile.number("pressure_advance_s"))


def _slowed(path: Toolpath, context: Context) -> bool:
    """Whether layers of it were slowed down to last as long as the profile wants."""
    return bool((layer_times(path)[1:] < 1.01 * context.profile.number(LEAST)).any())


def _unslowed(context: Context) -> Context:
    held = context.profile.values[LEAST]
    return replace(context, profile=changed(context.profile, {LEAST: replace(held, number=0.0)}, {}))


def _members(pieces: Sequence[PieceAsked], context: Context) -> tuple[list[Context], list[PlateMember]]:
    """(what each was laid with, each laid): each primes by a skirt of its own; the first to be printed, as the printer
    wants it.
    """
    skirted = replace(context, printer=replace(context.printer, primes="skirt"))
    laid_with, members = [skirted] * len(pieces), [_member(piece, skirted) for piece in pieces]
    if context.printer.primes != "skirt":
        lowest = int(np.argmin([footprint(member.path, context.printer.bed_middle).height for member in members]))
        laid_with[lowest], members[lowest] = context, _member(pieces[lowest], context)
    return laid_with, members


def _member(piece: PieceAsked, context: Context) -> PlateMember:
    held = at_heat(context, piece.nozzle_c)
    first_c = piece.kind.first_layer_c(piece.plan, held)
    return PlateMember(piece.title, _path(piece, context), first_c, held.profile.number(HEAT))


def _path(piece: PieceAsked, context: Context) -> Toolpath:
    context = at_heat(context, piece.nozzle_c)
    try:
        path: Toolpath = piece.kind.roads(piece.plan, context, piece.kind.piece(piece.plan, context))
    except InvalidInput as error:
        raise _of(piece, error) from error
    return path


def _of(piece: PieceAsked, error: InvalidInput) -> InvalidInput:
    """What is wrong with a piece's plan, by the plate's names of its fields."""
    return InvalidInput.of({piece.kind.slug + BETWEEN + key: text for key, text in error.problems.items()})


def _last_lines(gcode: str) -> list[int]:
    """The lines, from 1 on, with which the pieces are done, by their turn."""
    lines = gcode.split("\n")
    begins = turns(lines)
    ends = [*(number - 1 for number, _ in begins[1:]), len(lines) - 1]
    last = {turn: end for (_, turn), end in zip(begins, ends, strict=True)}
    return [last[turn] for turn in sorted(last)]


def turns(lines: Sequence[str]) -> list[tuple[int, int]]:
    """Where a plate's file goes on with another piece: (line, from 1 on; the turn of that piece)."""
    mark = f"; {PIECE} "
    return [
        (number, int(line[len(mark) :].split(" ", 1)[0]))
        for number, line in enumerate(lines, 1)
        if line.startswith(mark)
    ]


def _shares(plate: Plate, context: Context, last_lines: Sequence[int]) -> tuple[PieceShare, ...]:
    seconds = path_motion(plate.path).seconds
    area = np.pi * context.profile.number("filament_diameter_mm") ** 2 / 4
    found: dict[int, PieceShare] = {}
    for turn, number in enumerate(plate.order):
        rows = plate.owner == number
        grams = float(plate.path.e_mm[rows].sum() * area) / 1000 * context.material.density_g_cm3
        found[number] = PieceShare(
            plate.standing[number], turn + 1, last_lines[turn], float(seconds[rows].sum()), grams,
            context.material.cost(grams),
        )  # fmt: skip
    return tuple(found[number] for number in range(len(plate.order)))
