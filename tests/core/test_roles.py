"""Roles by geometry, held against what the roads of trials are meant for, drawn cases, and a flood by another way."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray
from scipy import ndimage

from drumbo.core.gcode.bitgrid import open_air
from drumbo.core.gcode.inspect import analyse
from drumbo.core.gcode.reader import read
from drumbo.core.gcode.roles import INNER, OUTER, STILL, TOP, TRAVEL, UNSUPPORTED
from drumbo.core.toolpath.columns import Role
from drumbo.trials import kind
from tests.conftest import plain_context

E_PER_MM = 0.2 * 0.42 / (math.pi * 1.75**2 / 4)
"""Filament for a road some 0.45 mm wide and 0.2 high."""


def _roles(lines: list[str]) -> tuple[list[int], list[int]]:
    """Role and line of each move of a file."""
    program = read("\n".join(["G28", "M83", *lines]).encode())
    return analyse(program).role.tolist(), program.line.tolist()


def _path(points: list[tuple[float, float]], z: float) -> list[str]:
    """A travel to the first point, and a road through the others."""
    (x, y), *others = points
    lines = [f"G0 X{x:.3f} Y{y:.3f} Z{z:.2f} F9000"]
    for to_x, to_y in others:
        lines.append(f"G1 X{to_x:.3f} Y{to_y:.3f} E{math.hypot(to_x - x, to_y - y) * E_PER_MM:.5f} F1800")
        x, y = to_x, to_y
    return lines


def _square(low: float, high: float, z: float) -> list[str]:
    return _path([(low, low), (high, low), (high, high), (low, high), (low, low + 0.3)], z)


def _hatch(low: float, high: float, step: float, z: float, *, upright: bool) -> list[str]:
    lines = []
    for k in range(int((high - low) / step) + 1):
        at = low + k * step
        lines += _path([(at, low), (at, high)] if upright else [(low, at), (high, at)], z)
    return lines


def _of(lines: list[str], part: list[str]) -> set[int]:
    """The roles of the roads of a part of a file."""
    roles, at = _roles(lines)
    start = next(k for k in range(len(lines)) if lines[k : k + len(part)] == part) + 3
    return {role for role, line in zip(roles, at, strict=True) if start <= line < start + len(part)} - {TRAVEL, STILL}


@pytest.mark.parametrize("slug", ["proof-part", "batch-check", "rising-wall", "first-layer"])
def test_the_roads_of_trials_are_what_they_are_meant_for(slug: str) -> None:
    context, trial = plain_context(), kind(slug)
    file = trial.print_file(trial.suggest(context), context)
    case = analyse(read(file.gcode.encode()))
    way = np.hypot(np.diff(file.path.x, prepend=file.path.start[0]), np.diff(file.path.y, prepend=file.path.start[1]))
    meant = file.path.role[(file.path.e_mm > 0) & (way > 0.02)]
    laid = case.found.laid
    told, seconds = case.role[laid], case.found.seconds[laid]
    assert len(meant) == len(told)

    def share(of: Role, *roles: int) -> float:
        rows = meant == of
        return float(seconds[rows & np.isin(told, roles)].sum() / seconds[rows].sum()) if rows.any() else 1.0

    assert share(Role.OUTER, OUTER) > 0.95
    assert share(Role.BRIDGE, UNSUPPORTED) > 0.75, "their ends rest on something"
    assert share(Role.TOP, TOP) > 0.9
    assert share(Role.INFILL, INNER) > 0.98
    # Inner walls are seen from above where a surface ends, and walls of what is thin have a hollow to their inside.
    assert share(Role.INNER, INNER, TOP) > 0.9
    # What is solid hangs where it is the first over a sparse infill.
    assert share(Role.SOLID, INNER, UNSUPPORTED, TOP) > 0.98


def _cup(layers: int, *, solid_top: bool = True) -> list[list[str]]:
    """A square of 20 mm with a square hole of 6 mm, two walls each and an infill of lines across the way; layer by
    layer, walls from outside, then the infill.
    """
    found = []
    for n in range(layers):
        z, last = 0.2 * (n + 1), n == layers - 1 and solid_top
        walls = [_square(d, 20 - d, z) for d in (0, 0.42)] + [_square(7 - d, 13 + d, z) for d in (0, 0.42)]
        step = 0.42 if last else 2.5
        infill = _hatch(0.84, 6.16, step, z, upright=n % 2 == 0)
        found.append([line for part in walls for line in part] + infill)
    return found


def test_walls_round_a_hole_are_outer_and_a_gap_of_infill_is_no_hole() -> None:
    layers = _cup(6)
    lines = [line for layer in layers for line in layer]
    middle = 2
    outer, inner, hole, round_hole = ([*layers[middle][5 * k : 5 * k + 5]] for k in range(4))
    assert _of(lines, outer) == {OUTER}
    assert _of(lines, inner) == {INNER}
    assert _of(lines, hole) == {OUTER}
    assert _of(lines, round_hole) == {INNER}
    assert _of(lines, layers[middle][20:]) == {INNER}, "lone lines over a gap are an infill, not bridges"


def test_what_has_open_air_above_is_a_top_and_what_has_none_below_hangs() -> None:
    layers = _cup(6)
    lines = [line for layer in layers for line in layer]
    assert _of(lines, layers[5][20:]) == {TOP, UNSUPPORTED}, "the first that is solid hangs between the lines below"
    two = [*lines, *_square(0, 20, 1.4), *_hatch(0.42, 19.58, 0.42, 1.4, upright=True)]
    assert TOP not in _of(two, layers[5][20:])

    legs = [_square(low, low + 4, 0.2 * (n + 1)) for n in range(10) for low in (0, 16)]
    strands = [_path([(1, 2 + 0.42 * k), (19, 18 + 0.42 * k)], 2.2) for k in range(4)]
    table = [line for part in [*legs, *strands] for line in part]
    assert _of(table, strands[1]) == {UNSUPPORTED}
    lone = [line for part in [*legs, strands[0]] for line in part]
    assert _of(lone, strands[0]) == {UNSUPPORTED}, "a strand in the open hangs though it is alone"


def test_parts_that_are_printed_after_each_other_keep_their_layers() -> None:
    one, other = _cup(5), [[line.replace("X", "X3") if "X" in line else line for line in layer] for layer in _cup(5)]
    lines = [line for layer in [*one, *other] for line in layer]
    roles, at = _roles(lines)
    mine = [role for role, line in zip(roles, at, strict=True) if line < 3 + sum(map(len, one))]
    alone, _ = _roles([line for layer in one for line in layer])
    assert mine[1:] == alone[1:]


@settings(max_examples=12, deadline=None)
@given(st.floats(-math.pi, math.pi), st.floats(0, 0.5), st.floats(0, 0.5), st.booleans())
def test_turned_and_moved_it_is_the_same(angle: float, dx: float, dy: float, mirrored: bool) -> None:
    context, trial = plain_context(), kind("proof-part")
    program = read(trial.print_file(trial.suggest(context), context).gcode.encode())
    before = analyse(program)
    x, y = program.x - 110, (program.y - 110) * (-1 if mirrored else 1)
    turned = replace(
        program, x=110 + dx + math.cos(angle) * x - math.sin(angle) * y,
        y=110 + dy + math.sin(angle) * x + math.cos(angle) * y,
    )  # fmt: skip
    after, seconds = analyse(turned), before.found.seconds
    same = before.role == after.role
    assert seconds[~same].sum() < 0.03 * seconds.sum()


@pytest.mark.parametrize("slug", ["proof-part", "temperature", "first-layer"])
def test_it_does_not_matter_how_many_look(monkeypatch: pytest.MonkeyPatch, slug: str) -> None:
    """One thread for all layers, and one for each few of them; more than there are layers, too."""
    context, trial = plain_context(), kind(slug)
    program = read(trial.print_file(trial.suggest(context), context).gcode.encode())
    told = []
    for threads in (1, 2, 7, 40):
        monkeypatch.setattr("drumbo.core.gcode.roles.THREADS", threads)
        told.append(analyse(program).role)
    assert len(set(told[0].tolist())) >= 4
    for other in told[1:]:
        assert np.array_equal(told[0], other)


def _room(rows: int, words: int) -> NDArray[np.uint64]:
    """A part of a larger grid, as layers are looked at."""
    return np.zeros((rows, words + 1), np.uint64)[:, :words]


def _packed(cells: NDArray[np.bool_]) -> NDArray[np.uint64]:
    bits = np.packbits(cells, axis=1, bitorder="little").view(np.uint64)
    made = _room(*bits.shape)
    made[:] = bits
    return made


@settings(max_examples=80, deadline=None)
@given(st.integers(3, 40), st.integers(1, 3), st.floats(0.2, 0.8), st.floats(0, 0.2), st.integers(0, 10**6))
def test_open_air_is_what_reaches_the_edge_and_holes(
    rows: int, words: int, free: float, lined: float, seed: int
) -> None:
    rng = np.random.default_rng(seed)
    solid = rng.random((rows, words * 64)) > free
    lines = solid & (rng.random(solid.shape) < lined)
    air, room, gaps = (_room(rows, words) for _ in range(3))
    open_air(_packed(solid), _packed(lines), air, room, gaps)
    pieces, count = ndimage.label(~solid)
    edge = np.ones(solid.shape, dtype=bool)
    edge[1:-1, 1:-1] = False
    near_lines = ndimage.binary_dilation(lines)
    wanted = np.zeros(solid.shape, dtype=bool)
    for k in range(1, count + 1):
        piece = pieces == k
        wanted |= piece & bool((piece & edge).any() or not (piece & near_lines).any())
    assert np.array_equal(np.unpackbits(air.copy().view(np.uint8), axis=1, bitorder="little").astype(bool), wanted)
