"""What is in the nozzle when another filament has come: the old colour thins out with what is pushed through.

Most of the melt is pushed ahead; what clings to the walls comes along slowly. How much of it there is hangs on how the
two flow, so it is drawn for each pair of spools and each direction.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from zlib import crc32

import numpy as np
from numpy.typing import ArrayLike, NDArray

from drumbo.standins.worlds import HOME, World, drawn_from

Floats = NDArray[np.float64]

USUAL_MM = 24.0
FAR = 20.0
"""So many times the usual length through, nothing is left of what was before."""
LONG = 3.5
"""What clings is thinned out over so much longer a way."""
NOTHING = 0.003


@dataclass(frozen=True, slots=True)
class Mixing:
    """`thins_mm` of filament thin the old to a third; a share that `clings` takes longer."""

    thins_mm: float = USUAL_MM
    clings: float = 0.0

    def old_share(self, pushed_mm: float) -> float:
        """How much of what comes out is the old one after so much was pushed, mm."""
        x = max(pushed_mm, 0.0) / self.thins_mm
        return (1 - self.clings) * math.exp(-x) + self.clings * math.exp(-x / LONG)


def draw_mixing(old: tuple[str, int], new: tuple[str, int], world: World = HOME) -> Mixing:
    """How one spool (polymer and number) gives way to another."""
    rng = np.random.default_rng([old[1], new[1], crc32(f"{old[0]}>{new[0]}".encode()), 23])
    return Mixing(rng.uniform(15.0, 38.0), drawn_from(world.clings, rng))


@dataclass
class MixedMelt:
    """What is in the nozzle: the colour that was there before, that of now, and what was pushed since it came, mm."""

    before: str
    now: str
    pushed_mm: float = USUAL_MM * FAR
    mixing: Mixing = field(default_factory=Mixing)

    @property
    def old_share(self) -> float:
        """How much of what comes out is still the old one."""
        return self.mixing.old_share(self.pushed_mm)

    def push(self, fed_mm: float) -> int:
        """Feed so much; the colour that comes out half way as one number, red first."""
        half = MixedMelt(self.before, self.now, self.pushed_mm + fed_mm / 2, self.mixing).packed if self.mixes else None
        self.pushed_mm += fed_mm
        return self.packed if half is None else half

    @property
    def mixes(self) -> bool:
        """Whether any of the old one still comes out."""
        return self.before != self.now and self.old_share >= NOTHING

    @property
    def packed(self) -> int:
        """The colour that comes out as one number, red first."""
        old = self.old_share if self.before != self.now else 0.0
        if old < NOTHING:
            return int(self.now[1:], 16)
        mixed = (round(old * a + (1 - old) * b) for a, b in zip(_rgb(self.before), _rgb(self.now), strict=True))
        return int.from_bytes(bytes(mixed), "big")

    @property
    def colour(self) -> str:
        """The colour that comes out."""
        return f"#{self.packed:06x}"


def _rgb(colour: str) -> tuple[int, ...]:
    return tuple(int(colour[k : k + 2], 16) for k in (1, 3, 5))


def unpacked(colours: ArrayLike) -> Floats:
    """(n, 3) 0..255 of packed colours."""
    packed = np.asarray(colours, np.int64)
    return np.column_stack([packed >> 16 & 255, packed >> 8 & 255, packed & 255]).astype(float)
