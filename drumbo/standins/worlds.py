"""Worlds that differ: how a spool melts, how moist it is, who looks, and with what jaws; drawn around what is usual.

A stand-in of one form flatters a fit of the same form. What departs in a world is drawn for each spool and reader from
its range; in the world "home" nothing does. Only stand-ins and benches know of them.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass

import numpy as np

Range = tuple[float, float]


@dataclass(frozen=True, slots=True)
class World:
    """Ranges from which what departs is drawn. `slip` is the power by which the delivered share falls past the melt
    limit, `ooze` that of a string over the pull, `nozzle` that of melt capacity over the nozzle's width, `moisture` a
    factor; `severity` the mean and spread of what a reader adds to every score, in points; `tails` the degrees of
    freedom of a look's noise (0 for a Gaussian); `mixed` how often one aspect is taken for another; `blunt_mm` what
    jaws add on each side.
    """

    name: str
    slip: Range = (6.0, 6.0)
    ooze: Range = (1.5, 1.5)
    nozzle: Range = (1.3, 1.3)
    moisture: Range = (1.0, 1.0)
    severity: Range = (0.0, 0.0)
    tails: float = 0.0
    mixed: float = 0.0
    blunt_mm: Range = (0.0, 0.0)


HOME = World("home")
WORLDS: dict[str, World] = {
    world.name: world
    for world in (
        HOME,
        World("strict", severity=(-1.0, 0.0)),
        World("mild", severity=(1.0, 0.0)),
        World("tails", tails=2.5),
        World("mixed", mixed=0.08),
        World("early-slip", slip=(2.0, 3.5)),
        World("late-slip", slip=(7.5, 10.0)),
        World("blunt", blunt_mm=(0.010, 0.030)),
        World("wet", moisture=(2.5, 5.0)),
        World(
            "varied", slip=(2.0, 7.0), ooze=(1.0, 2.5), nozzle=(1.0, 1.3), moisture=(0.5, 2.0), severity=(0.0, 0.6),
            tails=5.0, mixed=0.02, blunt_mm=(0.0, 0.010),
        ),
    )
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Reader:
    """Who looks and measures, with habits kept for all looks."""

    severity: float = 0.0
    tails: float = 0.0
    mixed: float = 0.0
    blunt_mm: float = 0.0


_PRACTISED = Reader()
_WHO: ContextVar[Reader] = ContextVar("reader", default=_PRACTISED)


def drawn_from(ends: Range, rng: np.random.Generator) -> float:
    """A number between two ends; no draw is spent where they are one."""
    return ends[0] if ends[0] == ends[1] else float(rng.uniform(*ends))


def draw_reader(world: World, seed: int) -> Reader:
    """The reader of that number in a world."""
    rng = np.random.default_rng([seed, 41])
    mean, spread = world.severity
    severity = mean if spread == 0 else float(rng.normal(mean, spread))
    return Reader(severity, world.tails, world.mixed, drawn_from(world.blunt_mm, rng))


def who_looks() -> Reader:
    """The reader of now; one without habits of their own unless `looking` says otherwise."""
    return _WHO.get()


@contextmanager
def looking(reader: Reader) -> Iterator[None]:
    """As long as it lasts, this reader looks and measures."""
    token = _WHO.set(reader)
    try:
        yield
    finally:
        _WHO.reset(token)
