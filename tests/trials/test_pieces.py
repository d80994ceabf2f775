"""What every piece must keep, whatever it tests: it is one with its parts, stands on the plate, its digits can be read
where their step is, its steps follow each other, and a tool has something between its jaws.
"""

from __future__ import annotations

import itertools
from functools import cache
from typing import Any

import numpy as np
import pytest

from drumbo.core.catalogue import RESIN
from drumbo.core.piece import Part, Piece, Place, union
from drumbo.core.toolpath.plane import edges_of, inside
from drumbo.trials import kinds
from drumbo.trials.base import SomeKind
from tests.conftest import plain_context, resin_context

PRINTED = [slug for slug, kind in kinds().items() if kind.solid]
BY_STEP = ("batch-check", "temperature", "flow-surface", "flow-wall", "pressure-advance", "retraction-length",
           "retraction-restart", "retraction-speed", "fan-bands", "proof-part", "exposure-coupon", "bottom-feet",
           "lift-speed", "rest-before-light")  # fmt: skip
"""Pieces with digits of their own for every step."""
MEASURED = ("flow-wall", "dimensions", "proof-part", "exposure-coupon")


@cache
def _piece(slug: str) -> Piece:
    trial: SomeKind = kinds()[slug]
    context: Any = resin_context() if trial.process == RESIN else plain_context()
    return trial.piece(trial.suggest(context), context)


def _digits(slug: str) -> list[tuple[Part, Place]]:
    piece = _piece(slug)
    digits = [part for part in piece.parts if part.look == "digits"]
    return list(zip(digits, piece.places, strict=True))


@pytest.mark.parametrize("slug", PRINTED)
def test_it_is_one_with_its_parts_and_all_of_it_stands_on_the_plate(slug: str) -> None:
    piece = _piece(slug)
    assert union(part.solid for part in piece.parts).volume() == pytest.approx(piece.solid.volume(), rel=1e-6)
    lowest = [island.bounding_box()[2] for island in piece.solid.decompose()]
    assert lowest, "there is something to print"
    assert max(lowest) == pytest.approx(0, abs=1e-6), "nothing hangs in the air"
    assert min(lowest) == pytest.approx(0, abs=1e-6), "and nothing goes into the plate"


@pytest.mark.parametrize("slug", BY_STEP)
def test_each_steps_digits_stand_at_that_step_and_can_be_read(slug: str) -> None:
    whole = _piece(slug).solid.bounding_box()
    pairs = _digits(slug)
    assert pairs
    for part, place in pairs:
        box = part.solid.bounding_box()
        middle = (box[place.axis] + box[place.axis + 3]) / 2
        assert place.low[place.axis] < middle < place.high[place.axis], place.label
        relief, high, wide = sorted(box[axis + 3] - box[axis] for axis in range(3))
        assert 0.2 <= relief <= 1.1, "raised or sunk, no more"
        assert min(high, wide) >= 2.2
        assert all(whole[a] - 1e-6 <= box[a] and box[a + 3] <= whole[a + 3] + 1e-6 for a in range(3)), (
            "within the piece"
        )


@pytest.mark.parametrize("slug", PRINTED)
def test_steps_follow_each_other_and_hold_some_of_the_piece(slug: str) -> None:
    piece = _piece(slug)
    whole = piece.solid.bounding_box()
    for place in piece.places:
        assert all(low < high for low, high in zip(place.low, place.high, strict=True))
        assert all(place.low[a] < whole[a + 3] and place.high[a] > whole[a] for a in range(3)), "where the piece is"
    along = [place for place in piece.places if place.axis != 1]
    for one, other in itertools.pairwise(along):
        assert one.high[one.axis] <= other.low[other.axis] + 1e-6, f"{one.label} and {other.label} lie apart"


@pytest.mark.parametrize("slug", MEASURED)
def test_a_tool_has_something_between_its_jaws(slug: str) -> None:
    """Callipers stand open around a side and close on it; inner jaws stand shut in a gap's walls and open to them."""
    piece = _piece(slug)
    jaws = [jaw for jaw in piece.jaws if jaw.tool in {"calliper", "inside"}]
    assert jaws
    cuts = {z: piece.solid.slice(z).to_polygons() for z in {jaw.z for jaw in jaws}}
    sections = {z: edges_of([np.asarray(ring) for ring in rings]) for z, rings in cuts.items()}
    drawn = 0
    for jaw in jaws:
        a, b = np.array(jaw.a), np.array(jaw.b)
        solid = inside(a + np.linspace(0, 1, 401)[:, None] * (b - a), sections[jaw.z])
        drawn += bool(solid.any())
        if jaw.tool == "inside":
            assert solid[0], "begins in a wall"
            assert solid[-1], "and ends in one"
            assert not solid[len(solid) // 2], "with a gap between"
        else:
            assert not solid[0], "stands clear of the side"
            assert not solid[-1], "on both"
    assert drawn > 0
