"""From what stands and what is open to the exposure at which both come out as drawn.

A face stands where the dose is just critical. Light bleeds sideways with a spread b, so with u = ln(t / t*) it has
moved outwards by

    g(u) = −b · Φ⁻¹(½ · e^(−u))

which is 0 at t*, where half of the light that falls on an edge is just enough. What stands is then wider by 2 g, a gap
narrower by as much, and both share what has nothing to do with light, such as shrinkage or a calliper's zero:

    error of what stands = o + 2 g + 2 j,      error of a gap = o − 2 g − 2 j.

At u = 0.2 and b = 0.03 mm: Φ⁻¹(0.4094) = −0.2292, so g = 0.0069 mm. Jaws are never quite sharp: by j a side they read
what stands too wide and a gap too narrow, as more light would. They cannot tell themselves from light; what is known of
callipers beforehand has its say, and what is not makes the answer less sure.

Leaves can tell (see `leaves`): n of them laid together, less a block as wide as all of them by the same jaws, grow by

    stack − block = 2 (n − 1) · g + (n − 1) · J

with J what one joint keeps apart. There is neither jaw nor zero in it. At u = 0.2, b = 0.03 mm, n 8 and J 0.003 mm:
14 · 0.0069 + 7 · 0.003 = 0.117 mm.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares
from scipy.special import ndtri

from drumbo.core.fit.callipers import CALLIPER_SD_MM, JAW_MM, JAW_SD_MM, JOINT_MM, JOINT_SD_MM

Floats = NDArray[np.float64]

USUAL_BLEED_MM, BLEED_LOG_SD = 0.026, 0.45
OFFSET_SD_MM = 0.03
FAR = 4.0
"""Residuals beyond so many standard deviations are named and left out."""
LEAST_SHARE = 0.02
FEWEST_STEPS, FEWEST_STACKS = 3, 2
T_GRID, B_GRID, WIDE_SD = 481, 21, 2.5
BEYOND = 0.25
"""What the form of the law may be off by, of the way, as a logarithm, from the lights that were read to one beyond."""
COMMON = np.array([0.0, JAW_MM, JOINT_MM])
"""What all readings share, and is known beforehand: offset, what a jaw adds, what a joint keeps; mm."""
COMMON_SD = np.array([OFFSET_SD_MM, JAW_SD_MM, JOINT_SD_MM])


@dataclass(frozen=True, slots=True)
class Told:
    """One reading: measured − drawn, mm, and its standard deviation, at an exposure, s. It holds `faces` times what one
    face has moved outwards, below 0 in a gap, and so many offsets, jaws and joints.
    """

    seconds: float
    error_mm: float
    scatter_mm: float
    faces: float
    offsets: float
    jaws: float
    joints: float


def stands(seconds: float, error_mm: float) -> Told:
    """What stands, between jaws."""
    return Told(seconds, error_mm, CALLIPER_SD_MM, 2.0, 1.0, 2.0, 0.0)


def gap(seconds: float, error_mm: float) -> Told:
    """A gap, by inner jaws."""
    return Told(seconds, error_mm, CALLIPER_SD_MM, -2.0, 1.0, -2.0, 0.0)


def stacked(seconds: float, stack_less_block_mm: float, scatter_mm: float, leaves: int) -> Told:
    """Leaves laid together, less the block that is drawn as wide as all of them."""
    return Told(seconds, stack_less_block_mm, scatter_mm, 2.0 * (leaves - 1), 0.0, 0.0, float(leaves - 1))


@dataclass(frozen=True, slots=True)
class Match:
    """The exposure, s, with the standard error of its logarithm; bleed, and what all readings share, mm: an offset,
    what jaws add a side, what a joint keeps apart; which readings (n,) have a say; and the scatter of those against
    the curves in units of what is usual.
    """

    exposure_s: float
    log_error: float
    bleed_mm: float
    bleed_error_mm: float
    offset_mm: float
    jaw_mm: float
    joint_mm: float
    kept: tuple[bool, ...]
    misfit: float

    def growth_mm(self, seconds: float) -> float:
        """How far faces have moved outwards at an exposure, mm."""
        return float(self.bleed_mm * moved(np.array([math.log(seconds / self.exposure_s)]))[0])


def moved(u: Floats) -> Floats:
    """−Φ⁻¹(½ e^(−u)), of any shape: how many bleeds a face moves outwards at u = ln(light / right light). Carried on
    straight where hardly anything sets.
    """
    edge = -math.log(2 * (1 - LEAST_SHARE))
    inner = np.maximum(u, edge)
    share = 0.5 * np.exp(-inner)
    slope = (1 - LEAST_SHARE) * math.sqrt(2 * math.pi) * math.exp(float(ndtri(1 - LEAST_SHARE)) ** 2 / 2)
    return np.asarray(-ndtri(share) + slope * np.minimum(u - edge, 0.0))


@dataclass(frozen=True, slots=True)
class _Rows:
    """Readings (n,) as columns: logarithm of the exposure, error and scatter, mm, faces; what they share (n, 3)."""

    x: Floats
    error: Floats
    scatter: Floats
    faces: Floats
    shares: Floats

    def only(self, kept: NDArray[np.bool_]) -> _Rows:
        return _Rows(self.x[kept], self.error[kept], self.scatter[kept], self.faces[kept], self.shares[kept])

    def away(self, found: Floats) -> Floats:
        """(n,) residuals, in standard deviations, of a fit: right exposure and bleed as logarithms, what is shared."""
        grown = math.exp(found[1]) * self.faces * moved(self.x - found[0])
        return np.asarray((self.error - grown - self.shares @ found[2:]) / self.scatter)


def fit_match(told: Sequence[Told]) -> Match | None:
    """Fit readings. None where they cannot tell light from jaws: fewer than two exposures have stacks, and fewer than
    three were read on both sides.
    """
    if not _enough(told):
        return None
    columns = np.array([[t.seconds, t.error_mm, t.scatter_mm, t.faces, t.offsets, t.jaws, t.joints] for t in told])
    rows = _Rows(np.log(columns[:, 0]), columns[:, 1], columns[:, 2], columns[:, 3], columns[:, 4:])
    kept = np.ones(len(told), dtype=bool)
    found = _fit(rows)
    for _ in range(max(len(told) // 8, 1)):
        away = np.abs(rows.away(found)) * kept
        worst = int(away.argmax())
        if away[worst] <= FAR:
            break
        kept[worst] = False
        found = _fit(rows.only(kept))
    rest = rows.away(found)[kept]
    misfit = math.sqrt(float((rest**2).sum()) / max(int(kept.sum()) - 3, 1))
    mine = rows.only(kept)
    said = _weighed(replace(mine, scatter=mine.scatter * max(misfit, 1.0)))
    return replace(said, kept=tuple(bool(k) for k in kept), misfit=misfit)


def _enough(told: Sequence[Told]) -> bool:
    stacks = {t.seconds for t in told if not t.jaws}
    sides = {math.copysign(1, t.jaws) for t in told if t.jaws}
    return len(stacks) >= FEWEST_STACKS or (len({t.seconds for t in told}) >= FEWEST_STEPS and len(sides) > 1)


def _weighed(rows: _Rows) -> Match:
    """All exposures and bleeds that are plausible, on a grid, by how likely they make the readings; what is shared is
    averaged over in closed form. More light and blunter jaws read alike, so that one best fit says too little.
    """
    room = _room(rows.x)
    t = np.linspace(rows.x.min() - room, rows.x.max() + room, T_GRID)
    wide = np.linspace(-WIDE_SD, WIDE_SD, B_GRID)
    bleed = USUAL_BLEED_MM * np.exp(BLEED_LOG_SD * wide)
    spread = rows.shares * COMMON_SD
    sure = np.linalg.inv(np.diag(rows.scatter**2) + spread @ spread.T)
    error = rows.error - rows.shares @ COMMON
    grown = rows.faces * moved(rows.x - t[:, None])  # (t, n)
    across = grown @ sure @ error
    square = np.einsum("tn,nm,tm->t", grown, sure, grown)
    likely = across[:, None] * bleed - 0.5 * square[:, None] * bleed**2 - 0.5 * wide**2  # (t, b)
    weight = np.exp(likely - likely.max())
    weight /= weight.sum()
    log_t, log_error = _mean(t, weight.sum(axis=1))
    log_error = math.hypot(log_error, BEYOND * max(rows.x.min() - log_t, log_t - rows.x.max(), 0.0))
    bled, bleed_error = _mean(bleed, weight.sum(axis=0))
    offset, jaw, joint = COMMON + COMMON_SD * (spread.T @ sure @ (error - (weight @ bleed) @ grown))
    return Match(math.exp(log_t), log_error, bled, bleed_error, float(offset), float(jaw), float(joint), (), 0.0)


def _mean(values: Floats, weight: Floats) -> tuple[float, float]:
    middle = float(weight @ values)
    return middle, math.sqrt(float(weight @ (values - middle) ** 2))


def _room(x: Floats) -> float:
    """How far beyond the exposures tried the right one may lie, in logarithms."""
    return 0.6 * float(np.ptp(x)) + 1.3


def _rests(found: Floats, rows: _Rows) -> Floats:
    """Residuals in standard deviations, and what is known beforehand of bleed and of what is shared as four more."""
    before = [(found[1] - math.log(USUAL_BLEED_MM)) / BLEED_LOG_SD, *((found[2:] - COMMON) / COMMON_SD)]
    return np.append(rows.away(found), before)


def _fit(rows: _Rows) -> Floats:
    start = np.array([float(np.median(rows.x)), math.log(USUAL_BLEED_MM), *COMMON])
    least, most, room = float(rows.x.min()), float(rows.x.max()), _room(rows.x)
    bounds = (
        [least - room, math.log(0.004), -0.3, -0.02, -0.01],
        [most + room, math.log(0.2), 0.3, 0.04, 0.03],
    )  # fmt: skip
    found = least_squares(_rests, np.clip(start, *bounds), args=(rows,), bounds=bounds, loss="soft_l1", f_scale=2.0)
    return np.asarray(found.x)
