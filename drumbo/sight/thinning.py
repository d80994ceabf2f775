"""From where a line that begins in one colour and goes over into another is clean, seen in a photo.

Light on a piece is never even, so every row is compared with the pure colour beside it. How the old colour thins out is
not supposed to follow any law: it gets less all the way, and near where it is lost a smooth curve is laid through it.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import median_filter
from scipy.optimize import isotonic_regression, least_squares

from drumbo.core.colours import lab

Floats = NDArray[np.float64]

CLEAN = 3.0
"""A colour that is so near to the last one (distance in L*a*b*) is called clean: somewhat more than is just seen side
by side on an even card (2.3), as printed lines are never that even."""
SCALE_SD, BY_PAPER_SD, MOST_UNLIKE = 0.15, 0.05, 2.0
"""How far off all distances may be together (by their logarithm), and with white paper beneath; and by how much a
label's may differ to be heeded."""
NEAR, MISFIT = 3.0, 0.15
"""Distances from a third of a clean one to three are what a line is laid through; it may be off by such a share."""
BEND_SD, LEFT_SD = 0.2, 0.3
"""How much it may be bent; and how far from pure what counts as the last colour may be, L*a*b*."""
TAIL, FIRST, FEWEST = 0.12, 5, 6
"""Of a field: its end has the last colour alone, as good as. Its beginning is so many rows."""
PAST, AT_LEAST_MM, LOOKS = 2.0, 10.0, 3
"""So many times as far as where it is called clean a row is as good as pure; that is looked for so often."""
LIGHT_BEND_SD = 0.05
"""How far, by its logarithm, light at both ends of a field commonly is from an even change."""
PLACE_MM, FORM_SD = 1.5, 0.06
"""A place is known to within so much; and as a curve is not quite what it is taken for, to within such a share."""
ROUNDS, ROWS = 8, 5
"""So many times what does not fit is weighed less; of so many rows the middle one counts, as one may have a flaw."""


@dataclass(frozen=True, slots=True)
class Found:
    """`clean_mm`: from where it is clean, 0 where nothing else is ever seen, None where it is not clean at the end;
    `sd_mm` its error. `apart`: how far the first colour is from the last.
    """

    clean_mm: float | None
    sd_mm: float
    apart: float


def scale_of(photo: Floats, labels: Floats) -> float:
    """By how much distances in a photo are to be multiplied: (2, 3) of the same two colours, in the photo and as the
    labels have them, 0..255.

    A photo is brighter or paler than what it shows, a label's colour is chosen by name: neither is to be trusted more
    than the other. Labels that tell something else altogether are not heeded.
    """
    seen, told = (float(np.linalg.norm(np.diff(lab(pair), axis=0))) for pair in (photo, labels))
    ratio = told / max(seen, 1.0)
    return float(np.sqrt(ratio)) if 1 / MOST_UNLIKE < ratio < MOST_UNLIKE else 1.0


def clean_from(fed_mm: Floats, rows: Floats, pure: Floats, scale: float = 1.0, scale_sd: float = SCALE_SD) -> Found:
    """Of (n, 3) colours of rows, 0..255, by how much was pushed, mm, ascending, with (n, 3) of the last colour beside
    each: from where only the last one is left. Distances count `scale` times; that is known to within `scale_sd`.
    """
    count = len(fed_mm)
    tail = max(int(count * TAIL), FEWEST)
    clean = np.arange(count) >= count - tail
    for _ in range(LOOKS):
        seen = median_filter(scale * lab(_evened(rows, pure, clean)), (ROWS, 1), mode="nearest")
        found = _clean_from(fed_mm, seen, tail, scale_sd)
        # What turned out to be clean tells of the light too.
        if found.clean_mm is None:
            return found
        clean = (np.arange(count) >= count - tail) | (fed_mm > PAST * found.clean_mm + AT_LEAST_MM)
    return found


def _evened(rows: Floats, pure: Floats, clean: NDArray[np.bool_]) -> Floats:
    """(n, 3) colours of rows as if light fell evenly: it is told by what has one colour, the stripe and the rows that
    are `clean`.

    Its logarithm changes evenly from row to row, or nearly so, the same for red, green and blue. What does not fit that
    (holes, shadows) is left out.
    """
    at = np.linspace(-1, 1, len(rows))
    known = np.concatenate([np.clip(pure, 4.0, None), np.clip(rows[clean], 4.0, None)])
    which = np.repeat([0, 1], [len(pure), clean.sum()])
    place = np.concatenate([at, at[clean]])
    one = np.einsum("ng,cd->ncgd", (which[:, None] == [0, 1]) * 1.0, np.eye(3)).reshape(-1, 6)
    bend = np.column_stack([place, place**2])
    design = np.vstack([np.hstack([one, np.repeat(bend, 3, axis=0)]), np.append(np.zeros(7), 1 / LIGHT_BEND_SD)])
    logs, bright, keeps = np.append(np.log(known), 0.0), known.ravel(), np.ones(len(known))
    for _ in range(ROUNDS):
        # Noise is about the same whatever the brightness, so dark ones say less by their logarithm.
        weight = np.append(bright * np.repeat(keeps, 3), 1.0)
        fitted = np.linalg.lstsq(design * weight[:, None], logs * weight, rcond=None)[0]
        off = np.linalg.norm(((logs - design @ fitted)[:-1] * bright).reshape(-1, 3), axis=1)
        spread = np.array([max(float(np.median(off[which == k])), 0.3) for k in (0, 1)])[which]
        keeps = 1 / (1 + (off / (2 * spread)) ** 2) / spread
    return np.asarray(rows / np.exp(np.column_stack([at, at**2]) @ fitted[6:])[:, None])


def _clean_from(fed_mm: Floats, seen: Floats, tail: int, scale_sd: float) -> Found:
    """The same of (n, 3) colours in L*a*b* in even light."""
    end, first = np.median(seen[-tail:], axis=0), np.median(seen[:FIRST], axis=0)
    apart = float(np.linalg.norm(first - end))
    # What is lost within a few rows leaves nothing to lay a line through, and little to be wrong about.
    few_rows = float(np.hypot(PLACE_MM, ROWS * (fed_mm[1] - fed_mm[0]) / 2))
    if apart < CLEAN:
        return Found(0.0, few_rows, apart)
    off = (seen - end) @ ((first - end) / apart)
    # The way from one colour to the other is not straight to the eye: what counts is where it ends.
    near = _near(_falling(off))
    if near.sum() >= FEWEST:
        way = np.median(seen[near], axis=0) - end
        off = (seen - end) @ (way / np.linalg.norm(way))
    falls = _falling(off)
    near = _near(falls)
    if falls[-1] > CLEAN:
        return Found(None, 0.0, apart)
    if near.sum() < FEWEST:
        return Found(float(np.interp(-CLEAN, -falls, fed_mm)), few_rows, apart)
    return _crossing(fed_mm[near], off[near], falls[near], float(fed_mm[-tail:].mean()), apart, scale_sd)


def _near(falls: Floats) -> NDArray[np.bool_]:
    return np.asarray((falls > CLEAN / NEAR) & (falls < CLEAN * NEAR))


def _falling(off: Floats) -> Floats:
    return np.asarray(isotonic_regression(off, increasing=False).x)


def _crossing(fed: Floats, off: Floats, falls: Floats, rest_mm: float, apart: float, scale_sd: float) -> Found:
    """Where a straight line through the logarithm of what is near, at most a little bent, falls below what is clean.
    If it goes on like that, what counts as the last colour, at `rest_mm`, is not quite pure: all is so much farther
    off.
    """
    noise = max(1.48 * float(np.median(np.abs(off - falls))), 0.15)
    middle, half = (fed[0] + fed[-1]) / 2, max((fed[-1] - fed[0]) / 2, 1.0)
    t, rest = (fed - middle) / half, (rest_mm - middle) / half

    def line(p: Floats, t: Floats) -> Floats:
        # Past what is near it goes on straight, and always down.
        inner = np.minimum(t, 1.0)
        return np.asarray(p[0] + p[1] * inner + p[2] * inner**2 + np.minimum(p[1] + 2 * p[2], -0.2) * (t - inner))

    def misses(p: Floats) -> Floats:
        left = np.exp(line(p, np.array([rest])))
        missed = (off - np.exp(line(p, t)) + left) / np.hypot(noise, MISFIT * falls)
        return np.concatenate([missed, [p[2] / BEND_SD], left / LEFT_SD])

    found = least_squares(misses, [np.log(CLEAN), -1.0, 0.0], loss="soft_l1", max_nfev=60)
    grid = np.linspace(-1, max(rest, 1.0), 801)
    below = np.flatnonzero(line(found.x, grid) < np.log(CLEAN))
    if not len(below):
        return Found(None, 0.0, apart)
    at = min(float(grid[below[0]]), 1.0)
    steep = max(-(found.x[1] + 2 * found.x[2] * at), 0.2)
    here = np.array([1.0, at, at * at])
    spread = float(here @ np.linalg.pinv(found.jac.T @ found.jac) @ here)
    sd = half * np.sqrt(spread + scale_sd**2) / steep
    clean = middle + half * float(grid[below[0]])
    return Found(clean, float(np.sqrt(sd**2 + (FORM_SD * clean) ** 2 + PLACE_MM**2)), apart)
