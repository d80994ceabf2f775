"""What is shown of a number and typed back is the same number, for every parameter and every field that there is."""

from __future__ import annotations

import json
import math
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from drumbo.core.catalogue import BY_KEY, RESIN
from drumbo.core.errors import InvalidInput
from drumbo.core.fields import number
from drumbo.core.sure import half_90
from drumbo.core.units import in_ours, likely_unit, unit_of, units_of
from drumbo.trials import kinds
from drumbo.trials.base import SomeKind
from tests.conftest import plain_context, resin_context

PARAMETERS = [pytest.param(parameter, id=key) for key, parameter in BY_KEY.items()]
SEVERAL = [pytest.param(parameter, id=key) for key, parameter in BY_KEY.items() if len(units_of(parameter)) > 1]
ALL = [pytest.param(kind, id=slug) for slug, kind in kinds().items()]


@pytest.mark.parametrize("parameter", PARAMETERS)
def test_a_parameter_shown_and_typed_back_is_itself(parameter: Any) -> None:
    span = parameter.high - parameter.low
    last = 10.0**-parameter.decimals
    for share in (-0.2, 0.0, 0.137, 0.5, 0.731, 1.0, 1.4):
        value = parameter.low + share * span
        shown = parameter.show(value)
        assert abs(number(parameter.key, shown) - value) <= last / 2 + 1e-9, shown
        assert number(parameter.key, shown.replace(".", ",")) == number(parameter.key, shown)
        assert parameter.show(number(parameter.key, shown)) == shown, "shown again it is the same"
        if parameter.unit and not parameter.unit.startswith(("×", "mm of")):
            assert number(parameter.key, f"{shown} {parameter.unit}", parameter.unit) == number(parameter.key, shown)
    assert parameter.show(-1e-12) == parameter.show(0.0), "nothing is not less than nothing"


@pytest.mark.parametrize("parameter", PARAMETERS)
def test_an_error_is_never_shown_as_none_and_is_the_interval_that_is_meant(parameter: Any) -> None:
    last = 10.0**-parameter.decimals
    for error in (1e-9, last / 10, last, 3.7 * last, 250 * last):
        shown = float(parameter.show_error(error))
        assert shown >= last * 0.999
        assert abs(shown - max(half_90(error), last)) <= last / 2 + 1e-9


@pytest.mark.parametrize("parameter", PARAMETERS)
def test_what_is_usual_is_not_warned_of_and_what_is_not_is(parameter: Any) -> None:
    span = parameter.high - parameter.low
    assert parameter.low < parameter.high
    for value in (parameter.low, parameter.low + 0.3 * span, parameter.high):
        assert parameter.warn(value) is None
    assert "unusually low" in (parameter.warn(parameter.low - 0.01 * span) or "")
    assert "unusually high" in (parameter.warn(parameter.high + 0.01 * span) or "")
    assert not parameter.moved_too_far(parameter.high, parameter.high)


@pytest.mark.parametrize("parameter", SEVERAL)
def test_another_unit_is_known_by_its_word_or_by_what_it_makes_usual(parameter: Any) -> None:
    middle = (parameter.low + parameter.high) / 2
    for unit in units_of(parameter):
        assert unit_of(parameter, unit.key) is unit
        one, none = unit.to_ours(1.0), unit.to_ours(0.0)
        there = (middle - none) / (one - none)
        assert unit.to_ours(there) == pytest.approx(middle)
        for word in unit.words:
            assert likely_unit(parameter, there, word) == unit.key
            ours = in_ours(there, word, parameter.unit)
            assert ours is None if none != 0 else ours == pytest.approx(middle), "°F may be a difference: never guessed"
    assert likely_unit(parameter, middle, "") == units_of(parameter)[0].key, "what is usual in ours is ours"


@given(st.text(max_size=70))
def test_whatever_is_typed_is_a_number_or_refused_with_a_remedy(text: str) -> None:
    try:
        value = number("flow", text, "mm")
    except InvalidInput as error:
        said = error.problems["flow"]
    else:
        assert math.isfinite(value)
        return
    assert any(word in said for word in ("number", "mm", "write", "longer", "finite", "thousands")), said


@pytest.mark.parametrize("trial", ALL)
def test_a_plan_typed_as_it_is_shown_is_the_same_plan(trial: SomeKind) -> None:
    context: Any = resin_context() if trial.process == RESIN else plain_context()
    plan = trial.suggest(context)
    written = json.loads(json.dumps(plan.to_json()))
    assert trial.plan_type.of(written) == plan
    assert set(written) == {field.key for field in trial.fields(context)}, "a form asks for all of it"
    shown = {key: "" if value is None else f"{value:g}" if isinstance(value, float) else str(value)
             for key, value in written.items()}  # fmt: skip
    assert trial.read_plan(shown, context) == plan
    commas = {key: text.replace(".", ",") if isinstance(written[key], float) else text for key, text in shown.items()}
    assert trial.read_plan(commas, context) == plan


@pytest.mark.parametrize("trial", ALL)
def test_every_field_of_a_plan_holds_its_bounds_by_name(trial: SomeKind) -> None:
    context: Any = resin_context() if trial.process == RESIN else plain_context()
    plan = {key: "" if value is None else str(value) for key, value in trial.suggest(context).to_json().items()}
    checked = 0
    for field in trial.fields(context):
        assert field.label.strip(), field.key
        if field.kind != "number":
            continue
        beyond = [(field.low - 1, "is below"), (field.high + 1, "is above")]
        for value, says in (each for each in beyond if abs(each[0]) < 1e6):
            with pytest.raises(InvalidInput) as told:
                trial.read_plan({**plan, field.key: repr(value)}, context)
            assert says in told.value.problems[field.key]
            checked += 1
    assert checked or all(field.kind != "number" for field in trial.fields(context))
