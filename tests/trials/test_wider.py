"""What a kind tells after ± is scaled by one file's figure, and by nothing else."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import pytest

from drumbo.core.sure import half_90
from drumbo.trials import kinds
from drumbo.trials.base import SomeKind
from drumbo.trials.readings import Readings
from drumbo.trials.result import Result
from drumbo.trials.toolkit import wider
from tests.trials import known

FIGURES = json.loads((Path(wider.__file__).parent / "wider.json").read_text())
KNOWN = json.loads(known.FILE.read_text())
BY_PHOTO = ": by photo"
"""What a photo tells has a figure of its own."""


def test_the_figures_are_of_kinds_and_say_how_they_were_made() -> None:
    assert {key.split(": ")[0] for key in FIGURES["wider"]} <= set(kinds())
    assert all(0.4 < by < 4 for by in FIGURES["wider"].values())
    assert set(FIGURES["made"]) == set(FIGURES["wider"])


def _results(kind: SomeKind, *, by_photo: bool = False) -> list[Result]:
    plan = kind.suggest(known.contexts(kind.process)["usual"])
    readings = [Readings.from_json(kept) for kept in KNOWN[kind.slug]["readings"]]
    extra = kind.readings(plan).extra
    readings += [
        replace(r, measures={k: v for k, v in r.measures.items() if k not in extra}) for r in readings if extra
    ]
    return [kind.evaluate(plan, _as_by_photo(one) if by_photo else one) for one in readings]


def _errors(result: Result) -> list[float]:
    """All standard errors that a result tells."""
    also = (result.also or {}).items()
    return [error for error in (result.error, *(n for key, n in also if key.endswith("_error"))) if error]


def _as_by_photo(readings: Readings) -> Readings:
    """The same numbers as a photo would have told them, each to within a twentieth."""
    found = Readings()
    for measure, steps in readings.measures.items():
        for step, row in steps.items():
            for site, number in row.items():
                found = found.with_photo(measure, int(step), site, number, number / 20)
    return found


@pytest.mark.parametrize("slug", sorted(FIGURES["wider"]))
def test_every_figure_is_heard_by_its_kind(slug: str, monkeypatch: pytest.MonkeyPatch) -> None:
    kind = kinds()[slug.split(": ", maxsplit=1)[0]]
    told = []
    for by in (1.0, 3.0):
        monkeypatch.setattr(wider, "_wider", lambda by=by: {slug: by})
        told.append(_results(kind, by_photo=slug.endswith(BY_PHOTO)))
    pairs = [both for one, other in zip(*told, strict=True) for both in zip(_errors(one), _errors(other), strict=True)]
    assert pairs
    assert any(other > 1.5 * one for one, other in pairs), "told wider"
    assert [r.value for r in told[0]] == [r.value for r in told[1]], "and not moved"


def test_what_is_as_good_is_told_from_where_the_right_value_lies() -> None:
    assert Result("good", 215.0, 2.0, 211.0, 221.0).as_good
    assert not Result("good", 215.0, 2.0, 215.0 - half_90(2.0), 215.0 + half_90(2.0)).as_good
    assert not Result("good", 215.0, 2.0).as_good
