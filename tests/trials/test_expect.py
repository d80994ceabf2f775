"""What ways tell to expect is what was measured, for the kinds that there are."""

from __future__ import annotations

import json
from importlib.resources import files

from drumbo.trials import kinds
from drumbo.trials.toolkit.expect import expected


def test_every_figure_is_of_a_kind_that_there_is_and_says_how_it_was_made() -> None:
    kept = json.loads(files("drumbo.trials.toolkit").joinpath("expect.json").read_text())
    assert kept["made"].startswith("python -m bench.designs")
    assert set(kept["half"]) <= set(kinds())


def test_shares_are_told_as_such_and_drives_apart() -> None:
    pressure = expected("pressure-advance", "bowden", quick=True)
    assert pressure is not None
    assert pressure.share, "a direct drive's and a Bowden's differ twentyfold"
    direct, bowden = (expected("retraction-length", drive, quick=False) for drive in ("direct", "bowden"))
    assert direct is not None
    assert bowden is not None
    assert not direct.share
    assert direct.half < 0.5 * bowden.half
    assert expected("proof-part", "direct", quick=True) is None
