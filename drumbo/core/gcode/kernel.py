"""One compiled pass over the bytes of a G-code file: words of a command (`_command`), what they do to the state of the
machine (`_aim`, `_modes` and others), and columns, arcs as chords (`_turn`, `_arc`).

`loop.read_loop` says the same in plain Python and is held against it in tests.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

# What went wrong, as (code, byte offset, line) in `status`.
OK, NO_NUMBER, BAD_BYTE, BAD_CHECKSUM, BAD_ARC = range(5)

HOME, RETRACT, UNRETRACT = 28, 10, 11
"""The kinds of rows that home, and of what firmware retracts and unretracts by itself."""
NO_ROW = -1

CHORD_MM = 0.5
"""Arcs become chords about this long: 0.006 mm off on a radius of 5 mm."""

MOST_CHORDS = 1_000_000
"""Of one arc: more is no arc that a printer was meant to drive."""

_POW10 = 10.0 ** np.arange(23)
"""Exact in a double, so that a division by one of them rounds once."""

_FULL = 10**16
"""Digits past this many change nothing that a printer could do."""

_TEXT_M = np.array([16, 23, 28, 30, 32, 36, 117, 118], np.int64)
"""M words whose rest is a name or a message, not words."""

# What a scan goes on from, in two arrays: where it is in the file and how much it has written, and the machine's state.
_AT, _LINE, _BEGIN, _ROWS, _COMMANDS, _WANTED, _PLANE, _WHERE_SIZE = range(8)
_FRESH = np.array([0, 0, 0, 0, 0, 0, 0, 0, 0, 1, 1, 1, 1, 2100, 2100, 0], np.float64)
"""X Y Z E, their shifts, feed; unit, absolute, absolute E; length, feeds and state of firmware's retraction."""

# Of a command that was read: its letter, its number × 10, which letters it has (a bit each), which of them without a
# number; whether another follows on its line, whether an N stood on that; what is wrong.
_LETTER, _CODE, _HAVE, _BARE, _FURTHER, _NUMBERED, _WRONG, _WHERE = range(8)
_OTHER, _LOST = 33, 63
"""Letters of a word that is no G or M, and of words without any: ! and ?."""
_AXES = 1 << 23 | 1 << 24 | 1 << 25
_E, _F, _I, _L, _N, _P, _R, _S, _X, _Y, _Z = (ord(letter) - 65 for letter in "EFILNPRSXYZ")


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


@njit(cache=True, nogil=True)
def _past(data: Any, i: int, stop: int) -> int:
    """Behind the next `stop`, or at the line's end where there is none."""
    while data[i] != stop and data[i] != 10:
        i += 1
    return i + 1 if data[i] == stop and stop != 10 else i


@njit(cache=True, nogil=True)
def _number(data: Any, i: int) -> Any:
    """(number, behind it, whether there was any digit). Digits are gathered as an integer, then scaled once, so that
    the number is rounded once.
    """
    negative = False
    if data[i] == 45 or data[i] == 43:
        negative = data[i] == 45
        i += 1
    whole, places, digits = 0, 0, i
    while 48 <= data[i] <= 57:
        if whole < _FULL:
            whole = whole * 10 + (data[i] - 48)
        else:
            places -= 1
        i += 1
    any_digit = i > digits
    if data[i] == 46:
        i += 1
        digits = i
        while 48 <= data[i] <= 57:
            if whole < _FULL and places < 22:
                whole = whole * 10 + (data[i] - 48)
                places += 1
            i += 1
        any_digit = any_digit or i > digits
    number = float(whole)
    if places > 0:
        number /= _POW10[places]
    elif places < 0:
        number *= _POW10[min(-places, 22)]
    return (-number if negative else number), i, any_digit


@njit(cache=True, nogil=True)
def _checksum_fits(data: Any, begin: int, star: int) -> Any:
    """(whether the number behind a star is that of the line's bytes before it, behind the number)."""
    told, checksum, i = 0, 0, star + 1
    for k in range(begin, star):
        checksum ^= data[k]
    while 48 <= data[i] <= 57:
        told = told * 10 + data[i] - 48
        i += 1
    return told == checksum, i


@njit(cache=True, nogil=True)
def _begins_another(data: Any, i: int) -> bool:
    """Whether a G or M stands here with a number behind it."""
    after = i + 1
    while data[after] == 32 or data[after] == 9:
        after += 1
    return bool(48 <= data[after] <= 57)


@njit(cache=True, nogil=True)
def _is_text(code: int) -> bool:
    """Whether the rest of an M command is a name or a message."""
    return bool(np.any(code == _TEXT_M * 10))


@njit(cache=True, nogil=True)
def _beside_words(data: Any, i: int, begin: int, letter: int, code: int, numbered: int) -> Any:
    """(behind it, what is wrong with it): a comment, a text in quotes, a checksum, or words of other dialects."""
    c = data[i]
    if c == 59 or (c == 37 and letter == 0):
        return _past(data, i, 10), OK
    if c == 40:
        return _past(data, i, 41), OK
    if c == 34:
        return _past(data, i + 1, 34), OK
    if c == 42:
        fits, behind = _checksum_fits(data, begin, i)
        return (behind, OK) if fits or not numbered else (i, BAD_CHECKSUM)
    if letter != 0 and not (letter == 71 and code <= 30) and (c == 61 or c == 95 or c >= 128):
        return i + 1, OK
    return i, BAD_BYTE


@njit(cache=True, nogil=True)
def _moves(letter: int, code: int) -> bool:
    return letter == 71 and (code == 0 or code == 10 or code == 20 or code == 30)


@njit(cache=True, nogil=True)
def _is_retraction(letter: int, code: int, have: int) -> bool:
    """G10 and G11; with P or L they are about tools and offsets."""
    return letter == 71 and (code == 100 or code == 110) and not (have >> _P & 1 or have >> _L & 1)


@njit(cache=True, nogil=True)
def _command(data: Any, i: int, begin: int, word: Any, value: Any) -> int:
    """Read one command into `word` and its numbers into `value` (26,) by letter; returns where to go on."""
    letter, code, have, bare = 0, 0, 0, 0
    word[_FURTHER] = 0
    while data[i] != 10:
        c = data[i]
        if c == 32 or c == 9 or c == 13:
            i += 1
            continue
        upper = c - 32 if 97 <= c <= 122 else c
        if not 65 <= upper <= 90:
            i, wrong = _beside_words(data, i, begin, letter, code, word[_NUMBERED] or have >> _N & 1)
            if wrong:
                word[_WRONG], word[_WHERE] = wrong, i
                return i
            continue
        if (
            (upper == 71 or upper == 77)
            and letter != 0
            and not (letter == 77 and code == 4860)
            and _begins_another(data, i)
        ):
            word[_FURTHER] = 1
            break
        at = i
        i += 1
        while data[i] == 32 or data[i] == 9:
            i += 1
        number, i, any_digit = _number(data, i)
        k = upper - 65
        if not any_digit:
            if letter == 0 and (65 <= data[i] <= 90 or 97 <= data[i] <= 122 or data[i] == 95):
                letter, code = _OTHER, 0
                i = _past(data, i, 10)
                break
            if letter == 71 and code <= 30 and upper != 71:
                word[_WRONG], word[_WHERE] = NO_NUMBER, at
                return i
            have, bare, value[k] = have | 1 << k, bare | 1 << k, 0.0
        elif (upper == 71 or upper == 77 or upper == 84) and letter == 0:
            letter, code = upper, round(number * 10)
            if letter == 77 and _is_text(code):
                i = _past(data, i, 10)
        else:
            value[k] = number
            have |= 1 << k
    if letter == 0 and have & ~(1 << _N):
        letter = _LOST
    word[_LETTER], word[_CODE], word[_HAVE], word[_BARE] = letter, code, have, bare
    return i


# The machine's state is handed on as numbers and small tuples: arrays would cost more than what is done with them.
# `at` is X Y Z E in mm on the bed, `shift` what G92 moved each of them by; `told` are the numbers that a command names
# for them, mm; `modes` are unit (mm), whether X Y Z are absolute, whether E is, and the plane of turns.


@njit(cache=True, nogil=True)
def _moved(has: int, told: float, at: float, shift: float, absolute: bool) -> float:
    if not has:
        return at
    return told + shift if absolute else at + told


@njit(cache=True, nogil=True)
def _aim(have: int, told: Any, at: Any, shift: Any, modes: Any) -> Any:
    """Where a move goes."""
    _, absolute, absolute_e, _ = modes
    return (
        _moved(have >> _X & 1, told[0], at[0], shift[0], absolute),
        _moved(have >> _Y & 1, told[1], at[1], shift[1], absolute),
        _moved(have >> _Z & 1, told[2], at[2], shift[2], absolute),
        _moved(have >> _E & 1, told[3], at[3], shift[3], absolute_e),
    )


@njit(cache=True, nogil=True)
def _in_plane(point: Any, plane: int) -> Any:
    """X Y Z as first axis, second axis, and the one that a turn may climb along."""
    x, y, z = point[0], point[1], point[2]
    return (x, y, z) if plane == 0 else (z, x, y) if plane == 1 else (y, z, x)


@njit(cache=True, nogil=True)
def _out_of_plane(one: float, two: float, up: float, plane: int) -> Any:
    return (one, two, up) if plane == 0 else (two, up, one) if plane == 1 else (up, one, two)


@njit(cache=True, nogil=True)
def _by_radius(begin: Any, end: Any, radius: float, clockwise: bool) -> Any:
    """(first, second, whether there is one): the middle of a turn told by its radius, in its plane."""
    half_one, half_two = (end[0] - begin[0]) / 2, (end[1] - begin[1]) / 2
    half = np.sqrt(half_one * half_one + half_two * half_two)
    if half == 0.0 or abs(radius) < half * (1 - 1e-6):
        return 0.0, 0.0, False
    rise = np.sqrt(max(radius * radius - half * half, 0.0)) / half
    side = -1.0 if clockwise == (radius > 0) else 1.0
    return begin[0] + half_one - side * rise * half_two, begin[1] + half_two + side * rise * half_one, True


@njit(cache=True, nogil=True)
def _turn(have: int, value: Any, begin: Any, end: Any, modes: Any, clockwise: bool) -> Any:
    """(chords, first and second of the middle, radius, first angle, sweep) of a turn between two points in its plane;
    no chords where there is no such turn.
    """
    unit, _, _, plane = modes
    has_i, has_j, has_k = (have >> _I & 1), (have >> (_I + 1) & 1), (have >> (_I + 2) & 1)
    away = (value[_I] * has_i, value[_I + 1] * has_j, value[_I + 2] * has_k)
    one, two, _ = _in_plane(away, plane)
    has_one, has_two, _ = _in_plane((has_i, has_j, has_k), plane)
    middle_one, middle_two, there = begin[0] + one * unit, begin[1] + two * unit, has_one or has_two
    if have >> _R & 1:
        middle_one, middle_two, there = _by_radius(begin, end, value[_R] * unit, clockwise)
    first = np.arctan2(begin[1] - middle_two, begin[0] - middle_one)
    sweep = np.arctan2(end[1] - middle_two, end[0] - middle_one) - first
    if clockwise:
        if sweep >= -1e-9:
            sweep -= 2 * np.pi
    elif sweep <= 1e-9:
        sweep += 2 * np.pi
    radius = np.sqrt((begin[0] - middle_one) ** 2 + (begin[1] - middle_two) ** 2)
    chords = max(1, int(np.ceil(abs(sweep) * radius / CHORD_MM))) if there else 0
    return (chords if chords <= MOST_CHORDS else 0), middle_one, middle_two, radius, first, sweep


@njit(cache=True, nogil=True)
def _arc(
    rows: Any, count: int, line: int, turn: Any, begin: Any, end: Any, fed: float, feed: float, kind: int, plane: int
) -> int:
    """Write a turn as chords, where there is room; returns how many rows there are then."""
    chords, middle_one, middle_two, radius, first, sweep = turn
    for chord in range(1, chords + 1):
        share = chord / chords
        angle = first + sweep * share
        one, two = middle_one + radius * np.cos(angle), middle_two + radius * np.sin(angle)
        if chord == chords:
            one, two = end[0], end[1]
        x, y, z = _out_of_plane(one, two, begin[2] + (end[2] - begin[2]) * share, plane)
        rows[0][count], rows[1][count] = line, kind
        rows[2][count], rows[3][count], rows[4][count] = x, y, z
        rows[5][count], rows[6][count] = fed / chords, feed
        count += 1
    return count


@njit(cache=True, nogil=True)
def _homed(have: int, at: Any, others: Any) -> Any:
    """Four numbers with 0 for the axes that are homed: those named, or X Y Z where none is."""
    every = not have & _AXES
    return (
        0.0 if have >> _X & 1 or every else at[0],
        0.0 if have >> _Y & 1 or every else at[1],
        0.0 if have >> _Z & 1 or every else at[2],
        others,
    )


@njit(cache=True, nogil=True)
def _shifted(have: int, told: Any, at: Any, shift: Any) -> Any:
    """G92: from here on the named axes, or all of them, are said to be elsewhere."""
    every = not have & (_AXES | 1 << _E)
    return (
        at[0] - told[0] if have >> _X & 1 or every else shift[0],
        at[1] - told[1] if have >> _Y & 1 or every else shift[1],
        at[2] - told[2] if have >> _Z & 1 or every else shift[2],
        at[3] - told[3] if have >> _E & 1 or every else shift[3],
    )


@njit(cache=True, nogil=True)
def _modes(letter: int, code: int, modes: Any) -> Any:
    """Unit, absolute or not, plane, as a command leaves them."""
    unit, absolute, absolute_e, plane = modes
    if letter == 71:
        if code == 200 or code == 210:
            unit = 25.4 if code == 200 else 1.0
        elif code == 170 or code == 180 or code == 190:
            plane = (code - 170) // 10
        elif code == 900 or code == 910:
            absolute = absolute_e = code == 900
    elif letter == 77 and (code == 820 or code == 830):
        absolute_e = code == 820
    return unit, absolute, absolute_e, plane


@njit(cache=True, nogil=True)
def _firmware(letter: int, code: int, have: int, length: float, feed: float, firmware: Any) -> Any:
    """Firmware's retraction as a command leaves it: length, feed, feed of the way back, whether it is retracted."""
    retract_mm, retract_feed, unretract_feed, retracted = firmware
    if letter == 77 and code == 2070:
        if have >> _S & 1:
            retract_mm = length
        if have >> _F & 1:
            retract_feed = feed
    elif letter == 77 and code == 2080 and have >> _F & 1:
        unretract_feed = feed
    elif _is_retraction(letter, code, have):
        retracted = code == 100
    return retract_mm, retract_feed, unretract_feed, retracted


@njit(cache=True, nogil=True)
def _retract(code: int, firmware: Any) -> Any:
    """(filament fed, mm, feed) of firmware's retract and unretract: each only where the other came before it."""
    retract_mm, retract_feed, unretract_feed, retracted = firmware
    if code == 100:
        return (0.0 if retracted else -retract_mm), retract_feed
    return (retract_mm if retracted else 0.0), unretract_feed


@njit(cache=True, nogil=True)
def _keep(commands: Any, parameters: Any, kept: int, word: Any, line: int, count: int, begin: int, value: Any) -> int:
    """Write a command behind the others, where there is room; returns how many there are then."""
    commands[kept, 0] = word[_LETTER]
    commands[kept, 1] = word[_CODE]
    commands[kept, 2] = line
    commands[kept, 3] = count
    commands[kept, 4] = begin
    there = word[_HAVE] & ~word[_BARE]
    for k in range(26):
        parameters[kept, k] = value[k] if there >> k & 1 else np.nan
    return kept + 1


def scan(data: NDArray[np.uint8], rows: tuple[NDArray[Any], ...]) -> Any:
    """Read bytes (n,) uint8 that end with a line's end.

    Returns (rows, row count, commands, parameters, command count, line count, status).

    Rows are columns: line, kind, x, y, z (mm, bed coordinates), e (mm fed), feed (mm/min); `rows` is room for them,
    as `columns` makes it, and is replaced by larger ones if arcs need more.
    Commands are (k, 5) int64: letter, number × 10, line, next row, byte offset of the line; parameters are
    (k, 26) float64 by letter, NaN where absent.
    """
    commands: tuple[NDArray[Any], ...] = (np.empty((1024, 5), np.int64), np.empty((1024, 26)))
    status, word, value = np.zeros(3, np.int64), np.zeros(8, np.int64), np.zeros(26)
    where, state = np.zeros(_WHERE_SIZE, np.int64), _FRESH.copy()
    where[_AT] = 3 if data[:3].tobytes() == b"\xef\xbb\xbf" else 0
    while where[_AT] < len(data) and not status[0]:
        _scan(data, rows, commands[0], commands[1], where, state, word, value, status)
        if where[_ROWS] + max(where[_WANTED], 1) > len(rows[0]):
            rows = _longer(rows, int(where[_ROWS] + where[_WANTED]))
        if where[_COMMANDS] == len(commands[0]):
            commands = _longer(commands)
    return rows, int(where[_ROWS]), *commands, int(where[_COMMANDS]), int(where[_LINE]), status


@njit(cache=True, nogil=True)
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
    modes = (state[9], state[10] != 0, state[11] != 0, plane)
    firmware = (state[12], state[13], state[14], state[15] != 0)
    wanted = 0
    while i < n and count < room and kept < commands_room:
        was_i, was_line, was_at, was_feed, was_further = i, line, at, feed, word[_FURTHER]
        if word[_FURTHER]:
            word[_NUMBERED] = word[_NUMBERED] or word[_HAVE] >> _N & 1
        else:
            line += 1
            begin = i
            word[_NUMBERED] = 0
        i = _command(data, i, begin, word, value)
        if word[_WRONG]:
            status[0], status[1], status[2] = word[_WRONG], word[_WHERE], line
            break
        if not word[_FURTHER]:
            i += 1
        letter, code, have = word[_LETTER], word[_CODE], word[_HAVE]
        if letter == 0:
            continue
        unit, kind, fed, rate = modes[0], NO_ROW, 0.0, feed
        told = (value[_X] * unit * (have >> _X & 1), value[_Y] * unit * (have >> _Y & 1),
                value[_Z] * unit * (have >> _Z & 1), value[_E] * unit * (have >> _E & 1))  # fmt: skip
        if _moves(letter, code):
            if have >> _F & 1:
                feed = rate = value[_F] * unit
            at = _aim(have, told, at, shift, modes)
            fed = at[3] - was_at[3] if modes[2] else told[3]
            if code <= 10:
                kind = code // 10 if have & (_AXES | 1 << _E) else NO_ROW
            else:
                start, end = _in_plane(was_at, modes[3]), _in_plane(at, modes[3])
                turn = _turn(have, value, start, end, modes, code == 20)
                if turn[0] == 0:
                    status[0], status[1], status[2] = BAD_ARC, begin, line
                    break
                if count + turn[0] > room:
                    # Once more from here, with room for all of it.
                    i, line, at, feed, word[_FURTHER], wanted = was_i, was_line, was_at, was_feed, was_further, turn[0]
                    break
                count = _arc(rows, count, line, turn, start, end, fed, feed, code // 10, modes[3])
        else:
            if letter == 71 and code == 280:
                kind = HOME
                at, shift = _homed(have, at, at[3]), _homed(have, shift, shift[3])
            elif letter == 71 and code == 920:
                shift = _shifted(have, told, at, shift)
            elif _is_retraction(letter, code, have):
                kind = code // 10
                fed, rate = _retract(code, firmware)
            modes = _modes(letter, code, modes)
            firmware = _firmware(letter, code, have, value[_S] * unit, value[_F] * unit, firmware)
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
