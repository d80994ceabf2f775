"""How surely a trial will tell its value before it is printed: the 90 % interval that it leads to at the median.

From spools, printers and readers of the varied world, by the plan that is suggested and by the quick one. The figures
stand in `expect.json`, with what they were made of; `python -m bench.designs --fixed --write` makes them.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from typing import Any


@cache
def _expect() -> dict[str, dict[str, Any]]:
    told: dict[str, dict[str, Any]] = json.loads(files(__package__).joinpath("expect.json").read_text())["half"]
    return told


@dataclass(frozen=True, slots=True)
class Expected:
    """Half of the interval of an answer: in its unit, or as a share of the value."""

    half: float
    share: bool


def expected(kind: str, drive: str, *, quick: bool) -> Expected | None:
    """What a kind's answer is expected to be told to, on a printer of a drive; None where nobody knows."""
    held = _expect().get(kind)
    if held is None:
        return None
    by_drive = held["quick" if quick else "suggested"]
    half = by_drive.get(drive, by_drive.get("any"))
    return None if half is None else Expected(float(half), bool(held["share"]))
