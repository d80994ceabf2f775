"""Profiles as files: a module a format, found by being here or brought by another package under the entry point group
`drumbo.exporters`. Page and command line offer whatever there is.
"""

from __future__ import annotations

from functools import cache

from drumbo.core.errors import NotFound
from drumbo.core.registry import found
from drumbo.exchange.exporters.exporter import Exporter, Outgoing

__all__ = ["Exporter", "Outgoing", "exporter", "exporters"]


@cache
def exporters() -> dict[str, Exporter]:
    """Every exporter by its key, as they are shown."""
    there = found(__name__, list(__path__), "EXPORTER", "drumbo.exporters")
    return {each.key: each for each in sorted(there, key=lambda e: (e.place, e.key))}


def exporter(key: str) -> Exporter:
    """The exporter under `key`; NotFound names those there are."""
    try:
        return exporters()[key]
    except KeyError:
        raise NotFound(f"no file format {key!r}; there are {', '.join(exporters())}") from None
