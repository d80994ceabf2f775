"""How much wider than its own fit says a kind's answer has to be told, so that it holds in 90 of 100 cases.

A fit knows what scatters; it does not know in what ways its curves are not those of the world. So every kind was run on
spools, bottles, printers and readers whose forms and constants differ as widely as the trade knows them to, and its
error is scaled so that nine of ten right answers lie within what is told. Below 1 a fit was more careful than it had to
be. The figures stand in `wider.json`, with what they were made of; `python -m bench.widen` makes them.
"""

from __future__ import annotations

import json
from functools import cache
from importlib.resources import files


@cache
def _wider() -> dict[str, float]:
    told: dict[str, float] = json.loads(files(__package__).joinpath("wider.json").read_text())["wider"]
    return told


def holding(kind: str, error: float) -> float:
    """A standard error as it is told of that kind's answers; after a colon, of one sort of them."""
    return error * _wider().get(kind, 1.0)
