"""The pair file: JSON with two profile files in it, and what trials of the two found. See docs/formats.md.

Each of the two is a whole profile file, and is believed as little as one.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Annotated, Any

from msgspec import Meta, Struct

from drumbo.core.catalogue import BY_KEY, FILAMENT
from drumbo.exchange.profile_file import LARGEST, Brought, parsed_file, profile_of_data, written, wrong
from drumbo.exchange.typed_json import Number, typed

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


class _Head(Struct):
    format: Any = None
    version: Any = None


class _File(Struct):
    profiles: Annotated[list[Any], Meta(min_length=2, max_length=2)]
    values: dict[str, Any] = {}
    notes: Annotated[str, Meta(max_length=LONGEST_NOTE)] = ""


class _Value(Struct):
    number: Number
    error: Number | None = None


def read_pair(data: bytes) -> BroughtPair:
    """What a pair file holds; InvalidInput says where it is wrong."""
    told = parsed_file(data)
    head = typed(told, _Head, wrong) if isinstance(told, dict) else _Head()
    if head.format != FORMAT:
        raise wrong("is no pair of Drumbo's: it does not say so under “format”")
    if head.version != VERSION:
        raise wrong(f"is of another version than {VERSION}, which this Drumbo reads: bring it up to date")
    file = typed(told, _File, wrong)
    one, other = (profile_of_data(each) for each in file.profiles)
    if {one.profile.process, other.profile.process} != {FILAMENT}:
        raise wrong("is of another process; only filament goes with filament")
    found, skipped = _found(file.values)
    both = tuple(f"{b.profile.name}: {said}" for b in (one, other) for said in b.skipped)
    return BroughtPair(one, other, found, file.notes, both + tuple(skipped))


def _found(told: Mapping[str, Any]) -> tuple[dict[str, FoundOfTwo], list[str]]:
    found, skipped = {}, []
    for key, value in told.items():
        where, known = f"values.{key[:60]}", BY_KEY.get(key)
        data = typed(value, dict[str, Any], wrong, where)
        if known is None or known.scope != "pair":
            skipped.append(f"{key[:60]}: no trial of two finds that here.")
        elif data.get("unit", known.unit) != known.unit:
            skipped.append(f"{known.name}: it is in “{str(data['unit'])[:20]}”, and {known.unit} is meant.")
        else:
            read = typed(data, _Value, wrong, where)
            found[key] = FoundOfTwo(read.number, None if read.error is None else abs(read.error))
    return found, skipped
