"""From where a rising wall turns matt, gapes and splits, and how thick it is, to the flow at which 95 % still arrives.

Past its capability a hot end delivers less and less of what is asked:

    share(Q) = 1 / (1 + ((1 − 0.95)/0.95) · ((Q/Q₉₅ − o)₊ / (1 − o))^p)

How steeply (p) differs between plastics, and so does how much of the limit passes without any loss (o); how much has to
be missing before somebody sees it differs between people, and who is strict sees every sign early. None of it is known
for the wall at hand. So limits, steepnesses, onsets and severities are drawn evenly from what is plausible and weighed
by how likely each makes the bands at which the signs began, or the wall ended without them, and the thickness that was
measured. 5 % are missing at Q₉₅; with p = 6 and o = 0, 8 % at 1.087 times as much.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr, ndtri

from drumbo.core.fit.evenly import evenly
from drumbo.core.fit.ordinal import USUAL, Leaning
from drumbo.core.fit.thinning import Thickness, log_likelihood

Floats = NDArray[np.float64]

THRESHOLD = 0.95
LOSS = (1 - THRESHOLD) / THRESHOLD
POWERS = (1.7, 14.0)
"""How steeply the delivered share falls past the limit, from soft plastics that slip early to stiff ones."""
ONSET, ONSET_SD, MOST_ONSET = 0.15, 0.2, 0.7
"""The share of the limit up to which nothing is lost at all, held loosely where it commonly lies."""
STRICTER = 0.9
"""Somebody who scores a whole point lower sees a sign where so much less is missing, in logarithms of the share."""
UNTOLD = 0.3
"""Beside a thickness the signs say how strict somebody is; of that so much, in points, is the plastic's own."""
PLACED = 0.05
"""Spread of where one look puts a beginning, as a share of the flow."""
DRAWS_LOG2 = 13
NODES, GRID = 7, 61
NARROWED_LOG2, BEYOND = (11, 11, 13), 4.5
"""A wall that was measured tells much more closely: draws are laid anew, so many, within so many standard errors of
what they said before.
"""


@dataclass(frozen=True, slots=True)
class Sign:
    """Something that is seen once the share `missing` does not arrive, known to a factor of e^`spread` (one standard
    deviation).
    """

    key: str
    missing: float
    spread: float


@dataclass(frozen=True, slots=True)
class Arrival:
    """The share that arrives over `flows` (g,), mm³/s: its `mean` and `sd`; and as it was `measured`, (n,)."""

    flows: Floats
    mean: Floats
    sd: Floats
    measured: Floats


@dataclass(frozen=True, slots=True)
class Seen:
    """A sign, and the flows between which it began, mm³/s: `low` is 0 where it was there from the start, `high`
    infinite where it never came.
    """

    sign: Sign
    low: float
    high: float

    @property
    def began(self) -> bool:
        """Whether it began within the wall."""
        return self.low > 0 and bool(np.isfinite(self.high))


@dataclass(frozen=True, slots=True)
class Onset:
    """The limit, mm³/s, with its standard error; what each sign that began, and the thickness, says by itself, (key,
    limit, error); and how far they contradict each other, in standard errors. `reader` is what is known by then of who
    looked, `sways` how much more the limit would be for somebody stricter than that. `arrives` where the thickness was
    measured.
    """

    limit: float
    error: float
    each: tuple[tuple[str, float, float], ...]
    apart: float
    reader: Leaning
    sways: float
    arrives: Arrival | None = None


def past(load: Floats, onset: float | Floats) -> Floats:
    """How far flows lie past what is lost nothing of, as shares of the limit: 0 at the onset, 1 at the limit."""
    return np.asarray(np.maximum(load - onset, 1e-9) / (1 - onset))


def times_at(missing: float | Floats, power: float | Floats = 6.0) -> Floats:
    """At how many times the limit so much is missing, where losses begin at once. 0.05 → 1; 0.08 → 1.087 where the
    power is 6.
    """
    return np.asarray((missing / (1 - missing) / LOSS) ** (1 / power))


THICKNESS = "thickness"


def fit_onset(seen: Sequence[Seen], reader: Leaning = USUAL, wall: Thickness | None = None) -> Onset:
    """Weigh all that was seen, and not seen, and measured. ValueError where no sign began and nothing was measured."""
    began = {one.sign.key for one in seen if one.began} | ({THICKNESS} if wall is not None else set())
    if not began:
        raise ValueError("a limit needs at least one sign that began, or a wall that was measured")
    span = _span(seen, wall)
    rounds = []
    for log2 in (DRAWS_LOG2,) if wall is None else NARROWED_LOG2:
        rounds.append(_weigh(seen, reader, wall, span, _plausible(log2)))
        middle, sd = _mean(rounds[-1].log_limit, rounds[-1].likely)
        span = max(span[0], middle - BEYOND * sd), min(span[1], middle + BEYOND * sd)
    wide, found = rounds[0], rounds[-1]
    value, error = _mean(found.limit, found.likely)
    harsh = _mean(found.severity, found.likely)
    both = _mean((found.limit - value) * (found.severity - harsh[0]), found.likely)[0]
    # Each by itself can be made sense of; where all together cannot, they contradict each other.
    best = sum(float(each.max()) for each in wide.at_best.values())
    together = np.sum(list(found.at_best.values()), axis=0) - found.drawn.normal**2 / 2
    return Onset(
        value, error,
        each=tuple((key, *_mean(wide.limit, told)) for key, told in wide.told.items() if key in began),
        apart=math.sqrt(2 * max(best - float(together.max()), 0.0)),
        reader=Leaning(harsh[0], min(math.hypot(harsh[1], UNTOLD if wall is not None else 0.0), reader.sd)),
        sways=-reader.sd * both / max(harsh[1] ** 2, 1e-9),
        arrives=None if wall is None else _arrival(wall, found),
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class _Weighed:
    """What each sign, and the thickness, says of every draw (m,): `told` over all that is not known of it, `at_best`
    with what suits it best. `gain` is how full the lines are under each draw.
    """

    drawn: _Draws
    log_limit: Floats
    severity: Floats
    told: dict[str, Floats]
    at_best: dict[str, Floats]
    gain: Floats | None

    @property
    def likely(self) -> Floats:
        """(m,) log-likelihood of all together."""
        return np.asarray(np.sum(list(self.told.values()), axis=0))

    @property
    def limit(self) -> Floats:
        """(m,) mm³/s."""
        return np.asarray(np.exp(self.log_limit))


def _weigh(
    seen: Sequence[Seen], reader: Leaning, wall: Thickness | None, span: tuple[float, float], drawn: _Draws
) -> _Weighed:  # fmt: skip
    severity = reader.mean + reader.sd * drawn.normal
    log_limit = span[0] + (span[1] - span[0]) * drawn.place
    both = {one.sign.key: _told(one, log_limit, severity, drawn) for one in seen}
    told, at_best = ({key: likely[k] for key, likely in both.items()} for k in (0, 1))
    gain = None
    if wall is not None:
        told[THICKNESS], gain = log_likelihood(wall, drawn.shares(wall.flows, log_limit))
        at_best[THICKNESS] = told[THICKNESS]
    return _Weighed(drawn, log_limit, severity, told, at_best, gain)


def _arrival(wall: Thickness, found: _Weighed) -> Arrival:
    assert found.gain is not None
    flows = np.linspace(wall.flows.min(), wall.flows.max(), GRID)
    likely = found.likely
    heavy = likely > likely.max() - 10
    shares = found.drawn.shares(flows, found.log_limit)[heavy]
    mean, sd = np.array([_mean(column, likely[heavy]) for column in shares.T]).T
    return Arrival(flows, mean, sd, wall.arrived(_mean(found.gain, likely)[0]))


def _span(seen: Sequence[Seen], wall: Thickness | None) -> tuple[float, float]:
    """Between which logarithms of flows the limit is looked for."""
    middles = [math.log((one.low + one.high) / 2) for one in seen if one.began]
    ends = [(min(middles) - 1.5, max(middles) + 1.0)] if middles else []
    if wall is not None:
        ends.append((math.log(wall.flows.min()) - 1.0, math.log(wall.flows.max()) + 0.7))
    return min(low for low, _ in ends), max(high for _, high in ends)


def _told(one: Seen, log_limit: Floats, severity: Floats, drawn: _Draws) -> tuple[Floats, Floats]:
    """(m,) log-likelihood that a sign is seen to begin where it was: over all thresholds that it may have; and with the
    one that suits it best, less what speaks against that one.
    """
    nodes, weights = np.polynomial.hermite_e.hermegauss(NODES)
    missing = one.sign.missing * np.exp(one.sign.spread * nodes + STRICTER * severity[:, None])
    times = times_at(np.clip(missing, 0.005, 0.95), drawn.power[:, None])
    begins = log_limit[:, None] + np.log(drawn.onset[:, None] + (1 - drawn.onset[:, None]) * times)
    above = ndtr((np.log(one.high) - begins) / PLACED) if np.isfinite(one.high) else 1.0
    below = ndtr((np.log(one.low) - begins) / PLACED) if one.low > 0 else 0.0
    there = np.maximum(above - below, 0.0)
    over_all = there @ (weights / weights.sum())
    return np.asarray(np.log(over_all + SLIPS)), np.asarray((np.log(there + SLIPS) - nodes**2 / 2).max(axis=1))


SLIPS = 0.005
"""Likelihood of a beginning that was put anywhere."""


def _mean(values: Floats, likely: Floats) -> tuple[float, float]:
    weight = np.exp(likely - likely.max())
    weight /= weight.sum()
    mean = float(weight @ values)
    return mean, float(np.sqrt(weight @ (values - mean) ** 2))


@dataclass(frozen=True, slots=True)
class _Draws:
    """(m,) places of the limit 0..1, powers, onsets, and severities in standard deviations."""

    place: Floats
    power: Floats
    onset: Floats
    normal: Floats

    def shares(self, flows: Floats, log_limit: Floats) -> Floats:
        """(m, n) share that arrives at flows (n,) where the limits are so high."""
        loads = flows / np.exp(log_limit)[:, None]
        return np.asarray(1 / (1 + LOSS * past(loads, self.onset[:, None]) ** self.power[:, None]))


@cache
def _plausible(log2: int) -> _Draws:
    even = evenly(4, log2)
    normal = ndtri(np.clip(even[:, 2:], 1e-4, 1 - 1e-4))
    return _Draws(
        even[:, 0], POWERS[0] * (POWERS[1] / POWERS[0]) ** even[:, 1],
        np.clip(ONSET + ONSET_SD * normal[:, 0], 0.0, MOST_ONSET), normal[:, 1],
    )  # fmt: skip
