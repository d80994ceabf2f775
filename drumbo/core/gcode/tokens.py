"""The bytes of a line as words of a command: letters, numbers, comments, checksums."""

from __future__ import annotations

from typing import Any

import numpy as np

from drumbo.core.compiled import njit

# What went wrong, as (code, byte offset, line) in `status`.
OK, NO_NUMBER, BAD_BYTE, BAD_CHECKSUM, BAD_ARC, UNFILLED = range(6)

_POW10 = 10.0 ** np.arange(23)
"""Exact in a double, so that a division by one of them rounds once."""

_FULL = 10**16
"""Digits past this many change nothing that a printer could do."""

_TEXT_M = np.array([16, 23, 28, 30, 32, 36, 117, 118], np.int64)
"""M words whose rest is a name or a message, not words."""

# Of a command that was read: its letter, its number × 10, which letters it has (a bit each), which of them without a
# number; whether another follows on its line, whether an N stood on that; what is wrong, and where; whether a number
# was written with an exponent, and whether a name in braces stands where a number should.
LETTER, CODE, HAVE, BARE, FURTHER, NUMBERED, WRONG, AT_BYTE, HAS_EXPONENT, HAS_NAME, WORD_SIZE = range(11)
OTHER, LOST = 33, 63
"""Letters of a word that is no G or M, and of words without any: ! and ?."""
AXES = 1 << 23 | 1 << 24 | 1 << 25
D, E, F, I, L, N, P, R, S, X, Y, Z = (ord(letter) - 65 for letter in "DEFILNPRSXYZ")


@njit
def _past(data: Any, i: int, stop: int) -> int:
    """Behind the next `stop`, or at the line's end where there is none."""
    while data[i] != stop and data[i] != 10:
        i += 1
    return i + 1 if data[i] == stop and stop != 10 else i


@njit
def _exponent(data: Any, i: int, small: bool) -> Any:
    """(power of ten, behind it) where an E behind digits is an exponent, as in 1e-05, and no word of its own, as in
    G1X10E-10: a sign and two or three digits follow, and they begin with 0 or the e is small in a word that is not.
    """
    if data[i + 1] != 43 and data[i + 1] != 45:
        return 0, i
    power, k = 0, i + 2
    while 48 <= data[k] <= 57 and k < i + 6:
        power = power * 10 + data[k] - 48
        k += 1
    if not 2 <= k - i - 2 <= 3 or data[k] == 46 or not (data[i + 2] == 48 or (data[i] == 101 and not small)):
        return 0, i
    return (-power if data[i + 1] == 45 else power), k


@njit
def _number(data: Any, i: int, small: bool) -> Any:
    """(number, behind it, whether there was any digit, whether it has an exponent). Digits are gathered as an integer,
    then scaled once, so that the number is rounded once. `small` is whether its word is written small.
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
    begin = i
    if any_digit and (data[i] == 101 or data[i] == 69):
        power, i = _exponent(data, i, small)
        if i > begin:
            number *= 10.0 ** min(max(power, -300), 300)
    return (-number if negative else number), i, any_digit, i > begin


@njit
def _checksum_fits(data: Any, begin: int, star: int) -> Any:
    """(whether the number behind a star is that of the line's bytes before it, behind the number)."""
    told, checksum, i = 0, 0, star + 1
    for k in range(begin, star):
        checksum ^= data[k]
    while 48 <= data[i] <= 57:
        told = told * 10 + data[i] - 48
        i += 1
    return told == checksum, i


@njit
def _begins_another(data: Any, i: int) -> bool:
    """Whether a G or M stands here with a number behind it."""
    after = i + 1
    while data[after] == 32 or data[after] == 9:
        after += 1
    return bool(48 <= data[after] <= 57)


@njit
def _is_text(code: int) -> bool:
    """Whether the rest of an M command is a name or a message."""
    return bool(np.any(code == _TEXT_M * 10))


@njit
def _beside_words(data: Any, i: int, begin: int, letter: int, code: int, numbered: int) -> Any:
    """(behind it, what is wrong with it): a comment, a text in quotes, a checksum, or words of other dialects."""
    c = data[i]
    if c == 59 or (c == 37 and letter == 0):
        return _past(data, i, 10), OK
    if c == 40:
        return _past(data, i, 41), OK
    if c == 34:
        return _past(data, i + 1, 34), OK
    if (c == 123 or c == 91) and not is_move(letter, code):
        return _past(data, i, c + 2), UNFILLED
    if c == 42:
        fits, behind = _checksum_fits(data, begin, i)
        return (behind, OK) if fits or not numbered else (i, BAD_CHECKSUM)
    if letter != 0 and not (letter == 71 and code <= 30) and (c == 61 or c == 95 or c >= 128):
        return i + 1, OK
    return i, BAD_BYTE


@njit
def is_move(letter: int, code: int) -> bool:
    return letter == 71 and (code == 0 or code == 10 or code == 20 or code == 30)


@njit
def is_retraction(letter: int, code: int, have: int) -> bool:
    """G10 and G11; with P or L they are about tools and offsets."""
    return letter == 71 and (code == 100 or code == 110) and not (have >> P & 1 or have >> L & 1)


@njit
def read_command(data: Any, i: int, begin: int, word: Any, value: Any) -> int:
    """Read one command into `word` and its numbers into `value` (26,) by letter; returns where to go on."""
    letter, code, have, bare = 0, 0, 0, 0
    word[FURTHER] = word[HAS_NAME] = 0
    while data[i] != 10:
        c = data[i]
        if c == 32 or c == 9 or c == 13:
            i += 1
            continue
        upper = c - 32 if 97 <= c <= 122 else c
        if not 65 <= upper <= 90:
            i, wrong = _beside_words(data, i, begin, letter, code, word[NUMBERED] or have >> N & 1)
            if wrong == UNFILLED:
                word[HAS_NAME] = 1
            elif wrong:
                word[WRONG], word[AT_BYTE] = wrong, i
                return i
            continue
        if (
            (upper == 71 or upper == 77)
            and letter != 0
            and not (letter == 77 and code == 4860)
            and _begins_another(data, i)
        ):
            word[FURTHER] = 1
            break
        at = i
        i += 1
        while data[i] == 32 or data[i] == 9:
            i += 1
        number, i, any_digit, exponent = _number(data, i, c >= 97)
        k = upper - 65
        if exponent:
            word[HAS_EXPONENT] = 1
        if not any_digit:
            if letter == 0 and (65 <= data[i] <= 90 or 97 <= data[i] <= 122 or data[i] == 95):
                letter, code = OTHER, 0
                i = _past(data, i, 10)
                break
            if letter == 71 and code <= 30 and upper != 71:
                word[WRONG], word[AT_BYTE] = UNFILLED if data[i] == 123 or data[i] == 91 else NO_NUMBER, at
                return i
            have, bare, value[k] = have | 1 << k, bare | 1 << k, 0.0
        elif (upper == 71 or upper == 77 or upper == 84) and letter == 0:
            letter, code = upper, round(number * 10)
            if letter == 77 and _is_text(code):
                i = _past(data, i, 10)
        else:
            value[k] = number
            have |= 1 << k
    if letter == 0 and (have & ~(1 << N) or word[HAS_NAME]):
        letter = LOST
    word[LETTER], word[CODE], word[HAVE], word[BARE] = letter, code, have, bare
    return i
