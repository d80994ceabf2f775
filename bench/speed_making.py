"""How fast moves are planned, layers filled and trials made."""

from __future__ import annotations

import math
import statistics
from typing import Any

import numpy as np
import shapely

from bench.timed import Measured, plain_context, ratio_of, timed, tower
from drumbo.core.motion import _plan_loop, plan_moves
from drumbo.core.toolpath.hatch import hatch
from drumbo.core.toolpath.plane import edges_of
from drumbo.trials import kind


def planner_vs_loop() -> Measured:
    rng = np.random.default_rng(1)
    n = 200_000
    dx, dy = rng.normal(0, 2, n), rng.normal(0, 2, n)
    dz, de, speed = np.zeros(n), np.ones(n), rng.uniform(20, 150, n)
    lists: list[Any] = [c.tolist() for c in (dx, dy, dz, de, speed)]
    limits: list[Any] = [[2000.0] * n, [8.0] * n]
    return ratio_of(
        lambda: _plan_loop(*lists, *limits), lambda: plan_moves(dx, dy, dz, de, speed, 2000.0, 8.0), 3
    ), "times"


def hatch_vs_shapely() -> Measured:
    """Hatching the tower's own regions, against intersecting the same lines with shapely."""
    trial, context = kind("temperature"), plain_context()
    solid = trial.piece(trial.suggest(context), context).solid
    rings = [solid.slice(z).to_polygons() for z in np.arange(0.3, 40.0, 0.6)]
    regions = [(edges_of(r), shapely.polygons([shapely.linearrings(x) for x in r])) for r in rings]
    shapes = [shapely.unary_union(polygons) for _, polygons in regions]
    spacing = 0.45

    def fast() -> None:
        for edges, _ in regions:
            hatch(edges, spacing, math.pi / 4, spacing / 2)

    def slow() -> None:
        for shape in shapes:
            x0, y0, x1, y1 = shape.bounds
            reach = math.hypot(x1 - x0, y1 - y0)
            cx, cy = (x0 + x1) / 2, (y0 + y1) / 2
            along, aside = np.array([1, 1]) / math.sqrt(2), np.array([-1, 1]) / math.sqrt(2)
            offsets = np.arange(-reach / 2, reach / 2, spacing)
            middles = np.array([cx, cy]) + offsets[:, None] * aside
            ends = np.stack([middles - along * reach, middles + along * reach], axis=1)
            shapely.get_coordinates(shapely.intersection(shapely.linestrings(ends), shape))

    return ratio_of(slow, fast, 7), "times"


def tower_seconds() -> Measured:
    """A nine-step tower: planned, sliced, written."""
    tower()
    return statistics.median(timed(tower) for _ in range(5)), "s"


def _file_seconds(slug: str) -> Measured:
    trial, context = kind(slug), plain_context()
    plan = trial.suggest(context)
    trial.print_file(plan, context)
    return statistics.median(timed(lambda: trial.print_file(plan, context)) for _ in range(5)), "s"


def retraction_tower_seconds() -> Measured:
    """The suggested posts for retraction: planned, sliced, written."""
    return _file_seconds("retraction-length")


def pressure_sheet_seconds() -> Measured:
    """The suggested sheet for pressure advance: planned, sliced, written."""
    return _file_seconds("pressure-advance")


def lag_seconds() -> Measured:
    """The stand-in's pressure lag along half a million roads of 1 to 20 mm, their velocity profile included."""
    from drumbo.core.motion import plan_moves  # noqa: PLC0415
    from drumbo.standins.filament.lag import delivered_share  # noqa: PLC0415

    rng, n = np.random.default_rng(5), 500_000
    way, angle = rng.uniform(1, 20, n), rng.uniform(0, 2 * np.pi, n)
    speed, same = rng.choice([20.0, 60.0, 100.0], n), np.ones(n)
    counts = np.ceil(way).astype(np.int64)
    first = np.cumsum(counts) - counts

    def lag() -> None:
        motion = plan_moves(way * np.cos(angle), way * np.sin(angle), 0 * same, 0.03 * way, speed, 2000.0, 8.0)
        moves = {
            "entry": motion.entry, "cruise": motion.cruise, "leave": motion.leave, "accel": 2000 * same, "way": way,
            "area": 0.08 * same, "pulled": 0 * same,
        }  # fmt: skip
        delivered_share(moves, first, counts, 0.04 * same, 0.02 * same)

    lag()
    return statistics.median(timed(lag) for _ in range(5)), "s"
