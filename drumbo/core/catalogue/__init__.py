"""Every profile parameter once: key, name, unit, bounds, group, what it rests on, what it starts at, where it goes in a
toolpath, how it is printed.

Bounds here warn and never refuse: a printer may well run a value outside of them. Packages that bring a kind of trial
may bring parameters of their own, under the entry point group `drumbo.parameters`: each a tuple of them.
"""

from __future__ import annotations

from collections.abc import Iterator

from drumbo.core.catalogue import filament, resin
from drumbo.core.catalogue.parameter import ELSEWHERE, FILAMENT, RESIN, Facts, Group, LabelWord, Parameter
from drumbo.core.registry import brought

__all__ = [
    "BY_KEY", "ELSEWHERE", "FILAMENT", "GROUPS", "PARAMETERS", "RESIN", "Facts", "Group", "LabelWord", "Parameter",
    "counter_of", "find", "groups_of", "in_group", "of_process", "process_of", "starting_values",
]  # fmt: skip

GROUPS: tuple[Group, ...] = filament.GROUPS + resin.GROUPS
_BROUGHT = tuple(parameter for several in brought("drumbo.parameters") for parameter in several)
PARAMETERS: tuple[Parameter, ...] = filament.PARAMETERS + resin.PARAMETERS + _BROUGHT
BY_KEY: dict[str, Parameter] = {p.key: p for p in PARAMETERS}
_OF_GROUP = {group.key: group.process for group in GROUPS}
_PROCESSES = {p.key: _OF_GROUP[p.group] for p in PARAMETERS}


def groups_of(process: str) -> tuple[Group, ...]:
    """The sectors of profiles of one process, in trial order."""
    return tuple(group for group in GROUPS if group.process == process)


def in_group(group: str) -> Iterator[Parameter]:
    """The parameters of one group that profiles hold, in catalogue order."""
    return (p for p in PARAMETERS if p.group == group and p.scope == "profile")


def process_of(key: str) -> str | None:
    """The process whose profiles hold a parameter; None for a key that the catalogue does not know."""
    return _PROCESSES.get(key)


def of_process(process: str) -> Iterator[Parameter]:
    """The parameters of one process, in catalogue order."""
    groups = {group.key for group in groups_of(process)}
    return (p for p in PARAMETERS if p.group in groups)


def counter_of(process: str) -> Parameter:
    """The parameter that counts batches or bottles of a material."""
    return next(p for p in of_process(process) if p.counts)


def starting_values(process: str, facts: Facts) -> dict[str, float]:
    """Catalogue key → what profiles of a process start with where such facts hold."""
    begun = ((p.key, p.begins_at(facts)) for p in of_process(process) if p.scope == "profile")
    return {key: number for key, number in begun if number is not None}


def find(text: str, most: int = 8, process: str = FILAMENT) -> list[Parameter]:
    """Parameters of a process by any word a maker might use: every word must stand in name, group, other names or what
    goes wrong.

    Those whose names hold the words come before those that only mention them, and what goes by just these first of all.
    """
    words = text.lower().split()[:6]
    if not words:
        return []

    def rank(parameter: Parameter) -> int:
        places = (
            parameter.name, " ".join(parameter.also_called), f"{_GROUP_NAMES[parameter.group]} {parameter.unit}",
            f"{parameter.too_low} {parameter.too_high} {parameter.help}",
        )  # fmt: skip
        ranks = [next((k for k, place in enumerate(places) if word in place.lower()), None) for word in words]
        return -1 if None in ranks else max(r for r in ranks if r is not None)

    phrase = " ".join(words)
    ranked = [(phrase not in p.also_called, rank(p), place, p) for place, p in enumerate(of_process(process))]
    return [p for _, at, _, p in sorted(ranked, key=lambda r: r[:3]) if at >= 0][:most]


_GROUP_NAMES = {group.key: group.name for group in GROUPS}
