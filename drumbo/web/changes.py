"""Changes of a profile as lines before and after, for adopting, taking across and the history."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from drumbo.core.catalogue import BY_KEY
from drumbo.core.profile import Change, Value
from drumbo.web.filters import plus_minus, shown


@dataclass(frozen=True, slots=True)
class ChangeLine:
    """One value before and after. `recheck` says why it wants one from now on; `moved` is whether the number is
    another; `note` tells its origin, and `confirms`, where the number stays, what is new about it.
    """

    name: str
    unit: str
    before: str
    after: str
    error: str
    note: str
    recheck: str
    cleared: bool
    moved: bool
    confirms: str


def change_lines(changes: Iterable[Change]) -> list[ChangeLine]:
    """All that have a value afterwards."""
    return [_line(each.key, each.before, each.after) for each in changes if each.after is not None]


def _line(key: str, before: Value | None, after: Value) -> ChangeLine:
    parameter = BY_KEY.get(key)
    doubted = bool(before and before.recheck)
    moved, confirms = True, ""
    if before is not None and before.number == after.number:
        moved, confirms = False, ", confirmed" if before.origin == after.origin else ", same number, now measured"
    return ChangeLine(
        name=parameter.name if parameter else key,
        unit=parameter.unit if parameter else "",
        before=shown(before, key),
        after=shown(after, key),
        error=plus_minus(after, key),
        note=after.origin.note,
        recheck=after.recheck if after.recheck and not doubted else "",
        cleared=doubted and not after.recheck,
        moved=moved,
        confirms=confirms,
    )
