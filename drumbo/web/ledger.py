"""A profile's values line by line, for its page and for the sheet that goes to the slicer."""

from __future__ import annotations

from dataclasses import dataclass

from drumbo.core.catalogue import Group, Parameter, groups_of, in_group
from drumbo.core.processes import AnyPrinter
from drumbo.core.profile import Profile, Value
from drumbo.web.filters import plus_minus, shown, state_of, words_of
from drumbo.web.written import beside

MOST_DOUBTS = 6
_MARKS = {"measured": "●", "hand": "◌", "start": "○", "recheck": "△"}


@dataclass(frozen=True, slots=True)
class LedgerLine:
    """One value: as it is printed, with its error and unit, and in another unit beside it (`also`) where somebody wants
    that; the state of its mark (`sign` on paper); why it is so, and the trial that found it, where one did and nothing
    doubts it.
    """

    key: str
    name: str
    words: str
    value: str
    error: str
    unit: str
    also: str
    state: str
    sign: str
    why: str
    trial: int | None
    ignored: bool


@dataclass(frozen=True, slots=True)
class LedgerGroup:
    """A group with its lines; how many of them are plates."""

    group: Group
    lines: tuple[LedgerLine, ...]
    plates: int


def ledger(profile: Profile, printer: AnyPrinter) -> tuple[LedgerGroup, ...]:
    """All that the profile holds."""
    return _groups(profile, printer, [group for group in groups_of(profile.process) if list(in_group(group.key))])


def _groups(
    profile: Profile, printer: AnyPrinter, groups: list[Group], *, to_type: bool = False
) -> tuple[LedgerGroup, ...]:  # fmt: skip
    ignored, found = printer.ignored(), []
    for group in groups:
        wanted = [p for p in in_group(group.key) if not (to_type and (p.aside or p.found))]
        lines = [_line(p, profile.values[p.key], p.key in ignored) for p in wanted if p.key in profile.values]
        if wanted:
            found.append(LedgerGroup(group, tuple(lines), sum(bool(p.plate) for p in wanted)))
    return tuple(found)


def _line(parameter: Parameter, value: Value, ignored: bool) -> LedgerLine:
    state = state_of(value)
    return LedgerLine(
        parameter.key,
        parameter.name,
        words_of(parameter),
        shown(value, parameter.key),
        plus_minus(value, parameter.key),
        parameter.unit,
        "" if value.number == 0 and parameter.zero else beside(value.number, parameter.unit),
        state,
        _MARKS[state],
        f"recheck: {value.recheck}" if value.recheck else value.origin.note,
        None if value.recheck else value.origin.trial,
        ignored,
    )


@dataclass(frozen=True, slots=True)
class TransferSheet:
    """What is typed into a slicer, what a printer ignores of it, and what wants a recheck."""

    groups: tuple[LedgerGroup, ...]
    ignores: bool
    doubts: str


def transfer_sheet(profile: Profile, printer: AnyPrinter) -> TransferSheet:
    """All values that a slicer has a field for."""
    groups = _groups(profile, printer, list(groups_of(profile.process)), to_type=True)
    doubts = [
        f"{p.name}: {profile.values[p.key].recheck}"
        for group in groups_of(profile.process)
        for p in in_group(group.key)
        if not p.aside and p.key in profile.values and profile.values[p.key].recheck
    ]
    more = ["and more"] if len(doubts) > MOST_DOUBTS else []
    return TransferSheet(groups, bool(printer.ignored()), "; ".join(doubts[:MOST_DOUBTS] + more))
