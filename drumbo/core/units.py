"""Units in which others write a parameter's number, and how each becomes ours."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from drumbo.core.catalogue import Parameter

NEXT_TO_NOTHING = 0.012
"""Share of a parameter's usual range up to which a number is taken to be in another unit, if there is one that fits."""


@dataclass(frozen=True, slots=True)
class Unit:
    """One way of writing a number: `words` after a number that say so; `to_ours` makes it ours."""

    key: str
    words: tuple[str, ...]
    to_ours: Callable[[float], float]


def _times(factor: float) -> Callable[[float], float]:
    return lambda number: number * factor


_SAME = _times(1.0)
_UNITS: dict[str, tuple[Unit, ...]] = {
    "°C": (
        Unit("°C", ("°c", "c", "deg", "°"), _SAME),
        Unit("°F", ("°f", "f"), lambda number: (number - 32) / 1.8),
        Unit("K", ("k",), lambda number: number - 273.15),
    ),
    "mm": (
        Unit("mm", ("mm",), _SAME),
        Unit("µm", ("µm", "um"), _times(0.001)),
        Unit("in", ("in", "inch", "inches", '"'), _times(25.4)),
        Unit("cm", ("cm",), _times(10)),
        Unit("m", ("m",), _times(1000)),
    ),
    "mm/s": (
        Unit("mm/s", ("mm/s",), _SAME),
        Unit("mm/min", ("mm/min", "mm/m"), _times(1 / 60)),
        Unit("m/min", ("m/min",), _times(1000 / 60)),
    ),
    "mm/s²": (Unit("mm/s²", ("mm/s²", "mm/s2"), _SAME), Unit("m/s²", ("m/s²", "m/s2"), _times(1000))),
    "mm³/s": (Unit("mm³/s", ("mm³/s", "mm3/s"), _SAME), Unit("mm³/min", ("mm³/min", "mm3/min"), _times(1 / 60))),
    "%": (Unit("%", ("%",), _SAME), Unit("share of 1", (), _times(100)), Unit("of 255", (), _times(100 / 255))),
    "": (Unit("as it is", (), _SAME), Unit("%", ("%",), _times(0.01))),
    "s": (
        Unit("s", ("s", "sec", "seconds"), _SAME),
        Unit("ms", ("ms",), _times(0.001)),
        Unit("min", ("min", "minutes"), _times(60)),
    ),
    "h": (Unit("h", ("h", "hour", "hours"), _SAME), Unit("min", ("min", "minutes"), _times(1 / 60))),
    "g": (Unit("g", ("g",), _SAME), Unit("kg", ("kg",), _times(1000)), Unit("mg", ("mg",), _times(0.001))),
    "ml": (Unit("ml", ("ml", "cm³", "cm3"), _SAME), Unit("l", ("l",), _times(1000))),
    "g/cm³": (Unit("g/cm³", ("g/cm³", "g/cm3"), _SAME), Unit("kg/m³", ("kg/m³", "kg/m3"), _times(0.001))),
}
_UNITS["mm/min"] = (Unit("mm/min", ("mm/min", "mm/m"), _SAME), Unit("mm/s", ("mm/s",), _times(60)))
_UNITS["µm"] = (Unit("µm", ("µm", "um", "micron", "microns"), _SAME), Unit("mm", ("mm",), _times(1000)))
_UNITS["min"] = (Unit("min", ("min", "minutes"), _SAME), Unit("s", ("s", "sec", "seconds"), _times(1 / 60)))
_UNITS["× flow"] = _UNITS[""]
_UNITS["mm of filament"] = _UNITS["mm"]
_UNITS["° from upright"] = (
    Unit("° from upright", ("°", "deg"), _SAME),
    Unit("° from the plate", (), lambda number: 90 - number),
)


_TYPED = str.maketrans({"\u03bc": "µ", "²": "2", "³": "3"})


def in_ours(number: float, written: str, unit: str) -> float | None:
    """A number in `unit` that was written with a unit behind it; None where that is no such unit, or one whose zero
    lies elsewhere, as nobody can tell whether 9 °F is how hot something is or how much hotter.

    >>> in_ours(2000.0, "um", "mm"), in_ours(410.0, "°F", "°C"), in_ours(24.0, "hours", "h")
    (2.0, None, 24.0)
    """
    word = _plain(written)
    if word == _plain(unit):
        return number
    known = next((each for each in _UNITS.get(unit, ()) if word in map(_plain, each.words)), None)
    return None if known is None or known.to_ours(0.0) != 0.0 else known.to_ours(number)


def _plain(written: str) -> str:
    """As people type it: micro has two signs, and powers are typed as digits."""
    return " ".join(written.lower().translate(_TYPED).split())


def units_of(parameter: Parameter) -> tuple[Unit, ...]:
    """The units in which a parameter may be written, ours first."""
    return _UNITS.get(parameter.unit, (Unit(parameter.unit or "as it is", (), _SAME),))


def unit_of(parameter: Parameter, key: str) -> Unit:
    """The unit of that key, or ours."""
    return next((unit for unit in units_of(parameter) if unit.key == key), units_of(parameter)[0])


def likely_unit(parameter: Parameter, number: float, written: str) -> str:
    """Key of the unit that a number is in: what is written behind it, else what makes it usual, else ours.

    210 °C and 410 °F are both temperatures of a nozzle; 97 for a flow ratio is per cent, and 1200 mm/min is 20 mm/s.
    """
    units = units_of(parameter)
    said = next((unit for unit in units if written.strip().lower() in unit.words), None) if written.strip() else None
    if said is not None:
        return said.key
    slack = 0.5 * (parameter.high - parameter.low)
    usual = [u for u in units if parameter.low - slack <= u.to_ours(number) <= parameter.high + slack]
    # 0.4 for a fan is a share of 1: as per cent it would be next to nothing.
    telling = [u for u in usual if abs(u.to_ours(number)) > NEXT_TO_NOTHING * parameter.high]
    return (telling or usual or list(units))[0].key
