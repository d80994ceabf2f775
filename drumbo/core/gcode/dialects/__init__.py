"""Which words a printer's firmware understands, where they differ: a module a dialect, found by being here or brought
by another package under the entry point group `drumbo.dialects`.
"""

from __future__ import annotations

from drumbo.core.errors import NotFound
from drumbo.core.gcode.dialects.dialect import Dialect, Setting
from drumbo.core.registry import found

__all__ = ["DIALECTS", "PRESSURE_ADVANCE", "Dialect", "Setting", "dialect"]

DIALECTS: tuple[Dialect, ...] = tuple(
    sorted(found(__name__, list(__path__), "DIALECT", "drumbo.dialects"), key=lambda d: (d.place, d.key))
)
PRESSURE_ADVANCE: dict[str, str] = {
    d.pressure_advance.word: d.pressure_advance.name for d in DIALECTS if d.pressure_advance is not None
}
"""Commands that set pressure advance, of whatever dialect, and the name that the number stands under in each."""

_BY_KEY = {d.key: d for d in DIALECTS}


def dialect(key: str) -> Dialect:
    """The dialect under `key`; NotFound names those there are."""
    try:
        return _BY_KEY[key]
    except KeyError:
        raise NotFound(f"no dialect {key!r}; there are {', '.join(_BY_KEY)}") from None
