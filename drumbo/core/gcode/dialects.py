"""Which words a printer's firmware understands, where they differ."""

from __future__ import annotations

from dataclasses import dataclass

from drumbo.core.errors import NotFound


@dataclass(frozen=True, slots=True)
class Dialect:
    """`pressure_advance` is a template of `value`, or None where the firmware has no such word.

    `pause` waits for the maker at the printer. `extruder_steps` is a template too, and `keep` stores what was set;
    None where steps are written in the firmware's own configuration file.
    """

    key: str
    name: str
    pressure_advance: str | None
    pause: str = "M0"
    extruder_steps: str | None = "M92 E{value:.2f}"
    keep: str | None = "M500"


DIALECTS: tuple[Dialect, ...] = (
    Dialect("m900", "pressure advance by M900 K", "M900 K{value:.4f}"),
    Dialect("m572", "pressure advance by M572 D S", "M572 D0 S{value:.4f}", "M226", keep=None),
    Dialect(
        "key-value",
        "pressure advance by a key=value command",
        "SET_PRESSURE_ADVANCE ADVANCE={value:.4f}",
        extruder_steps=None,
        keep=None,
    ),
    Dialect("plain", "no pressure advance", None),
)

_BY_KEY = {d.key: d for d in DIALECTS}


def dialect(key: str) -> Dialect:
    """The dialect under `key`; NotFound names those there are."""
    try:
        return _BY_KEY[key]
    except KeyError:
        raise NotFound(f"no dialect {key!r}; there are {', '.join(_BY_KEY)}") from None
