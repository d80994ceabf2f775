"""What a file is made of: two contexts that agree in it print the same, and nothing else is laid again."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest

from drumbo.core.profile import Origin, OriginKind, Profile, Value
from drumbo.services.files import REACHED_BY, as_bytes, facts_of, file_of, made_of
from drumbo.trials import kind
from drumbo.trials.base import Context
from tests.conftest import plain_context, resin_context


def _elsewhere(context: Any) -> Any:
    """The same numbers, found otherwise, on a printer that is reached otherwise, with less left of the material."""
    found = {
        key: Value(v.number, Origin(OriginKind.HAND, "somebody"), 0.1) for key, v in context.profile.values.items()
    }
    left: dict[str, Any] = {context.material.left_key: 12.0}
    return replace(
        context, profile=Profile(context.profile.name, found, context.profile.process),
        printer=replace(context.printer, **{key: "another" for key in REACHED_BY if hasattr(context.printer, key)}),
        material=replace(context.material, **left),
    )  # fmt: skip


@pytest.mark.parametrize(("slug", "context"), [("batch-check", plain_context()), ("cure-on-glass", resin_context())])
def test_where_a_number_came_from_and_how_a_printer_is_reached_is_in_no_file(slug: str, context: Any) -> None:
    chosen, there = kind(slug), _elsewhere(context)
    plan = chosen.suggest(context)
    assert made_of(there) == made_of(context)
    title = ("profile test, revision 1",)
    here, again = (as_bytes(chosen.print_file(plan, each, title=title)) for each in (context, there))
    assert here == again
    assert facts_of(chosen, plan, there, 7) is facts_of(chosen, plan, context, 1), "laid once"


def test_what_is_in_a_file_makes_another(context: Context) -> None:
    chosen = kind("batch-check")
    plan = chosen.suggest(context)
    hotter = Value(context.profile.number("bed_c") + 5, Origin(OriginKind.HAND))
    others = [
        replace(context, profile=replace(context.profile, values={**context.profile.values, "bed_c": hotter})),
        replace(context, printer=replace(context.printer, start_gcode="G28\nM300")),
        replace(context, printer=replace(context.printer, accel_mm_s2=500.0)),
        replace(context, material=replace(context.material, price_per_kg=99.0)),
    ]
    assert len({made_of(each) for each in [context, *others]}) == 5
    assert file_of(chosen, plan, context, 1) is not file_of(chosen, plan, context, 2), "its title names the revision"
    costs = [facts_of(chosen, plan, each, 1)["cost"] for each in (context, others[3])]
    assert costs[1] == pytest.approx(99.0 / 20.0 * (costs[0] or 0.0))
