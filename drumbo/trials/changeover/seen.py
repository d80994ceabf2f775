"""The two fields in a photo: from where each is clean."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from drumbo.core.colours import lab
from drumbo.core.errors import InvalidInput
from drumbo.sight.paper import whitened
from drumbo.sight.rectify import View
from drumbo.sight.thinning import BY_PAPER_SD, SCALE_SD, Found, clean_from, scale_of
from drumbo.trials.changeover.fields import RowField, corners
from drumbo.trials.changeover.plan import ROW_MM

Floats = NDArray[np.float64]

NEAREST = (0.05, 0.5)
"""Of a row: what is looked at, from near the stripe, where light is the same, but not where lines turn."""

ALL_SEEN, FEWEST_ROWS, ALIKE = 0.95, 8, 14.0
"""What must be in the picture; and by how much (hue in L*a*b*) the last rows may differ from their stripe."""
APART, PALEST = 15.0, 0.35
"""Two colours that are so far apart by their labels must be at least such a share of that apart in the photo."""
MOST_APART, BRIGHTEST = 1.4, 255.0
"""By white paper they are not so many times as far apart as their labels say, and neither is brighter than it."""


def found_in(
    view: View, fields: tuple[RowField, RowField], left_mm: float, labels: tuple[str, str]
) -> tuple[Found, Found]:
    """From where each field is clean, as a photo shows it; the labels' colours are those of first and second."""
    told = np.array([list(bytes.fromhex(colour[1:])) for colour in reversed(labels)], float)
    by_label = _apart(told)
    by_paper = whitened(view, np.array(corners(fields)))
    seen = [_looked_at(by_paper or view, field, left_mm) for field in fields]
    pure = np.array([np.median(each.pure, axis=0) for each in seen])
    if by_paper is not None and (
        _apart(pure) > MOST_APART * max(by_label, APART) or pure.mean(axis=1).max() > BRIGHTEST
    ):
        # A grey plate passes for paper in shadow; what lies on it then seems brighter, and colours farther apart.
        by_paper = None
        seen = [_looked_at(view, field, left_mm) for field in fields]
        pure = np.array([np.median(each.pure, axis=0) for each in seen])
    apart = _apart(pure)
    if by_label > APART and apart < by_label * PALEST:
        raise InvalidInput(
            "photo", "shows both fields in nearly the same colour; mark the outermost corners of both bases"
        )
    scale, sd = (scale_of(pure, told), SCALE_SD) if by_paper is None else (1.0, BY_PAPER_SD)
    lower, upper = (clean_from(each.fed_mm, each.rows, each.pure, scale, sd) for each in seen)
    return lower, upper


def _apart(pair: Floats) -> float:
    """How far two colours (2, 3) are apart in L*a*b*."""
    return float(np.linalg.norm(np.diff(lab(pair), axis=0)))


@dataclass(frozen=True, slots=True)
class _Seen:
    """(n,) how much was pushed, mm, and (n, 3) colours of rows and of the stripe beside each, 0..255."""

    fed_mm: Floats
    rows: Floats
    pure: Floats


def _looked_at(view: View, field: RowField, left_mm: float) -> _Seen:
    half, line = field.pitch / 2, np.arange(2 * field.rows) + 0.5
    y, near = field.low_y + line * half, [left_mm + field.long * share for share in NEAREST]
    rows = _middles(view, y, (near[0], near[1]), half, 61)
    pure = _middles(view, y, (left_mm - field.stripe + 1.5 * half, left_mm - 1.5 * half), half, 25)
    seen = np.isfinite(rows).all(axis=1) & np.isfinite(pure).all(axis=1)
    if seen.mean() < ALL_SEEN:
        raise InvalidInput("photo", "does not show all of the piece; take it from a little farther off")
    tail = slice(-FEWEST_ROWS, None)
    ends = lab([np.median(pure[seen], axis=0), np.median(rows[seen][tail], axis=0)])
    if np.linalg.norm((ends[0] - ends[1])[1:]) > ALIKE:
        raise InvalidInput(
            "photo", "has another colour where the stripe beside the rows should be; mark the corners again"
        )
    return _Seen(line[seen] * ROW_MM / 2, rows[seen], pure[seen])


def _middles(view: View, y: NDArray[Any], x: tuple[float, float], across_mm: float, count: int) -> Floats:
    """(n, 3) what is seen along each y: the middle one of many, so that holes and specks of glare do not count."""
    spots = np.array([(at, off) for at in np.linspace(*x, count) for off in np.linspace(-across_mm, across_mm, 5)])
    places = np.column_stack([np.tile(spots[:, 0], len(y)), (y[:, None] + spots[:, 1]).ravel()])
    return np.asarray(np.median(view.colours(places).reshape(len(y), len(spots), 3), axis=1))
