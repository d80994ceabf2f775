"""A plane through heights measured at places of a plate, with what it leaves over."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

STANDS_APART = 4.0
"""A place further from the plane than so many times the scatter of the others, and than three grains, has no say."""


@dataclass(frozen=True, slots=True)
class Plane:
    """Height at the middle of the places with its standard error, mm; slopes along x and y with theirs, mm/mm.

    `rests` are what the plane leaves over at every place, `kept` which places have a say, `sd_mm` the scatter.
    """

    middle_mm: float
    error_mm: float
    slopes: tuple[float, float]
    slope_errors: tuple[float, float]
    rests: Floats
    kept: NDArray[np.bool_]
    sd_mm: float


def fit_plane(at: Floats, height_mm: Floats, grain_mm: float) -> Plane:
    """Fit heights (n,) at places (n, 2), mm, told in steps of `grain_mm`. ValueError where they do not span a plane.

    A number told in steps is uncertain by grain / √12 at least.
    """
    middle = (at.min(axis=0) + at.max(axis=0)) / 2
    design = np.column_stack([np.ones(len(at)), at - middle])
    if np.linalg.matrix_rank(design) < 3:
        raise ValueError("three places that do not lie in a line are needed")
    kept = np.ones(len(at), bool)
    least = grain_mm / np.sqrt(12)
    found, rests, sd = _through(design, height_mm, kept, least)
    if len(at) > 5:
        # Each place against the plane through all others: a slip at a corner would pull its own plane along.
        away = np.empty(len(at))
        scatter = np.empty(len(at))
        for k in range(len(at)):
            others = np.arange(len(at)) != k
            plane, _, scatter[k] = _through(design, height_mm, others, least)
            away[k] = abs(height_mm[k] - float(design[k] @ plane))
        worst = int(np.argmax(away / scatter))
        if away[worst] > max(STANDS_APART * scatter[worst], 3 * grain_mm):
            kept[worst] = False
            found, rests, sd = _through(design, height_mm, kept, least)
    errors = sd * np.sqrt(np.diag(np.linalg.inv(design[kept].T @ design[kept])))
    return Plane(
        float(found[0]), float(errors[0]), (float(found[1]), float(found[2])), (float(errors[1]), float(errors[2])),
        rests, kept, sd,
    )  # fmt: skip


def _through(design: Floats, height: Floats, kept: NDArray[np.bool_], least: float) -> tuple[Floats, Floats, float]:
    found, *_ = np.linalg.lstsq(design[kept], height[kept], rcond=None)
    rests = height - design @ found
    free = max(int(kept.sum()) - 3, 1)
    return np.asarray(found), rests, max(float(np.sqrt((rests[kept] ** 2).sum() / free)), least)
