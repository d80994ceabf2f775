"""What ways tell to expect is what was measured, for the kinds that there are."""

from __future__ import annotations

import json
from importlib.resources import files

import pytest

from drumbo.trials import kinds
from drumbo.trials.toolkit.expect import expected_half


def test_every_figure_is_of_a_kind_that_there_is_and_says_how_it_was_made() -> None:
    kept = json.loads(files("drumbo.trials.toolkit").joinpath("expect.json").read_text())
    assert kept["made"].startswith("python -m bench.designs")
    assert set(kept["half"]) <= set(kinds())


def test_shares_grow_with_the_value_and_drives_are_told_apart() -> None:
    small, large = (expected_half("pressure-advance", value, "bowden", quick=True) for value in (0.3, 0.6))
    assert small is not None
    assert large == pytest.approx(2 * small)
    direct, bowden = (expected_half("retraction-length", 1.0, drive, quick=False) for drive in ("direct", "bowden"))
    assert direct is not None
    assert bowden is not None
    assert direct < 0.5 * bowden
    assert expected_half("proof-part", 90.0, "direct", quick=True) is None
