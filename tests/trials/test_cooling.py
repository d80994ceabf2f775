"""Cooling: bands that really have their fan, and a balance that follows what the part is for."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from drumbo.core.errors import InvalidInput
from drumbo.core.fit.ramp import fit_ramp, told_at
from drumbo.core.gcode.reader import read
from drumbo.trials import kind
from drumbo.trials.base import Context
from drumbo.trials.plan import TrialPlan
from drumbo.trials.readings import Readings
from tests.conftest import plain_context
from tests.readback import exact_readings

COOLING = kind("fan-bands")


def _scored(plan: TrialPlan, **columns: str) -> Readings:
    return Readings({key: {str(i): int(c) for i, c in enumerate(row) if c != "."} for key, row in columns.items()})


def test_the_worked_number_of_the_ramp() -> None:
    assert told_at(np.array([0.5]), np.array([0.1]), 0.5)[0] == pytest.approx(0.311, abs=5e-4)
    assert told_at(np.array([2.0]), np.array([0.1]), 0.5)[0] == 1.0, "what never falls may go all the way"
    with pytest.raises(ValueError, match="three"):
        fit_ramp(np.array([0.0, 1.0]), np.array([1.0, 2.0]), rising=True, within=0.5)


@settings(deadline=None, max_examples=12)
@given(st.floats(0.2, 0.9), st.floats(0.06, 0.25), st.booleans())
def test_a_ramp_is_found_again_from_whole_scores(middle: float, softness: float, rising: bool) -> None:
    x = np.linspace(0, 1, 11)
    at = 1 - x if rising else x
    exact = 4 / (1 + np.exp(-(middle - at) / softness))
    found = fit_ramp(x, np.rint(exact), rising=rising, within=0.5)
    truth = float(told_at(np.array([middle]), np.array([softness]), 0.5)[0])
    for told, right, widest in ((found.places, truth, 0.15), (found.crossing(2.0), middle, 0.15)):
        off = abs(float(np.median(told)) - (1 - right if rising else right))
        assert off < min(1.7 * float(np.std(told)), widest), "within what it says in nine of ten, and that is not wide"


@pytest.mark.parametrize("family", ["pla", "petg"])
def test_every_band_has_its_fan_and_no_other_rule_of_cooling(family: str) -> None:
    context = plain_context(family)
    plan = COOLING.suggest(context)
    program = read(COOLING.print_file(plan, context).gcode.encode())
    z = program.z[program.e_mm > 0]
    fans = program.fan[program.e_mm > 0]
    for place in COOLING.piece(plan, context).places:
        here = (z > place.low[2] + 1e-6) & (z <= place.high[2] + 1e-6)
        assert set(np.round(100 * fans[here]).tolist()) <= {
            float(round(place.value)),
            round(255 * place.value / 100) / 2.55,
        }


def test_a_printer_too_slow_for_the_layer_is_told_how_slow_it_is(context: Context) -> None:
    slow = plain_context("pla", speed_max_mm_s=12.0)
    with pytest.raises(InvalidInput, match=r"layer_s.*needs \d\d s") as refused:
        COOLING.print_file(COOLING.suggest(slow), slow)
    needs = float(str(refused.value).split("needs ")[1].split(" s")[0])
    COOLING.print_file(replace(COOLING.suggest(slow), layer_s=needs), slow)
    with pytest.raises(InvalidInput, match="swap the two"):
        COOLING.check(replace(COOLING.suggest(context), high_percent=0.0), context)


def test_strength_spends_less_of_the_bond_than_looks() -> None:
    plan = COOLING.suggest(plain_context("asa"))
    readings = _scored(plan, bridge="123344", overhang="112234", tip="234444", bond="443210")
    fans = [
        COOLING.evaluate(replace(plan, aim=aim), readings).value or 0.0 for aim in ("strength", "balanced", "looks")
    ]
    assert fans == sorted(fans)
    assert fans[2] - fans[0] > 8


def test_air_that_costs_nothing_is_given_only_as_far_as_it_helps(context: Context) -> None:
    plan = COOLING.suggest(context)
    helps = COOLING.evaluate(plan, _scored(plan, overhang="012344", tip="134444", bond="444444"))
    enough = COOLING.evaluate(plan, _scored(plan, overhang="244444", tip="344444", bond="444444"))
    assert helps.value > enough.value + 20
    assert "no better" in enough.says
    soft = COOLING.evaluate(plan, _scored(plan, overhang="012344", tip="000112", bond="444444"))
    assert "layer_time_min_s" not in (soft.also or {})
    assert any("14 s" in note for note in soft.notes), "tips that stay soft want longer layers"


def test_what_is_adopted_is_whole_fives_and_no_fan_is_below_the_normal_one() -> None:
    context = plain_context("petg")
    plan = COOLING.suggest(context)
    result = COOLING.evaluate(plan, exact_readings(COOLING, plan, context, seed=3))
    new = COOLING.changes(plan, result, context, trial=2)
    fans = {key: value.number for key, value in new.items() if key.startswith("fan")}
    assert all(fan % 5 == 0 for fan in fans.values())
    assert min(fans.values()) == fans["fan_percent"]
    assert new["layer_time_min_s"].number == plan["layer_s"]
