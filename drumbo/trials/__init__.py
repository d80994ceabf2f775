"""Trial kinds. Each is a folder here; it is found by being here, and named nowhere else. Other packages may bring kinds
too, under the entry point group `drumbo.kinds`, each a `KIND`.

A kind that cannot be imported stops the program: a silent gap would be worse.
"""

from __future__ import annotations

import pkgutil
from collections.abc import Iterator
from functools import cache
from importlib import import_module

from drumbo.core.errors import NotFound
from drumbo.core.registry import brought
from drumbo.trials.base import SomeKind

SHARED = "toolkit"
"""The one folder here that is no kind."""


@cache
def kinds() -> dict[str, SomeKind]:
    """Every kind by its slug, in the order in which makers work (that of the drum's sectors). RuntimeError where two
    have one slug.
    """
    from drumbo.core.catalogue import GROUPS  # noqa: PLC0415 - keeps this page free of the catalogue

    order = {group.key: place for place, group in enumerate(GROUPS)}
    found = sorted(_found(), key=lambda k: (order[k.group], k.slug))
    by_slug = {kind.slug: kind for kind in found}
    if len(by_slug) < len(found):
        twice = sorted({kind.slug for kind in found if by_slug[kind.slug] is not kind})
        raise RuntimeError(f"two kinds of trial have one slug: {', '.join(twice)}")
    return by_slug


def _found() -> Iterator[SomeKind]:
    for module in pkgutil.iter_modules(__path__):
        if module.ispkg and module.name != SHARED:
            yield import_module(f"{__name__}.{module.name}").KIND
    yield from brought("drumbo.kinds")


def kinds_of(process: str) -> dict[str, SomeKind]:
    """The kinds of one process."""
    return {slug: kind for slug, kind in kinds().items() if kind.process == process}


def kind(slug: str) -> SomeKind:
    """The kind under `slug`; NotFound names those there are."""
    try:
        return kinds()[slug]
    except KeyError:
        raise NotFound(f"there is no trial “{slug[:40]}”; there are {', '.join(kinds())}") from None


def kind_for(slug: str, process: str) -> SomeKind:
    """The kind under `slug`, of a process; NotFound names those there are."""
    found = kind(slug)
    if found.process != process:
        raise NotFound(
            f"“{slug}” is a trial for {found.process}; for {process} there are {', '.join(kinds_of(process))}"
        )
    return found
