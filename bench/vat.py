"""Resin, the rest of the way: lamp maps, print-through and support tips against their truths, and how often the bottle
check and the proof say what is so.

Each on an exposure that is known as well as coupons tell it. The plain habit: the places as they were measured, without
smoothing; one tile between the jaws; the first table that held well.
"""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import numpy as np

from bench.bottles import LAYER_UM, DrawnBottle, go, printed, read
from bench.failing import exposed, foot
from bench.rig import Tally
from drumbo.core.light.lamp import LampMap
from drumbo.core.profile import Origin, OriginKind, Value, changed
from drumbo.exchange.layer_package import package_bytes
from drumbo.standins.resin import look, physics
from drumbo.standins.resin.bottle import Bottle
from drumbo.standins.resin.thing import Cured, cure
from drumbo.trials import kind
from drumbo.trials.readings import Readings
from drumbo.trials.result import Result
from drumbo.trials.toolkit.layered import ResinContext

REACH_KNOWN = 0.08
"""How well a resin's depth is known where its lamp is mapped, as a share."""
TIPS_MM = np.linspace(0.05, 1.6, 3000)
ENOUGH = 3.0
MOVES = (-25, -15, 0, 15, 25)
"""By how much more or less light a bottle wants than the one before, %."""
MOVES_SD = 12.0
READERS = 4
AGAIN = 4


def _with(context: ResinContext, numbers: dict[str, float]) -> ResinContext:
    new = {key: Value(number, Origin(OriginKind.TRIAL, "bench", 1)) for key, number in numbers.items()}
    return replace(context, profile=changed(context.profile, new))


def lamp(one: DrawnBottle, readers: int) -> tuple[Tally, Tally]:
    """How uneven a lamp is, % of the light in its middle; and the light somewhere on the screen, in the same."""
    uneven, place, files = Tally(), Tally(), list[Any]()
    rng = np.random.default_rng([one.number, 31])
    wide, deep = one.context.printer.size_mm
    grid = np.array([(x, y) for y in np.linspace(-1, 1, 41) for x in np.linspace(-1, 1, 41)])
    true = one.lamp.at(grid[:, 0] * wide / 2, grid[:, 1] * deep / 2, (wide, deep)) / one.lamp.mw_cm2
    for reader in range(readers):
        reach = one.bottle.reach_um * math.exp(rng.normal(0, REACH_KNOWN))
        plan, result, readings = go("lamp-map", one, _with(one.context, {"penetration_um": reach}), reader, files)
        found = LampMap.of(kind("lamp-map").of_printer(plan, readings, result)["lamp_map"])
        assert found is not None
        assert result.also is not None
        skins = _skins(plan, readings)
        uneven.found(result.value, result.error, 100 * float(np.ptp([share for _, share in skins])),
                     100 * float(np.ptp(true)), 0.0)  # fmt: skip
        at = int(rng.integers(len(grid)))
        told = 100 * float(found.at(grid[at : at + 1, 0], grid[at : at + 1, 1])[0])
        nearest = min(skins, key=lambda skin: float(np.hypot(*(skin[0] - grid[at]))))[1]
        place.found(told, 100 * result.also["sure"], 100 * nearest, 100 * float(true[at]), 100.0)
    for tally in (uneven, place):
        tally.cost(files)
    return uneven, place


def _skins(plan: Any, readings: Readings) -> list[tuple[Any, float]]:
    """The habit: each skin as it was read once, against the one nearest to the middle."""
    trial = kind("lamp-map")
    places = np.array(trial._middles(plan)) / np.array([plan.wide_mm / 2, plan.deep_mm / 2])  # type: ignore[attr-defined]
    depths = [readings.measured("skin", step.index, "once") for step in trial.steps(plan)]
    read = [(place, 1000 * depth) for place, depth in zip(places, depths, strict=True) if depth is not None]
    middle = min(read, key=lambda one: float(np.hypot(*one[0])))[1]
    return [(place, math.exp((depth - middle) / plan.reach_um)) for place, depth in read]


def through(one: DrawnBottle, readers: int) -> Tally:
    """By how much undersides grow, µm, below 0 as it is made up for."""
    tally, files, context = Tally(), list[Any](), exposed(one)
    over = context.profile.number("exposure_s") * one.lamp.mw_cm2 / one.bottle.critical_mj_cm2
    truth = -one.bottle.through * physics.print_through_um(over, LAYER_UM, one.bottle.reach_um, one.bottle.remembers)
    for reader in range(readers):
        plan, result, readings = go("print-through", one, context, reader, files)
        single = readings.measured("tile", 0, "reading-1")
        habit = truth if single is None else -1000 * (single - plan.drawn_mm)  # type: ignore[attr-defined]
        tally.found(result.value, result.error, habit, truth, 0.0)
    tally.cost(files)
    return tally


def shrinks(one: DrawnBottle, readers: int) -> Tally:
    """How much parts shrink in the cure, %."""
    tally, files, context = Tally(), list[Any](), exposed(one)
    for reader in range(readers):
        plan, result, readings = go("cure-shrinkage", one, context, reader, files)
        longest = kind("cure-shrinkage").steps(plan)[-1]
        cured = readings.measured("cured", longest.index, "first")
        habit = None if cured is None else 100 * (1 - cured / longest.value)
        tally.found(result.value, result.error, habit, 100 * one.bottle.shrinks, 0.0)
    tally.cost(files)
    return tally


def tips(one: DrawnBottle, readers: int) -> Tally:
    """The thinnest tip that an eye calls held well, mm."""
    tally, files, context = Tally(), list[Any](), exposed(one)
    trial = kind("support-tips")
    truth = _true_tip(one, context)
    for reader in range(readers):
        plan, result, readings = go("support-tips", one, context, reader, files, extensions=2)
        held = [s.value for s in trial.steps(plan) if (readings.score("supports", s.index) or 0) >= ENOUGH]
        tally.found(result.value, result.error, min(held, default=trial.steps(plan)[-1].value), truth, 0.4)
    tally.cost(files)
    return tally


def _true_tip(one: DrawnBottle, context: ResinContext) -> float:
    """Where six round tips are as safe as an exact score of 3 says."""
    numbers = context.profile.numbers()
    over = numbers["exposure_s"] * one.lamp.mw_cm2 / one.bottle.critical_mj_cm2
    firm = physics.green(over * math.exp(-LAYER_UM / one.bottle.reach_um), one.bottle.greens)
    held = 6 * math.pi / 4 * TIPS_MM**2 * one.bottle.holds
    safe = np.array([physics.carried(h, firm, 24.0, numbers["lift_speed_mm_min"]) for h in held])
    return float(TIPS_MM[int(np.argmin(np.abs(4 / (1 + np.maximum(safe, 1e-3) ** -3.2) - ENOUGH)))])


def slopes(one: DrawnBottle, readers: int) -> Tally:
    """The thinnest tip that an eye calls held well beneath what slopes, mm."""
    tally, files, context = Tally(), list[Any](), exposed(one)
    trial = kind("support-tips")
    truth = _true_slope(one, context)
    for reader in range(readers):
        plan, result, readings = go("support-tips", one, context, reader, files, extensions=2)
        also = result.also or {}
        held = [s.value for s in trial.steps(plan) if (readings.score("slopes", s.index) or 0) >= ENOUGH]
        habit = min(held, default=trial.steps(plan)[-1].value)
        tally.found(also.get("slope"), also.get("slope_error"), habit, truth, 0.4)
    tally.cost(files)
    return tally


def _true_slope(one: DrawnBottle, context: ResinContext) -> float:
    """Where an exact score passes 3, between tables that are printed finely."""
    trial, tips_mm, scores = kind("support-tips"), list[float](), list[float]()
    for first in (0.1, 0.28, 0.46):
        plan = replace(trial.suggest(context), first_mm=first, step_mm=0.02, tables=9)
        _, thing = printed(trial, plan, context, one)
        boxes = [place.box((0.0, 0.0)) for place in trial.piece(plan, context).places]
        scores += look.exact_scores(thing, boxes, ["slopes"])[:, 0].tolist()
        tips_mm += [step.value for step in trial.steps(plan)]
    return float(np.interp(ENOUGH, np.maximum.accumulate(scores), tips_mm))


def _ready(one: DrawnBottle) -> ResinContext:
    """A profile whose other values are as good as its exposure."""
    context, bottle = exposed(one), one.bottle
    numbers = context.profile.numbers()
    bottoms = np.linspace(5, 120, 400)
    worth = [look.sticks(s * one.lamp.mw_cm2 / bottle.critical_mj_cm2, bottle)
             + look.clean(s * one.lamp.mw_cm2 / bottle.critical_mj_cm2, bottle) for s in bottoms]  # fmt: skip
    return _with(context, {
        "bottom_exposure_s": round(float(bottoms[int(np.argmax(worth))])),
        "lift_speed_mm_min": round(min(numbers["lift_speed_mm_min"], 0.7 * bottle.tears)),
        "rest_before_s": round(max(numbers["rest_before_s"], 2 * bottle.settles_s), 1),
        "tip_mm": 0.05 + _true_tip(one, context),
    })  # fmt: skip


def check(one: DrawnBottle, readers: int) -> Tally:
    """The exposure that another bottle wants, as a share of the truth, held against the leaves of a proof."""
    tally, files, context = Tally(), list[Any](), _ready(one)
    proof, trial = kind("resin-proof"), kind("bottle-check")
    plain, plan = proof.suggest(context), trial.suggest(context)
    was, made = proof.print_file(plain, context), trial.print_file(plan, context)
    before, now = package_bytes(was), package_bytes(made)
    right = context.profile.number("exposure_s")
    for reader in range(readers):
        seed = one.number * 100 + reader
        percent = float(np.random.default_rng([seed, 37]).normal(0, MOVES_SD))
        known = _judged(proof, plain, context, cure(before, one.bottle, one.lamp), seed)
        leaves = None if known.also is None else known.also["leaves_mm"]
        thing = cure(now, _wanting(one.bottle, percent), one.lamp)
        result = _judged(trial, replace(plan, before_mm=leaves), context, thing, seed + 50)
        files.append(made)
        tally.found(result.value, result.error, right, right * (1 + percent / 100), right, shares=True)
    tally.cost(files)
    return tally


def _wanting(bottle: Bottle, percent: float) -> Bottle:
    """The same resin from a bottle that wants so much more light."""
    return replace(bottle, critical_mj_cm2=bottle.critical_mj_cm2 * (1 + percent / 100))


def calls(one: DrawnBottle) -> dict[str, dict[float, list[bool]]]:
    """By how far the light is off: whether the bottle check says that it moved, with leaves from before and without,
    and whether the proof is poor; one entry a reader.
    """
    context = _ready(one)
    found: dict[str, dict[float, list[bool]]] = {}
    proof, check = kind("resin-proof"), kind("bottle-check")
    plain, before = proof.suggest(context), []
    data = package_bytes(proof.print_file(plain, context))
    for percent in MOVES:
        # A bottle that wants a fifth less light: a profile that gives it a quarter too much.
        thing = cure(data, _wanting(one.bottle, 100 * (1 / (1 + percent / 100) - 1)), one.lamp)
        results = [_judged(proof, plain, context, thing, one.number * 100 + reader) for reader in range(READERS)]
        found.setdefault("poor proof", {})[percent] = [result.state != "good" for result in results]
        if percent == 0:
            before = [result.also["leaves_mm"] for result in results if result.also is not None]
    for name, known in (("check", before), ("check, nothing before", [None] * READERS)):
        found[name] = _checked(one, context, check, known)
    return found


def _judged(trial: Any, plan: Any, context: ResinContext, thing: Cured, seed: int) -> Result:
    """What one reader comes to; who is told of a slip measures again."""
    for again in range(AGAIN):
        result: Result = trial.evaluate(plan, read(trial, plan, context, thing, seed + 10_000 * again))
        if result.state != "few":
            break
    return result


def _checked(one: DrawnBottle, context: ResinContext, check: Any, known: list[Any]) -> dict[float, list[bool]]:
    said: dict[float, list[bool]] = {percent: [] for percent in MOVES}
    plans = [replace(check.suggest(context), before_mm=before) for before in known]
    data = package_bytes(check.print_file(plans[0], context))
    for percent in MOVES:
        thing = cure(data, _wanting(one.bottle, percent), one.lamp)
        for reader, plan in enumerate(plans):
            result = _judged(check, plan, context, thing, one.number * 100 + reader)
            said[percent].append(result.state != "good")
    return said


def table(bottles: list[dict[str, dict[float, list[bool]]]]) -> dict[str, dict[float, float]]:
    """Share of all that say so."""
    return {
        name: {percent: round(float(np.mean([one[name][percent] for one in bottles])), 2) for percent in MOVES}
        for name in bottles[0]
    }


VAT = {
    "lamp_uneven_percent": lambda one, readers: lamp(one, readers)[0],
    "lamp_uneven_percent at a place": lambda one, readers: lamp(one, readers)[1],
    "z_um": through,
    "xy_bottom_mm": foot,
    "tip_mm": tips,
    "tip_slope_mm": slopes,
    "cure_shrink_percent": shrinks,
    "bottle": check,
}
