"""Whether a result is possible at all: no slip in a reading becomes a value that no printer or material has, and nobody
is sent on to a plan that their printer cannot print.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from drumbo.core.catalogue import BY_KEY
from drumbo.core.errors import InvalidInput
from drumbo.core.profile import Value
from drumbo.trials.base import SomeBound, SomeKind
from drumbo.trials.plan import TrialPlan
from drumbo.trials.readings import Readings
from drumbo.trials.result import Result

BEYOND = 3.0
"""So many times a parameter's usual range below or above it nothing of this trade lies."""


def evaluated(kind: SomeKind, plan: TrialPlan, context: SomeBound, readings: Readings) -> Result:
    """What readings say; where that cannot be, a verdict without a value that says so, with the numbers it rests on."""
    result = going_on(kind, plan, context, kind.evaluate(plan, readings))
    if result.value is None:
        return result
    new = kind.changes(plan, result, context, 0)
    key = beyond_belief(new)
    if key is None:
        return result
    parameter, number = BY_KEY[key], new[key].number
    unit = f" {parameter.unit}" if parameter.unit and not parameter.unit.startswith("×") else ""
    says = (
        f"These readings give {parameter.show(number)}{unit} for “{parameter.name}”, which is not possible. "
        "Check them: at least one was read or typed wrongly."
    )
    return replace(
        result, state="split", value=None, error=None, low=None, high=None, says=says, notes=(), charts=(), also=None,
        extend=None, headline="",
    )  # fmt: skip


def going_on(kind: SomeKind, plan: TrialPlan, context: SomeBound, result: Result) -> Result:
    """The same; a plan that goes on where this one ends goes as far as the printer does, or says why it cannot."""
    if result.extend is None:
        return result
    asked = kind.plan_type.of({**plan.to_json(), **result.extend})
    try:
        kind.read_plan(asked.to_json(), context)
    except InvalidInput as error:
        nearer = kind.within(asked, context)
        try:
            kind.read_plan(nearer.to_json(), context)
        except InvalidInput:
            names = {field.key: field.label for field in kind.fields(context)}
            why = "; ".join(f"{names.get(key, key)} {said}" for key, said in error.problems.items())
            note = f"The next range cannot be printed here: {why}."
            return replace(result, extend=None, notes=(*result.notes, note))
        return replace(result, extend=nearer.to_json())
    return result


def beyond_belief(changes: Mapping[str, Value]) -> str | None:
    """The first of some values that no printer or material has; None where all can be."""
    for key, value in changes.items():
        parameter = BY_KEY[key]
        room = BEYOND * (parameter.high - parameter.low)
        if not parameter.low - room <= value.number <= parameter.high + room:
            return key
    return None
