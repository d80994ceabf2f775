"""Plans as nobody suggests them: what a kind takes prints as it says, and without a finding."""

from __future__ import annotations

from itertools import islice

import pytest

from bench.plans import drawn
from drumbo.trials import kinds

MEANT = {
    "temperature": "the nozzle drops", "retraction-restart": "unretracts", "first-layer": "starts in the air",
}  # fmt: skip
"""What is the matter of a trial itself, or what somebody asked for: a first layer much hotter than the rest, too much
that is pushed, patches beside each other at heights of their own.
"""


@pytest.mark.parametrize("slug", kinds())
def test_what_is_taken_prints_as_promised(slug: str) -> None:
    taken = list(islice((each for each in drawn(seed=11, runs=12, only=slug) if not each.refused), 1))
    assert taken
    for each in taken:
        wrong = [said for said in each.wrong if not (slug in MEANT and MEANT[slug] in said)]
        assert not wrong, dict(each.typed)
