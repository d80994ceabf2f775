"""What a printer says over its line, told apart: one line of text becomes one or more facts.

Printers' firmware agrees on little. An answer may be `ok`, `okok`, `ok T:210.1 /210.0`, `ok N12 P15 B3`; a line may be
asked for again as `Resend: 12` or `rs N12`, after an `Error:` that is none; and noise may hurt any of it. Whatever is
not understood is TEXT, which nobody acts upon.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from enum import Enum
from functools import lru_cache


class Fact(Enum):
    """What a line of a printer means."""

    OK = "ok"
    RESEND = "resend"
    HALT = "halt"
    """The printer has stopped itself; only a restart helps."""
    REFUSED = "refused"
    """A line arrived damaged or out of order; a request for it follows."""
    WARNING = "warning"
    """An error of the soft kind: the print goes on, the maker should know."""
    BUSY = "busy"
    WAIT = "wait"
    """It has nothing to do and says so."""
    BOOT = "boot"
    HOLD = "hold"
    """It wants nothing more sent until it says so."""
    PAUSED = "paused"
    RESUMED = "resumed"
    CANCEL = "cancel"
    PROMPT = "prompt"
    HEAT = "heat"
    TEXT = "text"


@dataclass(frozen=True, slots=True)
class Reading:
    """One heater: °C now, and its target where the printer tells it."""

    now_c: float
    target_c: float | None


@dataclass(frozen=True, slots=True)
class HeatReport:
    """Temperatures as a printer reports them. `tools` by number; the one in use is also `nozzle`."""

    nozzle: Reading
    bed: Reading | None = None
    chamber: Reading | None = None
    tools: tuple[tuple[int, Reading], ...] = ()

    @property
    def all(self) -> tuple[Reading, ...]:
        """Every heater that was reported."""
        more = (reading for reading in (self.bed, self.chamber) if reading is not None)
        return (self.nozzle, *more, *(reading for _, reading in self.tools))

    @property
    def all_off(self) -> bool | None:
        """Whether every target is 0; None where the printer does not tell targets."""
        targets = [reading.target_c for reading in self.all]
        return None if None in targets else not any(targets)

    @property
    def says(self) -> str:
        """In a few words."""
        said = [f"nozzle {_shown(self.nozzle)}"]
        if self.bed is not None:
            said.append(f"bed {_shown(self.bed)}")
        return ", ".join(said)

    def to_json(self) -> dict[str, float | None]:
        """For a journal or a page."""
        bed = self.bed or Reading(0.0, None)
        return {
            "nozzle_c": self.nozzle.now_c,
            "nozzle_target_c": self.nozzle.target_c,
            "bed_c": bed.now_c if self.bed else None,
            "bed_target_c": bed.target_c,
        }


def _shown(reading: Reading) -> str:
    target = "" if reading.target_c is None else f" (target {reading.target_c:.0f})"
    return f"{reading.now_c:.0f} °C{target}"


@dataclass(frozen=True, slots=True)
class Said:
    """One fact. `number` is the line asked for, or the one an `ok` names; `room` how many more lines it can take."""

    fact: Fact
    text: str = ""
    number: int | None = None
    room: int | None = None
    heats: HeatReport | None = None


LONGEST_LINE = 1000
_OKS = re.compile(r"(?:ok)+(?![a-z])", re.IGNORECASE)
_GLUED = re.compile(r"(?<=\S)(?=Resend:|Error:|//action:|echo:busy)|(?<=[\d.])(?=ok)", re.IGNORECASE)
_RESEND = re.compile(r"(?:Resend|rs)\b[:\s]*N?:?\s*(\d*)", re.IGNORECASE)
_ROOM = re.compile(r"\bB(\d{1,3})(?!\S)")
_NUMBER = re.compile(r"^\s*N(\d{1,9})\b")
_HEAT = re.compile(
    r"(?<![A-Za-z@])(T\d?|B|C):\s*(-?\d{1,4}(?:\.\d{1,3})?)(?:\s*/\s*(-?\d{1,4}(?:\.\d{1,3})?))?(?![\d.])"
)
_HALTS = re.compile(
    r"kill\(\) called|printer halted|thermal runaway|mintemp|maxtemp|heating failed|halted|emergency", re.IGNORECASE
)
_REFUSALS = re.compile(r"checksum|line number|last line", re.IGNORECASE)
_BOOT = re.compile(
    r"(?:echo:\s*)?(?:power\s?up|(?:external|brown.?out|watchdog|software|hardware) reset)", re.IGNORECASE
)
_ACTIONS = {
    "pause": Fact.HOLD, "paused": Fact.PAUSED, "resume": Fact.RESUMED, "resumed": Fact.RESUMED,
    "cancel": Fact.CANCEL, "disconnect": Fact.CANCEL, "prompt_begin": Fact.PROMPT,
}  # fmt: skip


@lru_cache(maxsize=512)
def hear(line: str) -> tuple[Said, ...]:
    """The facts in one line; never an exception, whatever the line holds. Most lines are ones that were heard before.

    >>> [said.fact.value for said in hear("okok")], hear("ok N12 P15 B3")[0].room
    (['ok', 'ok'], 3)
    """
    clean = "".join(c for c in line[:LONGEST_LINE] if c.isprintable()).strip()
    return tuple(said for part in _GLUED.split(clean) if part.strip() for said in _one(part.strip()))


def _one(text: str) -> list[Said]:
    oks = _OKS.match(text)
    if oks:
        rest = text[oks.end() :]
        number, room = _NUMBER.match(rest), _ROOM.search(rest)
        last = Said(
            Fact.OK, text, int(number[1]) if number else None, int(room[1]) if room else None, heats_in(rest)
        )  # fmt: skip
        return [Said(Fact.OK, text)] * (len(oks[0]) // 2 - 1) + [last]
    asked = _RESEND.match(text)
    if asked:
        digits = asked[1]
        return [Said(Fact.RESEND, text[:80], int(digits) if 0 < len(digits) < 10 else None)]
    lower = text.lower()
    if lower.startswith(("error", "!!", "fatal")) or "kill() called" in lower:
        return [Said(_error(text), text.split(":", 1)[-1].strip(" !") or text)]
    if lower.startswith("//"):
        return _action(text)
    return [_spoken(text, lower)]


def _spoken(text: str, lower: str) -> Said:
    plain = lower.removeprefix("echo:").strip()
    if plain.startswith("busy"):
        waits = "paused" in plain
        return Said(Fact.PAUSED if waits else Fact.BUSY, text.split(":", 1)[-1].strip() if waits else text)
    if plain == "wait":
        return Said(Fact.WAIT, text)
    if plain == "start" or _BOOT.match(text):
        return Said(Fact.BOOT, text)
    heats = heats_in(text)
    return Said(Fact.TEXT if heats is None else Fact.HEAT, text, heats=heats)


def _error(text: str) -> Fact:
    if text.startswith("!!") or _HALTS.search(text):
        return Fact.HALT
    return Fact.REFUSED if _REFUSALS.search(text) else Fact.WARNING


def _action(text: str) -> list[Said]:
    name, _, more = text.lstrip("/").removeprefix("action:").strip().partition(" ")
    fact = _ACTIONS.get(name.lower())
    return [Said(Fact.TEXT, text) if fact is None else Said(fact, more.strip())]


def heats_in(text: str) -> HeatReport | None:
    """The temperatures in a text like `T:210.1 /210.0 B:60.0 /60.0 T1:25.0 /0.0`, or None where none are told."""
    found: dict[str, Reading] = {}
    for name, now, target in _HEAT.findall(text):
        found[name] = Reading(float(now), float(target) if target else None)
    tools = tuple((int(name[1:]), reading) for name, reading in found.items() if len(name) == 2)
    nozzle = found.get("T") or (tools[0][1] if tools else None)
    if nozzle is None:
        return None
    return HeatReport(nozzle, found.get("B"), found.get("C"), tools)
