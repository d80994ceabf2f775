"""Which words a printer's firmware understands, where they differ: a module a dialect, found by being here or brought
by another package under the entry point group `drumbo.dialects`.
"""

from __future__ import annotations

from collections.abc import Sequence

from drumbo.core.errors import NotFound
from drumbo.core.gcode.command import Command, What, Words
from drumbo.core.gcode.dialects.dialect import Dialect, Setting
from drumbo.core.gcode.words import COMMON, number
from drumbo.core.registry import found

__all__ = ["DIALECTS", "KNOWN", "Dialect", "Setting", "dialect", "meanings", "recognised"]

DIALECTS: tuple[Dialect, ...] = tuple(
    sorted(found(__name__, list(__path__), "DIALECT", "drumbo.dialects"), key=lambda d: (d.place, d.key))
)


def _own(each: Dialect) -> Words:
    """A dialect's own words, pressure advance among them."""
    advance = each.pressure_advance
    return {**({advance.word: number(What.PRESSURE, advance.name)} if advance else {}), **each.own}


_OTHERS: Words = {word: does for each in reversed(DIALECTS) for word, does in _own(each).items()}
KNOWN: frozenset[str] = frozenset(COMMON) | frozenset(_OTHERS)
"""Words that some dialect knows."""

_BY_KEY = {d.key: d for d in DIALECTS}
_USUAL = min(DIALECTS, key=lambda d: (len(d.own) + len(d.signs), d.place))


def dialect(key: str) -> Dialect:
    """The dialect under `key`; NotFound names those there are."""
    try:
        return _BY_KEY[key]
    except KeyError:
        raise NotFound(f"no dialect {key!r}; there are {', '.join(_BY_KEY)}") from None


def recognised(commands: Sequence[Command]) -> Dialect:
    """The dialect that a file is written in, told from words that only one understands; the one with no words of its
    own where nothing tells.
    """
    hits = [(each.hits(commands), each) for each in DIALECTS]
    most = max(count for count, _ in hits)
    return next(each for count, each in hits if count == most) if most else _USUAL


def meanings(each: Dialect) -> Words:
    """What words do in a file of a dialect: its own before the usual ones, and other dialects' where it has none."""
    return {**_OTHERS, **COMMON, **_own(each)}
