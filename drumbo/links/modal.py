"""What a printer keeps in mind while it goes through a file: where the head is, what numbers mean, how hot it is to be.

Followed line by line, so that a print can be left at any of them and taken up again there.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass, field

_WORD = re.compile(r"([A-Z])\s*([-+]?(?:\d+\.?\d*|\.\d+))")
_COMMENT = re.compile(r"\([^)]*\)")
_FIRST = re.compile(r"\s*([GMT])\s*(\d+)", re.IGNORECASE)
_FOLLOWED = frozenset({
    "G0", "G1", "G2", "G3", "G20", "G21", "G28", "G90", "G91", "G92", "M82", "M83", "M104", "M109", "M140", "M190",
    "M106", "M107",
})  # fmt: skip
AXES = "XYZ"


@dataclass
class Modal:
    """Places in the unit that numbers have just now, and as G92 may have shifted them; `known` are the axes that were
    said where they are. Nozzle targets by tool, None for one that is in use without ever being named; °C.
    """

    place: dict[str, float] = field(default_factory=lambda: dict.fromkeys((*AXES, "E"), 0.0))
    known: set[str] = field(default_factory=set)
    feed: float = 0.0
    relative: bool = False
    relative_e: bool = False
    inches: bool = False
    tool: int | None = None
    nozzles: dict[int | None, float] = field(default_factory=dict)
    bed: float = 0.0
    fan: float = 0.0

    def follow(self, lines: Iterable[str]) -> None:
        """Take lines in, one after the other."""
        for line in lines:
            self.take(line)

    def take(self, line: str) -> None:
        """Take one line in. What is not understood here changes nothing that is followed here."""
        first = _FIRST.match(line)
        if first is None:
            return
        word = first[1].upper() + str(int(first[2]))
        if word[0] == "T":
            self.tool = int(first[2])
            return
        if word not in _FOLLOWED:
            return
        plain = _COMMENT.sub("", line.upper())
        if word == "G28":
            # Where a homed axis stands is the firmware's; the next move says it.
            self.known.difference_update([axis for axis in AXES if axis in plain] or AXES)
            return
        self._carry_out(word, {name: float(number) for name, number in _WORD.findall(plain)})

    def _carry_out(self, word: str, values: dict[str, float]) -> None:
        if word in {"G0", "G1", "G2", "G3"}:
            self._move(values)
        elif word == "G92":
            for axis in [axis for axis in (*AXES, "E") if axis in values]:
                self.place[axis] = values[axis]
        elif word in {"G90", "G91"}:
            self.relative = self.relative_e = word == "G91"
        elif word in {"M82", "M83"}:
            self.relative_e = word == "M83"
        elif word in {"G20", "G21"}:
            self._measure(inches=word == "G20")
        elif word in {"M104", "M109"}:
            self._heat(values)
        elif word in {"M140", "M190"}:
            self.bed = values.get("S", values.get("R", self.bed))
        elif values.get("P", 0.0) == 0:
            # Other numbers are those of other fans.
            self.fan = values.get("S", 255.0) if word == "M106" else 0.0

    def _measure(self, *, inches: bool) -> None:
        """Numbers mean something else from here on; the head stays where it is."""
        was, self.inches = self.mm, inches
        self.place = {axis: number * was / self.mm for axis, number in self.place.items()}
        self.feed *= was / self.mm

    def _move(self, values: dict[str, float]) -> None:
        for axis in AXES:
            if axis in values:
                self.place[axis] = values[axis] + (self.place[axis] if self.relative else 0.0)
                if not self.relative:
                    self.known.add(axis)
        if "E" in values:
            self.place["E"] = values["E"] + (self.place["E"] if self.relative_e else 0.0)
        self.feed = values.get("F", self.feed)

    def _heat(self, values: dict[str, float]) -> None:
        target = values.get("S", values.get("R"))
        if target is not None:
            tool = int(values["T"]) if "T" in values else self.tool
            self.nozzles[tool] = target

    @property
    def nozzle(self) -> float:
        """Target of the nozzle in use."""
        return self.nozzles.get(self.tool, self.nozzles.get(None, 0.0))

    @property
    def mm(self) -> float:
        """How long one of its units is."""
        return 25.4 if self.inches else 1.0

    @property
    def moved(self) -> bool:
        """Whether all axes were said where they are, so that the head can be sent away and back."""
        return self.known.issuperset(AXES)
