"""Two files beside each other: they part where they do something else, never where they only say it otherwise."""

from __future__ import annotations

import re

import pytest

from drumbo.core.gcode.beside import Pair, Parting, pairs, parting
from drumbo.core.gcode.inspect import analyse, summary
from drumbo.core.gcode.reader import read
from drumbo.trials import kind
from tests.conftest import plain_context

CONTEXT = plain_context("petg")


@pytest.fixture(scope="module")
def tower() -> str:
    trial = kind("temperature")
    return str(trial.print_file(trial.suggest(CONTEXT), CONTEXT).gcode)


def _parting(a: str, b: str) -> Parting | None:
    return parting(analyse(read(a.encode())), analyse(read(b.encode())))


def _pairs(a: str, b: str) -> dict[str, Pair]:
    first, second = (analyse(read(each.encode())) for each in (a, b))
    return {p.name: p for p in pairs((first, summary(first)), (second, summary(second)))}


def _absolute(text: str) -> str:
    """The same with absolute extrusion throughout."""
    at, relative, lines = 0.0, True, []
    for line in text.splitlines():
        relative = {"M82": False, "M83": True}.get(line, relative)
        e = re.search(r" E(\S+)", line)
        if e:
            at = float(e[1]) + (at if relative and not line.startswith("G92") else 0.0)
        lines.append("M82" if line == "M83" else line.replace(e[0], f" E{at:.5f}") if e else line)
    return "\n".join(lines)


@pytest.mark.parametrize(
    "spell",
    [
        _absolute,
        lambda text: text.lower(),
        lambda text: re.sub(r"^G0 ", "G1 ", text, flags=re.M),
        lambda text: re.sub(r";.*", "", text).replace("\n", " \r\n"),
        lambda text: "\n".join(f"N{n} {line}" for n, line in enumerate(text.splitlines())),
    ],
)
def test_another_spelling_parts_nowhere(tower: str, spell: object) -> None:
    other = spell(tower)
    assert other != tower
    assert _parting(tower, other) is None
    assert not [p for p in _pairs(tower, other).values() if p.differs]


def test_a_changed_move_is_found_with_its_lines(tower: str) -> None:
    lines = tower.splitlines()
    where = [k for k, line in enumerate(lines) if line.startswith("G1 X") and " E" in line][500]
    changed = [*lines[:where], "; a word", re.sub(r"E(\S+)", "E9", lines[where]), *lines[where + 1 :]]
    found = _parting(tower, "\n".join(changed))
    assert found is not None
    assert (found.first_line, found.second_line) == (where + 1, where + 2)
    assert found.layer >= 1
    assert found.same == sum(line.startswith(("G0 ", "G1 ", "G28")) for line in lines[:where])


def test_a_changed_command_comes_before_the_moves_after_it(tower: str) -> None:
    lines = tower.splitlines()
    where = next(k for k, line in enumerate(lines) if line.startswith("M106"))
    other = [*lines[:where], "M106 S17", *lines[where + 1 :]]
    other[where + 40 :] = [line.replace("F", "F9") for line in other[where + 40 :]]
    found = _parting(tower, "\n".join(other))
    assert found is not None
    assert found.first_line == found.second_line == where + 1
    more = _parting(tower, "\n".join([*lines[:where], "M117 hello", *lines[where:]]))
    assert more is not None
    assert more.second_line == where + 1


def test_a_file_that_ends_early_has_ended_there(tower: str) -> None:
    moves = [k for k, line in enumerate(tower.splitlines()) if line.startswith("G1 X")]
    cut = "\n".join(tower.splitlines()[: moves[800]])
    found = _parting(tower, cut)
    assert found is not None
    assert (found.first_line, found.second_line) == (moves[800] + 1, 0)
    assert _parting(cut, tower) == Parting(0, moves[800] + 1, found.layer, found.same)


def test_what_they_come_to_is_told_side_by_side(tower: str) -> None:
    hot = re.sub(r"^(M10[49] S)(\d+)", lambda m: f"{m[1]}{int(m[2]) + 7 * (m[2] != '0')}", tower, flags=re.M)
    found = _pairs(tower, hot)
    assert found["Nozzle"].second - found["Nozzle"].first == 7
    assert {p.name for p in found.values() if p.differs} == {"Nozzle", "Nozzle, first layer"}
    double = _pairs(tower, tower.replace("M221 S100", "M221 S200"))["Filament"]
    assert double.more == pytest.approx(1, abs=0.02)
    assert Pair("-", "", 1, 0.0, 3.0).more is None
