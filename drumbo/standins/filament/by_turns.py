"""A file printed by two spools in turn, without a line and a hand: for benches and tests."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import pairwise

import numpy as np

from drumbo.standins.filament.feeding import PAST_MM
from drumbo.standins.filament.geometry import geometry
from drumbo.standins.filament.joint import draw_joint
from drumbo.standins.filament.mixing import MixedMelt, draw_mixing
from drumbo.standins.filament.printing import PrintedObject, melt
from drumbo.standins.filament.spool import Spool
from drumbo.standins.worlds import HOME, World

Load = tuple[str, int, str]
"""Polymer, number and colour of a spool."""


def printed_by_turns(
    moves: Mapping[str, Sequence[float]], spool: Spool, loads: Sequence[Load], layers: Sequence[int],
    world: World = HOME,
) -> PrintedObject:  # fmt: skip
    """What comes of logged moves where before each of some layers, from 1 on, the next of `loads` takes the place of
    the one before. All is laid as `spool` lays it; the colours are theirs.
    """
    x, y, z, e = (np.asarray(moves[name]) for name in "xyze")
    laid = (e > 0) & (np.hypot(np.diff(x, prepend=x[0]), np.diff(y, prepend=y[0])) > 0.02)
    heights = np.unique(np.round(z[laid], 3))
    rows = [int(np.flatnonzero(laid & (z > heights[layer - 1] - 0.02))[0]) for layer in layers]
    old, new = loads[-2:]
    joint = draw_joint(old[:2], new[:2], world)
    return melt(geometry(moves), spool, colours=_colours(e.tolist(), rows, loads, world), joint=joint)


def _colours(fed_mm: Sequence[float], rows: Sequence[int], loads: Sequence[Load], world: World) -> list[int]:
    """What comes out in each move, packed."""
    melted = MixedMelt(loads[0][2], loads[0][2])
    out, changes = [], dict(zip(rows, pairwise(loads), strict=True))
    for row, fed in enumerate(fed_mm):
        if row in changes:
            old, new = changes[row]
            melted = MixedMelt(melted.colour, new[2], PAST_MM, draw_mixing(old[:2], new[:2], world))
        out.append(melted.push(fed))
    return out
