"""Layer packages that were brought: what they will do, and copies of them with a profile's light, rests and lifts."""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from hashlib import sha256
from pathlib import Path
from threading import Condition

from cachetools import LRUCache, cached

from drumbo.core.errors import InvalidInput
from drumbo.core.light.job import Layer, lit_for
from drumbo.core.light.lamp import LampMap
from drumbo.core.light.retime import Stretch, retimed
from drumbo.core.resin import ResinPrinter
from drumbo.exchange.incoming import is_package
from drumbo.exchange.layer_package import Package, read_package, write_with
from drumbo.exchange.package_check import LitLayers, check_package
from drumbo.services.check import keep, kept
from drumbo.services.convert import context_of
from drumbo.services.profiles import get_row
from drumbo.store.database import Workshop

MOST_LOOKED, MOST_HELD = 8, 3
MOST_STRETCHES = 3
"""Of layers with a light of their own, in one copy."""
MOST_EVENED = 60
"""A third of a second each; more than that nobody waits for before a page."""
PIXEL_UM = 0.05
"""Screens whose pixels differ by less are alike."""


@dataclass(frozen=True, slots=True)
class Retiming:
    """A package's layers as they are, and as a profile has them; `problem` says why it cannot have them,
    `evens_percent` by how much its printer's lamp is uneven, where pictures can make up for that.
    """

    profile: str
    before: tuple[Layer, ...]
    after: tuple[Layer, ...] = ()
    problem: str = ""
    evens_percent: float | None = None


def bring(workshop: Workshop, data: bytes) -> str:
    """Keep a package that was brought, once it can be read; returns its digest. InvalidInput says where it is wrong."""
    read_package(data)
    digest = sha256(data).hexdigest()
    keep(workshop, digest, data)
    return digest


def is_one(workshop: Workshop, digest: str) -> bool:
    """Whether what was brought is a package. NotFound once it is gone."""
    with kept(workshop, digest).open("rb") as file:
        return is_package(file.read(4))


def numbers_of(workshop: Workshop, profile_id: int) -> dict[str, float]:
    """What a package is held against: a profile's numbers. InvalidInput for one of a filament."""
    return _profile(workshop, profile_id)[1]


def look(workshop: Workshop, digest: str, profile_id: int | None) -> LitLayers:
    """What it will do, against a profile's numbers if one is given. NotFound once it is gone, InvalidInput for a
    profile of a filament.
    """
    numbers = {} if profile_id is None else numbers_of(workshop, profile_id)
    return _looked(digest, tuple(sorted(numbers.items())), kept(workshop, digest))


@cached(LRUCache(MOST_LOOKED), key=lambda digest, numbers, _: (digest, numbers), condition=Condition())
def _looked(digest: str, numbers: tuple[tuple[str, float], ...], there: Path) -> LitLayers:
    del digest
    return check_package(there.read_bytes(), dict(numbers))


def retiming(workshop: Workshop, digest: str, profile_id: int) -> Retiming:
    """What a profile would change of it."""
    package = _without_pictures(kept(workshop, digest))
    name, numbers, printer = _profile(workshop, profile_id)
    try:
        after = tuple(_retimed(package, numbers, printer, ()))
    except InvalidInput as error:
        return Retiming(name, package.layers, problem=next(iter(error.problems.values())))
    lamp = None if package.evened != 1 else printer.evens_by
    return Retiming(name, package.layers, after, evens_percent=None if lamp is None else 100 * lamp.uneven)


def retime(
    workshop: Workshop, digest: str, profile_id: int, stretches: Sequence[Stretch], *, even: bool = False
) -> str:
    """Make a copy with a profile's light, rests and lifts, and keep it; returns its digest. With `even` its pictures
    make up for the printer's lamp. InvalidInput under "profile", "even" or "stretch_1" and so on where that cannot be.
    """
    there = kept(workshop, digest)
    if even and len(_without_pictures(there).images) > MOST_EVENED:
        raise InvalidInput(
            "even", f"takes minutes for more than {MOST_EVENED} pictures: have it done by drumbo retime … --even"
        )
    data = with_times_of(workshop, profile_id, there.read_bytes(), stretches, even=even)
    copy = sha256(data).hexdigest()
    keep(workshop, copy, data)
    return copy


def with_times_of(
    workshop: Workshop, profile_id: int, data: bytes, stretches: Sequence[Stretch], *, even: bool = False
) -> bytes:
    """A package's copy with a profile's light, rests and lifts; InvalidInput as `retime` has it."""
    package = read_package(data)
    name, numbers, printer = _profile(workshop, profile_id)
    layers: Sequence[Layer] = _retimed(package, numbers, printer, stretches)
    lamp = _lamp_to_even(package, printer) if even else None
    if lamp is not None:
        layers = lit_for(layers, lamp.longer)
    out = io.BytesIO()
    write_with(package, layers, [*package.title, f"times of {name}"], out, lamp)
    return out.getvalue()


def _lamp_to_even(package: Package, printer: ResinPrinter) -> LampMap:
    """InvalidInput says why a package's pictures cannot make up for the lamp."""
    if package.evened != 1:
        raise InvalidInput(
            "even", "has been done to this package already; twice would be too dark at the bright places"
        )
    if printer.evens_by is None:
        why = "takes no grey pictures" if printer.greys != "yes" else "has no map of its lamp, or an even one"
        raise InvalidInput("even", f"cannot be done: {printer.name} {why}")
    return printer.evens_by


@cached(LRUCache(MOST_HELD), key=lambda there: there.name, condition=Condition())
def _without_pictures(there: Path) -> Package:
    """A package's layers alone: it may be hundreds of megabytes, and each look at its page wants them."""
    return read_package(there.read_bytes()).without_pictures()


def _profile(workshop: Workshop, profile_id: int) -> tuple[str, dict[str, float], ResinPrinter]:
    with workshop.reading() as session:
        row = get_row(session, profile_id)
        name, context = row.name, context_of(row)
    if not isinstance(context.printer, ResinPrinter):
        raise InvalidInput("profile", "is one of a filament; a layer package is held against one of a resin")
    return name, dict(context.profile.numbers()), context.printer


def _retimed(
    package: Package, numbers: Mapping[str, float], printer: ResinPrinter, stretches: Sequence[Stretch]
) -> tuple[Layer, ...]:
    """InvalidInput where the profile's printer has another screen, or the package is lit on glass."""
    if package.on_glass:
        raise InvalidInput("profile", "has nothing to say here: this package cures skins on a pane of glass")
    pixels = (int(printer.pixels_x), int(printer.pixels_y))
    if package.screen.pixels != pixels or abs(package.screen.pixel_um - printer.pixel_um) > PIXEL_UM:
        mine, its = f"{pixels[0]} × {pixels[1]} of {printer.pixel_um:g} µm", package.screen
        raise InvalidInput(
            "profile",
            f"is of {printer.name} with {mine}, but the package is drawn for {its.pixels[0]} × {its.pixels[1]} pixels "
            f"of {its.pixel_um:g} µm; slice it for this printer",
        )
    # What was drawn for an uneven lamp stays lit as much longer.
    return lit_for(retimed(lit_for(package.layers, 1 / package.evened), numbers, stretches), package.evened)
