"""Trial kinds. Each is a folder here; it is found by being here, and named nowhere else.

A kind that cannot be imported stops the program: a silent gap would be worse.
"""

from __future__ import annotations

import pkgutil
from functools import cache
from importlib import import_module
from typing import Any

from drumbo.core.errors import NotFound
from drumbo.trials.base import AnyKind


@cache
def kinds() -> dict[str, AnyKind[Any, Any]]:
    """Every kind by its slug, in the order in which makers work (that of the drum's sectors)."""
    from drumbo.core.catalogue import GROUPS  # noqa: PLC0415 - keeps this page free of the catalogue

    found: list[AnyKind[Any, Any]] = []
    for module in pkgutil.iter_modules(__path__):
        if module.ispkg:
            found.append(import_module(f"{__name__}.{module.name}").KIND)
    order = {group.key: place for place, group in enumerate(GROUPS)}
    return {kind.slug: kind for kind in sorted(found, key=lambda k: (order[k.group], k.slug))}


def kinds_of(process: str) -> dict[str, AnyKind[Any, Any]]:
    """The kinds of one process."""
    return {slug: kind for slug, kind in kinds().items() if kind.process == process}


def kind(slug: str) -> AnyKind[Any, Any]:
    """The kind under `slug`; NotFound names those there are."""
    try:
        return kinds()[slug]
    except KeyError:
        raise NotFound(f"no trial kind {slug!r}; there are {', '.join(kinds())}") from None
