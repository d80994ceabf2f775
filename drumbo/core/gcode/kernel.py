"""One compiled pass over the bytes of a G-code file: tokens, state and columns at once.

`loop.read_loop` says the same in plain Python and is held against it in tests.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

# What went wrong, as (code, byte offset, line) in `status`.
OK, NO_NUMBER, BAD_BYTE, BAD_CHECKSUM, BAD_ARC = range(5)

HOME, PULL, PUSH = 28, 10, 11
"""The kinds of rows that home, and of firmware retraction."""

CHORD_MM = 0.5
"""Arcs become chords about this long: 0.006 mm off on a radius of 5 mm."""

_POW10 = 10.0 ** np.arange(23)
"""Exact in a double, so that a division by one of them rounds once."""

_FULL = 10**16
"""Digits past this many change nothing that a printer could do."""

_TEXT_M = np.array([16, 23, 28, 30, 32, 36, 117, 118], np.int64)
"""M words whose rest is a name or a message, not words."""


def columns(size: int) -> tuple[NDArray[Any], ...]:
    """Room for so many rows. Made here, not in compiled code: numpy asks for large pages, which fill more quickly."""
    kinds = (np.int32, np.uint8, np.float64, np.float64, np.float64, np.float64, np.float32)
    return tuple(np.empty(size, kind) for kind in kinds)


# Copied one by one: numba takes seconds to compile a copy of a whole slice, for the words of its error.
@njit(cache=True, nogil=True)
def _more_rows(rows: Any, count: int) -> Any:
    line, kind, x, y, z, e, feed = rows
    size = len(line) * 2
    out = (
        np.empty(size, np.int32), np.empty(size, np.uint8), np.empty(size), np.empty(size), np.empty(size),
        np.empty(size), np.empty(size, np.float32),
    )  # fmt: skip
    for i in range(count):
        out[0][i], out[1][i] = line[i], kind[i]
        out[2][i], out[3][i], out[4][i] = x[i], y[i], z[i]
        out[5][i], out[6][i] = e[i], feed[i]
    return out


@njit(cache=True, nogil=True)
def _more_commands(table: Any, values: Any) -> Any:
    wide = np.empty((len(table) * 2, table.shape[1]), np.int64)
    more = np.empty((len(values) * 2, 26))
    for i in range(len(table)):
        for k in range(table.shape[1]):
            wide[i, k] = table[i, k]
        for k in range(26):
            more[i, k] = values[i, k]
    return wide, more


@njit(cache=True, nogil=True)
def scan(data: Any, rows: Any) -> Any:
    """Read bytes (n,) uint8 that end with a line's end.

    Returns (rows, row count, commands, parameters, command count, line count, status).

    Rows are columns: line, kind, x, y, z (mm, bed coordinates), e (mm fed), feed (mm/min); `rows` is room for them,
    as `columns` makes it, and is replaced by larger ones if arcs need more.
    Commands are (k, 5) int64: letter, number × 10, line, next row, byte offset of the line; parameters are
    (k, 26) float64 by letter, NaN where absent.
    """
    n = len(data)
    room = len(rows[0])
    count = 0
    commands = np.empty((1024, 5), np.int64)
    parameters = np.empty((1024, 26))
    told = 0
    status = np.zeros(3, np.int64)
    value = np.zeros(26)
    have, bare = 0, 0
    position = np.zeros(4)
    spot = np.zeros(3)
    shift = np.zeros(4)
    unit = 1.0
    absolute, absolute_e = True, True
    feed = 0.0
    pull_mm, pull_feed, push_feed, pulled = 1.0, 2100.0, 2100.0, False
    i, line, begin = 0, 0, 0
    further, numbered = False, False
    plane = 0
    if n >= 3 and data[0] == 0xEF and data[1] == 0xBB and data[2] == 0xBF:
        i = 3
    while i < n:
        if further:
            # Another command on the same line.
            numbered = numbered or have >> 13 & 1 == 1
        else:
            line += 1
            begin = i
            numbered = False
        further = False
        have, bare = 0, 0
        letter, code = 0, 0
        while data[i] != 10:
            c = data[i]
            if c == 32 or c == 9 or c == 13:
                i += 1
                continue
            if c == 59 or (c == 37 and letter == 0):
                while data[i] != 10:
                    i += 1
                break
            if c == 40:
                while data[i] != 41 and data[i] != 10:
                    i += 1
                if data[i] == 41:
                    i += 1
                continue
            if c == 42:
                told_sum, at, checksum = 0, i, 0
                for k in range(begin, at):
                    checksum ^= data[k]
                i += 1
                while 48 <= data[i] <= 57:
                    told_sum = told_sum * 10 + data[i] - 48
                    i += 1
                if (numbered or have >> 13 & 1) and told_sum != checksum:
                    status[0], status[1], status[2] = BAD_CHECKSUM, at, line
                    return rows, count, commands, parameters, told, line, status
                continue
            if c == 34:
                i += 1
                while data[i] != 34 and data[i] != 10:
                    i += 1
                if data[i] == 34:
                    i += 1
                continue
            upper = c - 32 if 97 <= c <= 122 else c
            if not 65 <= upper <= 90:
                if letter != 0 and not (letter == 71 and code <= 30) and (c == 61 or c == 95 or c >= 128):
                    i += 1
                    continue
                status[0], status[1], status[2] = BAD_BYTE, i, line
                return rows, count, commands, parameters, told, line, status
            at = i
            if (upper == 71 or upper == 77) and letter != 0 and not (letter == 77 and code == 4860):
                after = i + 1
                while data[after] == 32 or data[after] == 9:
                    after += 1
                if 48 <= data[after] <= 57:
                    further = True
                    break
            i += 1
            while data[i] == 32 or data[i] == 9:
                i += 1
            # The number: digits are gathered as an integer, then scaled once, so that it is rounded once.
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
            if not any_digit:
                if letter == 0 and (65 <= data[i] <= 90 or 97 <= data[i] <= 122 or data[i] == 95):
                    letter, code = 33, 0
                    while data[i] != 10:
                        i += 1
                    break
                if letter == 71 and code <= 30 and upper != 71:
                    status[0], status[1], status[2] = NO_NUMBER, at, line
                    return rows, count, commands, parameters, told, line, status
                k = upper - 65
                have, bare, value[k] = have | 1 << k, bare | 1 << k, 0.0
                continue
            number = float(whole)
            if places > 0:
                number /= _POW10[places]
            elif places < 0:
                number *= _POW10[min(-places, 22)]
            if negative:
                number = -number
            k = upper - 65
            if (upper == 71 or upper == 77 or upper == 84) and letter == 0:
                letter, code = upper, round(number * 10)
                if letter == 77:
                    for m in _TEXT_M:
                        if code == m * 10:
                            while data[i] != 10:
                                i += 1
                continue
            value[k] = number
            have |= 1 << k
        if not further:
            i += 1
        if letter == 0:
            if have & ~(1 << 13):
                letter, code = 63, 0
            else:
                continue
        moving = letter == 71 and (code == 0 or code == 10 or code == 20 or code == 30)
        if moving:
            if have >> 5 & 1:
                feed = value[5] * unit
            old_x, old_y, old_z = position[0], position[1], position[2]
            for axis in range(3):
                k = 23 + axis
                if have >> k & 1:
                    if absolute:
                        position[axis] = value[k] * unit + shift[axis]
                    else:
                        position[axis] += value[k] * unit
            fed = 0.0
            if have >> 4 & 1:
                if absolute_e:
                    target = value[4] * unit + shift[3]
                    fed = target - position[3]
                    position[3] = target
                else:
                    fed = value[4] * unit
                    position[3] += fed
            if code <= 10:
                if not (have >> 23 & 1 or have >> 24 & 1 or have >> 25 & 1 or have >> 4 & 1):
                    continue
                if count == room:
                    rows = _more_rows(rows, count)
                    room *= 2
                rows[0][count] = line
                rows[1][count] = code // 10
                rows[2][count] = position[0]
                rows[3][count] = position[1]
                rows[4][count] = position[2]
                rows[5][count] = fed
                rows[6][count] = feed
                count += 1
                continue
            clockwise = code == 20
            # In the plane of a turn: first axis, second axis, and the one that it may climb along.
            one, two, up = (0, 1, 2) if plane == 0 else (2, 0, 1) if plane == 1 else (1, 2, 0)
            old = (old_x, old_y, old_z)
            from_one, from_two, from_up = old[one], old[two], old[up]
            to_one, to_two, to_up = position[one], position[two], position[up]
            if have >> 17 & 1:
                radius = value[17] * unit
                half_one, half_two = (to_one - from_one) / 2, (to_two - from_two) / 2
                half = np.sqrt(half_one * half_one + half_two * half_two)
                if half == 0.0 or abs(radius) < half * (1 - 1e-6):
                    status[0], status[1], status[2] = BAD_ARC, begin, line
                    return rows, count, commands, parameters, told, line, status
                rise = np.sqrt(max(radius * radius - half * half, 0.0)) / half
                side = -1.0 if clockwise == (radius > 0) else 1.0
                centre_one = from_one + half_one - side * rise * half_two
                centre_two = from_two + half_two + side * rise * half_one
            elif have >> (8 + one) & 1 or have >> (8 + two) & 1:
                centre_one = from_one + (value[8 + one] * unit if have >> (8 + one) & 1 else 0.0)
                centre_two = from_two + (value[8 + two] * unit if have >> (8 + two) & 1 else 0.0)
            else:
                status[0], status[1], status[2] = BAD_ARC, begin, line
                return rows, count, commands, parameters, told, line, status
            first = np.arctan2(from_two - centre_two, from_one - centre_one)
            sweep = np.arctan2(to_two - centre_two, to_one - centre_one) - first
            if clockwise:
                if sweep >= -1e-9:
                    sweep -= 2 * np.pi
            elif sweep <= 1e-9:
                sweep += 2 * np.pi
            radius = np.sqrt((from_one - centre_one) ** 2 + (from_two - centre_two) ** 2)
            chords = max(1, int(np.ceil(abs(sweep) * radius / CHORD_MM)))
            if chords > 1_000_000:
                status[0], status[1], status[2] = BAD_ARC, begin, line
                return rows, count, commands, parameters, told, line, status
            while count + chords > room:
                rows = _more_rows(rows, count)
                room *= 2
            for chord in range(1, chords + 1):
                share = chord / chords
                angle = first + sweep * share
                last = chord == chords
                rows[0][count] = line
                rows[1][count] = code // 10
                spot[one] = to_one if last else centre_one + radius * np.cos(angle)
                spot[two] = to_two if last else centre_two + radius * np.sin(angle)
                spot[up] = from_up + (to_up - from_up) * share
                rows[2][count] = spot[0]
                rows[3][count] = spot[1]
                rows[4][count] = spot[2]
                rows[5][count] = fed / chords
                rows[6][count] = feed
                count += 1
            continue
        if letter == 71:
            if code == 200:
                unit = 25.4
            elif code == 210:
                unit = 1.0
            elif code == 170 or code == 180 or code == 190:
                plane = (code - 170) // 10
            elif code == 900:
                absolute = True
                absolute_e = True
            elif code == 910:
                absolute = False
                absolute_e = False
            elif code == 920:
                everything = not (have >> 23 & 1 or have >> 24 & 1 or have >> 25 & 1 or have >> 4 & 1)
                for axis in range(4):
                    k = 23 + axis if axis < 3 else 4
                    if have >> k & 1 or everything:
                        shift[axis] = position[axis] - (value[k] * unit if have >> k & 1 else 0.0)
            elif code == 280 or ((code == 100 or code == 110) and not (have >> 15 & 1 or have >> 11 & 1)):
                if count == room:
                    rows = _more_rows(rows, count)
                    room *= 2
                fed = 0.0
                rate = feed
                if code == 280:
                    everything = not (have >> 23 & 1 or have >> 24 & 1 or have >> 25 & 1)
                    for axis in range(3):
                        if have >> (23 + axis) & 1 or everything:
                            position[axis] = 0.0
                            shift[axis] = 0.0
                elif code == 100:
                    fed = 0.0 if pulled else -pull_mm
                    rate = pull_feed
                    pulled = True
                else:
                    fed = pull_mm if pulled else 0.0
                    rate = push_feed
                    pulled = False
                rows[0][count] = line
                rows[1][count] = code // 10
                rows[2][count] = position[0]
                rows[3][count] = position[1]
                rows[4][count] = position[2]
                rows[5][count] = fed
                rows[6][count] = rate
                count += 1
        elif letter == 77:
            if code == 820:
                absolute_e = True
            elif code == 830:
                absolute_e = False
            elif code == 2070:
                if have >> 18 & 1:
                    pull_mm = value[18] * unit
                if have >> 5 & 1:
                    pull_feed = value[5] * unit
            elif code == 2080 and have >> 5 & 1:
                push_feed = value[5] * unit
        if told == len(commands):
            commands, parameters = _more_commands(commands, parameters)
        commands[told, 0] = letter
        commands[told, 1] = code
        commands[told, 2] = line
        commands[told, 3] = count
        commands[told, 4] = begin
        for k in range(26):
            parameters[told, k] = value[k] if (have & ~bare) >> k & 1 else np.nan
        told += 1
    return rows, count, commands, parameters, told, line, status
