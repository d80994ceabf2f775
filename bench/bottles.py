"""Resin: bottles and printers as they come, a print, a reader, and the sequences of one hidden bottle.

Working curve → exposure coupons, on what the curve has left → the exposure at half the layer height, foretold. The
plain habit: a straight line through all skins; the crossing of a line through blades with one through slits, of coupons
of the same lights; and the same overcure for another height.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from bench.rig import Tally, here, looked_by, once
from drumbo.core.copying import Surroundings, copied
from drumbo.core.profile import changed, start
from drumbo.core.resin import RESIN_CLASSES, Resin, ResinPrinter
from drumbo.exchange.layer_package import package_bytes
from drumbo.standins.resin import look
from drumbo.standins.resin.bottle import Bottle, draw_bottle, true_exposure_s
from drumbo.standins.resin.lamp import LEAN_SD, Lamp
from drumbo.standins.resin.thing import Cured, cure
from drumbo.standins.tools import JawsOnBed
from drumbo.standins.worlds import HOME, drawn_from
from drumbo.trials import kind
from drumbo.trials.base import SomeKind
from drumbo.trials.plan import TrialPlan
from drumbo.trials.readings import Readings
from drumbo.trials.result import Result
from drumbo.trials.toolkit.layered import ResinContext

SCREENS = ((3840, 2400, 35.0), (2560, 1620, 50.0), (5760, 3600, 24.0), (4098, 2560, 30.0))
LAYER_UM, HALF_UM = 50.0, 25.0
USUAL_REACH_UM = 130.0
MOST_KEPT = 4
"""Prints that are kept: one takes a hundred megabytes and more."""


@dataclass(frozen=True)
class DrawnBottle:
    """One hidden bottle on one printer; its label is off by what is usual between printers."""

    number: int
    context: ResinContext
    bottle: Bottle
    lamp: Lamp


def drawn(seed: int, number: int) -> DrawnBottle:
    """The bottle of that number; the same seed always gives the same."""
    rng = np.random.default_rng([seed, number, 8])
    kin = RESIN_CLASSES[int(rng.integers(len(RESIN_CLASSES)))]
    bottle = draw_bottle(kin.key, seed * 10_000 + number, here())
    lamp = Lamp(float(rng.uniform(2.8, 5.6)), lean=float(rng.normal(0, 0.03)), dim=float(rng.uniform(*here().dim)))
    wide, deep, pixel = SCREENS[int(rng.integers(len(SCREENS)))]
    printer = ResinPrinter("bench", wide, deep, pixel, intensity_mw_cm2=lamp.mw_cm2, lights_apart="yes")
    told = true_exposure_s(bottle, LAYER_UM, lamp.mw_cm2) * math.exp(rng.normal(0, 0.2))
    if here() is not HOME:
        at = rng.uniform(-0.8, 0.8, 2)
        lean_y, hump = float(rng.normal(0, LEAN_SD)), drawn_from(here().hump, rng)
        lamp = replace(lamp, lean_y=lean_y, hump=hump, hump_at=(float(at[0]), float(at[1])))
    material = Resin("-", "-", kin.key, "-", "#808080", exposure_s=round(told, 1), exposure_layer_um=LAYER_UM)
    context = ResinContext(printer, material, start("bench", material, printer, {"layer_um": LAYER_UM}))
    return DrawnBottle(number, context, bottle, lamp)


def read(trial: SomeKind, plan: Any, context: ResinContext, thing: Cured, seed: int) -> Readings:
    """What one person sees and measures, with the noise of people and tools."""
    with looked_by(seed):
        return _read(trial, plan, context, thing, seed)


def _read(trial: SomeKind, plan: Any, context: ResinContext, thing: Cured, seed: int) -> Readings:
    piece, to_read = trial.piece(plan, context), trial.readings(plan)
    boxes = [place.box((0.0, 0.0)) for place in piece.places]
    readings = Readings()
    if to_read.aspects:
        scores = look.look(thing, boxes, [a.key for a in to_read.aspects], seed)
        for column, aspect in enumerate(to_read.aspects):
            for row in range(len(boxes)):
                readings = readings.with_score(aspect.key, row, int(scores[row, column]))
    if to_read.firsts:
        firsts = look.first_seen(thing, boxes, [f.key for f in to_read.firsts], seed)
        readings = replace(readings, firsts=firsts)
    numbers = look.measure_all(thing, [JawsOnBed(j.a, j.b, j.z, j.tool) for j in piece.jaws], seed)
    for jaw, number in zip(piece.jaws, numbers, strict=True):
        if number is not None:
            readings = readings.with_measure(jaw.measure, jaw.step, jaw.site, number)
    return readings


def printed(trial: SomeKind, plan: Any, context: ResinContext, one: DrawnBottle) -> tuple[Any, Cured]:
    """A plan's file, and what becomes of it."""

    def make() -> tuple[Any, Cured]:
        file = trial.print_file(plan, context)
        return file, cure(package_bytes(file), one.bottle, one.lamp)

    return once((trial.slug, repr(plan), repr(one), repr(sorted(context.profile.numbers().items()))), make, MOST_KEPT)


def go(
    slug: str, one: DrawnBottle, context: ResinContext, reader: int, files: list[Any], extensions: int = 0
) -> tuple[TrialPlan, Result, Readings]:
    """Print a kind's suggestion, read it, and go on where it ends too early."""
    trial = kind(slug)
    plan = trial.suggest(context)
    while True:
        file, thing = printed(trial, plan, context, one)
        files.append(file)
        readings = read(trial, plan, context, thing, one.number * 100 + reader)
        result = trial.evaluate(plan, readings)
        if result.state != "edge" or result.extend is None or extensions == 0:
            return plan, result, readings
        plan, extensions = trial.plan_type.of(result.extend), extensions - 1


def adopted(context: ResinContext, slug: str, plan: Any, result: Result) -> ResinContext:
    """The context once a result was taken in."""
    new = kind(slug).changes(plan, result, context, 1)
    return replace(context, profile=changed(context.profile, new))


def curve(one: DrawnBottle, readers: int) -> tuple[Tally, Tally]:
    """Penetration depth, and critical time as a share of the truth."""
    deep, onset = Tally(), Tally()
    files: list[Any] = []
    truth = one.bottle.reach_um, one.bottle.critical_mj_cm2 / one.lamp.mw_cm2
    for reader in range(readers):
        plan, result, readings = go("cure-on-glass", one, one.context, reader, files)
        slope, crossing = _plain_line(plan, readings)
        deep.found(result.value, result.error, slope, truth[0], USUAL_REACH_UM,
                   shares=True)  # fmt: skip
        at = None if result.also is None else result.also["critical_s"]
        error = None if result.also is None or at is None else at * result.also["critical_log_error"]
        onset.found(at, error, crossing, truth[1], _usual_onset_s(one), shares=True)
    for tally in (deep, onset):
        tally.cost(files)
    return deep, onset


def _usual_onset_s(one: DrawnBottle) -> float:
    """What the label's exposure makes of a usual depth, where nothing was measured."""
    return one.context.profile.number("exposure_s") * math.exp(-1.2 * LAYER_UM / USUAL_REACH_UM)


def _plain_line(plan: Any, readings: Readings) -> tuple[float, float]:
    rows = [
        (math.log(step.value), depth * 1000)
        for step in kind("cure-on-glass").steps(plan)
        for depth in readings.measures["skin"].get(str(step.index), {}).values()
    ]
    slope, height = np.polyfit([x for x, _ in rows], [y for _, y in rows], 1)
    return float(slope), float(np.exp(-height / slope))


def exposure(one: DrawnBottle, readers: int) -> tuple[Tally, Tally]:
    """The exposure at which sizes come out, and the one foretold for half the layer height; shares of the truth."""
    here, half = Tally(), Tally()
    files: list[Any] = []
    truth = true_exposure_s(one.bottle, LAYER_UM, one.lamp.mw_cm2)
    truth_half = true_exposure_s(one.bottle, HALF_UM, one.lamp.mw_cm2)
    for reader in range(readers):
        plan, result, _ = go("cure-on-glass", one, one.context, reader, files)
        context = adopted(one.context, "cure-on-glass", plan, result)
        reach = result.value
        plan, result, _ = go("exposure-coupon", one, context, reader, files, extensions=2)
        habit = _plain_coupon(plan, one, context, reader)
        first = one.context.profile.number("exposure_s")
        if result.value is None or result.error is None or result.also is None:
            here.found(None, None, habit, truth, first, shares=True)
            half.found(None, None, _other_height(habit, reach), truth_half, _other_height(first, None), shares=True)
            continue
        value = result.also["true_s"]
        here.found(value, result.error / result.value * value, habit, truth, first, shares=True)
        known = adopted(context, "exposure-coupon", plan, result)
        profile = replace(known.profile, values={
            **known.profile.values, "exposure_s": replace(known.profile.values["exposure_s"], number=value),
        })  # fmt: skip
        place = Surroundings(context.material, context.printer)
        made, _ = copied(profile, "half", place, place, chosen={"layer_um": HALF_UM})
        told = made.values["exposure_s"]
        half.found(told.number, told.error, _other_height(habit, reach), truth_half, _other_height(first, None),
                   shares=True)  # fmt: skip
    for tally in (here, half):
        tally.cost(files)
    return here, half


def _other_height(exposure: float, reach: float | None) -> float:
    """The same overcure at half the layer height; a usual depth where none was measured."""
    return exposure * math.exp((HALF_UM - LAYER_UM) / (reach or USUAL_REACH_UM))


def _plain_coupon(plan: Any, one: DrawnBottle, context: ResinContext, reader: int) -> float:
    """Two lines over the logarithm of time, one of blades and one of slits, on coupons of the same lights that have
    those: where they cross; the middle of the coupons where they do not.
    """
    trial, plan = kind("exposure-coupon"), replace(plan, read_by="faces")
    readings = read(trial, plan, context, printed(trial, plan, context, one)[1], one.number * 100 + reader)
    x, apart = [], []
    for step in trial.steps(plan):
        sides = [readings.measures.get(side, {}).get(str(step.index), {}) for side in ("blade", "slit")]
        both = sides[0].keys() & sides[1].keys()
        if not both:
            continue
        # Blade and slit of one site are drawn alike, so their difference needs no drawn size.
        x.append(math.log(step.value))
        apart.append(float(np.mean([sides[0][site] - sides[1][site] for site in both])))
    middle = math.exp(float(np.mean(x)))
    if len(x) < 2:
        return middle
    slope, height = np.polyfit(x, apart, 1)
    return float(np.clip(np.exp(-height / slope), math.exp(x[0]), math.exp(x[-1]))) if slope > 0 else middle


BOTTLES = {
    "penetration_um": lambda one, readers: curve(one, readers)[0],
    "critical_s": lambda one, readers: curve(one, readers)[1],
    "exposure_s": lambda one, readers: exposure(one, readers)[0],
    "exposure_s at half the layer height": lambda one, readers: exposure(one, readers)[1],
}
