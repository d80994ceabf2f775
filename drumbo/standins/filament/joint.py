"""How two plastics hold where one was laid on the other: they must mix, and for that the upper one must be hot."""

from __future__ import annotations

from dataclasses import dataclass
from zlib import crc32

import numpy as np
from numpy.typing import NDArray
from scipy.special import expit

from drumbo.core.families import family
from drumbo.core.pair import Bonds, common_bond
from drumbo.standins.worlds import HOME, World, drawn_from

Floats = NDArray[np.float64]

MOST = {Bonds.STICKS: (0.92, 1.05), Bonds.WEAK: (0.55, 1.0), Bonds.PARTS: (0.02, 0.2), Bonds.UNKNOWN: (0.3, 1.0)}
"""Strength of a joint that was laid hot enough, as a share of the weaker plastic's own."""
FAN = 0.35
HOLDS = 0.75
"""From that share on it is mostly the plastic that breaks."""


@dataclass(frozen=True, slots=True)
class Joint:
    """At `at_c` half of `most` is reached; `width_c` is how gently."""

    most: float
    at_c: float
    width_c: float

    def strength(self, nozzle_c: Floats | float, fan: Floats | float) -> Floats:
        """As a share of the weaker plastic's own."""
        return np.asarray(self.most * expit((nozzle_c - self.at_c) / self.width_c) * (1 - FAN * np.asarray(fan)))

    @property
    def holds_from_c(self) -> float:
        """From where on the plastic breaks first, without fan; infinite where it never does."""
        ratio = HOLDS / self.most
        return float("inf") if ratio >= 1 else float(self.at_c + self.width_c * np.log(ratio / (1 - ratio)))


def draw_joint(old: tuple[str, int], new: tuple[str, int], world: World = HOME) -> Joint:
    """How one spool (polymer and number) holds on another."""
    rng = np.random.default_rng([old[1], new[1], crc32(f"{old[0]}+{new[0]}".encode()), 29])
    kin = family(new[0])
    most = rng.uniform(*MOST[common_bond(old[0], new[0]).how])
    return Joint(most, kin.nozzle_c - rng.uniform(6.0, 24.0), rng.uniform(4.0, 8.0) * drawn_from(world.bond_wide, rng))
