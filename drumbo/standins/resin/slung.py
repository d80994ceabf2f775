"""What grows sloping on fine supports: each layer is pulled at by all of it, and held by the tips that it has reached.

A level underside appears at once and hangs on all of its tips; a sloping one reaches them row by row, and until it has
the next row the ones before hold it alone.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from drumbo.standins.eye import Box
from drumbo.standins.resin import physics
from drumbo.standins.resin.spots import FINE_MM, LitSpot, windows
from drumbo.standins.resin.thing import Cured

GROWS = 0.6
"""What is at its first layer no more than such a share of what it becomes is sloping."""


@dataclass(slots=True)
class _Body:
    """What hangs together up to a layer: on the plate, a post, or slung from the posts that it has reached."""

    on_plate: bool = False
    post: LitSpot | None = None
    tips: list[tuple[int, LitSpot]] = field(default_factory=list)
    first_px: int = 0
    most_px: int = 0
    worst: float = math.inf


def sloped_safety(thing: Cured, box: Box) -> float:
    """How safely the worst of the sloping parts in a box was held: 1 is just enough; infinite where there is none."""
    low, high = thing.layer_at(box[0][2] + 1e-6), thing.layer_at(box[1][2] - 1e-6)
    bodies: dict[int, _Body] = {}
    done: list[_Body] = []
    for number in range(low, high):
        if number > low and thing.which[number] == thing.which[number + 1]:
            continue
        (below, above), left, rear = windows(thing, [number, number + 1], box)
        under, over = ndimage.label(below)[0], ndimage.label(above)[0]
        if number == low:
            bodies = {k: _Body(on_plate=True) for k in range(1, int(under.max()) + 1)}
        grown: dict[int, _Body] = {}
        for k, where in enumerate(ndimage.find_objects(over), start=1):
            here = over[where] == k
            met = [bodies[int(m)] for m in np.unique(under[where][here]) if m and int(m) in bodies]
            spot = _spot(here, where, left, rear, thing.screen.pixel_mm)
            grown[k] = _joined(thing, number, met, spot, int(here.sum()))
        done += [body for body in bodies.values() if body not in grown.values()]
        bodies = grown
    return min((b.worst for b in (*done, *bodies.values()) if b.first_px <= GROWS * b.most_px), default=math.inf)


def _joined(thing: Cured, number: int, met: list[_Body], spot: LitSpot, size_px: int) -> _Body:
    """What a part of the layer above `number` is, of the bodies beneath it."""
    fine = spot.width_mm <= FINE_MM
    if any(body.on_plate for body in met) or (fine and met and all(body.post for body in met)):
        return _Body(on_plate=True) if not fine else _Body(post=spot)
    tips = [tip for body in met for tip in body.tips] + [(number, body.post) for body in met if body.post is not None]
    if not tips:
        # An island: it has nothing to hang on.
        return _Body(worst=0.0)
    before = [body for body in met if body.tips]
    held = thing.bottle.holds * sum(tip.area_mm2 * _firm(thing, at, tip) for at, tip in tips)
    area = size_px * thing.screen.pixel_mm**2
    safe = physics.carried(held, 1.0, area, thing.layer(number + 1).lift.mm_min)
    return _Body(
        tips=tips,
        first_px=before[0].first_px if before else size_px,
        most_px=max([size_px, *(body.most_px for body in before)]),
        worst=min([safe, *(body.worst for body in before)]),
    )


def _firm(thing: Cured, number: int, spot: LitSpot) -> float:
    return physics.green(thing.through(number, spot.x, spot.y), thing.bottle.greens)


def _spot(here: NDArray[np.bool_], where: tuple[slice, slice], left: float, rear: float, pixel_mm: float) -> LitSpot:
    rows, columns = where
    x = left + (columns.start + columns.stop) / 2 * pixel_mm
    y = rear - (rows.start + rows.stop) / 2 * pixel_mm
    return LitSpot(x, y, max(here.shape) * pixel_mm, int(here.sum()) * pixel_mm**2)
