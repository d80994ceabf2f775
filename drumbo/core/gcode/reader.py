"""Reading any G-code file into columns, with the state it sets along the way.

Done here: G0 G1 G2 G3 (I J K or R, in the planes of G17 G18 G19), G4, G10 G11, G20 G21, G28, G90 G91, G92, M82 M83,
M200, M207 M208. What other words do is said by `words` and by the dialects. Comments after `;`, in `( )`, `%` lines; N
numbers with `*` checksums; lower case, words without spaces, numbers with exponents; lines that end with CR, LF or
both, and a byte-order mark. Several commands may stand on one line. Other words are kept and counted, and where their
arguments say plainly how hot something is, that is believed.
"""

from __future__ import annotations

import re

import numpy as np
from numpy.typing import NDArray

from drumbo.core.errors import GcodeError
from drumbo.core.gcode import kernel, tokens
from drumbo.core.gcode.command import Command, key_values
from drumbo.core.gcode.dialects import DIALECTS, KNOWN, Dialect, recognised
from drumbo.core.gcode.program import Floats, Program, is_known

LONGEST_COMMAND = 400
GULP_MM, LEFT_OVER = 40.0, 0.05
"""A move that feeds more, or filament of which less than this share stays out, is no print's."""
LARGEST_NUMBER = 1e9
"""Beyond this a number is no parameter of a printer."""
_LETTERS = {letter: place for place, letter in enumerate("ABCDEFGHIJKLMNOPQRSTUVWXYZ")}

_NUMBERED = re.compile(r"^[Nn]\d+\s*|\*\d+$")


def _lines_ended(raw: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """The same with every line ended by LF: some files end theirs by CR alone."""
    ends = np.flatnonzero(raw == 13)
    if not len(ends):
        return raw
    alone = ends[raw[np.minimum(ends + 1, len(raw) - 1)] != 10]
    if not len(alone) or len(alone) < np.count_nonzero(raw == 10):
        return raw
    ended = raw.copy()
    ended[alone] = 10
    return ended


def read(data: bytes | memoryview | NDArray[np.uint8], dialect: Dialect | None = None) -> Program:
    """Read a whole file, written for a dialect, or for the one that it is recognised as. GcodeError names the line
    where it cannot be read.
    """
    raw = data if isinstance(data, np.ndarray) else np.frombuffer(data, np.uint8)
    if not len(raw):
        raise GcodeError(0, "the file is empty")
    head = raw[:65536]
    if (head == 0).any() or ((head < 32) & (head != 9) & (head != 10) & (head != 13)).mean() > 0.01:
        raise GcodeError(0, "this is not a text file; G-code is plain text, one command a line")
    raw = _lines_ended(raw)
    if raw[-1] != ord("\n"):
        raw = np.append(raw, np.uint8(ord("\n")))
    # Of one kind, whatever it came as: for another the loop would be compiled once more, which takes many seconds.
    raw = np.ascontiguousarray(raw).view()
    raw.flags.writeable = False
    program = _scanned(raw, dialect, apart=dialect is not None and dialect.e_apart)
    if dialect is not None or not _e_in_doubt(program.commands):
        return program
    if any(each.hits(program.commands) for each in DIALECTS):
        return _scanned(raw, None, apart=True) if program.dialect.e_apart else program
    # Nobody tells which firmware it is for: what feeds filament is meant.
    if _feeds(program):
        return program
    other = _scanned(raw, None, apart=True)
    return other if _feeds(other) else program


def _scanned(raw: NDArray[np.uint8], dialect: Dialect | None, *, apart: bool) -> Program:
    capacity = int(np.count_nonzero(raw == 10)) + 1
    rows, count, table, parameters, told, lines, exponent, status = kernel.scan(
        raw, kernel.columns(capacity), apart=apart
    )
    if status[0]:
        raise _error(raw, status)
    line, kind, x, y, z, e_mm, feed = (column[:count] for column in rows)
    commands = tuple(_command(raw, table[k], parameters[k]) for k in range(told))
    if not count and not any(is_known(c.word) for c in commands):
        raise GcodeError(0, "holds no G-code command that is known; is it the right one?")
    return Program(line, kind, x, y, z, e_mm, feed, commands, lines, dialect or recognised(commands), exponent)


def _e_in_doubt(commands: tuple[Command, ...]) -> bool:
    """Whether it matters if G90 and G91 say how E is understood, as in some firmware, or leave it as it is."""
    coupled = apart = True
    since = 0
    for command in commands:
        if command.word not in {"G90", "G91", "M82", "M83"}:
            continue
        if coupled != apart and command.row > since:
            return True
        if command.word in {"M82", "M83"}:
            coupled = apart = command.word == "M82"
        else:
            coupled = command.word == "G90"
        since = command.row
    return coupled != apart


def _feeds(program: Program) -> bool:
    """Whether filament is fed as a print does it: no gulps, and most of it stays out."""
    fed = program.e_mm
    given = float(fed[fed > 0].sum())
    return not given or (float(fed.sum()) > LEFT_OVER * given and float(fed.max()) < GULP_MM)


_REASONS = {
    tokens.NO_NUMBER: "a letter without a number",
    tokens.BAD_BYTE: "a character that is no G-code",
    tokens.BAD_CHECKSUM: "the checksum does not fit the line; the file was damaged on its way",
    tokens.BAD_ARC: "an arc without a centre that fits; it needs I and J, or a large enough R",
    tokens.UNFILLED: "a name in braces where a number should be; the slicer or macro was to fill it in",
}


def _line_text(raw: NDArray[np.uint8], offset: int) -> str:
    start = offset
    while start > 0 and raw[start - 1] != 10 and offset - start < LONGEST_COMMAND:
        start -= 1
    stop = start
    while stop < len(raw) and raw[stop] != 10 and stop - start < 200:
        stop += 1
    return raw[start:stop].tobytes().decode("utf-8", "replace").strip()


def _error(raw: NDArray[np.uint8], status: NDArray[np.int64]) -> GcodeError:
    return GcodeError(int(status[2]), _REASONS[int(status[0])], _line_text(raw, int(status[1]))[:80])


def _command(raw: NDArray[np.uint8], row: NDArray[np.int64], parameters: Floats) -> Command:
    letter, code, line, at, offset, unfilled = (int(v) for v in row)
    if chr(letter) in "!?":
        text = _NUMBERED.sub("", _line_text(raw, offset).split(";")[0].strip())[:LONGEST_COMMAND]
        word = text.split()[0].upper() if letter == ord("!") and text.split() else text[:20] or "?"
        return Command(word, line, at, key_values(text), text)
    word = f"{chr(letter)}{code // 10}" + (f".{code % 10}" if code % 10 else "")
    values = {
        name: float(parameters[place]) for name, place in _LETTERS.items() if parameters[place] == parameters[place]
    }
    if any(abs(value) > LARGEST_NUMBER for value in values.values()) and word in KNOWN:
        raise GcodeError(
            line, f"{word} has a number beyond anything that a printer can do", _line_text(raw, offset)[:80]
        )
    return Command(word, line, at, values, _line_text(raw, offset)[:LONGEST_COMMAND] if unfilled else "")
