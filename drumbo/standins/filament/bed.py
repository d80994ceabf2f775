"""The hidden truth of a printer's plate: by how much the nozzle really is higher over it than the printer believes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Bed:
    """`gap_mm` at its middle; it leans by `lean_x` and `lean_y`, mm a 100 mm, and at 100 mm from the middle it hangs
    `bow_mm` lower than there.
    """

    gap_mm: float = 0.0
    lean_x: float = 0.0
    lean_y: float = 0.0
    bow_mm: float = 0.0
    middle: tuple[float, float] = (110.0, 110.0)

    def above(self, at: Floats) -> Floats:
        """(n,) how much more room than asked there is under the nozzle at places (n, 2), mm."""
        away = (at - np.array(self.middle)) / 100.0
        bow = self.bow_mm * (away**2).sum(axis=1)
        return np.asarray(self.gap_mm + away @ np.array([self.lean_x, self.lean_y]) + bow)


FLAT = Bed()


def draw_bed(seed: int, middle: tuple[float, float] = (110.0, 110.0)) -> Bed:
    """A plate as it is after somebody levelled it by hand; seed 0 is a perfect one."""
    if seed == 0:
        return FLAT
    rng = np.random.default_rng([seed, 4711])
    gap, lean_x, lean_y = rng.uniform(-0.05, 0.05), *rng.normal(0.0, 0.025, 2)
    return Bed(float(gap), float(lean_x), float(lean_y), float(rng.uniform(-0.02, 0.02)), middle)
