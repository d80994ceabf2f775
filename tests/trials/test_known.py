"""Plans, pieces and verdicts are those that are written down in `known.json`: no change of a sum goes unseen."""

from __future__ import annotations

import json
import math
from typing import Any

import pytest

from drumbo.trials.base import SomeKind
from tests.trials import known

KNOWN = json.loads(known.FILE.read_text())
ALL = [pytest.param(kind, id=slug) for slug, kind in known.OURS.items()]


def _same(found: Any, kept: Any, where: str, share: float, least: float) -> None:
    """Equal; numbers to a share of themselves or so much at least, as another machine may round otherwise."""
    if isinstance(kept, dict):
        assert set(found) == set(kept), where
        for key in kept:
            _same(found[key], kept[key], f"{where}.{key}", share, least)
    elif isinstance(kept, list):
        assert len(found) == len(kept), where
        for k, (one, other) in enumerate(zip(found, kept, strict=True)):
            _same(one, other, f"{where}[{k}]", share, least)
    elif isinstance(kept, float) and isinstance(found, (int, float)):
        assert math.isclose(found, kept, rel_tol=share, abs_tol=least), f"{where}: {found} for {kept}"
    else:
        assert found == kept, where


def test_every_kind_of_ours_is_written_down() -> None:
    assert set(KNOWN) == set(known.OURS)
    assert sum(len(each["said"]) for each in KNOWN.values()) > 100


@pytest.mark.parametrize("kind", ALL)
def test_it_plans_and_prints_as_is_known(kind: SomeKind) -> None:
    _same(json.loads(json.dumps(known.planned(kind))), KNOWN[kind.slug]["planned"], kind.slug, 1e-5, 2e-3)


@pytest.mark.parametrize("kind", ALL)
def test_its_file_is_as_is_known(kind: SomeKind) -> None:
    _same(json.loads(json.dumps(known.printed(kind))), KNOWN[kind.slug]["printed"], kind.slug, 1e-5, 2e-5)


@pytest.mark.parametrize("kind", ALL)
def test_it_says_of_known_readings_what_is_known(kind: SomeKind) -> None:
    kept = KNOWN[kind.slug]
    _same(json.loads(json.dumps(known.said(kind, kept["readings"]))), kept["said"], kind.slug, 1e-3, 2e-3)
