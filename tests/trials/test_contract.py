"""What every kind of trial must keep, whatever it tests. A new kind is held to this by being there."""

from __future__ import annotations

import json
import math
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest

import drumbo
from drumbo.core.catalogue import BY_KEY, FILAMENT, GROUPS, RESIN
from drumbo.core.errors import InvalidInput, NotFound
from drumbo.core.gcode.inspect import inspect
from drumbo.core.gcode.reader import read
from drumbo.core.piece import draw
from drumbo.core.plate import hindered
from drumbo.core.profile import OriginKind, changed
from drumbo.exchange.layer_package import package_bytes, read_package
from drumbo.standins.filament.bed import FLAT, Bed
from drumbo.standins.filament.joint import draw_joint
from drumbo.standins.filament.mixing import draw_mixing
from drumbo.standins.filament.spool import draw_spool
from drumbo.standins.resin.bottle import Bottle, draw_bottle, true_exposure_s
from drumbo.standins.resin.lamp import draw_lamp
from drumbo.standins.resin.physics import green, growth_mm, print_through_um, smear_mm, thinnest_mm
from drumbo.standins.worlds import VARIED
from drumbo.trials import kind, kinds, kinds_of
from drumbo.trials.base import Context, SomeKind
from drumbo.trials.plan import TrialPlan
from drumbo.trials.plate import can_share
from drumbo.trials.readings import Readings
from drumbo.trials.result import Result
from drumbo.trials.toolkit.layered import ResinContext
from drumbo.trials.toolkit.storeys import SLITS
from tests.conftest import plain_context, resin_context
from tests.readback import OTHER_SEED, exact_layers, exact_readings

# Where a scope is given, the tests of one kind follow each other and print its file once.
ALL = [pytest.param(k, id=slug) for slug, k in kinds().items()]
ROADS = [pytest.param(k, id=slug) for slug, k in kinds_of(FILAMENT).items()]
LAYERS = [pytest.param(k, id=slug) for slug, k in kinds_of(RESIN).items()]
CONTEXTS = [
    pytest.param(plain_context("pla"), id="pla-direct"),
    pytest.param(plain_context("petg", drive="bowden", origin="centre", dialect="plain"), id="petg-bowden-centre"),
]


@pytest.mark.parametrize("trial", ALL)
def test_a_kind_says_what_it_is(trial: SomeKind) -> None:
    assert trial.group in {g.key for g in GROUPS}
    assert set(trial.sets) <= set(BY_KEY)
    assert re.fullmatch(r"[a-z][a-z-]*", trial.slug)
    assert trial.about.endswith(".")
    assert set(trial.readings(trial.suggest(usual(trial))).aspects) <= set(trial.aspects)


RESIN_CONTEXTS = [
    pytest.param(resin_context(), id="grey-apart"),
    pytest.param(resin_context("resin-clear", 100.0, lights_apart="no", pixel_um=47.0, pixels_x=2001), id="one-light"),
]


def usual(trial: SomeKind) -> Any:
    """A printer and a material of the kind's process."""
    return {FILAMENT: plain_context, RESIN: resin_context}[trial.process]()


def exact(trial: SomeKind, plan: TrialPlan, context: Any, seed: int, bed: Bed = FLAT) -> Readings:
    """What nobody errs in reading, by the kind's process."""
    if trial.process == RESIN:
        return exact_layers(trial, plan, context, seed)
    return exact_readings(trial, plan, context, seed, bed)


@pytest.mark.parametrize("context", CONTEXTS)
@pytest.mark.parametrize("trial", ROADS)
def test_the_suggestion_makes_a_file_that_reads_back_and_may_be_printed(trial: SomeKind, context: Context) -> None:
    plan = trial.suggest(context)
    assert trial.plan_type.of(json.loads(json.dumps(plan.to_json()))) == plan
    if trial.hindered(context):
        with pytest.raises(InvalidInput):
            trial.print_file(plan, context)
        return
    assert trial.read_plan({k: "" if v is None else str(v) for k, v in plan.to_json().items()}, context) == plan
    file = trial.print_file(plan, context)
    program = read(file.gcode.encode())
    found = inspect(program, printer=context.printer)
    assert not [r for r in found.remarks if r.weight == "bad"], "inside the bed and the heater limits, clean at its end"
    assert found.unknown == {}
    assert found.grams == pytest.approx(file.grams * 1.24 / context.material.density_g_cm3, rel=0.01)
    assert found.seconds == pytest.approx(file.seconds, rel=0.03, abs=10), "but for the way there and away"
    rows = np.flatnonzero(program.e_mm != 0)
    mine = np.flatnonzero(file.path.e_mm != 0)
    np.testing.assert_allclose(program.x[rows], file.path.x[mine], atol=1e-9)
    np.testing.assert_allclose(program.e_mm[rows], file.path.e_mm[mine], atol=6e-6)
    if can_share(trial) and trial.layers_wait:
        assert hindered(file.path) is None, "others may be printed between its layers"


@pytest.mark.parametrize("context", RESIN_CONTEXTS)
@pytest.mark.parametrize("trial", LAYERS)
def test_the_suggestion_makes_a_package_that_reads_back_and_fits_its_screen(
    trial: SomeKind, context: ResinContext
) -> None:  # fmt: skip
    plan = trial.suggest(context)
    assert trial.plan_type.of(json.loads(json.dumps(plan.to_json()))) == plan
    assert trial.read_plan({k: "" if v is None else str(v) for k, v in plan.to_json().items()}, context) == plan
    job = trial.print_file(plan, context)
    assert job.seconds > 0
    assert job.cost == pytest.approx(job.grams / context.material.density_g_cm3 * 0.03)
    package = read_package(package_bytes(job))
    assert package.screen == job.screen
    assert [layer.seconds for layer in package.layers] == pytest.approx([layer.seconds for layer in job.layers])
    assert {light.power for layer in package.layers for light in layer.lights} == {1.0}
    if context.printer.lights_apart == "no":
        assert all(len(layer.lights) == 1 for layer in package.layers), "one picture a layer"
    pixel_mm2 = job.screen.pixel_mm**2
    for mine, theirs in list(zip(job.layers, package.layers, strict=True))[:: max(len(job.layers) // 4, 1)]:
        for one, other in zip(mine.lights, theirs.lights, strict=True):
            lit = np.count_nonzero(package.image(other.shape)) * pixel_mm2
            few = 20 * pixel_mm2  # where only a few posts stand, their rims are all there is
            assert lit == pytest.approx(job.areas_mm2[one.shape], rel=0.02, abs=few), "the picture is the outline"


@pytest.mark.parametrize("trial", ALL)
def test_the_piece_carries_every_step_in_order(trial: SomeKind) -> None:
    context = usual(trial)
    plan = trial.suggest(context)
    piece, steps = trial.piece(plan, context), trial.steps(plan)
    assert [(p.index, p.label) for p in piece.places] == [(s.index, s.label) for s in steps]
    measures = trial.readings(plan).measures
    assert {(j.measure, j.step, j.site) for j in piece.jaws} == {
        (m.key, step.index, site.key) for m in measures for step in steps for site in m.sites if m.is_at(step.index)
    }, "a tool finds every place to measure"
    axis = piece.places[0].axis
    edges = [p.low[axis] for p in piece.places]
    assert edges == sorted(edges)
    drawing = draw(piece)
    assert drawing.paths
    assert len({look for look, _ in drawing.paths}) == len(drawing.paths), "one path a class"


@pytest.mark.parametrize("trial", ALL, scope="module")
def test_prints_on_the_stand_in_and_reads_to_a_result(trial: SomeKind) -> None:
    context = usual(trial)
    plan = trial.quick(context)
    readings = exact(trial, plan, context, seed=3)
    to_read = trial.readings(plan)
    wanted, given = to_read.count(len(trial.steps(plan))), readings.count(to_read.extra)
    assert given == wanted or (trial.process == RESIN and given > 0.8 * wanted), "it can be read"
    assert Readings.from_json(json.loads(json.dumps(readings.to_json()))) == readings
    result = trial.evaluate(plan, readings)
    assert result.value is not None
    assert result.error is not None
    assert result.low is not None
    assert result.high is not None
    assert result.error > 0
    assert result.low <= result.value <= result.high
    assert Result.from_json(json.loads(json.dumps(result.to_json()))) == result
    assert result.curve is not None or result.spreads or result.charts or result.maps, "there is a picture of it"
    new = trial.changes(plan, result, context, trial=5)
    assert set(new) <= set(trial.sets)
    held = context.profile.values
    confirmed = {key for key, value in new.items() if key in held and value.origin == held[key].origin}
    assert all(v.origin.kind == OriginKind.TRIAL and v.origin.trial == 5 for k, v in new.items() if k not in confirmed)
    assert all(new[key].number == held[key].number for key in confirmed), "what is confirmed keeps its number"
    if not trial.keeps(result):
        assert new == {}
    elif trial.scope == "profile":
        assert changed(context.profile, new).number(trial.sets[0]) == new[trial.sets[0]].number


def _rest(bottle: Bottle) -> float:
    """The rest below which a fifth of a tower's slits run shut, after a starting profile's light; NaN outside of it."""
    dose = 13.6 / bottle.critical_mj_cm2 * math.exp(-25 / bottle.reach_um)
    dose /= 1 - bottle.remembers * math.exp(-50 / bottle.reach_um)
    rests = np.linspace(2.8, 0.4, 200)
    left = np.array(SLITS) - 2 * growth_mm(dose, bottle.bleed_mm) - bottle.clogs_mm
    stay = np.array([(left > smear_mm(rest, bottle.settles_s)).sum() for rest in rests])
    shut = np.flatnonzero(stay <= 0.79 * stay[0])
    return float(rests[shut[0]]) if len(shut) and stay[0] > 4 else math.nan


LEANING = Bed(lean_x=0.06)
LEANS: dict[str, tuple[Callable[[Any], float], float]] = {
    "nozzle_c": (lambda spool: spool.centre_c, 6),
    "flow_ratio": (lambda spool: 1 / (spool.grip * spool.diameter_mm**2), 0.06),
    "retraction_mm": (lambda spool: spool.pull_full_mm, 0.35),
    "retraction_speed_mm_s": (lambda spool: spool.pull_fast_mm_s, 0.0),
    "restart_extra_mm": (lambda spool: spool.restart_mm, 0.1),
    "pressure_advance_s": (lambda spool: spool.lag_s, 0.02),
    "max_flow_mm3_s": (lambda spool: spool.melt_mm3_s / spool.grip, 2.5),
    "fan_percent": (lambda spool: -spool.bond_c, 5),
    "batch": (lambda spool: spool.centre_c, 1),
    "clearance_turn_mm": (lambda spool: spool.grip * spool.diameter_mm**2, 0.02),
    "proof_percent": (lambda spool: -abs(spool.grip * (spool.diameter_mm / 1.75) ** 2 - 1), 5),
    "shrinkage_percent": (lambda spool: spool.shrink, 0.09),
    "extruder_steps_mm": (lambda spool: 1 / spool.grip, 25),
    "first_layer_z_mm": (lambda spool: spool.grip * spool.diameter_mm**2, 0.008),
    "purge_there_mm": (lambda spool: draw_mixing((spool.family, spool.seed), ("tpu", OTHER_SEED)).thins_mm, 15),
    "joint_c": (lambda spool: draw_joint((spool.family, spool.seed), ("tpu", OTHER_SEED)).holds_from_c, 5),
    "penetration_um": (lambda bottle: bottle.reach_um, 60),
    "exposure_s": (lambda bottle: true_exposure_s(bottle, 50, 4.0), 1.0),
    "bottom_exposure_s": (lambda bottle: bottle.sticks * bottle.critical_mj_cm2, 12),
    "lift_speed_mm_min": (lambda bottle: -_thinnest(bottle), 25),
    "rest_before_s": (_rest, 0.35),
    "lamp_uneven_percent": (lambda bottle: _uneven(bottle.seed), 12),
    "bottle": (lambda bottle: true_exposure_s(bottle, 50, 4.0), 1.0),
    "z_um": (
        lambda bottle: -print_through_um(13.6 / bottle.critical_mj_cm2, 50, bottle.reach_um, bottle.remembers),
        80,
    ),
    "cure_shrink_percent": (lambda bottle: bottle.shrinks, 0.5),
    "tip_mm": (lambda bottle: -_firm(bottle), 0.02),
    "proof_resin_percent": (lambda bottle: -abs(math.log(3.4 / true_exposure_s(bottle, 50, 4.0))), 5),
}
"""Catalogue key → what of a truth the result follows, and how far the extremes of forty lie apart."""


def _thinnest(bottle: Bottle) -> float:
    """The thinnest pin that stands at a middling lift after the light of a starting profile; NaN where none would."""
    over = 3.4 * 4.0 * math.exp(-50 / bottle.reach_um) / bottle.critical_mj_cm2
    least = thinnest_mm(bottle.thin_mm, green(over, bottle.greens), 120, bottle.tears)
    return least if least < 0.7 else math.nan


def _firm(bottle: Bottle) -> float:
    """How firm a starting profile's light makes it; NaN where hardly anything would stand."""
    firm = green(13.6 * math.exp(-50 / bottle.reach_um) / bottle.critical_mj_cm2, bottle.greens)
    return firm if firm > 0.2 else math.nan


def _uneven(seed: int) -> float:
    """How much a lamp's light differs over a screen twice as wide as deep, % of the middle's."""
    x, y = (side.ravel() for side in np.meshgrid(np.linspace(-1, 1, 41), np.linspace(-1, 1, 41)))
    return float(np.ptp(draw_lamp(seed, 1.0, VARIED).at(x * 50, y * 25, (100.0, 50.0))))


@pytest.mark.parametrize("trial", ALL, scope="module")
def test_the_result_follows_the_hidden_truth(trial: SomeKind) -> None:
    """Known answer, filament on a plate that leans: of forty spools or bottles, the one that needs most against the one
    that needs least.
    """
    if not type(trial).__module__.startswith("drumbo."):
        pytest.skip("another package tells of its own what its result follows")
    context, (truth, apart) = usual(trial), LEANS[trial.sets[0]]
    plan = trial.quick(context)
    draw = {FILAMENT: draw_spool, RESIN: draw_bottle}[trial.process]
    truths = {seed: truth(draw(context.material.family, seed)) for seed in range(40)}
    seeds = sorted((seed for seed, need in truths.items() if math.isfinite(need)), key=truths.__getitem__)
    ends = [trial.evaluate(plan, exact(trial, plan, context, seed, LEANING)) for seed in (seeds[0], seeds[-1])]
    least, most = (result.value for result in ends)
    assert least is not None
    assert most is not None
    assert most - least > apart
    for result in ends:
        if result.extend is not None:
            trial.read_plan(result.extend, context)


@pytest.mark.parametrize("trial", ALL)
def test_too_few_readings_promise_nothing(trial: SomeKind) -> None:
    context = usual(trial)
    plan = trial.suggest(context)
    to_read = trial.readings(plan)
    some = {a.key: {"0": 3, "1": 4} for a in to_read.aspects[:1]}
    for readings in (Readings(), Readings(some)):
        result = trial.evaluate(plan, readings)
        assert result.state == "few"
        assert result.value is None
        assert result.says
        assert trial.changes(plan, result, context, trial=1) == {}


@pytest.mark.parametrize("trial", ALL)
def test_the_slug_stands_nowhere_outside_its_folder_and_the_demo(trial: SomeKind) -> None:
    root = Path(drumbo.__file__).parent
    quoted = re.compile(rf"""["']{re.escape(trial.slug)}["']""")
    home = root / "trials" / type(trial).__module__.split(".")[2]
    for path in root.rglob("*"):
        if path.suffix in {".py", ".html", ".js"} and home not in path.parents and "demo" not in path.parts:
            assert not quoted.search(path.read_text()), f"{path} names {trial.slug}"


def test_an_unknown_kind_is_told_which_there_are() -> None:
    with pytest.raises(NotFound, match="temperature"):
        kind("phrenology")
