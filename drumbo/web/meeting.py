"""Two tabs on one thing: what somebody saves who opened the form before somebody else saved.

A form carries what it showed when it was opened. Where that is not what is kept any more, nothing is written: the form
comes back with what was saved meanwhile in every field that was left alone, and both values beside each other where
both changed one.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from threading import Lock
from typing import Any

from drumbo.core.fields import Field
from drumbo.web.filters import as_choice

WAS = "was"
SAVING = Lock()
"""Held from the look at what is kept to the save: a folder is served by one process, so nobody comes in between."""
LONGEST = 100_000


@dataclass(frozen=True, slots=True)
class Clash:
    """A field that both changed: what is typed here, and what was saved meanwhile."""

    label: str
    key: str
    mine: str
    theirs: str


@dataclass(frozen=True, slots=True)
class Meeting:
    """Somebody saved meanwhile: the form as it goes on, fields that were taken over, and those that both changed."""

    values: dict[str, Any]
    taken: tuple[str, ...]
    clashes: tuple[Clash, ...]


def shown_as(fields: Iterable[Field], values: Mapping[str, Any]) -> str:
    """What a form shows, to be carried by it."""
    return json.dumps({field.key: _text(values.get(field.key)) for field in fields}, ensure_ascii=False)


def meet(fields: Iterable[Field], typed: Mapping[str, str], now: Mapping[str, Any]) -> Meeting | None:
    """What was typed into a form, against what is kept now; None where that is what the form showed, or where it does
    not say what it showed.
    """
    was = _carried(typed.get(WAS, ""))
    if was is None:
        return None
    values: dict[str, Any] = dict(typed)
    taken, clashes = [], []
    for field in fields:
        before, mine, theirs = was.get(field.key, ""), _text(typed.get(field.key)), _text(now.get(field.key))
        if theirs in {before, mine}:
            continue
        if mine == before:
            values[field.key] = theirs
            taken.append(field.label)
        else:
            clashes.append(Clash(field.label, field.key, mine, theirs))
    return Meeting(values, tuple(taken), tuple(clashes)) if taken or clashes else None


def _carried(text: str) -> dict[str, str] | None:
    try:
        found = json.loads(text[:LONGEST]) if text else None
    except (RecursionError, ValueError):
        return None
    if not isinstance(found, dict):
        return None
    return {str(key): _text(value) for key, value in found.items()}


def _text(value: object) -> str:
    """As a form shows it, whatever a browser makes of the ends of its lines."""
    return str(as_choice(value).unescape()).replace("\r\n", "\n").strip()
