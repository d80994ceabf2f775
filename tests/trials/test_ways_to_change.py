"""How a printer changes filament decides what a trial of two has it do there, and what somebody is told to do."""

from __future__ import annotations

from typing import Any

import pytest

from drumbo.core.printer import FEEDER, NOZZLES
from drumbo.core.toolpath.columns import Set
from drumbo.trials import kind
from tests.conftest import plain_context


def _made(swaps: str) -> tuple[Any, Any, Any]:
    trial, context = kind("bond-of-two"), plain_context(swaps=swaps)
    plan = trial.suggest(context)
    return trial, plan, context


@pytest.mark.parametrize(("swaps", "words", "pauses"), [
    ("hand", "It pauses once", True), (FEEDER, "purge clean there", False), (NOZZLES, "prime the other nozzle", False),
])  # fmt: skip
def test_somebody_stands_by_only_where_nothing_changes_it_by_itself(swaps: str, words: str, pauses: bool) -> None:
    trial, plan, context = _made(swaps)
    assert words in trial.instructions(plan, context)
    assert bool(trial.pauses(plan, context)) == pauses
    printer = context.printer
    assert (printer.by_hand, printer.by_feeder, printer.by_nozzles) == (
        swaps == "hand", swaps == FEEDER, swaps == NOZZLES,
    )  # fmt: skip


def test_a_feeder_changes_at_the_hotter_of_the_two_and_two_nozzles_each_at_its_own() -> None:
    own, other = (plain_context().profile.number("nozzle_c"), 225.0)
    for swaps in (FEEDER, NOZZLES):
        trial, plan, context = _made(swaps)
        assert context.other is not None
        assert context.other.profile.number("nozzle_c") == other
        path = trial.print_file(plan, context).path
        tools = [event for event in path.events if event.what == Set.TOOL]
        assert [event.value for event in tools] == [1.0], "once, to the second one"
        row = tools[0].row
        before = [
            event for event in path.events if event.row == row and event.what in {Set.HEAT, Set.STANDBY, Set.WARM}
        ]
        if swaps == FEEDER:
            assert before[0].what == Set.HEAT
            assert before[0].value == max(own, other), "what comes out and what goes in must both flow"
        else:
            assert {event.what for event in before} >= {Set.STANDBY, Set.WARM}
            standby = next(event for event in before if event.what == Set.STANDBY)
            assert standby.of == 0, "the one that is left waits"
            assert 0 < standby.value < own
