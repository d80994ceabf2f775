"""A second spool, and a pair of two profiles."""

from __future__ import annotations

import numpy as np
import pytest

from drumbo.core.colours import lab
from drumbo.services import (
    pairs,
    profiles,
    workshop,
)
from drumbo.standins.filament.feeding import PAST_MM
from drumbo.standins.filament.mixing import draw_mixing
from drumbo.standins.strips import SEEN
from drumbo.store.database import Workshop
from tests.conftest import LABEL, Begun

BLUE = "#2f4f8f"


@pytest.fixture
def blue(house: Workshop, begun: Begun) -> int:
    """A second spool."""
    label: dict[str, str | float | None] = {
        **LABEL,
        "product": "Tern PLA",
        "colour": "deep blue",
        "colour_hex": BLUE,
        "spool_g": 400,
    }
    return workshop.save_material(house, label, spool_seed=9)


@pytest.fixture
def pair(house: Workshop, begun: Begun, blue: int) -> int:
    other = profiles.create(house, blue, begun.printer, "Tern PLA on it")
    return pairs.create(house, begun.profile, other)


def truths_mm() -> list[float]:
    """From where each of the two is clean, there and back."""
    colours = [np.array(list(bytes.fromhex(colour[1:])), float) for colour in (LABEL["colour_hex"], BLUE)]
    ways, truths = list(zip((("pla", 3), ("pla", 9)), colours, strict=True)), []
    for (old, was), (new, pure) in (ways, ways[::-1]):
        mixing, truth = draw_mixing(old, new), 0.0
        while True:
            left = mixing.old_share(PAST_MM + truth)
            if np.linalg.norm(np.diff(lab([left * was + (1 - left) * pure, pure]), axis=0)) <= SEEN:
                break
            truth += 0.5
        truths.append(truth)
    return truths
