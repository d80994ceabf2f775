"""The reader in plain Python, split and float, line by line: the test oracle and the measure of speed.

It knows what moves the head and what state follows it, and is as short as that allows. Use `reader.read`.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass, field
from itertools import pairwise

from drumbo.core.errors import GcodeError
from drumbo.core.gcode.turns import CHORD_MM

_WORD = re.compile(r"([A-Z])\s*([-+]?(?:\d+\.?\d*|\.\d+))")
_ASIDE = re.compile(r"\([^)]*\)|\*\d+|\"[^\"]*\"")

Row = tuple[int, int, float, float, float, float, float]


@dataclass
class LoopState:
    """Where the machine is and how it understands numbers. Rows are line, kind, x, y, z, e (mm), feed (mm/min)."""

    rows: list[Row] = field(default_factory=list)
    commands: list[tuple[str, int, int, dict[str, float]]] = field(default_factory=list)
    place: list[float] = field(default_factory=lambda: [0.0, 0.0, 0.0, 0.0])
    shift: list[float] = field(default_factory=lambda: [0.0, 0.0, 0.0, 0.0])
    unit: float = 1.0
    absolute: bool = True
    absolute_e: bool = True
    fed_each: float = 1.0
    feed: float = 0.0


def read_loop(text: str) -> LoopState:
    """Read a whole file. GcodeError names the line of a word that holds no number."""
    state = LoopState()
    for number, raw in enumerate(text.removeprefix("\ufeff").split("\n"), 1):
        line = raw.split(";", 1)[0]
        if "(" in line or "*" in line or '"' in line:
            line = _ASIDE.sub("", line)
        words = line.upper().split()
        if words and words[0][0] == "N":
            words = words[1:]
        if not words:
            continue
        if len(words) == 1 or not all(len(w) > 1 for w in words):
            words = [letter + digits for letter, digits in _WORD.findall(" ".join(words))] or words
        try:
            for command in _apart(words):
                _line(state, number, command)
        except ValueError as error:
            raise GcodeError(number, "a letter without a number", raw.strip()) from error
    return state


def _apart(words: list[str]) -> list[list[str]]:
    """The commands of a line: each begins with a G or an M that has a number."""
    begins = [k for k, word in enumerate(words) if k and word[0] in "GM" and word[1:2].isdigit()]
    if not begins or words[0][0] not in "GMT":
        return [words]
    cuts = [0, *begins, len(words)]
    return [words[a:b] for a, b in pairwise(cuts)]


def _mode(state: LoopState, word: str, values: dict[str, float]) -> None:
    """How numbers are understood from here on."""
    if word in {"G20", "G21"}:
        state.unit = 25.4 if word == "G20" else 1.0
    elif word in {"G90", "G91"}:
        state.absolute = state.absolute_e = word == "G90"
    elif word in {"M82", "M83"}:
        state.absolute_e = word == "M82"
    elif "D" in values:
        state.fed_each = 4 / (math.pi * values["D"] ** 2) if values["D"] > 0 else 1.0


def _line(state: LoopState, number: int, words: list[str]) -> None:
    head = words[0]
    if head in {"G0", "G1", "G00", "G01", "G2", "G3"}:
        values = {word[0]: float(word[1:]) for word in words[1:]}
        _move(state, number, int(head[1:]), values)
        return
    if not (head[0] in "GMT" and head[1:2].isdigit()):
        state.commands.append((head, number, len(state.rows), {}))
        return
    word = f"{head[0]}{float(head[1:]):g}"
    values = {w[0]: float(w[1:]) for w in words[1:] if len(w) > 1 and w[0].isalpha()}
    if word in {"G20", "G21", "G90", "G91", "M82", "M83", "M200"}:
        _mode(state, word, values)
    elif word == "G4" and max(values.get("P", 0), values.get("S", 0)) > 0:
        x, y, z, _ = state.place
        state.rows.append((number, 4, x, y, z, 0.0, state.feed))
    elif word == "G92":
        for axis, name in enumerate("XYZE"):
            if name in values or not values:
                each = state.fed_each if name == "E" else 1.0
                state.shift[axis] = state.place[axis] - values.get(name, 0.0) * state.unit * each
    elif word == "G28":
        named = [w[0] for w in words[1:]]
        for axis, name in enumerate("XYZ"):
            if name in named or not named:
                state.place[axis] = state.shift[axis] = 0.0
        x, y, z, _ = state.place
        state.rows.append((number, 28, x, y, z, 0.0, state.feed))
    state.commands.append((word, number, len(state.rows), values))


def _move(state: LoopState, number: int, kind: int, values: dict[str, float]) -> None:
    if "F" in values:
        state.feed = values["F"] * state.unit
    before = state.place[:3]
    for axis, name in enumerate("XYZ"):
        if name in values:
            base = state.shift[axis] if state.absolute else state.place[axis]
            state.place[axis] = values[name] * state.unit + base
    fed = 0.0
    if "E" in values:
        target = values["E"] * state.unit * state.fed_each + (state.shift[3] if state.absolute_e else state.place[3])
        fed, state.place[3] = target - state.place[3], target
    if kind < 2:
        if values.keys() & {"X", "Y", "Z", "E"}:
            x, y, z, _ = state.place
            state.rows.append((number, kind, x, y, z, fed, state.feed))
        return
    _arc(state, number, kind, values, before, fed)


def _arc(state: LoopState, number: int, kind: int, values: dict[str, float], before: list[float], fed: float) -> None:
    """Arcs by I and J as chords of about `CHORD_MM`."""
    cx, cy = before[0] + values.get("I", 0.0) * state.unit, before[1] + values.get("J", 0.0) * state.unit
    radius = math.hypot(before[0] - cx, before[1] - cy)
    first = math.atan2(before[1] - cy, before[0] - cx)
    sweep = math.atan2(state.place[1] - cy, state.place[0] - cx) - first
    if kind == 2 and sweep >= -1e-9:
        sweep -= 2 * math.pi
    if kind == 3 and sweep <= 1e-9:
        sweep += 2 * math.pi
    chords = max(1, math.ceil(abs(sweep) * radius / CHORD_MM))
    for chord in range(1, chords + 1):
        share = chord / chords
        angle = first + sweep * share
        x, y = cx + radius * math.cos(angle), cy + radius * math.sin(angle)
        if chord == chords:
            x, y = state.place[0], state.place[1]
        z = before[2] + (state.place[2] - before[2]) * share
        state.rows.append((number, kind, x, y, z, fed / chords, state.feed))
