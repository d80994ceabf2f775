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
    """Ranges from which what departs is drawn.

    Filament: `slip` is the power by which the delivered share falls past the melt limit, `onset` the share of that
    limit up to which all arrives, `ooze` the power of a string over the pull and `fades` how many strings follow an
    exponential instead; `drips_s` is how long what hangs goes on dripping; `nozzle` the power of melt capacity over the
    nozzle's width; `moisture` a factor; `wavers_mm` the spread of the filament's diameter along metres; `dead` how far
    from full roads may lie before it shows, as a share; `leans` a factor by which ridges are seen sooner or later;
    `lag_flow` the power by which the pressure's lag falls as flow grows; `bond_wide` a factor on how gently layers
    bond with heat; `browns_c` by how much later plastic browns; `clings` the share of an old
    filament that a new one takes along only slowly.

    Resin: `tail` is the share of the light that bleeds four times as far, `foot` a factor on a bottom's flare, `dim`
    how much darker the screen's corners are, `hump` how much brighter or darker a place of it is; `through` a factor on
    how far light goes on into what lies under an overhang, `holds` one on what supports carry, `soft_mm` by how much
    jaws press a skin, `joint_um` how far faces that are laid together stay apart.

    Readers: `severity` is the mean and spread of what one adds to every score, in points; `tails` the degrees of
    freedom of a look's noise (0 for a Gaussian); `mixed` how often one aspect is taken for another; `blunt_mm` what
    jaws add on each side.
    """

    name: str
    slip: Range = (6.0, 6.0)
    onset: Range = (0.0, 0.0)
    ooze: Range = (1.5, 1.5)
    fades: float = 0.0
    drips_s: Range = (0.15, 0.15)
    nozzle: Range = (1.3, 1.3)
    moisture: Range = (1.0, 1.0)
    wavers_mm: Range = (0.0, 0.0)
    dead: Range = (0.0, 0.0)
    leans: Range = (1.0, 1.0)
    lag_flow: Range = (0.0, 0.0)
    bond_wide: Range = (1.0, 1.0)
    browns_c: Range = (0.0, 0.0)
    tail: Range = (0.0, 0.0)
    foot: Range = (1.0, 1.0)
    dim: Range = (0.01, 0.06)
    hump: Range = (0.0, 0.0)
    through: Range = (1.0, 1.0)
    holds: Range = (1.0, 1.0)
    joint_um: Range = (3.0, 3.0)
    soft_mm: Range = (0.0, 0.0)
    severity: Range = (0.0, 0.0)
    tails: float = 0.0
    mixed: float = 0.0
    blunt_mm: Range = (0.0, 0.0)
    clings: Range = (0.0, 0.0)


HOME = World("home")
VARIED = World(
    "varied", slip=(2.0, 7.0), onset=(0.0, 0.4), ooze=(1.0, 2.5), fades=0.4, drips_s=(0.1, 2.0), nozzle=(1.0, 1.3),
    moisture=(0.5, 2.0), wavers_mm=(0.002, 0.010), dead=(0.0, 0.02), leans=(0.6, 1.5), lag_flow=(0.0, 0.25),
    bond_wide=(1.0, 2.2), browns_c=(0.0, 15.0), tail=(0.0, 0.15), foot=(1.0, 3.0), dim=(0.05, 0.20),
    hump=(-0.06, 0.06), through=(0.6, 1.3), holds=(0.5, 1.6), joint_um=(0.0, 6.0), soft_mm=(0.0, 0.010),
    severity=(0.0, 0.6), tails=5.0, mixed=0.02, blunt_mm=(0.005, 0.015), clings=(0.0, 0.10),
)  # fmt: skip
"""All of it at once, as wide as the trade knows it: what is shown to hold should hold here."""
WORLDS: dict[str, World] = {
    world.name: world
    for world in (
        HOME,
        VARIED,
        World("strict", severity=(-1.0, 0.0)),
        World("mild", severity=(1.0, 0.0)),
        World("tails", tails=2.5),
        World("mixed", mixed=0.08),
        World("asymmetric", dead=(0.02, 0.03), leans=(0.4, 0.6), lag_flow=(0.2, 0.3), bond_wide=(2.0, 2.5),
              browns_c=(10.0, 20.0), fades=1.0),
        World("early-slip", slip=(2.0, 3.5)),
        World("late-slip", slip=(7.5, 10.0), onset=(0.5, 0.7)),
        World("blunt", blunt_mm=(0.010, 0.020), soft_mm=(0.005, 0.010)),
        World("wet", moisture=(2.5, 5.0), drips_s=(0.5, 2.0)),
        World("uneven", wavers_mm=(0.010, 0.012), dim=(0.15, 0.25), hump=(-0.1, 0.1), tail=(0.1, 0.2), foot=(2.0, 4.0)),
    )
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Reader:
    """Who looks and measures, with habits kept for all looks."""

    severity: float = 0.0
    tails: float = 0.0
    mixed: float = 0.0
    blunt_mm: float = 0.0
    soft_mm: float = 0.0


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
    return Reader(severity, world.tails, world.mixed, drawn_from(world.blunt_mm, rng), drawn_from(world.soft_mm, rng))


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
