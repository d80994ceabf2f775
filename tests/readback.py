"""A trial printed on the stand-in's physics and read without any noise, for tests of kinds."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from contextlib import suppress
from functools import lru_cache
from typing import Any

import numpy as np

from drumbo.exchange.layer_package import package_bytes
from drumbo.standins import eye, tools
from drumbo.standins.filament.bed import FLAT, Bed
from drumbo.standins.filament.by_turns import printed_by_turns
from drumbo.standins.filament.geometry import Geometry, geometry
from drumbo.standins.filament.interpreter import Machine
from drumbo.standins.filament.printing import PrintedObject, melt
from drumbo.standins.filament.spool import Spool, draw_spool
from drumbo.standins.resin import look
from drumbo.standins.resin import tools as resin_tools
from drumbo.standins.resin.bottle import draw_bottle
from drumbo.standins.resin.lamp import draw_lamp
from drumbo.standins.resin.thing import Cured, cure
from drumbo.standins.worlds import VARIED
from drumbo.trials.base import Context, SomeKind
from drumbo.trials.readings import Readings
from drumbo.trials.toolkit.layered import ResinContext


@lru_cache(maxsize=4)
def _shape(gcode: str, machine: tuple[tuple[str, float], ...]) -> Geometry:
    device = Machine(**dict(machine))  # type: ignore[arg-type]
    for line in gcode.splitlines():
        device.run(line)
    return geometry(device.moves)


def printed(gcode: str, spool: Spool, bed: Bed = FLAT, **machine: float) -> PrintedObject:
    """What a file makes of a spool, on a plate."""
    return melt(_shape(gcode, tuple(sorted(machine.items()))), spool, bed=bed)


OTHER_SEED = 1


def printed_of_two(gcode: str, spool: Spool, context: Context, layers: Sequence[int]) -> PrintedObject:
    """The same of two spools by turns, changed before each of some layers, from 1 on."""
    assert context.other is not None
    device = Machine()
    for line in gcode.splitlines():
        device.run(line)
    first = (spool.family, spool.seed, context.material.colour_hex)
    second = (context.other.material.family, OTHER_SEED, context.other.material.colour_hex)
    return printed_by_turns(device.moves, spool, [first, second, first][: len(layers) + 1], layers)


_FILES: dict[tuple[str, str, str], str] = {}
_PACKAGES: dict[tuple[str, str, str], bytes] = {}


def _kept(
    held: dict[tuple[str, str, str], Any], trial: SomeKind, plan: Any, context: Any, make: Callable[[], Any]
) -> Any:
    """What was made last, if it is asked for again: several spools or bottles print one file."""
    key = (trial.slug, json.dumps(plan.to_json()), repr(context))
    if key not in held:
        held.clear()
        held[key] = make()
    return held[key]


def exact_readings(
    trial: SomeKind, plan: Any, context: Context, seed: int, bed: Bed = FLAT, **machine: float
) -> Readings:
    """Scores and numbers as they would be if nobody erred; callipers scatter as they do."""
    spool = draw_spool(context.material.family, seed, context.printer.drive)
    file = _kept(_FILES, trial, plan, context, lambda: trial.print_file(plan, context).gcode)
    pauses = trial.pauses(plan, context)
    thing = printed_of_two(file, spool, context, pauses) if pauses else printed(file, spool, bed, **machine)
    piece, to_read = trial.piece(plan, context), trial.readings(plan)
    middle = context.printer.bed_middle
    aspects = [a.key for a in to_read.aspects]
    boxes = [place.box(middle) for place in piece.places]
    exact = np.clip(np.rint(eye.exact_scores(thing, boxes, aspects)), 0, 4).astype(int)
    readings = Readings({a: {str(i): int(exact[i, k]) for i in range(len(boxes))} for k, a in enumerate(aspects)})
    if to_read.firsts:
        for key, step in eye.first_seen(thing, boxes, [f.key for f in to_read.firsts]).items():
            readings = readings.with_first(key, step)
    rng = np.random.default_rng(seed)
    for jaw in piece.jaws:
        at = jaw.on_bed(middle)
        with suppress(tools.NothingThere):
            number = tools.measure(thing, tools.JawsOnBed(at.a, at.b, at.z, at.tool), rng)
            readings = readings.with_measure(jaw.measure, jaw.step, jaw.site, number)
    return readings


def cured(trial: SomeKind, plan: Any, context: ResinContext, seed: int) -> Cured:
    """What a trial's package makes of a bottle; of a lamp, where that is what it asks about."""
    package = _kept(_PACKAGES, trial, plan, context, lambda: package_bytes(trial.print_file(plan, context)))
    lamp = draw_lamp(seed, world=VARIED) if trial.scope == "printer" else None
    return cure(package, draw_bottle(context.material.family, seed), lamp)


def exact_layers(trial: SomeKind, plan: Any, context: ResinContext, seed: int) -> Readings:
    """The same for a resin trial: what cannot be measured stays open."""
    thing = cured(trial, plan, context, seed)
    piece, to_read = trial.piece(plan, context), trial.readings(plan)
    boxes = [place.box(context.printer.bed_middle) for place in piece.places]
    readings, aspects = Readings(), [a.key for a in to_read.aspects]
    if aspects:
        exact = np.clip(np.rint(look.exact_scores(thing, boxes, aspects)), 0, 4).astype(int)
        readings = Readings({a: {str(i): int(exact[i, k]) for i in range(len(boxes))} for k, a in enumerate(aspects)})
    if to_read.firsts:
        for key, step in look.first_seen(thing, boxes, [f.key for f in to_read.firsts]).items():
            readings = readings.with_first(key, step)
    rng = np.random.default_rng(seed)
    for jaw in piece.jaws:
        number = resin_tools.measure(thing, tools.JawsOnBed(jaw.a, jaw.b, jaw.z, jaw.tool), rng)
        if number is not None:
            readings = readings.with_measure(jaw.measure, jaw.step, jaw.site, number)
    return readings
