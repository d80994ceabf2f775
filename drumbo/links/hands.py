"""What somebody has a printer do by hand: heat, feed, home, move. Each is a few lines within the printer's limits.

An order is short words after a number of its own, as it goes into a run's orders: `7 heat 215`, `8 feed -80 25`.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

from drumbo.core.errors import NotNow
from drumbo.links.journal import Journal
from drumbo.links.talk import Talk
from drumbo.links.words import HeatReport

COLDEST_FEED_C = 170.0
"""Below that filament is ground away by the drive instead of being pushed."""
NEAR_C = 8.0
"""A nozzle this much below its target still feeds."""
CHUNK_MM = 40.0
"""Feeds are cut into pieces, so that a stop comes through soon."""
MOVES_MM_MIN, RISES_MM_MIN, SEEN_MM = 3000, 600, 80.0
FASTEST_FEED_MM_S, LONGEST_FEED_MM = 60.0, 3200.0
"""As long as the longest tube that a printer may have, and the way past it."""


@dataclass(frozen=True, slots=True)
class Limits:
    """How far a printer may go: °C; corners of its bed and its height, mm."""

    nozzle_max_c: float
    bed_max_c: float
    low: tuple[float, float] = (0.0, 0.0)
    high: tuple[float, float] = (200.0, 200.0)
    highest_mm: float = 200.0

    @classmethod
    def of(cls, data: dict[str, Any]) -> Limits:
        """From an order's papers."""
        return cls(
            float(data["nozzle_max_c"]), float(data["bed_max_c"]), tuple(data["low"]), tuple(data["high"]),
            float(data["highest_mm"]),
        )  # fmt: skip


@dataclass(frozen=True, slots=True)
class Handwork:
    """One thing to do: its number, what is said meanwhile, and the lines."""

    number: int
    says: str
    lines: tuple[str, ...]


def handwork(text: str, limits: Limits, heats: HeatReport | None, homed: bool) -> Handwork:
    """An order as lines; NotNow tells why it cannot be done now. `homed`: whether the printer knows where its head is.

    >>> handwork("3 heat 210", Limits(280, 110), None, False).lines
    ('M104 S210',)
    """
    words = text.split()
    try:
        number, word, values = int(words[0]), words[1], [_number(value) for value in words[2:]]
        does = _DOES[word]
    except (IndexError, ValueError, KeyError) as error:
        raise NotNow(f"“{text[:40]}” is nothing that a printer is told by hand") from error
    try:
        says, lines = does(values, limits, heats, homed)
    except (IndexError, ValueError) as error:
        raise NotNow(f"“{text[:40]}” lacks a number") from error
    return Handwork(number, says, tuple(lines))


def _plain(value: float) -> str:
    """A number as firmware reads it: without an exponent, which it would take for the end of the number.

    >>> _plain(210.0), _plain(-12.50), _plain(1e-7)
    ('210', '-12.5', '0')
    """
    return f"{round(value, 3) + 0.0:.3f}".rstrip("0").rstrip(".")


def _number(text: str) -> float:
    value = float(text)
    if not math.isfinite(value):
        raise ValueError(text)
    return value


Does = Callable[[list[float], Limits, HeatReport | None, bool], tuple[str, list[str]]]


def _heat(values: list[float], limits: Limits, heats: HeatReport | None, homed: bool) -> tuple[str, list[str]]:
    del heats, homed
    _within("the nozzle", values[0], 0, limits.nozzle_max_c, "°C")
    return ("Heating the nozzle." if values[0] else "Nozzle off."), [f"M104 S{_plain(values[0])}"]


def _bed(values: list[float], limits: Limits, heats: HeatReport | None, homed: bool) -> tuple[str, list[str]]:
    del heats, homed
    _within("the bed", values[0], 0, limits.bed_max_c, "°C")
    return ("Heating the bed." if values[0] else "Bed off."), [f"M140 S{_plain(values[0])}"]


def _feed(values: list[float], limits: Limits, heats: HeatReport | None, homed: bool) -> tuple[str, list[str]]:
    """Lengths, each with its speed, one after the other."""
    del limits, homed
    pairs = [(values[0], values[1]), *zip(values[2::2], values[3::2], strict=True)]
    for length, speed in pairs:
        _within("the length", abs(length), 0.1, LONGEST_FEED_MM, "mm")
        _within("the speed", speed, 0.1, FASTEST_FEED_MM_S, "mm/s")
    if heats is None:
        raise NotNow("the printer does not tell how hot its nozzle is; nothing is fed")
    target = heats.nozzle.target_c or 0.0
    least = max(COLDEST_FEED_C, target - NEAR_C)
    if heats.nozzle.now_c < least:
        raise NotNow(f"the nozzle is at {heats.nozzle.now_c:.0f} °C; wait until it is at {least:.0f} °C")
    each = []
    for length, speed in pairs:
        count = math.ceil(abs(length) / CHUNK_MM)
        each += [f"G1 E{length / count:.3f} F{_plain(speed * 60)}"] * count
    last = pairs[-1][0]
    says = f"Feeding {last:g} mm." if last > 0 else f"Pulling {-last:g} mm back."
    return says, ["M83", *each, "M400"]


def _home(values: list[float], limits: Limits, heats: HeatReport | None, homed: bool) -> tuple[str, list[str]]:
    del values, limits, heats, homed
    return "Homing.", ["G28", "M400"]


def _place(values: list[float], limits: Limits, heats: HeatReport | None, homed: bool) -> tuple[str, list[str]]:
    """To a place, up first."""
    del heats
    if not homed:
        raise NotNow("home it first: it does not know where its head is")
    x, y, z = values[:3]
    for axis, value, low, high in zip("XYZ", (x, y, z), (*limits.low, 0.0), (*limits.high, limits.highest_mm),
                                      strict=True):  # fmt: skip
        _within(axis, value, low, high, "mm")
    return "Moving.", [
        "G90",
        f"G1 Z{_plain(z)} F{RISES_MM_MIN}",
        f"G1 X{_plain(x)} Y{_plain(y)} F{MOVES_MM_MIN}",
        "M400",
    ]


def _lift(values: list[float], limits: Limits, heats: HeatReport | None, homed: bool) -> tuple[str, list[str]]:
    """Where it can be seen: up, and to the middle of the front."""
    del values, heats
    x, y = (limits.low[0] + limits.high[0]) / 2, limits.low[1] + 0.2 * (limits.high[1] - limits.low[1])
    z = min(SEEN_MM, limits.highest_mm)
    begin = [] if homed else ["G28"]
    moves = [f"G1 Z{_plain(z)} F{RISES_MM_MIN}", f"G1 X{_plain(x)} Y{_plain(y)} F{MOVES_MM_MIN}"]
    return "Lifting the head to where it can be seen.", [*begin, "G90", *moves, "M400"]


def _fan(values: list[float], limits: Limits, heats: HeatReport | None, homed: bool) -> tuple[str, list[str]]:
    del limits, heats, homed
    _within("the fan", values[0], 0, 100, "%")
    return "Setting the fan.", [f"M106 S{values[0] * 2.55:.0f}" if values[0] else "M107"]


def _off(values: list[float], limits: Limits, heats: HeatReport | None, homed: bool) -> tuple[str, list[str]]:
    del values, limits, heats, homed
    return "Switching all off.", ["M107", "M104 S0", "M140 S0"]


def _within(what: str, value: float, low: float, high: float, unit: str) -> None:
    if not low <= value <= high:
        raise NotNow(f"{what} may go from {low:g} to {high:g} {unit} on this printer, not to {value:g}")


_DOES: dict[str, Does] = {
    "heat": _heat,
    "lift": _lift,
    "bed": _bed,
    "feed": _feed,
    "home": _home,
    "place": _place,
    "fan": _fan,
    "off": _off,
}
MOVES = frozenset({"home", "place", "lift"})
"""What is not done while a print rests: its head is to come back to where it was."""


def carry_out(
    text: str,
    talk: Talk,
    journal: Journal,
    limits: Limits,
    taken: Callable[[], None],
    barred: frozenset[str] = frozenset(),
    *,
    homed: bool = False,
) -> str:
    """Do what somebody asks for, and note that it is done, or why not; `taken` is called once the next may be told.
    Returns the word of what was done, if it was.
    """
    number, _, what = text.partition(" ")
    try:
        if what.split(" ", 1)[0] in barred:
            raise NotNow("the head stays where it is while a print rests")
        work = handwork(text, limits, talk.heats, homed)
    except NotNow as error:
        taken()
        journal.note(
            did=int(number) if number.isdecimal() else journal.last.did, refused=sentence(str(error)), now=True
        )
        return ""
    journal.note(doing=work.says, refused="", now=True)
    taken()
    feeds = any(line.startswith("G1 E") for line in work.lines)
    talk.texts.clear()
    talk.deliver((*work.lines, "M119") if feeds else work.lines)
    fed = sum(float(line.split()[1][1:]) for line in work.lines if line.startswith("G1 E"))
    sees = sensed(talk.texts) if feeds else journal.last.filament
    journal.note(did=work.number, doing="", fed_mm=round(journal.last.fed_mm + fed, 2), filament=sees, now=True)
    return what.split(" ", 1)[0]


FACTORS = (10.0, 300.0)
PLAIN = ("M220 S100", "M221 S100")
"""Speed and flow as the file asks for."""
MOST_FACTORS = 40


def factors(text: str) -> tuple[int, float, float] | None:
    """An order to print slower or faster, with more or less flow, in the middle of a print: `4 factors 80 100`; None
    for any other. NotNow beyond what is sensible.
    """
    words = text.split()
    if len(words) != 4 or words[1] != "factors" or not words[0].isdecimal():
        return None
    try:
        speed, flow = _number(words[2]), _number(words[3])
    except ValueError as error:
        raise NotNow(f"“{text[:40]}” is no speed and flow") from error
    _within("the speed", speed, *FACTORS, "%")
    _within("the flow", flow, *FACTORS, "%")
    return int(words[0]), speed, flow


_SENSOR = re.compile(r"^\s*(?:echo:)?\s*filament\w*\s*:\s*(\w+)", re.IGNORECASE)


def sensed(lines: Iterable[str]) -> str:
    """What a filament sensor says in an answer to M119: "in", "out", or nothing where there is none.

    >>> sensed(["x_min: open", "filament: TRIGGERED"])
    'in'
    """
    found = [match[1].lower() for match in map(_SENSOR.match, lines) if match]
    return "" if not found else "in" if found[-1] in {"triggered", "present", "yes", "1"} else "out"


def sentence(text: str) -> str:
    """With a capital and an end."""
    return text[:1].upper() + text[1:] + ("" if text.endswith((".", "!", "?")) else ".")
