"""The light beneath the screen, which is not as even as it looks."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from drumbo.standins.worlds import HOME, World, drawn_from

Floats = NDArray[np.float64]

LEAN_SD = 0.03
HUMP_WIDE = 0.35
"""How far a hump reaches, in halves of the screen."""


@dataclass(frozen=True, slots=True)
class Lamp:
    """mW/cm² at the middle of the screen and at full power.

    `lean` is how much brighter its right edge is than its left, `lean_y` its rear than its front, `dim` how much less
    its corners get, all as shares; a place `hump_at` (x, y from −1 to 1) is brighter by `hump`.
    """

    mw_cm2: float = 4.0
    lean: float = 0.03
    dim: float = 0.04
    lean_y: float = 0.0
    hump: float = 0.0
    hump_at: tuple[float, float] = (0.0, 0.0)

    def at(self, x: Floats, y: Floats, size_mm: tuple[float, float]) -> Floats:
        """mW/cm² at places, mm from the middle of a screen of that size."""
        across, deep = x / (size_mm[0] / 2), y / (size_mm[1] / 2)
        middle = self._share(np.zeros(1), np.zeros(1))[0]
        return np.asarray(self.mw_cm2 * self._share(across, deep) / middle)

    def _share(self, across: Floats, deep: Floats) -> Floats:
        share = 1 + self.lean / 2 * across + self.lean_y / 2 * deep - self.dim * (across**2 + deep**2) / 2
        if self.hump:
            far = ((across - self.hump_at[0]) ** 2 + (deep - self.hump_at[1]) ** 2) / HUMP_WIDE**2
            share = share + self.hump * np.exp(-far / 2)
        return np.asarray(share)


def draw_lamp(seed: int, mw_cm2: float = 4.0, world: World = HOME) -> Lamp:
    """The lamp of that number; the same seed always gives the same in a world."""
    rng = np.random.default_rng([seed, 23])
    lean, lean_y = rng.normal(0, LEAN_SD, 2)
    dim, hump = drawn_from(world.dim, rng), drawn_from(world.hump, rng)
    at = rng.uniform(-0.8, 0.8, 2)
    return Lamp(mw_cm2, float(lean), dim, float(lean_y), hump, (float(at[0]), float(at[1])))
