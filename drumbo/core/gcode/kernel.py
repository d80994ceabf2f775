"""One compiled pass over the bytes of a G-code file: commands (`tokens`), what they do to the state of the machine
(`_aim`, `_modes` and others), and columns, arcs as chords (`turns`).

`loop.read_loop` says the same in plain Python and is held against it in tests.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from drumbo.core.compiled import is_plain, njit
from drumbo.core.gcode.tokens import (
    AT_BYTE,
    AXES,
    BAD_ARC,
    BARE,
    CODE,
    FURTHER,
    HAS_EXPONENT,
    HAS_NAME,
    HAVE,
    LETTER,
    NUMBERED,
    WORD_SIZE,
    WRONG,
    D,
    E,
    F,
    N,
    P,
    S,
    X,
    Y,
    Z,
    is_move,
    is_retraction,
    read_command,
)
from drumbo.core.gcode.turns import in_plane, turn_between, write_turn

HOME, RETRACT, UNRETRACT, DWELL = 28, 10, 11, 4
"""The kinds of rows that home, of what firmware retracts and unretracts by itself, and of what only waits."""
NO_ROW = -1

# What a scan goes on from, in two arrays: where it is in the file and how much it has written, and the machine's state.
_AT, _LINE, _BEGIN, _ROWS, _COMMANDS, _WANTED, _PLANE, _EXPONENT_LINE, _WHERE_SIZE = range(9)
_FRESH = np.array([0, 0, 0, 0, 0, 0, 0, 0, 0, 1, 1, 1, 1, 2100, 2100, 0, 1, 0], np.float64)
"""X Y Z E, their shifts, feed; unit, absolute, absolute E; length, feeds and state of firmware's retraction; mm of
filament to a unit of E; whether G90 and G91 leave E as it is."""


def columns(size: int) -> tuple[NDArray[Any], ...]:
    """Room for so many rows. Made here, not in compiled code: numpy asks for large pages, which fill more quickly."""
    kinds = (np.int32, np.uint8, np.float64, np.float64, np.float64, np.float64, np.float32)
    return tuple(np.empty(size, kind) for kind in kinds)


def _longer(columns: tuple[NDArray[Any], ...], least: int = 0) -> tuple[NDArray[Any], ...]:
    """The same columns with room for twice as much, or for so much at least."""
    size = max(2 * len(columns[0]), least)
    out = tuple(np.empty((size, *c.shape[1:]), c.dtype) for c in columns)
    for old, new in zip(columns, out, strict=True):
        new[: len(old)] = old
    return out


# The machine's state is handed on as numbers and small tuples: arrays would cost more than what is done with them.
# `at` is X Y Z E in mm on the bed, `shift` what G92 moved each of them by; `told` are the numbers that a command names
# for them, mm; `modes` are unit (mm), whether X Y Z are absolute, whether E is, the plane of turns, mm of filament to
# a unit of E, other than 1 where E tells a volume, and whether G90 and G91 leave E as it is.


@njit
def _moved(has: int, told: float, at: float, shift: float, absolute: bool) -> float:
    if not has:
        return at
    return told + shift if absolute else at + told


@njit
def _aim(have: int, told: Any, at: Any, shift: Any, modes: Any) -> Any:
    """Where a move goes."""
    _, absolute, absolute_e, _, _, _ = modes
    return (
        _moved(have >> X & 1, told[0], at[0], shift[0], absolute),
        _moved(have >> Y & 1, told[1], at[1], shift[1], absolute),
        _moved(have >> Z & 1, told[2], at[2], shift[2], absolute),
        _moved(have >> E & 1, told[3], at[3], shift[3], absolute_e),
    )


@njit
def _homed(have: int, at: Any, others: Any) -> Any:
    """Four numbers with 0 for the axes that are homed: those named, or X Y Z where none is."""
    every = not have & AXES
    return (
        0.0 if have >> X & 1 or every else at[0],
        0.0 if have >> Y & 1 or every else at[1],
        0.0 if have >> Z & 1 or every else at[2],
        others,
    )


@njit
def _shifted(have: int, told: Any, at: Any, shift: Any) -> Any:
    """G92: from here on the named axes, or all of them, are said to be elsewhere."""
    every = not have & (AXES | 1 << E)
    return (
        at[0] - told[0] if have >> X & 1 or every else shift[0],
        at[1] - told[1] if have >> Y & 1 or every else shift[1],
        at[2] - told[2] if have >> Z & 1 or every else shift[2],
        at[3] - told[3] if have >> E & 1 or every else shift[3],
    )


@njit
def _modes(letter: int, code: int, have: int, value: Any, modes: Any) -> Any:
    """Unit, absolute or not, plane, filament to a unit of E, as a command leaves them."""
    unit, absolute, absolute_e, plane, fed_each, apart = modes
    if letter == 71:
        if code == 200 or code == 210:
            unit = 25.4 if code == 200 else 1.0
        elif code == 170 or code == 180 or code == 190:
            plane = (code - 170) // 10
        elif code == 900 or code == 910:
            absolute = code == 900
            absolute_e = absolute_e if apart else absolute
    elif letter == 77 and (code == 820 or code == 830):
        absolute_e = code == 820
    elif letter == 77 and code == 2000:
        if have >> D & 1:
            fed_each = 4.0 / (np.pi * value[D] ** 2) if value[D] > 0 else 1.0
        elif have >> S & 1 and value[S] == 0:
            fed_each = 1.0
    return unit, absolute, absolute_e, plane, fed_each, apart


@njit
def _dwells(letter: int, code: int, have: int, value: Any) -> bool:
    """G4 that names a time."""
    named = (have >> P & 1 and value[P] > 0) or (have >> S & 1 and value[S] > 0)
    return bool(letter == 71 and code == 40 and named)


@njit
def _firmware(letter: int, code: int, have: int, length: float, feed: float, firmware: Any) -> Any:
    """Firmware's retraction as a command leaves it: length, feed, feed of the way back, whether it is retracted."""
    retract_mm, retract_feed, unretract_feed, retracted = firmware
    if letter == 77 and code == 2070:
        if have >> S & 1:
            retract_mm = length
        if have >> F & 1:
            retract_feed = feed
    elif letter == 77 and code == 2080 and have >> F & 1:
        unretract_feed = feed
    elif is_retraction(letter, code, have):
        retracted = code == 100
    return retract_mm, retract_feed, unretract_feed, retracted


@njit
def _retract(code: int, firmware: Any) -> Any:
    """(filament fed, mm, feed) of firmware's retract and unretract: each only where the other came before it."""
    retract_mm, retract_feed, unretract_feed, retracted = firmware
    if code == 100:
        return (0.0 if retracted else -retract_mm), retract_feed
    return (retract_mm if retracted else 0.0), unretract_feed


@njit
def _keep(commands: Any, parameters: Any, kept: int, word: Any, line: int, count: int, begin: int, value: Any) -> int:
    """Write a command behind the others, where there is room; returns how many there are then."""
    commands[kept, 0] = word[LETTER]
    commands[kept, 1] = word[CODE]
    commands[kept, 2] = line
    commands[kept, 3] = count
    commands[kept, 4] = begin
    commands[kept, 5] = word[HAS_NAME]
    there = word[HAVE] & ~word[BARE]
    for k in range(26):
        parameters[kept, k] = value[k] if there >> k & 1 else np.nan
    return kept + 1


def scan(data: Any, rows: tuple[NDArray[Any], ...], *, apart: bool = False) -> Any:
    """Read bytes (n,) uint8 that end with a line's end; `apart` is whether G90 and G91 leave the mode of E as it is.

    Returns (rows, row count, commands, parameters, command count, line count, first line with an exponent or 0,
    status).

    Rows are columns: line, kind, x, y, z (mm, bed coordinates), e (mm fed), feed (mm/min); `rows` is room for them,
    as `columns` makes it, and is replaced by larger ones if arcs need more.
    Commands are (k, 6) int64: letter, number × 10, line, next row, byte offset of the line, whether a name in braces
    stands where a number should; parameters are (k, 26) float64 by letter, NaN where absent.
    """
    commands: tuple[NDArray[Any], ...] = (np.empty((1024, 6), np.int64), np.empty((1024, 26)))
    status = np.zeros(3, np.int64)
    word: Any = np.zeros(WORD_SIZE, np.int64)
    value: Any = np.zeros(26)
    where: Any = np.zeros(_WHERE_SIZE, np.int64)
    state: Any = _FRESH.copy()
    state[17] = apart
    where[_AT] = 3 if data[:3].tobytes() == b"\xef\xbb\xbf" else 0
    if is_plain():
        # Python's own numbers are quicker there, and never too small for a sum.
        data = data.tobytes()
        word, value, where, state = (each.tolist() for each in (word, value, where, state))
    while where[_AT] < len(data) and not status[0]:
        _scan(data, rows, commands[0], commands[1], where, state, word, value, status)
        if where[_ROWS] + max(where[_WANTED], 1) > len(rows[0]):
            rows = _longer(rows, int(where[_ROWS] + where[_WANTED]))
        if where[_COMMANDS] == len(commands[0]):
            commands = _longer(commands)
    return (
        rows,
        int(where[_ROWS]),
        *commands,
        int(where[_COMMANDS]),
        int(where[_LINE]),
        int(where[_EXPONENT_LINE]),
        status,
    )


@njit
def _scan(
    data: Any, rows: Any, commands: Any, parameters: Any, where: Any, state: Any, word: Any, value: Any, status: Any
) -> None:  # fmt: skip
    """Read on until the file ends, something is wrong, or there is no room for more. Arrays are never replaced here:
    a compiled loop that might would count who holds them, once a row, which takes longer than the row.
    """
    r_line, r_kind, r_x, r_y, r_z, r_e, r_feed = rows
    room, commands_room, n = len(r_line), len(commands), len(data)
    i, line, begin, count, kept, plane = (
        where[_AT], where[_LINE], where[_BEGIN], where[_ROWS], where[_COMMANDS], where[_PLANE],
    )  # fmt: skip
    at, shift, feed = (state[0], state[1], state[2], state[3]), (state[4], state[5], state[6], state[7]), state[8]
    modes = (state[9], state[10] != 0, state[11] != 0, plane, state[16], state[17] != 0)
    firmware = (state[12], state[13], state[14], state[15] != 0)
    wanted = 0
    while i < n and count < room and kept < commands_room:
        was_i, was_line, was_at, was_feed, was_further = i, line, at, feed, word[FURTHER]
        if word[FURTHER]:
            word[NUMBERED] = word[NUMBERED] or word[HAVE] >> N & 1
        else:
            line += 1
            begin = i
            word[NUMBERED] = 0
        i = read_command(data, i, begin, word, value)
        if word[WRONG]:
            status[0], status[1], status[2] = word[WRONG], word[AT_BYTE], line
            break
        if word[HAS_EXPONENT]:
            word[HAS_EXPONENT] = 0
            where[_EXPONENT_LINE] = where[_EXPONENT_LINE] or line
        if not word[FURTHER]:
            i += 1
        letter, code, have = word[LETTER], word[CODE], word[HAVE]
        if letter == 0:
            continue
        unit, kind, fed, rate = modes[0], NO_ROW, 0.0, feed
        told = (value[X] * unit * (have >> X & 1), value[Y] * unit * (have >> Y & 1),
                value[Z] * unit * (have >> Z & 1), value[E] * unit * modes[4] * (have >> E & 1))  # fmt: skip
        if is_move(letter, code):
            if have >> F & 1:
                feed = rate = value[F] * unit
            at = _aim(have, told, at, shift, modes)
            fed = at[3] - was_at[3] if modes[2] else told[3]
            if code <= 10:
                kind = code // 10 if have & (AXES | 1 << E) else NO_ROW
            else:
                start, end = in_plane(was_at, modes[3]), in_plane(at, modes[3])
                turn = turn_between(have, value, start, end, modes, code == 20)
                if turn[0] == 0:
                    status[0], status[1], status[2] = BAD_ARC, begin, line
                    break
                if count + turn[0] > room:
                    # Once more from here, with room for all of it.
                    i, line, at, feed, word[FURTHER], wanted = was_i, was_line, was_at, was_feed, was_further, turn[0]
                    break
                count = write_turn(rows, count, line, turn, start, end, fed, feed, code // 10, modes[3])
        else:
            if letter == 71 and code == 280:
                kind = HOME
                at, shift = _homed(have, at, at[3]), _homed(have, shift, shift[3])
            elif letter == 71 and code == 920:
                shift = _shifted(have, told, at, shift)
            elif is_retraction(letter, code, have):
                kind = code // 10
                fed, rate = _retract(code, firmware)
            elif _dwells(letter, code, have, value):
                kind = DWELL
            modes = _modes(letter, code, have, value, modes)
            firmware = _firmware(letter, code, have, value[S] * unit, value[F] * unit, firmware)
            kept = _keep(commands, parameters, kept, word, line, count + (kind != NO_ROW), begin, value)
        if kind != NO_ROW:
            r_line[count] = line
            r_kind[count] = kind
            r_x[count] = at[0]
            r_y[count] = at[1]
            r_z[count] = at[2]
            r_e[count] = fed
            r_feed[count] = rate
            count += 1
    where[_AT], where[_LINE], where[_BEGIN], where[_ROWS], where[_COMMANDS] = i, line, begin, count, kept
    where[_WANTED], where[_PLANE] = wanted, modes[3]
    state[0], state[1], state[2], state[3] = at
    state[4], state[5], state[6], state[7] = shift
    state[8], state[9], state[10], state[11] = feed, modes[0], modes[1], modes[2]
    state[12], state[13], state[14], state[15] = firmware
    state[16] = modes[4]
