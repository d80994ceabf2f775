"""The pair file: JSON with two profile files in it, and what trials of the two found. See docs/formats.md.

Each of the two is a whole profile file, and is believed as little as one.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from drumbo.core.catalogue import BY_KEY, FILAMENT
from drumbo.exchange.profile_file import LARGEST, Brought, finite, parsed, profile_of_data, written, wrong

FORMAT = "drumbo-pair"
VERSION = 1
LONGEST_NOTE = 1000
_SAYS_SO = re.compile(rb'"format"\s*+:\s*+"drumbo-pair"')


@dataclass(frozen=True, slots=True)
class FoundOfTwo:
    """What a trial of the two found: a value and its standard error."""

    number: float
    error: float | None = None


@dataclass(frozen=True, slots=True)
class BroughtPair:
    """What a pair file holds. `skipped` are sentences on what of it is not taken."""

    one: Brought
    other: Brought
    found: Mapping[str, FoundOfTwo]
    notes: str
    skipped: tuple[str, ...]


def pair_json(profiles: Sequence[Mapping[str, Any]], found: Mapping[str, FoundOfTwo], notes: str) -> str:
    """The file's text, of both profiles' own data, the first one first."""
    values = {
        key: {"number": each.number, "unit": BY_KEY[key].unit, "name": BY_KEY[key].name, "error": each.error}
        for key, each in found.items()
    }
    return written({"format": FORMAT, "version": VERSION, "profiles": list(profiles), "values": values, "notes": notes})


def is_pair_file(data: bytes) -> bool:
    """Whether data looks like one, to be read by `read_pair`."""
    return _SAYS_SO.search(data[:LARGEST]) is not None


def read_pair(data: bytes) -> BroughtPair:
    """What a pair file holds; InvalidInput says where it is wrong."""
    told = parsed(data)
    if not isinstance(told, dict) or told.get("format") != FORMAT:
        raise wrong("is no pair of Drumbo's: it does not say so under “format”")
    if told.get("version") != VERSION:
        raise wrong(f"is of another version than {VERSION}, which this Drumbo reads: bring it up to date")
    profiles = told.get("profiles")
    if not isinstance(profiles, list) or len(profiles) != 2:
        raise wrong("does not hold two profiles under “profiles”")
    one, other = (profile_of_data(each) for each in profiles)
    if {one.profile.process, other.profile.process} != {FILAMENT}:
        raise wrong("is of another process; only filament goes with filament")
    found, skipped = _found(told.get("values", {}))
    notes = told.get("notes", "")
    if not isinstance(notes, str) or len(notes) > LONGEST_NOTE:
        raise wrong(f"has notes of more than {LONGEST_NOTE} characters, or none that are text")
    both = tuple(f"{b.profile.name}: {said}" for b in (one, other) for said in b.skipped)
    return BroughtPair(one, other, found, notes, both + tuple(skipped))


def _found(told: Any) -> tuple[dict[str, FoundOfTwo], list[str]]:
    if not isinstance(told, dict):
        raise wrong("has no table under “values”")
    found, skipped = {}, []
    for key, data in told.items():
        where, known = f"values.{key[:60]}", BY_KEY.get(key)
        if not isinstance(data, dict):
            raise wrong(f"has no value under “{where}”")
        if known is None or known.scope != "pair":
            skipped.append(f"{key[:60]}: no trial of two finds that here.")
        elif data.get("unit", known.unit) != known.unit:
            skipped.append(f"{known.name}: it is in “{str(data['unit'])[:20]}”, and {known.unit} is meant.")
        else:
            error = data.get("error")
            number = finite(data.get("number"), f"{where}.number")
            found[key] = FoundOfTwo(number, None if error is None else abs(finite(error, f"{where}.error")))
    return found, skipped
