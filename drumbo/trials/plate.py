"""Several trials of one profile in one job: which go together, and their file."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import combinations
from typing import Any, TypeGuard

import numpy as np

from drumbo.core.catalogue import BY_KEY
from drumbo.core.errors import InvalidInput
from drumbo.core.gcode.writer import PrintJob, write
from drumbo.core.piece import Standing
from drumbo.core.plate import PIECE, Plate, PlateMember, compose, footprint
from drumbo.core.toolpath import Toolpath, path_motion
from drumbo.trials.base import Context, Kind, SomeKind
from drumbo.trials.plan import TrialPlan

BETWEEN = "."
"""Between a kind and one of its plan's fields, where a plate names it: `temperature.step_c`."""
FEWEST, MOST = 2, 6
"""Pieces of a plate."""


@dataclass(frozen=True, slots=True)
class PieceAsked:
    """One piece of a plate: a kind and its plan."""

    kind: Kind[Any]
    plan: TrialPlan


@dataclass(frozen=True, slots=True)
class PieceShare:
    """What one piece takes of the whole, and where it stands; `turn` is when its turn comes, from 1 on, and `last_line`
    the line of the file with which it is done.
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
    slugs = [piece.kind.slug for piece in pieces]
    if len(set(slugs)) < len(slugs):
        raise InvalidInput("pieces", "hold one trial twice; plan the second one alone")
    for piece in pieces:
        if not can_share(piece.kind):
            raise InvalidInput(
                "pieces", f"cannot hold {piece.kind.title.lower()}: it needs the bed, or you, for itself"
            )
        if (why := piece.kind.hindered(context)) is not None:
            raise InvalidInput("pieces", f"cannot hold {piece.kind.title.lower()}: {why}")


def plate_file(pieces: Sequence[PieceAsked], context: Context, *, title: Sequence[str] = ()) -> PlateFile:
    """The whole way from several plans to one file. InvalidInput where one cannot be printed, or not beside others."""
    check(pieces, context)
    for piece in pieces:
        try:
            piece.kind.check(piece.plan, context)
        except InvalidInput as error:
            raise _of(piece, error) from error
    beds = {piece.kind.bed_for(piece.plan, context) for piece in pieces}
    if len(beds) > 1:
        raise InvalidInput("pieces", "want different bed temperatures; print them one by one")
    plate, (bed_first_c, bed_c) = _composed(pieces, context, next(iter(beds))), next(iter(beds))
    numbers, first = context.profile.numbers(), pieces[plate.order[0]]
    job = PrintJob(
        printer=context.printer,
        nozzle_first_c=first.kind.first_layer_c(first.plan, context),
        nozzle_c=numbers["nozzle_c"],
        bed_first_c=bed_first_c,
        # The plate says itself when the bed changes: after the last piece's first layer.
        bed_c=bed_first_c if len(plate.order) > 1 else bed_c,
        pressure_advance_s=numbers["pressure_advance_s"],
        title=(" · ".join(piece.kind.title for piece in pieces), context.printer.name, context.material.name, *title),
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
    )


def _composed(pieces: Sequence[PieceAsked], context: Context, bed: tuple[float, float]) -> Plate:
    """Each piece primes by a skirt of its own; the first to be printed, as the printer wants it."""
    skirted = replace(context, printer=replace(context.printer, primes="skirt"))
    paths = [_path(piece, skirted) for piece in pieces]
    if context.printer.primes != "skirt":
        heights = [footprint(path, context.printer.bed_middle).height for path in paths]
        lowest = int(np.argmin(heights))
        paths[lowest] = _path(pieces[lowest], context)
    nozzle_c = context.profile.number("nozzle_c")
    members = [
        PlateMember(piece.kind.title, path, piece.kind.first_layer_c(piece.plan, context), nozzle_c)
        for piece, path in zip(pieces, paths, strict=True)
    ]
    return compose(members, context.printer, bed, context.profile.number("pressure_advance_s"))


def _path(piece: PieceAsked, context: Context) -> Toolpath:
    try:
        path: Toolpath = piece.kind.roads(piece.plan, context, piece.kind.piece(piece.plan, context))
    except InvalidInput as error:
        raise _of(piece, error) from error
    return path


def _of(piece: PieceAsked, error: InvalidInput) -> InvalidInput:
    """What is wrong with a piece's plan, by the plate's names of its fields."""
    return InvalidInput.of({piece.kind.slug + BETWEEN + key: text for key, text in error.problems.items()})


def _last_lines(gcode: str) -> list[int]:
    """The lines, from 1 on, with which the pieces are done, in the order of printing."""
    lines = gcode.split("\n")
    begins = [number for number, line in enumerate(lines) if line.startswith(f"; {PIECE} ")]
    return [*begins[1:], len(lines) - 1]


def _shares(plate: Plate, context: Context, last_lines: Sequence[int]) -> tuple[PieceShare, ...]:
    ends_s = path_motion(plate.path).ends()
    cuts = [*plate.bottoms, len(plate.path)]
    area = np.pi * context.profile.number("filament_diameter_mm") ** 2 / 4
    found: dict[int, PieceShare] = {}
    for turn, number in enumerate(plate.order):
        first, last = cuts[turn], cuts[turn + 1]
        grams = float(plate.path.e_mm[first:last].sum() * area) / 1000 * context.material.density_g_cm3
        seconds = float(ends_s[last - 1] - (ends_s[first - 1] if first else 0.0))
        found[number] = PieceShare(
            plate.standing[number], turn + 1, last_lines[turn], seconds, grams, context.material.cost(grams)
        )
    return tuple(found[number] for number in range(len(plate.order)))
