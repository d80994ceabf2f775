"""What a kind says to a maker, on every sort of printer: whole sentences, with nothing left to fill in."""

from __future__ import annotations

from typing import Any

import pytest

from drumbo.core.catalogue import BY_KEY, RESIN
from drumbo.core.printer import FEEDER, NOZZLES
from drumbo.trials import kinds
from drumbo.trials.base import SomeKind
from drumbo.trials.readings import Readings
from tests.conftest import plain_context, resin_context

ALL = [pytest.param(kind, id=slug) for slug, kind in kinds().items()]


def _contexts(kind: SomeKind) -> list[Any]:
    if kind.process == RESIN:
        return [resin_context(), resin_context("resin-clear", 100.0, lights_apart="no")]
    ways = [plain_context(swaps=key) for key in ("hand", FEEDER, NOZZLES)]
    return [*ways, plain_context("tpu", drive="bowden"), plain_context("pa", dialect="plain")]


def _whole(said: str) -> bool:
    begins = said[:1].isupper() or said[:1].isdigit()
    return begins and said.rstrip().endswith((".", "?", "!")) and "None" not in said and "{" not in said


@pytest.mark.parametrize("kind", ALL)
def test_all_that_is_said_of_a_plan_is_whole(kind: SomeKind) -> None:
    for context in _contexts(kind):
        why_not = kind.hindered(context)
        if why_not is not None:
            assert _whole(why_not)
            continue
        plan = kind.suggest(context)
        assert _whole(kind.in_words(plan))
        told = kind.instructions(plan, context)
        assert not told or _whole(told), told
        wanted = kind.wants(context)
        assert wanted is None or _whole(wanted), wanted
        assert all(said.strip() for said in kind.check(plan, context).values())
        assert set(kind.overrides(plan)) <= set(BY_KEY)
        assert all(said.strip() and "None" not in said for said in kind.overrides(plan).values())
        layers = kind.pauses(plan, context)
        assert list(layers) == sorted(set(layers))
        assert all(layer >= 1 for layer in layers)
        assert _whole(kind.evaluate(plan, Readings()).says)


@pytest.mark.parametrize("kind", ALL)
def test_all_that_is_asked_says_what_to_look_at(kind: SomeKind) -> None:
    asked = kind.readings(kind.suggest(_contexts(kind)[0]))
    for aspect in asked.aspects:
        assert len(aspect.words) == len(set(aspect.words)) == 5, "a word for each score, worst first"
        assert aspect.look_at.endswith((".", "?"))
    for measure in asked.measures:
        assert measure.low < measure.high
        assert measure.how.endswith(".") or not measure.how
        assert len({site.key for site in measure.sites}) == len(measure.sites)
    assert asked.aspects or asked.measures or asked.firsts
