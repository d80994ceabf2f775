"""What every kind of trial must keep, whatever it tests. A new kind is held to this by being there."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

import numpy as np
import pytest

import drumbo
from drumbo.core.catalogue import BY_KEY, GROUPS
from drumbo.core.errors import NotFound
from drumbo.core.gcode.inspect import inspect
from drumbo.core.gcode.reader import read
from drumbo.core.piece import draw_front
from drumbo.core.profile import From, changed
from drumbo.standins import eye
from drumbo.standins.filament.interpreter import Machine
from drumbo.standins.filament.printing import geometry, melt
from drumbo.standins.filament.spool import draw_spool
from drumbo.trials import kind, kinds
from drumbo.trials.base import Context, Kind, Readings, Result
from tests.conftest import plain_context

ALL = [pytest.param(k, id=slug) for slug, k in kinds().items()]
CONTEXTS = [
    pytest.param(plain_context("pla"), id="pla-direct"),
    pytest.param(plain_context("petg", drive="bowden", origin="centre", dialect="plain"), id="petg-bowden-centre"),
    pytest.param(plain_context("asa", bed_x_mm=120.0, bed_y_mm=120.0, height_mm=120.0), id="asa-small-bed"),
]


@pytest.mark.parametrize("trial", ALL)
def test_a_kind_says_what_it_is(trial: Kind) -> None:
    assert trial.group in {g.key for g in GROUPS}
    assert set(trial.sets) <= set(BY_KEY)
    assert re.fullmatch(r"[a-z][a-z-]*", trial.slug)
    assert trial.about.endswith(".")


@pytest.mark.parametrize("context", CONTEXTS)
@pytest.mark.parametrize("trial", ALL)
def test_the_suggestion_makes_a_file_that_reads_back_and_may_be_printed(trial: Kind, context: Context) -> None:
    plan = trial.suggest(context)
    assert json.loads(json.dumps(plan)) == plan
    assert trial.read_plan({k: str(v) for k, v in plan.items()}, context) == plan
    file = trial.print_file(plan, context)
    program = read(file.gcode.encode())
    found = inspect(program, printer=context.printer)
    assert not [r for r in found.remarks if r.weight == "bad"], "inside the bed and the heater limits, clean at its end"
    assert found.unknown == {}
    assert found.grams == pytest.approx(file.grams * 1.24 / context.material.density_g_cm3, rel=0.01)
    assert found.seconds == pytest.approx(file.seconds, rel=0.03)
    rows = np.flatnonzero(program.e_mm != 0)
    mine = np.flatnonzero(file.path.e_mm != 0)
    np.testing.assert_allclose(program.x[rows], file.path.x[mine], atol=1e-9)
    np.testing.assert_allclose(program.e_mm[rows], file.path.e_mm[mine], atol=6e-6)


@pytest.mark.parametrize("trial", ALL)
def test_the_piece_carries_every_step_in_order(trial: Kind, context: Context) -> None:
    plan = trial.suggest(context)
    piece, steps = trial.piece(plan, context), trial.steps(plan)
    assert [(p.index, p.label) for p in piece.places] == [(s.index, s.label) for s in steps]
    axis = piece.places[0].axis
    edges = [p.low[axis] for p in piece.places]
    assert edges == sorted(edges)
    drawing = draw_front(piece)
    assert drawing.paths
    assert len({look for look, _ in drawing.paths}) == len(drawing.paths), "one path a class"


@pytest.mark.parametrize("trial", ALL)
def test_the_steps_values_are_in_the_file_where_the_piece_says(trial: Kind, context: Context) -> None:
    """For a kind that sweeps the nozzle's heat: each step's layers at its own value."""
    if trial.sets[0] != "nozzle_c":
        pytest.skip("sweeps something else")
    plan = trial.suggest(context)
    program = read(trial.print_file(plan, context).gcode.encode())
    laid = program.e_mm > 0
    for place in trial.piece(plan, context).places:
        band = laid & (program.z > place.low[2] + 1e-6) & (program.z <= place.high[2] + 1e-6)
        assert set(program.nozzle_c[band]) == {place.value}


def _scores(trial: Kind, plan: Any, context: Context, seed: int) -> Readings:
    machine = Machine()
    for line in trial.print_file(plan, context).gcode.splitlines():
        machine.run(line)
    spool = draw_spool(context.material.family, seed)
    thing = melt(geometry(machine.moves), spool, digest=seed)
    places, aspects = trial.piece(plan, context).places, [a.key for a in trial.readings(plan)]
    bands = [(p.low[2], p.high[2]) for p in places]
    exact = np.clip(np.rint(eye.exact_scores(thing, bands, aspects)), 0, 4).astype(int)
    return Readings({a: {str(i): int(exact[i, k]) for i in range(len(places))} for k, a in enumerate(aspects)})


@pytest.mark.parametrize("trial", ALL)
def test_prints_on_the_stand_in_and_reads_to_a_result(trial: Kind, context: Context) -> None:
    plan = trial.suggest(context)
    result = trial.evaluate(plan, _scores(trial, plan, context, seed=3))
    assert result.value is not None
    assert result.error is not None
    assert result.error > 0
    low, high = min(s.value for s in trial.steps(plan)), max(s.value for s in trial.steps(plan))
    assert low <= result.value <= high
    assert Result.from_json(json.loads(json.dumps(result.to_json()))) == result
    new = trial.changes(plan, result, context, trial=5)
    assert set(new) <= set(trial.sets)
    assert all(v.origin.kind == From.TRIAL and v.origin.trial == 5 for v in new.values())
    assert changed(context.profile, new).number(trial.sets[0]) == new[trial.sets[0]].number


@pytest.mark.parametrize("trial", ALL)
def test_a_hotter_spool_gives_a_hotter_answer(trial: Kind, context: Context) -> None:
    """Known answer: of forty spools, the one that needs most heat against the one that needs least."""
    if trial.sets[0] != "nozzle_c":
        pytest.skip("sweeps something else")
    plan = trial.suggest(context)
    seeds = sorted(range(40), key=lambda seed: draw_spool(context.material.family, seed).centre_c)
    cool, hot = (trial.evaluate(plan, _scores(trial, plan, context, seed)).value for seed in (seeds[0], seeds[-1]))
    assert cool is not None
    assert hot is not None
    assert hot - cool > 6


@pytest.mark.parametrize("trial", ALL)
def test_too_few_readings_promise_nothing(trial: Kind, context: Context) -> None:
    plan = trial.suggest(context)
    aspect = trial.readings(plan)[0].key
    result = trial.evaluate(plan, Readings({aspect: {"0": 3, "1": 4}}))
    assert result.state == "few"
    assert result.value is None
    assert trial.changes(plan, result, context, trial=1) == {}


@pytest.mark.parametrize("trial", ALL)
def test_the_slug_stands_nowhere_outside_its_folder_and_the_demo(trial: Kind) -> None:
    root = Path(drumbo.__file__).parent
    quoted = re.compile(rf"""["']{re.escape(trial.slug)}["']""")
    home = root / "trials" / type(trial).__module__.split(".")[2]
    for path in root.rglob("*"):
        if path.suffix in {".py", ".html", ".js"} and home not in path.parents and "demo" not in path.parts:
            assert not quoted.search(path.read_text()), f"{path} names {trial.slug}"


def test_an_unknown_kind_is_told_which_there_are() -> None:
    with pytest.raises(NotFound, match="temperature"):
        kind("phrenology")
