"""A word of a file that moves nothing, and what such a word can do to the state of a machine."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from enum import StrEnum

_KEY_VALUE = re.compile(r"(\w++)\s*+=\s*+(\"[^\"]*\"|'[^']*'|[^\s;,]+)")
_NUMBER = re.compile(r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?")
_IN_BRACES = re.compile(r"\{([^{}\"]{1,60})\}|\[([A-Za-z_][^\[\]\"]{0,59})\]")


@dataclass(frozen=True, slots=True)
class Command:
    """A word that moves nothing. `row` is the move it stands before; `line` counts from 1; `text` is the whole line
    where letters do not tell all of it.
    """

    word: str
    line: int
    row: int
    values: dict[str, float]
    text: str = ""

    @property
    def heat(self) -> float | None:
        """Target of a heater's command, °C: S, or R where it also waits for cooling; None where it names none."""
        return self.values.get("S", self.values.get("R"))

    @property
    def names(self) -> dict[str, str]:
        """What key=value pairs say, as text without quotes, by key in capitals.

        >>> Command("SET_FAN", 1, 0, {}, "SET_FAN FAN=part SPEED=0.5").names
        {'FAN': 'part', 'SPEED': '0.5'}
        """
        return {key.upper(): said.strip("\"'") for key, said in _KEY_VALUE.findall(self.text)}

    @property
    def unfilled(self) -> tuple[str, ...]:
        """Names in braces or brackets that stand where a number should: somebody was to fill them in.

        >>> Command("M190", 1, 0, {}, "M190 S{bed_temperature} ; warm").unfilled
        ('bed_temperature',)
        """
        return tuple((a or b).strip() for a, b in _IN_BRACES.findall(self.text.split(";")[0]))


def key_values(text: str) -> dict[str, float]:
    """The numbers of key=value pairs, by key in capitals.

    >>> key_values("START BED=60 NOZZLE=210 PART=door")
    {'BED': 60.0, 'NOZZLE': 210.0}
    """
    return {
        key.upper(): float(said.strip("\"'"))
        for key, said in _KEY_VALUE.findall(text)
        if _NUMBER.fullmatch(said.strip("\"'"))
    }


class What(StrEnum):
    """A part of a machine's state that a word can set."""

    NOZZLE = "nozzle"
    BED = "bed"
    CHAMBER = "chamber"
    FAN = "fan"
    SPEED = "speed"
    FLOW = "flow"
    PRESSURE = "pressure advance"
    ACCEL = "acceleration"
    TRAVEL_ACCEL = "travel acceleration"
    JUNCTION = "junction speed"
    DEVIATION = "junction deviation"
    MOST_SPEED = "most speed"
    MOST_ACCEL = "most acceleration"
    COLD_LIMIT = "least temperature"
    TOOL = "tool"
    MOTORS = "motors"
    WAIT = "wait"
    PAUSE = "pause"
    DWELL = "dwell"
    HOME = "home"


@dataclass(frozen=True, slots=True)
class Effect:
    """What one word sets: a value (°C, a share, s, mm/s, mm/s² or mm) of a tool, or of the one in use where it names
    none; `waits` until it is reached; `axis` X Y Z E for limits that each axis has.
    """

    what: What
    value: float = 0.0
    tool: int | None = None
    waits: bool = False
    axis: str = ""


Meaning = Callable[[Command], Iterator[Effect]]
"""What a word does, given the command."""

Words = Mapping[str, Meaning | None]
"""What is known of words; None for one that changes nothing that is looked at here."""
