"""Turns in a plane, G2 and G3, as chords."""

from __future__ import annotations

from typing import Any

import numpy as np

from drumbo.core.compiled import njit
from drumbo.core.gcode.tokens import I, R

CHORD_MM = 0.5
"""Arcs become chords about this long: 0.006 mm off on a radius of 5 mm."""

MOST_CHORDS = 1_000_000
"""Of one arc: more is no arc that a printer was meant to drive."""


@njit
def in_plane(point: Any, plane: int) -> Any:
    """X Y Z as first axis, second axis, and the one that a turn may climb along."""
    x, y, z = point[0], point[1], point[2]
    return (x, y, z) if plane == 0 else (z, x, y) if plane == 1 else (y, z, x)


@njit
def _out_of_plane(one: float, two: float, up: float, plane: int) -> Any:
    return (one, two, up) if plane == 0 else (two, up, one) if plane == 1 else (up, one, two)


@njit
def _by_radius(begin: Any, end: Any, radius: float, clockwise: bool) -> Any:
    """(first, second, whether there is one): the middle of a turn told by its radius, in its plane."""
    half_one, half_two = (end[0] - begin[0]) / 2, (end[1] - begin[1]) / 2
    half = np.sqrt(half_one * half_one + half_two * half_two)
    if half == 0.0 or abs(radius) < half * (1 - 1e-6):
        return 0.0, 0.0, False
    rise = np.sqrt(max(radius * radius - half * half, 0.0)) / half
    side = -1.0 if clockwise == (radius > 0) else 1.0
    return begin[0] + half_one - side * rise * half_two, begin[1] + half_two + side * rise * half_one, True


@njit
def turn_between(have: int, value: Any, begin: Any, end: Any, modes: Any, clockwise: bool) -> Any:
    """(chords, first and second of the middle, radius, first angle, sweep) of a turn between two points in its plane;
    no chords where there is no such turn.
    """
    unit, _, _, plane, _, _ = modes
    has_i, has_j, has_k = (have >> I & 1), (have >> (I + 1) & 1), (have >> (I + 2) & 1)
    away = (value[I] * has_i, value[I + 1] * has_j, value[I + 2] * has_k)
    one, two, _ = in_plane(away, plane)
    has_one, has_two, _ = in_plane((has_i, has_j, has_k), plane)
    middle_one, middle_two, there = begin[0] + one * unit, begin[1] + two * unit, has_one or has_two
    if have >> R & 1:
        middle_one, middle_two, there = _by_radius(begin, end, value[R] * unit, clockwise)
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


@njit
def write_turn(
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
