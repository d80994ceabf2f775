"""Resin: bottoms that fall off or want a chisel, lifts that tear pins off, rests too short for slits.

Each on an exposure that is known as well as coupons tell it. The plain habit takes the same readings: the foot with the
best scores, and the last storey that still holds.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from bench.bottles import LAYER_UM, DrawnBottle, go, printed, read
from bench.rig import Tally
from drumbo.core.light.job import Layer
from drumbo.standins.eye import PLAIN
from drumbo.standins.resin import look
from drumbo.standins.resin.bottle import true_exposure_s
from drumbo.standins.resin.physics import growth_mm
from drumbo.standins.resin.thing import Cured
from drumbo.trials import kind
from drumbo.trials.bottom_feet.feet import WIDE
from drumbo.trials.readings import Readings
from drumbo.trials.toolkit.layered import ResinContext
from drumbo.trials.toolkit.storeys import HERE, StoreyKind

KNOWN = 0.03
"""How well the exposure is known by then, as a share of it."""
BOTTOMS_S = np.linspace(1.0, 200.0, 4000)
HALVINGS = 24
LACKS = 0.8
"""Of what stands lower down, so much is plainly less."""

Change = Callable[[Layer, float], Layer]
Share = Callable[[Cured, Any], float]


def exposed(one: DrawnBottle) -> ResinContext:
    """A bottle whose exposure is known as well as coupons tell it."""
    rng = np.random.default_rng([one.number, 9])
    exposure = true_exposure_s(one.bottle, LAYER_UM, one.lamp.mw_cm2) * math.exp(rng.normal(0, KNOWN))
    profile = one.context.profile
    value = replace(profile.values["exposure_s"], number=round(exposure, 2))
    return replace(one.context, profile=replace(profile, values={**profile.values, "exposure_s": value}))


def bottom(one: DrawnBottle, readers: int) -> Tally:
    """The bottom exposure that holds and comes off best, as a share of the truth."""
    tally, context = Tally(), exposed(one)
    files: list[Any] = []
    truth = _true_bottom(one, context)
    for reader in range(readers):
        plan, result, readings = go("bottom-feet", one, context, reader, files, extensions=2)
        tally.found(result.value, result.error, _best_foot(plan, readings), truth,
                    context.profile.number("bottom_exposure_s"), shares=True)  # fmt: skip
    tally.cost(files)
    return tally


def foot(one: DrawnBottle, readers: int) -> Tally:
    """How far a side of the foot stands out at the bottom exposure that was found, mm. The plain habit measures that
    foot below, and takes half of what it is too wide.
    """
    tally, files, context = Tally(), list[Any](), exposed(one)
    trial = kind("bottom-feet")
    plan = replace(trial.suggest(context), widths="yes")
    for reader in range(readers):
        file, thing = printed(trial, plan, context, one)
        files.append(file)
        readings = read(trial, plan, context, thing, one.number * 100 + reader)
        result = trial.evaluate(plan, readings)
        also = result.also or {}
        bottom_s = trial.adopted(result.value) if result.value is not None else plan.first_s
        near = min(trial.steps(plan), key=lambda step: abs(step.value - bottom_s))
        wide = readings.measured("foot", near.index, "plate")
        habit = None if wide is None else (wide - WIDE) / 2
        out = _grown_mm(one, bottom_s) - _grown_mm(one, plan.normal_s)
        tally.found(also.get("out_mm"), also.get("out_error_mm"), habit, out, 0.0)
    tally.cost(files)
    return tally


def _grown_mm(one: DrawnBottle, seconds: float) -> float:
    over = seconds * one.lamp.mw_cm2 / one.bottle.critical_mj_cm2
    return growth_mm(over, one.bottle.bleed_mm, one.bottle.tail)


def _true_bottom(one: DrawnBottle, context: ResinContext) -> float:
    trial = kind("bottom-feet")
    plan = trial.suggest(context)
    _, thing = printed(trial, plan, context, one)
    boxes = [place.box((0.0, 0.0)) for place in trial.piece(plan, context).places]
    each_s = np.median([look.overdose(thing, b) / s.value for b, s in zip(boxes, trial.steps(plan), strict=True)])
    worth = [look.sticks(s * each_s, one.bottle) + look.clean(s * each_s, one.bottle) for s in BOTTOMS_S]
    return float(BOTTOMS_S[int(np.argmax(worth))])


def _best_foot(plan: Any, readings: Readings) -> float:
    steps = kind("bottom-feet").steps(plan)
    sums = np.nansum([readings.column(aspect, steps) for aspect in ("sticks", "clean")], axis=0)
    return float(steps[int(np.argmax(sums))].value)


def _limit(one: DrawnBottle, readers: int, slug: str, share: Share, change: Change, ends: tuple[float, float]) -> Tally:
    """Where a tower of storeys begins to fail, before anything is kept back; `ends` surely hold and surely fail. Both
    values are read off one tower, as makers are led to.
    """
    tally, context = Tally(), exposed(one)
    files: list[Any] = []
    trial = kind(slug)
    assert isinstance(trial, StoreyKind)
    truth = _true_limit(one, context, trial, share, change, ends)
    for reader in range(readers):
        both: Any
        both, _, readings = go("lift-and-rest", one, context, reader, files, extensions=4)
        plan = both.lift if slug == "lift-speed" else both.rest
        result = trial.evaluate(plan, readings)
        where = result.spreads[0] if result.state == "good" else None
        tally.found(
            where.mean if where else None, where.error if where else None, _last_held(trial, plan, readings), truth,
            context.profile.number(trial.sets[0]), shares=True,
        )  # fmt: skip
    tally.cost(files)
    return tally


def _last_held(trial: StoreyKind[Any], plan: Any, readings: Readings) -> float:
    """The habit: the last level that still looks whole, at the level that splits whole ones best from others."""
    steps = trial.steps(plan)
    counts = [readings.measured(trial.counted.key, step.index, HERE.key) or 0.0 for step in steps]
    most = max(counts[: max(len(counts) // 2, 2)])
    lacks = [count < LACKS * most for count in counts]
    wrong = [sum(lacks[:at]) + sum(not lack for lack in lacks[at:]) for at in range(len(counts) + 1)]
    return steps[max(wrong.index(min(wrong)) - 1, 0)].value


def _true_limit(
    one: DrawnBottle,
    context: ResinContext,
    trial: StoreyKind[Any],
    share: Share,
    change: Change,
    ends: tuple[float, float],
) -> float:
    plan = trial.suggest(context)
    _, thing = printed(trial, plan, context, one)
    box = trial.piece(plan, context).places[0].box((0.0, 0.0))

    def whole(value: float) -> float:
        layers = tuple(change(layer, value) for layer in thing.package.layers)
        return share(replace(thing, package=replace(thing.package, layers=layers)), box)

    # Held against the tower's own first storey. As an eye rounds: a sign is there where what is left is worth no more.
    least = whole(trial.steps(plan)[0].value) * math.sqrt((PLAIN + 0.5) / 4)
    holds, fails = ends
    for _ in range(HALVINGS):
        middle = (holds + fails) / 2
        holds, fails = (middle, fails) if whole(middle) > least else (holds, middle)
    return (holds + fails) / 2


def _lifted(layer: Layer, mm_min: float) -> Layer:
    return replace(layer, lift=replace(layer.lift, mm_min=mm_min))


def _rested(layer: Layer, rest_s: float) -> Layer:
    return replace(layer, rest_before_s=rest_s)


FAILING = {
    "bottom_exposure_s": bottom,
    "lift_speed_mm_min": lambda one, readers: _limit(
        one, readers, "lift-speed", look.share_standing, _lifted, (10.0, 2000.0)
    ),
    "rest_before_s": lambda one, readers: _limit(
        one, readers, "rest-before-light", look.share_open, _rested, (60.0, 0.0)
    ),
}
